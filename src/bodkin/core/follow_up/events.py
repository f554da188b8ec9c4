"""What has just happened to a student: a run that reached its length, a best or lowest result, an absence of days."""

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import IntArray, floats
from bodkin.core.errors import BadInput

FEWEST_BEFORE = 4
"""Results before the last one without which neither best nor lowest says anything (common practice)."""


def run_reached(flags: ArrayLike, length: int) -> bool:
    """Whether the run of 1s at the end of ``flags`` has just reached ``length`` or a multiple of it.

    ``flags``: 1, 0 or NaN (not known, which ends a run) in the order in which they came. Raises BadInput for another
    value or a length below 1. Source: definition.
    """
    values = floats("flags", flags)
    if length < 1:
        raise BadInput(f"length must be 1 or more, got {length}")
    if values.ndim != 1 or not np.isin(values[~np.isnan(values)], (0, 1)).all():
        raise BadInput("flags must be one-dimensional, 0 or 1")
    broken = np.flatnonzero(values != 1)
    run = values.size - 1 - int(broken[-1]) if broken.size else values.size
    return run > 0 and run % length == 0


def record_of_last(scores: ArrayLike, fewest: int = FEWEST_BEFORE) -> Literal["best", "lowest"] | None:
    """Whether the last score lies beyond every one before it; None with fewer than ``fewest`` before.

    ``scores`` in the order in which they came, without missing values. Raises BadInput for another shape or a missing
    value. Source: definition.
    """
    values = floats("scores", scores)
    if values.ndim != 1 or np.isnan(values).any():
        raise BadInput("scores must be one-dimensional and known")
    if values.size <= fewest:
        return None
    last, before = values[-1], values[:-1]
    return "best" if last > before.max() else "lowest" if last < before.min() else None


def runs_at_end(place: ArrayLike, flags: ArrayLike, places: int) -> IntArray:
    """The length of the run of 1s at the end of each place's flags, shape (places,).

    ``place``: whose flag each is, rising, each place's flags in the order in which they came; ``flags`` as for
    :func:`run_reached`. Raises BadInput for other shapes, a place that is not there or places that do not rise.
    """
    who, values = np.asarray(place, dtype=np.int64), floats("flags", flags)
    if who.shape != values.shape or who.ndim != 1:
        raise BadInput(f"place and flags must be one-dimensional and alike: {who.shape}, {values.shape}")
    if who.size and (who[0] < 0 or who[-1] >= places or (np.diff(who) < 0).any()):
        raise BadInput(f"places must rise from 0 to below {places}")
    n = np.bincount(who, minlength=places)
    ends = np.cumsum(n)
    # Where the last flag that is no 1 stands; before a place's own flags begin where there is none.
    broken = np.full(places, -1, dtype=np.int64)
    at = np.flatnonzero(values != 1)
    np.maximum.at(broken, who[at], at)
    return np.asarray(ends - 1 - np.maximum(broken, ends - n - 1), dtype=np.int64)
