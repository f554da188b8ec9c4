"""A group followed: each student's results with trend and aim line, what the rule says, and the help received."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from itertools import pairwise

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.benchmark import Point, benchmarks
from bodkin.answers.follow_up.given import Followed, Given, help_given
from bodkin.answers.follow_up.progress import GoalLine, Progress, Weeks, progress, weeks_of_instruction
from bodkin.answers.follow_up.standings import headline, lead
from bodkin.core.follow_up.phases import KINDS, phase_start
from bodkin.core.windows import day_words
from bodkin.store.reads.table.score_table import ScoreTable


class Mark(BaseModel):
    """A change of the help: its start, or what a team decided."""

    on: date
    kind: str
    words: str


class WeekMinutes(BaseModel):
    """Minutes of practice in the week that begins on a Monday."""

    monday: date
    minutes: float


@dataclass(frozen=True, slots=True)
class AroundGroup:
    """What stands around the results of a group's students, by student.

    ``goals``: score and day; ``decided``: day, kind and words of each decision about the help; ``practice``: minutes
    by the Monday of the week.
    """

    goals: Mapping[str, tuple[float, date]] = field(default_factory=dict)
    decided: Mapping[str, Sequence[tuple[date, str, str]]] = field(default_factory=dict)
    practice: Mapping[str, Mapping[date, float]] = field(default_factory=dict)


class Series(BaseModel):
    """One student: results, trend and aim line as two ends each, the benchmark that rises, what the rule says.

    ``trend``, ``n`` and all that the rule says rest on the results since ``since``, the last change of the help;
    ``before`` holds the trends of the phases before it.
    """

    student_id: str
    name: str
    points: list[Point]
    trend: list[Point]
    before: list[list[Point]]
    since: date | None
    marks: list[Mark]
    practice: list[WeekMinutes]
    aim: list[Point]
    benchmark: list[Point]
    n: int
    few: bool
    last_score: float | None
    aim_now: float | None
    goal: float | None
    by: date | None
    slope: float | None
    slope_error: float | None
    projected: float | None
    act: str
    confirmed: bool | None
    said: str
    given: Given


class SessionSeen(BaseModel):
    """A session with how many came of those who are seen."""

    day: date
    minutes: float | None
    held: bool
    note: str | None
    came: int
    away: int


class FollowedTest(BaseModel):
    """A test with results of the group's students in the period."""

    assessment: str
    subject: str


class FollowUpAnswer(BaseModel):
    """A group followed over a period; ``measures``: tests with results of its students there."""

    group: int
    name: str
    focus: str
    first: date
    last: date
    assessment: str
    subject: str
    adaptive: bool
    measures: list[FollowedTest]
    headline: str
    lead: str
    students: list[Series]
    sessions: list[SessionSeen]
    weeks: float = Field(description="weeks of instruction in the period")


_ORDER = {("change", True): 0, ("change", False): 1, ("raise", True): 2, ("raise", False): 3}


def _said(found: Progress, since: date | None) -> str:
    """The rule's word as a sentence; the results since a change of the help alone count."""
    step = found.step
    if step.act == "change":
        return "Change the help" if step.confirmed else "Below the aim line; look again next week"
    if step.act == "raise":
        return "Raise the goal" if step.confirmed else "Above the aim line; look again next week"
    if step.act == "stay":
        return "Stay with the help"
    return f"No rule yet: {step.reason}" + (f", counted since the change on {day_words(since)}" if since else "")


def _ends(found: Progress, days: Sequence[date], weeks: Weeks) -> tuple[list[Point], list[Point]]:
    """Both ends of the trend and of the aim line."""
    if not days:
        return [], []
    start = np.datetime64(days[0], "D")

    def week_of(day: date) -> float:
        return float(weeks(np.array([day], dtype="datetime64[D]"), start)[0])

    trend: list[Point] = []
    slope, begin = found.line.slope, found.line.intercept
    if slope is not None and begin is not None:
        trend = [Point(on=day, score=begin + slope * week_of(day)) for day in (days[0], days[-1])]
    if found.aim is None:
        return trend, []
    first = min(days, key=lambda day: abs(week_of(day) - found.aim.start_week if found.aim else 0.0))
    last = days[-1]
    line = [Point(on=day, score=float(found.aim.at([week_of(day)])[0])) for day in (first, last)]
    return trend, line


_MARKED = {
    "start": "Help began", "change": "New focus", "pause": "Pause", "raise": "Higher goal",
    "stay": "Stay with the help", "end": "Help ends", "other": "Decision",
}  # fmt: skip
"""Kinds of changes as they are marked."""


def _marks(group: Followed, student: str, around: AroundGroup, first: date, last: date) -> list[Mark]:
    """The start of the help and what was decided within a period, by day."""
    decided = [one for one in around.decided.get(student, ()) if one[1] in KINDS]
    found = [Mark(on=day, kind=kind, words=words or _MARKED[kind]) for day, kind, words in decided]
    if (joined := group.joined.get(student)) is not None:
        found.append(Mark(on=joined, kind="start", words=_MARKED["start"]))
    return sorted((one for one in found if first <= one.on <= last), key=lambda one: one.on)


def _earlier_trends(points: Sequence[tuple[date, float]], changes: Sequence[date], weeks: Weeks) -> list[list[Point]]:
    """The trend of each phase that has ended; ``changes``: the days that ended one, rising."""
    ends, found = [date.min, *changes], []
    for begin, end in pairwise(ends):
        mine = [(day, score) for day, score in points if begin < day <= end]
        own = progress([day for day, _ in mine], [score for _, score in mine], None, weeks)
        line, _ = _ends(own, [day for day, _ in mine], weeks)
        if line:
            found.append(line)
    return found


@dataclass(frozen=True, slots=True)
class _Period:
    """What the pictures of one answer share."""

    first: date
    last: date
    weeks: Weeks
    marks: Mapping[str, list[Point]]
    adaptive: bool

    def between(self, first: date) -> float:
        """Weeks of instruction from a day of the period to its end."""
        begin = np.datetime64(max(first, self.first), "D")
        return float(self.weeks(np.array([self.last + timedelta(days=1)], dtype="datetime64[D]"), begin)[0])


def _series(
    student: str, mine: pl.DataFrame | None, group: Followed, period: _Period, around: AroundGroup, names: Names
) -> Series:
    """One student of a group."""
    days = mine["tested_on"].to_list() if mine is not None else []
    scores = mine["score"].to_list() if mine is not None else []
    points = sorted(dict(zip(days, scores, strict=True)).items())
    decided = [(day, kind) for day, kind, _ in around.decided.get(student, ())]
    since = phase_start(decided, period.last)
    since = since if since is not None and since >= period.first else None
    present = [(day, score) for day, score in points if since is None or day > since]
    goal = around.goals.get(student)
    found = progress(
        [day for day, _ in present], [score for _, score in present],
        None if goal is None else GoalLine(goal[0], goal[1]),
        period.weeks, adaptive=period.adaptive,
    )  # fmt: skip
    trend, aim = _ends(found, [day for day, _ in present], period.weeks)
    changes = sorted({day for day, kind in decided if phase_start([(day, kind)], period.last) is not None})
    grade = mine["grade"][-1] if mine is not None else None
    practice = [
        WeekMinutes(monday=monday, minutes=minutes)
        for monday, minutes in sorted(around.practice.get(student, {}).items())
        if period.first - timedelta(days=6) <= monday <= period.last
    ]
    return Series(
        student_id=student, name=display_name(names, student), since=since,
        points=[Point(on=day, score=score) for day, score in points], trend=trend, aim=aim,
        before=_earlier_trends(points, changes, period.weeks),
        marks=_marks(group, student, around, period.first, period.last), practice=practice,
        benchmark=period.marks.get(grade or "", []), n=found.n, few=found.few,
        last_score=points[-1][1] if points else None, aim_now=found.aim_now, goal=goal[0] if goal else None,
        by=goal[1] if goal else None, slope=found.line.slope, slope_error=found.line.error,
        projected=found.projected, act=found.step.act, confirmed=found.step.confirmed, said=_said(found, since),
        given=help_given(student, group, period.between(group.joined.get(student, period.first))),
    )  # fmt: skip


def follow_up_answer(
    group: Followed, table: ScoreTable, measure: tuple[str, str], measures: Sequence[tuple[str, str]],
    days: tuple[date, date], around: AroundGroup, names: Names, *, adaptive: bool,
) -> FollowUpAnswer:  # fmt: skip
    """A group followed in a measure over a period, who needs a decision first.

    Results outside the period are left out, so that the figures are those of the headless run over the same rows,
    as long as nothing was decided within it. ``adaptive``: a test between windows, which gives a trend and no rule.
    """
    first, last = days
    weeks = weeks_of_instruction(table.calendar)
    period = _Period(first, last, weeks, benchmarks(table, *measure, first, last), adaptive)
    rows = results_of(table, *measure, pl.col("tested_on").is_between(first, last)).sort("line")
    own = rows.filter(pl.col("student_id").is_in(list(group.members)))
    by_student = {str(key[0]): mine for key, mine in own.group_by("student_id", maintain_order=True)}
    students = [
        _series(student, by_student.get(student), group, period, around, names) for student in group.members
    ]  # fmt: skip
    students.sort(key=lambda one: (_ORDER.get((one.act, bool(one.confirmed)), 4 + (one.act == "stay")), one.name))
    seen = [
        SessionSeen(
            day=one.day, minutes=one.minutes, held=one.minutes is None or one.minutes > 0, note=one.note,
            came=sum(one.there.get(student, 0.0) > 0 for student in group.members),
            away=sum(one.there.get(student) == 0 for student in group.members),
        )
        for one in group.sessions
    ]  # fmt: skip
    held = sum(one.held for one in seen) if seen else None
    tests = [FollowedTest(assessment=one[0], subject=one[1]) for one in measures]
    return FollowUpAnswer(
        group=group.id, name=group.name, focus=group.focus, first=first, last=last, assessment=measure[0],
        subject=measure[1], adaptive=adaptive, measures=tests, headline=headline(students),
        lead=lead(students, held), students=students, sessions=seen, weeks=period.between(first),
    )  # fmt: skip
