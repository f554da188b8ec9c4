"""Percentile ranks and changes beyond error on a test's own scale."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr, ndtri

from bodkin.core.arrays import FloatArray, floats, positive, same_shape, within
from bodkin.core.errors import BadInput


def percent_below(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Unrounded normal percentile ``100 * Phi((x - mu) / sd)``, 0..100.

    ``score``, ``mean``, ``sd``: scale points, one shape (or scalars); NaN where any is NaN.
    Raises BadInput for a spread of 0 or less. Source: standard normal distribution.
    """
    x, mu, spread = floats("score", score), floats("mean", mean), positive("sd", sd)
    same_shape(score=x, mean=mu, sd=spread)
    return np.asarray(100.0 * ndtr((x - mu) / spread), dtype=np.float64)


def as_rank(percent: ArrayLike) -> FloatArray:
    """A percentile rank from an unrounded percentage: halves round up, kept within 1..99."""
    return np.clip(np.floor(floats("percent", percent) + 0.5), 1.0, 99.0)


def percentile_rank(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Percentile rank in a norm group, ``clip(floor(100 * Phi(z) + 0.5), 1, 99)``.

    Shapes, units and errors as :func:`percent_below`. Source: standard psychometric definition.

    >>> percentile_rank([500.0, 519.6], 500.0, 20.0).tolist()
    [50.0, 84.0]
    """
    return as_rank(percent_below(score, mean, sd))


def score_at_percentile(percentile: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """The score below which ``percentile`` per cent of the norm group lie, in scale points.

    ``percentile`` lies strictly between 0 and 100. Raises BadInput otherwise, and for a spread
    of 0 or less. Source: inverse of :func:`percent_below`.
    """
    share = within("percentile", percentile, 1e-9, 100.0 - 1e-9)
    mu, spread = floats("mean", mean), positive("sd", sd)
    same_shape(percentile=share, mean=mu, sd=spread)
    return np.asarray(mu + spread * ndtri(share / 100.0), dtype=np.float64)


def reliable_change(first: ArrayLike, second: ArrayLike, error_first: ArrayLike, error_second: ArrayLike) -> FloatArray:
    """Change in units of its own error, ``(x2 - x1) / sqrt(s1^2 + s2^2)``.

    Scores and standard errors in scale points, one shape. Beyond +-1.96 a change is larger than
    the error of the two tests explains. Raises BadInput for a standard error of 0 or less.
    Source: Jacobson & Truax (1991), J. Consulting and Clinical Psychology 59, 12-19.
    """
    x1, x2 = floats("first", first), floats("second", second)
    s1, s2 = positive("error_first", error_first), positive("error_second", error_second)
    same_shape(first=x1, second=x2, error_first=s1, error_second=s2)
    return np.asarray((x2 - x1) / np.sqrt(s1**2 + s2**2), dtype=np.float64)


NCE_SPREAD = 21.063
"""Makes the normal curve equivalent equal to the percentile at 1, 50 and 99."""


def normal_curve_equivalent(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Normal curve equivalent, ``50 + 21.063 * (x - mu) / sd``: percentile-like with equal steps.

    Shapes, units and errors as :func:`percent_below`; unbounded, NaN where any input is NaN.
    Source: standard psychometric definition (equal to the percentile at 1, 50 and 99).
    """
    x, mu, spread = floats("score", score), floats("mean", mean), positive("sd", sd)
    same_shape(score=x, mean=mu, sd=spread)
    return np.asarray(50.0 + NCE_SPREAD * (x - mu) / spread, dtype=np.float64)


def stanine(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Stanine 1..9: steps of half a spread about the mean, the fifth centred on it.

    A score on the border of two stanines belongs to the upper one. Shapes, units and errors as
    :func:`percent_below`. Source: standard definition, 4-7-12-17-20-17-12-7-4 per cent.
    """
    x, mu, spread = floats("score", score), floats("mean", mean), positive("sd", sd)
    same_shape(score=x, mean=mu, sd=spread)
    # Half a step above the mean is a border, whatever the last digit of the division says.
    return np.clip(np.floor(2.0 * (x - mu) / spread + 5.5 + 1e-9), 1.0, 9.0)


def error_from_reliability(sd: ArrayLike, reliability: ArrayLike) -> FloatArray:
    """Standard error of measurement, ``sd * sqrt(1 - r)``, in the unit of ``sd``.

    ``reliability`` in 0..1. Raises BadInput outside, and for a spread of 0 or less.
    Source: classical test theory, for example Lord & Novick (1968), section 3.8.
    """
    spread, r = positive("sd", sd), within("reliability", reliability, 0.0, 1.0)
    same_shape(sd=spread, reliability=r)
    return np.asarray(spread * np.sqrt(1.0 - r), dtype=np.float64)


@dataclass(frozen=True, slots=True)
class ScoreRange:
    """Where a score lies within its error: ends in scale points, ranks of the ends 1..99."""

    low: FloatArray
    high: FloatArray
    low_percentile: FloatArray
    high_percentile: FloatArray


def score_range(
    score: ArrayLike, error: ArrayLike, mean: ArrayLike = np.nan, sd: ArrayLike = np.nan, errors: float = 1.0
) -> ScoreRange:
    """The score plus and minus ``errors`` standard errors (1: about 68 %), and the ends' percentiles.

    Scale points, one shape; without a norm the percentiles are NaN. Raises BadInput for an error
    or spread of 0 or less, or a number of errors of 0 or less.
    Source: normal error of measurement, classical test theory.
    """
    x, s = floats("score", score), positive("error", error)
    width = float(positive("errors", errors))
    same_shape(score=x, error=s)
    low, high = np.asarray(x - width * s), np.asarray(x + width * s)
    return ScoreRange(low, high, percentile_rank(low, mean, sd), percentile_rank(high, mean, sd))


def percent_of_points(points: ArrayLike, possible: ArrayLike) -> tuple[FloatArray, FloatArray]:
    """Per cent of the points won (0..100) and its standard error, both in per cent.

    ``points``, ``possible``: one shape; NaN where either is missing or nothing was possible. The error is that
    of a binomial share about its Wilson centre at one standard error, so that a strand with all points won is
    not taken for exact. Raises BadInput for points below 0 or above those possible. Source: Agresti & Coull
    (1998), The American Statistician 52, 119-126, with z = 1.
    """
    won, full = floats("points", points), floats("possible", possible)
    if (won < 0).any() or (won > full + 1e-9).any():
        raise BadInput("points must be from 0 to the points possible")
    n = np.where(full > 0, full, np.nan)
    centre = (won + 0.5) / (n + 1.0)
    return 100.0 * won / n, 100.0 * np.sqrt(centre * (1.0 - centre) / (n + 1.0))
