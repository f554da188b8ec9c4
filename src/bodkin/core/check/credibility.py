"""Whether a result can be believed: too fast, far below what came before, one language or two."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray, floats, positive, same_shape
from bodkin.core.errors import BadInput
from bodkin.core.scores.scales import reliable_change

FASTEST_PERCENT = 5.0
FAST_FLOOR = 0.6
"""Nobody is too fast who took this share of the usual time, however alike all others are (common practice)."""
FEWEST_TIMES = 30
"""Tests with a duration from which the 5th percentile is one."""
OWN_PACE = 0.5
FEWEST_EARLIER = 2
"""Earlier windows with a duration from which a student has an own pace."""
BEYOND_ERROR = 1.96
ALIKE = 0.5
"""Two languages are alike where their difference lies within this part of a norm's standard deviation, either way."""
ALIKE_ERRORS = 1.645
"""Errors either side of a difference that hold 90 in 100."""


@dataclass(frozen=True, slots=True)
class Doubt:
    """Doubts about the results of one test, grade and window, one entry a student.

    ``limit``: minutes below which a test was too fast for all, None with fewer than 30 durations;
    ``own_median``: the student's own median over at least two earlier windows; ``change``: the reliable
    change against the last counted result.
    """

    fast_for_all: BoolArray
    fast_for_self: BoolArray
    far_below: BoolArray
    limit: float | None
    own_median: FloatArray
    change: FloatArray

    @property
    def too_fast(self) -> BoolArray:
        """Fast by either measure."""
        return self.fast_for_all | self.fast_for_self

    @property
    def retest(self) -> BoolArray:
        """Both too fast and far below: a retest is suggested. One alone: look at it."""
        return self.too_fast & self.far_below


def _medians(values: FloatArray) -> FloatArray:
    """Median of what is there in each row, shape (rows, columns), NaN where nothing is; something is in every row.

    As numpy's nanmedian, which takes ten times as long for few columns.
    """
    ordered, n = np.sort(values, axis=1), (~np.isnan(values)).sum(axis=1)
    row = np.arange(n.size)
    found: FloatArray = (ordered[row, (n - 1) // 2] + ordered[row, n // 2]) / 2.0
    return found


def doubt(
    minutes: ArrayLike,
    earlier_minutes: ArrayLike,
    score: ArrayLike,
    error: ArrayLike,
    last_score: ArrayLike,
    last_error: ArrayLike,
) -> Doubt:
    """Which results of one test, grade and window are hard to believe.

    ``minutes``: shape (n,), above 0; ``earlier_minutes``: shape (n, windows), NaN where none;
    scores and standard errors of this and the last counted result, scale points, shape (n,).
    Too fast: below the 5th percentile of all and below 60 % of their median, with at least 30
    durations, or below half the student's own median of at least two earlier windows. Far below:
    reliable change under -1.96. What is missing raises no doubt.
    Raises BadInput for other shapes, minutes or errors of 0 or less.
    Source: common practice (rapid responding); Jacobson & Truax (1991) for the change.
    """
    time, before = positive("minutes", minutes), floats("earlier_minutes", earlier_minutes)
    if before.ndim != 2 or before.shape[0] != time.size:
        raise BadInput(f"earlier_minutes must have a row a student, got shape {before.shape}")
    known = time[~np.isnan(time)]
    limit = None
    if known.size >= FEWEST_TIMES:
        limit = min(float(np.percentile(known, FASTEST_PERCENT)), FAST_FLOOR * float(np.median(known)))
    own = np.full(time.shape, np.nan)
    some = (~np.isnan(before)).sum(axis=1) >= FEWEST_EARLIER
    own[some] = _medians(before[some])
    change = reliable_change(last_score, score, last_error, error)
    same_shape(minutes=time, change=change)
    with np.errstate(invalid="ignore"):
        return Doubt(
            time < (-np.inf if limit is None else limit),
            time < OWN_PACE * own,
            change < -BEYOND_ERROR,
            limit,
            own,
            change,
        )


@dataclass(frozen=True, slots=True)
class Difference:
    """A difference between two sittings with its error, in one unit; ``errors`` is their ratio."""

    difference: FloatArray
    error: FloatArray
    errors: FloatArray


def two_sittings(first: ArrayLike, first_error: ArrayLike, second: ArrayLike, second_error: ArrayLike) -> Difference:
    """First less second with its error: two languages, or with and without accommodations.

    On one scale, or as z scores of each one's own norm with the errors in the same unit.
    Raises BadInput for errors of 0 or less. Source: error of a difference, classical test theory.
    """
    errors = reliable_change(second, first, second_error, first_error)
    difference = np.asarray(floats("first", first) - floats("second", second), dtype=np.float64)
    error = np.hypot(floats("first_error", first_error), floats("second_error", second_error))
    return Difference(difference, np.broadcast_to(error, difference.shape).copy(), errors)


Need = Literal["language", "skill", "cannot tell"]


def language_or_skill(
    home: Difference, home_short: ArrayLike, english_short: ArrayLike, spread: ArrayLike
) -> list[Need | None]:
    """What two languages say of the need, one entry a student.

    ``home``: home language less English; ``home_short``, ``english_short``: how far each score lies
    below its target, in its own standard errors (negative above it); ``spread``: standard deviation of
    the norm, in the unit of the difference; one shape, or one spread for all.
    "language": home higher by more than 1.96 errors. "skill": both below the target by more than their
    own error, and the 90 % interval of the difference within half a spread either side of 0, so that
    the languages are known to be alike. Otherwise "cannot tell". Without a difference, a spread or
    a target there is no word: None; a clear difference needs no target.
    Raises BadInput for other shapes or a spread of 0 or less.
    Source: equivalence by two one-sided tests, Schuirmann (1987), J. Pharmacokinetics and
    Biopharmaceutics 15, 657-680; the limits are common practice for multilingual learners.
    """
    sd = positive("spread", spread)
    short = [floats(name, one) for name, one in (("home_short", home_short), ("english_short", english_short))]
    if any(one.shape != home.errors.shape for one in short) or sd.shape not in ((), home.errors.shape):
        shapes = home.errors.shape, short[0].shape, short[1].shape
        raise BadInput(f"differences and targets must be about the same students: {shapes}")
    reach = np.abs(home.difference) + ALIKE_ERRORS * home.error
    both = (short[0] > 1.0) & (short[1] > 1.0)
    unknown = np.isnan(home.errors)
    no_target = np.isnan(short[0] + short[1] + sd)
    needs: list[Need | None] = []
    for errors, alike, below, nothing, aimless in zip(
        home.errors, reach <= ALIKE * sd, both, unknown, no_target, strict=True
    ):
        if nothing:
            needs.append(None)
        elif errors > BEYOND_ERROR:
            needs.append("language")
        elif aimless:
            needs.append(None)
        else:
            needs.append("skill" if below and alike else "cannot tell")
    return needs
