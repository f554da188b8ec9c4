"""The outlook: where students will stand at a window still to come if they grow as expected."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.fft import irfft, next_fast_len, rfft
from scipy.special import ndtr

from bodkin.core.arrays import FloatArray, IntArray, floats, within
from bodkin.core.errors import BadInput

CENTRAL = 0.80
"""Chance that the count of successes lies in the range that is told."""
STEPS = 10
"""Steps of the predicted chance in which it is held against what happened."""


def chances_at_or_above(expected: ArrayLike, spread: ArrayLike, cuts: ArrayLike) -> FloatArray:
    """Chance of each student that the result to come lies at or above each cut, shape (students, cuts).

    ``expected``, ``spread``: expected score and standard deviation of growth, scale points, shape
    (students,); ``cuts``: the lowest scores of the bands but the lowest, rising, shape (students, cuts)
    or (cuts,). ``1 - Phi((cut - E) / spread)``; NaN where anything is missing or the spread is 0.
    Raises BadInput for shapes that do not fit. Source: normal distribution about expected growth.
    """
    middle, sd, lines = floats("expected", expected), floats("spread", spread), floats("cuts", cuts)
    if middle.ndim != 1 or sd.shape != middle.shape or lines.ndim not in (1, 2):
        raise BadInput(f"expected and spread must be one a student: {middle.shape}, {sd.shape}")
    if lines.ndim == 2 and len(lines) != len(middle):
        raise BadInput(f"cuts must have a row for each student: {lines.shape}, {middle.shape}")
    lines = np.broadcast_to(lines, (len(middle), lines.shape[-1]))
    sd = np.where(sd > 0, sd, np.nan)
    return floats("chances", ndtr((middle[:, None] - lines) / sd[:, None]))


def band_chances_to_come(at_or_above: ArrayLike) -> FloatArray:
    """Chance of each band, the lowest first, from the chances at or above each cut; shape (students, bands).

    Rows add up to 1; NaN rows stay so. Raises BadInput for chances outside 0..1 or that rise with the cut.
    """
    above = within("at_or_above", at_or_above, 0.0, 1.0)
    if above.ndim != 2:
        raise BadInput(f"at_or_above must have a row for each student, got shape {above.shape}")
    whole = np.hstack([np.ones((len(above), 1)), above, np.zeros((len(above), 1))])
    whole[np.isnan(above).any(axis=1)] = np.nan
    steps: FloatArray = whole[:, :-1] - whole[:, 1:]
    if (steps < -1e-12).any():
        raise BadInput("a chance must not rise with the cut")
    return floats("chances", np.maximum(steps, 0.0))


def count_distribution(chances: ArrayLike) -> FloatArray:
    """Chance of every count 0..n of successes when each student has a chance of their own, shape (n + 1,).

    ``chances``: 0..1 each; NaN does not count. The Poisson binomial distribution, exact but for rounding:
    counts of two halves of the students folded into one another, by fast Fourier transform, pair by pair.
    Raises BadInput for a chance outside 0..1.
    Source: Biscarri, Zhao & Brunner (2018), Computational Statistics & Data Analysis 122, 92-100.
    """
    p = within("chances", chances, 0.0, 1.0)
    p = p[~np.isnan(p)]
    # Filled up with students who cannot succeed, so that halves always pair up.
    whole = np.zeros(1 << max(0, int(p.size) - 1).bit_length())
    whole[: p.size] = p
    parts = np.column_stack([1.0 - whole, whole])
    while len(parts) > 1:
        size = 2 * (parts.shape[1] - 1) + 1
        turned = rfft(parts, next_fast_len(size, real=True), axis=1)
        parts = np.maximum(irfft(turned[0::2] * turned[1::2], next_fast_len(size, real=True), axis=1)[:, :size], 0.0)
    found = floats("chances", parts[0, : p.size + 1])
    return floats("chances", found / found.sum())


@dataclass(frozen=True, slots=True)
class CountRange:
    """How many successes are expected, with the central range of the count; of ``n`` students."""

    n: int
    expected: float
    low: int
    median: int
    high: int


def _quantile(cumulative: FloatArray, share: float) -> int:
    """The lowest count whose cumulative chance reaches a share, as scipy's ppf has it."""
    return int(np.searchsorted(cumulative, share * (1 - 1e-12)))


def count_range(chances: ArrayLike, central: float = CENTRAL) -> CountRange | None:
    """Expected count of successes, its median and the central 80 % of its exact distribution.

    ``chances``: 0..1 each; NaN does not count, None where none is known. ``low`` and ``high`` are the
    counts at ``(1 - central) / 2`` and ``(1 + central) / 2`` of the distribution.
    Raises BadInput for a chance outside 0..1. Source: :func:`count_distribution`.
    """
    p = within("chances", chances, 0.0, 1.0)
    p = p[~np.isnan(p)]
    if not 0 < central < 1:
        raise BadInput(f"central must lie between 0 and 1, got {central:g}")
    if not p.size:
        return None
    cumulative = np.cumsum(count_distribution(p))
    low, median, high = (_quantile(cumulative, share) for share in ((1 - central) / 2, 0.5, (1 + central) / 2))
    return CountRange(p.size, float(p.sum()), low, median, min(high, p.size))


def students_it_takes(chances: ArrayLike, target: float) -> int | None:
    """Further successes beyond the median count until a target share is reached; 0 where it is already.

    ``chances``: 0..1 each; ``target``: a share 0..1 of those whose chance is known. None where none is.
    Raises BadInput for a chance or target outside 0..1.
    """
    if not 0 <= target <= 1:
        raise BadInput(f"target must be from 0 to 1, got {target:g}")
    found = count_range(chances)
    if found is None:
        return None
    # A share such as 0.6 of 10 is 6 students, whatever the last digit of the product.
    needed = int(np.ceil(target * found.n - 1e-9))
    return max(0, needed - found.median)


@dataclass(frozen=True, slots=True)
class Calibration:
    """Predicted chances against what happened, by steps of the chance; arrays with one entry a step met.

    ``step``: its number from 0; ``n`` predictions; ``predicted``: their mean; ``happened``: the share
    that came true, with its Wilson ends. ``brier``: mean squared distance of chance and outcome.
    """

    n: int
    brier: float | None
    step: IntArray
    counts: IntArray
    predicted: FloatArray
    happened: FloatArray


def calibration(chances: ArrayLike, happened: ArrayLike, steps: int = STEPS) -> Calibration:
    """Chances held against outcomes in steps of equal width.

    ``chances``: 0..1; ``happened``: 1 or 0; one shape; a NaN in either does not count. A chance on the
    border of two steps belongs to the upper one, 1 to the last. Raises BadInput for other values or shapes.
    Source: reliability diagram and score of Brier (1950), Monthly Weather Review 78, 1-3.
    """
    p, outcome = within("chances", chances, 0.0, 1.0), floats("happened", happened)
    if p.shape != outcome.shape:
        raise BadInput(f"chances and happened must have one shape: {p.shape}, {outcome.shape}")
    known = ~np.isnan(p) & ~np.isnan(outcome)
    p, outcome = p[known], outcome[known]
    if not np.isin(outcome, (0.0, 1.0)).all():
        raise BadInput("happened must be 1 or 0")
    if not p.size:
        nothing = np.array([], dtype=np.float64)
        return Calibration(0, None, nothing.astype(np.int64), nothing.astype(np.int64), nothing, nothing)
    step = np.minimum((p * steps).astype(np.int64), steps - 1)
    n = np.bincount(step, minlength=steps)
    met = np.flatnonzero(n)
    mean = np.bincount(step, weights=p, minlength=steps)[met] / n[met]
    share = np.bincount(step, weights=outcome, minlength=steps)[met] / n[met]
    return Calibration(p.size, float(((p - outcome) ** 2).mean()), met, n[met], mean, share)
