"""How much of the planned help was given, and standing by two measures at once."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats, same_shape
from bodkin.core.errors import BadInput


@dataclass(frozen=True, slots=True)
class Dosage:
    """Minutes received by planned and sessions attended by held, one entry a student; NaN for 0/0."""

    minutes: FloatArray
    sessions: FloatArray


def _share(name: str, part: ArrayLike, whole: ArrayLike) -> FloatArray:
    some, all_ = floats(name, part), floats(f"{name} whole", whole)
    if (some < 0).any() or (all_ < 0).any():
        raise BadInput(f"{name} cannot be negative")
    return np.asarray(some / np.where(all_ > 0, all_, np.nan), dtype=np.float64)


def dosage(received: ArrayLike, planned: ArrayLike, attended: ArrayLike, held: ArrayLike) -> Dosage:
    """Dosage of each student: minutes received / planned, sessions attended / held (may exceed 1).

    Raises BadInput for a negative value. Common practice in intervention research.
    """
    return Dosage(_share("minutes", received, planned), _share("sessions", attended, held))


BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER = 3.0, 2.0, 1.0, 0.0


def two_dimensions(first: ArrayLike, first_cut: float, second: ArrayLike, second_cut: float) -> FloatArray:
    """Standing by two cuts: BOTH, FIRST_ONLY, SECOND_ONLY or NEITHER; NaN where one is missing.

    A value equal to its cut counts as reached. Raises BadInput for two shapes.
    """
    a, b = floats("first", first), floats("second", second)
    same_shape(first=a, second=b)
    standing = 2.0 * (a >= first_cut) + (b >= second_cut)
    return np.where(np.isnan(a + b), np.nan, standing)
