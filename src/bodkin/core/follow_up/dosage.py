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


def weeks_to_make_up(short: ArrayLike, extra: ArrayLike) -> FloatArray:
    """Weeks until missing minutes are given with so many ``extra`` minutes a week; 0 where none is missing.

    Shapes broadcast; NaN where minutes are missing and no extra ones are given. Raises BadInput for a negative value.
    Source: definition.
    """
    missing, more = np.broadcast_arrays(floats("short", short), floats("extra", extra))
    if (missing < 0).any() or (more < 0).any():
        raise BadInput("short and extra cannot be negative")
    weeks = missing / np.where(more > 0, more, np.nan)
    return np.asarray(np.where(missing == 0, 0.0, weeks), dtype=np.float64)
