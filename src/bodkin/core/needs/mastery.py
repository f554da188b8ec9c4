"""Mastery of a standard: from points, from a teacher's word, and what to do where there is little."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput

MASTERED_FROM, NEARLY_FROM, FEWEST_POINTS = 80.0, 60.0, 3.0

State = Literal["mastered", "nearly", "not yet", "thin evidence", "no evidence"]
STATES: tuple[State, ...] = ("mastered", "nearly", "not yet", "thin evidence", "no evidence")


@dataclass(frozen=True, slots=True)
class PointMastery:
    """State of each student from points; ``percent`` is NaN where nothing was possible."""

    states: list[State]
    percent: FloatArray


def mastery_from_points(
    won: ArrayLike,
    possible: ArrayLike,
    mastered_from: float = MASTERED_FROM,
    nearly_from: float = NEARLY_FROM,
    fewest: float = FEWEST_POINTS,
) -> PointMastery:
    """State of each student on one standard over the chosen period and sources.

    ``won``, ``possible``: points (or items) of each student, shape (n,), won <= possible. Per
    cent of points: mastered from 80, nearly from 60, below that not yet; fewer than 3 possible:
    thin evidence; none: no evidence, which is not "not yet". Raises BadInput for points won
    below 0 or above those possible, and for limits out of order. Common practice; thresholds
    are parameters.
    """
    some, all_ = floats("won", won), np.nan_to_num(floats("possible", possible))
    some = np.nan_to_num(some)
    if some.shape != all_.shape or some.ndim != 1:
        raise BadInput(f"won and possible must be one-dimensional and alike: {some.shape}, {all_.shape}")
    if (some < 0).any() or (some > all_).any():
        raise BadInput("won must be from 0 to the points possible")
    if not 0 <= nearly_from < mastered_from <= 100:
        raise BadInput(f"nearly_from ({nearly_from:g}) must lie below mastered_from ({mastered_from:g}), within 0..100")
    percent = 100.0 * some / np.where(all_ > 0, all_, np.nan)
    states: list[State] = []
    for share, n in zip(percent, all_, strict=True):
        if n == 0:
            states.append("no evidence")
        elif n < fewest:
            states.append("thin evidence")
        else:
            states.append("mastered" if share >= mastered_from else "nearly" if share >= nearly_from else "not yet")
    return PointMastery(states, percent)


@dataclass(frozen=True, slots=True, order=True)
class Evidence:
    """A source's word on one student and standard: the day, whether a teacher said so, the state."""

    on: np.datetime64
    by_teacher: bool
    state: State


def newest(evidence: list[Evidence]) -> State:
    """What counts where sources disagree: the newest, a teacher's own entry first on one day.

    Without any: "no evidence". The older evidence stays visible; it only does not count.
    """
    if not evidence:
        return "no evidence"
    return max(evidence, key=lambda one: (one.on, one.by_teacher)).state
