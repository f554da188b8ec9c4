"""Results between the windows, one student and measure at a time: trend, aim line, and what the rule says."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from bodkin.core.arrays import FloatArray
from bodkin.core.calendar import instructional_weeks
from bodkin.core.follow_up.trend import (
    BASELINE_POINTS,
    FEWEST_FOR_RULE,
    Act,
    AimLine,
    NextStep,
    Trend,
    next_step,
    trend,
)
from bodkin.store.reads.table.score_table import Calendar

Days = NDArray[np.datetime64]
Weeks = Callable[[Days, Days | np.datetime64], FloatArray]
"""Weeks of some days since another day, or each since its own."""


def days_by_seven(days: Days, since: Days | np.datetime64) -> FloatArray:
    """Weeks as days divided by seven."""
    return (days - since).astype("timedelta64[D]").astype(np.float64) / 7.0


def _closed(calendar: Calendar) -> Days:
    """Days without school: closures, and those between the school years that are known."""
    closed = np.concatenate([year.closed for year in calendar.years.values()] or [np.array([], "datetime64[D]")])
    years = sorted((year.first_day, year.last_day) for year in calendar.years.values())
    gaps = [
        np.arange(last + np.timedelta64(1, "D"), first, dtype="datetime64[D]")
        for (_, last), (first, _) in pairwise(years)
    ]
    return np.unique(np.concatenate([closed, *gaps]))


def school_days(calendar: Calendar, first: date, last: date) -> Days:
    """School days from one day to another, both included, rising; every weekday where no calendar is known."""
    days = np.arange(np.datetime64(first, "D"), np.datetime64(last, "D") + 1, dtype="datetime64[D]")
    return days[np.is_busday(days, holidays=_closed(calendar))]


def weeks_of_instruction(calendar: Calendar) -> Weeks:
    """Weeks as school days divided by five, between known school years none; without any year, days by seven."""
    if not calendar.years:
        return days_by_seven
    closed = _closed(calendar)

    def weeks(days: Days, since: Days | np.datetime64) -> FloatArray:
        return instructional_weeks(np.broadcast_to(since, days.shape), days, closed)

    return weeks


@dataclass(frozen=True, slots=True)
class GoalLine:
    """A goal with its day, and where it starts from if somebody said so; ``down``: lower is better."""

    goal: float
    by: date
    start: float | None = None
    start_on: date | None = None
    down: bool = False


@dataclass(frozen=True, slots=True)
class Progress:
    """One student's results in one measure; what cannot be told is None.

    ``baseline``: where the aim line starts; ``aim_now``: its height on the day of the last result; ``projected``:
    the trend on the goal's day.
    """

    n: int
    first_on: date | None
    last_on: date | None
    last_score: float | None
    line: Trend
    few: bool
    baseline: float | None
    aim: AimLine | None
    aim_now: float | None
    step: NextStep
    projected: float | None


def _none(reason: str) -> NextStep:
    act: Act = "none"
    return NextStep(act, reason)


def _aim_line(
    weeks: FloatArray, scores: FloatArray, aim: GoalLine, week_of: Callable[[date], float]
) -> tuple[AimLine | None, int, str]:
    """The aim line, how many results it starts from, and why there is none."""
    until = week_of(aim.by)
    if aim.start is not None:
        begin = week_of(aim.start_on) if aim.start_on is not None else float(weeks[0])
        points = int((weeks <= begin).sum())
        if until <= begin:
            return None, points, "the goal's day does not come after its start"
        return AimLine(begin, aim.start, until, aim.goal), points, ""
    if weeks.size < BASELINE_POINTS:
        return None, 0, f"the aim line needs {BASELINE_POINTS} results or a start; there are {weeks.size}"
    begin = float(np.median(weeks[:BASELINE_POINTS]))
    start = float(np.median(scores[:BASELINE_POINTS]))
    if until <= begin:
        return None, BASELINE_POINTS, "the goal's day does not come after the first results"
    return AimLine(begin, start, until, aim.goal), BASELINE_POINTS, ""


def progress(
    days: Sequence[date], scores: Sequence[float], aim: GoalLine | None, weeks_since: Weeks = days_by_seven, *,
    adaptive: bool = False,
) -> Progress:  # fmt: skip
    """How a series of results goes on; of several on one day the later counts.

    ``days`` and ``scores`` in the order in which they came. ``adaptive``: results of adaptive tests between
    windows, which give a trend and no rule.
    """
    latest = dict(zip(days, scores, strict=True))
    if not latest:
        nothing = Trend(0, reason="there is no result")
        step = _none("there is no result")
        return Progress(0, None, None, None, nothing, few=True, baseline=None, aim=None, aim_now=None, step=step,
                        projected=None)  # fmt: skip
    ordered = sorted(latest)
    dates = np.array(ordered, dtype="datetime64[D]")
    values = np.array([latest[day] for day in ordered], dtype=np.float64)
    weeks = weeks_since(dates, dates[0])

    def week_of(day: date) -> float:
        return float(weeks_since(np.array([day], dtype="datetime64[D]"), dates[0])[0])

    line = trend(weeks, values)
    baseline = float(np.median(values[:BASELINE_POINTS])) if values.size >= BASELINE_POINTS else None
    aiming, step, now, projected = None, _none("there is no goal"), None, None
    if aim is not None:
        aiming, points, why = _aim_line(weeks, values, aim, week_of)
        baseline = aim.start if aim.start is not None else baseline
        step = _none(why)
        if aiming is not None:
            now = float(aiming.at([weeks[-1]])[0])
            step = next_step(
                weeks, values, aiming, lower_is_better=aim.down, few_is_no_rule=adaptive, baseline=points
            )  # fmt: skip
        if line.slope is not None and line.intercept is not None:
            projected = line.intercept + line.slope * week_of(aim.by)
    return Progress(
        len(ordered), ordered[0], ordered[-1], float(values[-1]), line, len(ordered) < FEWEST_FOR_RULE, baseline,
        aiming, now, step, projected,
    )  # fmt: skip
