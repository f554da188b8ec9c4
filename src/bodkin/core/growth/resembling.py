"""Which grade and season a score resembles."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import IntArray, floats
from bodkin.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class Resembling:
    """Norm rows (by place) whose mean lies within one error of the score, and the closest one.

    ``beyond`` is -1 or 1 where the score lies below or above every norm mean by more than its
    error: then nothing may be said but that, since the table ends there.
    """

    within_error: IntArray
    closest: int
    beyond: int


def resembling(score: float, error: float, means: ArrayLike) -> Resembling:
    """Norm rows that a score resembles.

    ``score``, ``error``: scale points; ``means``: norm means in any order, shape (rows,), none
    missing. At a tie the earlier row is the closest. Raises BadInput for no rows, a missing
    value, or an error of 0 or less. Common practice, said with care.
    """
    rows = floats("means", means)
    if not rows.size or np.isnan(rows).any() or np.isnan(score) or np.isnan(error):
        raise BadInput("score, error and norm means must all be known, and there must be a norm row")
    if error <= 0:
        raise BadInput(f"error must be above 0, got {error:g}")
    away = np.abs(rows - score)
    beyond = -1 if score < rows.min() - error else 1 if score > rows.max() + error else 0
    return Resembling(np.flatnonzero(away <= error).astype(np.int64), int(np.argmin(away)), beyond)
