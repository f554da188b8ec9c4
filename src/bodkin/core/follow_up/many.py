"""The rule for the next step over many students at once: the same words as one by one, on arrays."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import stdtrit

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats
from bodkin.core.errors import BadInput
from bodkin.core.follow_up.trend import (
    BASELINE_POINTS,
    FEWEST_FOR_RULE,
    FEWEST_FOR_TREND,
    FEWEST_WEEKS,
    IN_A_ROW,
    SURE,
    Act,
)

ACTS: tuple[Act, ...] = ("none", "change", "raise", "stay")
"""Words of the rule by their code."""
NONE, CHANGE, RAISE, STAY = range(4)


@dataclass(frozen=True, slots=True)
class AimLines:
    """The aim line of each student, shape (students,), NaN where there is none: both ends in weeks and scores."""

    start_week: FloatArray
    start: FloatArray
    goal_week: FloatArray
    goal: FloatArray

    def at(self, week: FloatArray) -> FloatArray:
        """Height of each line at its student's weeks, shape (students, results)."""
        slope = (self.goal - self.start) / (self.goal_week - self.start_week)
        return np.asarray(self.start[:, None] + slope[:, None] * (week - self.start_week[:, None]))


@dataclass(frozen=True, slots=True)
class NextSteps:
    """What the rule says of each student, shape (students,).

    ``n``: results; ``slope``: score units a week over all of them, NaN where there is no trend; ``act``: code in
    ``ACTS``; ``confirmed``: 1 or 0 for change and raise, NaN for the others.
    """

    n: IntArray
    slope: FloatArray
    act: IntArray
    confirmed: FloatArray


@dataclass(frozen=True, slots=True)
class _Lines:
    """Least squares of each student's first results: slope, intercept, their scatter and the slope's error."""

    n: IntArray
    slope: FloatArray
    scatter: FloatArray
    error: FloatArray


def aim_lines(week: ArrayLike, score: ArrayLike, goal_week: ArrayLike, goal: ArrayLike) -> AimLines:
    """Aim lines from the median of the first three results, at their middle week, to each goal.

    ``week``, ``score``: shape (students, results), rising weeks from the left, NaN behind the last. No line, NaN, with
    fewer than three results, without a goal, or with a goal that does not come after its start. Raises BadInput for
    other shapes. Common practice in progress monitoring.
    """
    weeks, scores = _grid(week, score)
    until, aim = floats("goal_week", goal_week), floats("goal", goal)
    if until.shape != weeks.shape[:1] or aim.shape != weeks.shape[:1]:
        raise BadInput(f"goal_week and goal must have an entry for each student: {until.shape}, {weeks.shape}")
    # The middle of three needs no NaN-aware median.
    first = np.sort(_left(weeks, BASELINE_POINTS), axis=1)[:, 1]
    start = np.sort(_left(scores, BASELINE_POINTS), axis=1)[:, 1]
    there = (~np.isnan(weeks)).sum(axis=1) >= BASELINE_POINTS
    there &= ~np.isnan(until + aim)
    with np.errstate(invalid="ignore"):
        there &= until > first
    columns = (np.where(there, one, np.nan) for one in (first, start, until, aim))
    return AimLines(*columns)


def _left(values: FloatArray, count: int) -> FloatArray:
    """The first columns, filled up with NaN where there are fewer."""
    short = max(0, count - values.shape[1])
    return np.pad(values[:, :count], ((0, 0), (0, short)), constant_values=np.nan)


def _grid(week: ArrayLike, score: ArrayLike) -> tuple[FloatArray, FloatArray]:
    weeks, scores = floats("week", week), floats("score", score)
    if weeks.shape != scores.shape or weeks.ndim != 2:
        raise BadInput(f"week and score must be alike, students by results: {weeks.shape}, {scores.shape}")
    if (np.isnan(weeks) != np.isnan(scores)).any() or (np.isnan(weeks[:, :-1]) & ~np.isnan(weeks[:, 1:])).any():
        raise BadInput("results stand from the left, week and score both known or both NaN")
    if (np.diff(weeks, axis=1) < 0).any():
        raise BadInput("weeks must rise from the left")
    return weeks, scores


def _upto(weeks: FloatArray, count: IntArray) -> BoolArray:
    return np.arange(weeks.shape[1])[None, :] < count[:, None]


def _lines(weeks: FloatArray, scores: FloatArray, count: IntArray) -> _Lines:
    """Least squares over the first ``count`` results of each; NaN with fewer than three different weeks."""
    inside = _upto(weeks, count)
    n = np.where(count > 0, count, 1).astype(np.float64)
    x, y = np.where(inside, weeks, 0.0), np.where(inside, scores, 0.0)
    middle, mean = x.sum(axis=1) / n, y.sum(axis=1) / n
    dx = np.where(inside, weeks - middle[:, None], 0.0)
    squares = (dx * dx).sum(axis=1)
    ok = _distinct(weeks, count) >= FEWEST_FOR_TREND
    slope = np.where(ok, (dx * y).sum(axis=1), np.nan) / np.where(ok, squares, 1.0)
    rest = np.where(inside, scores - mean[:, None] - slope[:, None] * dx, 0.0)
    scatter = np.sqrt((rest * rest).sum(axis=1) / np.where(ok, n - 2, np.nan))
    return _Lines(count, slope, scatter, scatter / np.sqrt(np.where(ok, squares, np.nan)))


def _distinct(weeks: FloatArray, count: IntArray) -> IntArray:
    """Different weeks among the first ``count``."""
    if not weeks.shape[1]:
        return np.zeros(weeks.shape[0], dtype=np.int64)
    with np.errstate(invalid="ignore"):
        steps = (np.diff(weeks, axis=1) > 0) & _upto(weeks, count)[:, 1:]
    return np.asarray(steps.sum(axis=1) + (count > 0), dtype=np.int64)


def _last(values: FloatArray, count: IntArray, back: int) -> FloatArray:
    """The value so many places before the last of the first ``count``; NaN where there is none."""
    at = count - back
    found = np.take_along_axis(values, np.clip(at, 0, max(0, values.shape[1] - 1))[:, None], axis=1)[:, 0]
    return np.where(at >= 0, found, np.nan)


def _word(weeks: FloatArray, scores: FloatArray, away: FloatArray, aims: AimLines, count: IntArray) -> IntArray:
    """The word of the rule on the first ``count`` results of each."""
    with np.errstate(invalid="ignore"):
        span = _last(weeks, count, 1) - weeks[:, 0]
        enough = (_distinct(weeks, count) >= FEWEST_FOR_RULE) & (span >= FEWEST_WEEKS) & ~np.isnan(aims.goal)
        four = np.column_stack([_last(away, count, back) for back in range(1, IN_A_ROW + 1)])
        line = _lines(weeks, scores, count)
        aim = (aims.goal - aims.start) / (aims.goal_week - aims.start_week)
        below, above = (four < 0).all(axis=1), (four > 0).all(axis=1)
        flatter, steeper = line.slope < aim - line.error, line.slope > aim + line.error
    word = np.select([below, above, flatter, steeper], [CHANGE, RAISE, CHANGE, RAISE], STAY)
    return np.where(enough, word, NONE).astype(np.int64)


def next_steps(
    week: ArrayLike, score: ArrayLike, aims: AimLines, *, sure: float = SURE, baseline: int = BASELINE_POINTS
) -> NextSteps:
    """The four-point rule, trend against aim line, and whether it is confirmed, for each student.

    ``week``, ``score``: shape (students, results), rising weeks from the left, NaN behind the last; one result a day.
    Says what :func:`bodkin.core.follow_up.trend.next_step` says of each row; a row without an aim line has no rule.
    Raises BadInput for other shapes. Source: as there.
    """
    weeks, scores = _grid(week, score)
    if aims.goal.shape != weeks.shape[:1]:
        raise BadInput(f"there are {aims.goal.size} aim lines for {weeks.shape[0]} students")
    n = (~np.isnan(weeks)).sum(axis=1).astype(np.int64)
    if not weeks.shape[1]:
        empty = np.full(n.shape, np.nan)
        return NextSteps(n, empty, np.zeros_like(n), empty)
    with np.errstate(invalid="ignore"):
        count = (weeks <= aims.goal_week[:, None]).sum(axis=1).astype(np.int64)
    away = scores - aims.at(weeks)
    act = _word(weeks, scores, away, aims, count)
    before = _word(weeks, scores, away, aims, np.maximum(count - 1, 0))
    line = _lines(weeks, scores, count)
    four = np.column_stack([_last(away, count, back) for back in range(1, IN_A_ROW + 1)]).mean(axis=1)
    freedom = np.maximum(count - 2, 1).astype(np.float64)
    limit = np.asarray(stdtrit(freedom, sure)) * line.scatter / np.sqrt(IN_A_ROW)
    with np.errstate(invalid="ignore"):
        far = np.where(act == CHANGE, four < -limit, four > limit)
    confirmed = (before == act) & far & (count >= baseline + IN_A_ROW)
    moves = (act == CHANGE) | (act == RAISE)
    slope = _lines(weeks, scores, n).slope
    return NextSteps(n, slope, act, np.where(moves, confirmed.astype(np.float64), np.nan))
