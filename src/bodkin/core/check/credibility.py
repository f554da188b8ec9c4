"""Whether a result can be believed: too fast, far below what came before, one language or two."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray, floats, positive, same_shape
from bodkin.core.errors import BadInput
from bodkin.core.scores.scales import reliable_change

FASTEST_PERCENT = 5.0
OWN_PACE = 0.5
BEYOND_ERROR = 1.96


@dataclass(frozen=True, slots=True)
class Doubt:
    """Doubts about the results of one test, grade and window, one entry a student.

    ``limit`` is the 5th percentile of the minutes; ``own_median`` the student's own median over
    earlier windows; ``change`` the reliable change against the last counted result.
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
    Too fast: below the 5th percentile of all, or below half the student's own median of earlier
    windows. Far below: reliable change under -1.96. What is missing raises no doubt.
    Raises BadInput for other shapes, minutes or errors of 0 or less.
    Source: common practice (rapid responding); Jacobson & Truax (1991) for the change.
    """
    time, before = positive("minutes", minutes), floats("earlier_minutes", earlier_minutes)
    if before.ndim != 2 or before.shape[0] != time.size:
        raise BadInput(f"earlier_minutes must have a row a student, got shape {before.shape}")
    known = time[~np.isnan(time)]
    limit = float(np.percentile(known, FASTEST_PERCENT)) if known.size else None
    own = np.full(time.shape, np.nan)
    some = ~np.isnan(before).all(axis=1) if before.shape[1] else np.zeros(time.size, dtype=bool)
    own[some] = np.nanmedian(before[some], axis=1)
    change = reliable_change(last_score, score, last_error, error)
    same_shape(minutes=time, change=change)
    with np.errstate(invalid="ignore"):
        return Doubt(
            time < (np.inf if limit is None else limit),
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


def language_or_skill(home: Difference, home_below: ArrayLike, english_below: ArrayLike) -> list[Need]:
    """What two languages say of the need, one entry a student.

    ``home``: home language less English. "language": home higher by more than 1.96 errors.
    "skill": both below the target and no such difference. Otherwise "cannot tell".
    Raises BadInput for other shapes. Common practice for multilingual learners.
    """
    below = np.asarray(home_below, dtype=bool) & np.asarray(english_below, dtype=bool)
    if below.shape != home.errors.shape:
        raise BadInput(f"differences and targets must be about the same students: {home.errors.shape}, {below.shape}")
    needs: list[Need] = []
    for errors, both in zip(home.errors, below, strict=True):
        if errors > BEYOND_ERROR:
            needs.append("language")
        elif both and not np.isnan(errors):
            needs.append("skill")
        else:
            needs.append("cannot tell")
    return needs
