"""Goals: what it takes to keep pace or to catch up, and how usual that is."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr

from bodkin.core.arrays import BoolArray, FloatArray, floats, positive, same_shape
from bodkin.core.growth.expected_growth import ExpectedGrowth
from bodkin.core.scores.shares import wilson_interval

STEADY_WINDOWS = 3
"""Windows in a row in the same band or higher that make a standing steady (common practice)."""


@dataclass(frozen=True, slots=True)
class Goal:
    """A goal for each student: score, points to gain, points a week, and how usual that is.

    ``usual`` is the share (0..1) of students who start here and gain as much; ``below_pace``
    marks a goal that asks for less than keeping pace, which must be said.
    """

    score: FloatArray
    points: FloatArray
    a_week: FloatArray
    usual: FloatArray
    below_pace: BoolArray


def goal(start: ArrayLike, target: ArrayLike, weeks: ArrayLike, expectation: ExpectedGrowth) -> Goal:
    """What it takes to reach a target score.

    ``start``, ``target``: scale points; ``weeks``: weeks of instruction until the target, above
    0; one shape (or scalars). Usual: ``1 - Phi((needed - expected gain) / spread)``.
    Keeping pace is ``target = expectation.score`` (half of those who start here reach it);
    catching up is the score at a percentile, or the lowest score of a band, at that time.
    Raises BadInput for weeks of 0 or less. Source: normal distribution about expected growth.
    """
    x, aim, time = floats("start", start), floats("target", target), positive("weeks", weeks)
    same_shape(start=x, target=aim, weeks=time, expectation=expectation.gain)
    points = np.asarray(aim - x, dtype=np.float64)
    spread = np.where(expectation.spread > 0, expectation.spread, np.nan)
    usual = np.asarray(1.0 - ndtr((points - expectation.gain) / spread), dtype=np.float64)
    score = np.asarray(np.broadcast_to(aim, points.shape), dtype=np.float64)
    return Goal(score, points, np.asarray(points / time), usual, score < expectation.score)


TENTHS_FROM = 0.35
"""From this share on the next whole inverse lies too far off: 2 in 3 is no half."""


def one_in(share: float) -> str:
    """A share in words: ``about 1 in 6``, from 35 in 100 on in tenths, as ``about 7 in 10``.

    >>> one_in(0.16), one_in(0.5), one_in(0.66), one_in(0.0004)
    ('about 1 in 6', 'about 1 in 2', 'about 7 in 10', 'fewer than 1 in 1,000')
    """
    if np.isnan(share):
        return "not known"
    if share < 0.001:
        return "fewer than 1 in 1,000"
    if share < TENTHS_FROM:
        return f"about 1 in {int(1 / share + 0.5):,}"
    tenths = int(share * 10 + 0.5)
    if tenths == 10:
        return "nearly all"
    return "about 1 in 2" if tenths == 5 else f"about {tenths} in 10"


@dataclass(frozen=True, slots=True)
class GrowthTarget:
    """A class's or school's target: share meeting expected growth, its interval, reached or not."""

    n: int
    share: float | None
    low: float | None
    high: float | None
    reached: bool | None


def growth_target(met: ArrayLike, target: float) -> GrowthTarget:
    """Share of students who met expected growth against a target share (0..1).

    ``met``: 1 or 0 a student, NaN where it cannot be said. Interval: Wilson 95 %.
    """
    known = floats("met", met)
    known = known[~np.isnan(known)]
    if not known.size:
        return GrowthTarget(0, None, None, None, None)
    count = float(known.sum())
    low, high = wilson_interval([count], [known.size])
    share = count / known.size
    return GrowthTarget(known.size, share, float(low[0]), float(high[0]), share >= target)


def steady(orders: ArrayLike, windows: int = STEADY_WINDOWS) -> FloatArray:
    """1 where a student's last windows were all in the present band or higher, else 0.

    ``orders``: shape (students, windows in the order of time), band orders. NaN where fewer
    than ``windows`` were given or one of the last has no result: a gap is not a standing.
    Common practice: a high score counts only when it is steady.
    """
    table = np.atleast_2d(floats("orders", orders))
    if table.shape[1] < windows:
        return np.full(table.shape[0], np.nan)
    last = table[:, -windows:]
    held = (last >= last[:, -1:]).all(axis=1).astype(np.float64)
    return np.where(np.isnan(last).any(axis=1), np.nan, held)
