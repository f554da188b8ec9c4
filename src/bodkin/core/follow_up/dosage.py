"""How much of the planned help was given."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats
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
