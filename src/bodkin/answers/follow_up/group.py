"""A group followed: each student's results with trend and aim line, what the rule says, and the help received."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import quoted_order
from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.progress import Aim, Progress, Weeks, days_by_seven, progress, weeks_of_instruction
from bodkin.answers.words import percent, plural, signed
from bodkin.core.follow_up.dosage import dosage
from bodkin.store.reads.score_table import ScoreTable


@dataclass(frozen=True, slots=True)
class Met:
    """A session: how long it lasted (0: not held, None: not known), why not, and each student's minutes."""

    day: date
    minutes: float | None
    note: str | None
    there: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Followed:
    """A group as Follow-up looks at it; ``planned`` and ``required``: minutes a week, None where not known."""

    id: int
    name: str
    focus: str
    members: Sequence[str]
    sessions: Sequence[Met]
    planned: float | None
    required: float | None


class Point(BaseModel):
    """A result, or a place on a line."""

    on: date
    score: float


class Given(BaseModel):
    """Help received in the period; shares are 0..1, empty where nothing was planned or held."""

    minutes: float
    planned: float | None
    share: float | None
    attended: int
    held: int
    required: float | None
    short: float | None = Field(description="minutes below what is required so far")


class Series(BaseModel):
    """One student: results, trend and aim line as two ends each, the benchmark that rises, what the rule says."""

    student_id: str
    name: str
    points: list[Point]
    trend: list[Point]
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


ENOUGH = 0.75
"""Below this share of the planned minutes the help did not really happen (common practice: three quarters)."""
_ORDER = {("change", True): 0, ("change", False): 1, ("raise", True): 2, ("raise", False): 3}


def _said(found: Progress) -> str:
    """The rule's word as a sentence."""
    step = found.step
    if step.act == "change":
        return "Change the help" if step.confirmed else "Below the aim line; look again next week"
    if step.act == "raise":
        return "Raise the goal" if step.confirmed else "Above the aim line; look again next week"
    if step.act == "stay":
        return "Stay with the help"
    return f"No rule yet: {step.reason}"


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


def benchmarks(table: ScoreTable, assessment: str, subject: str, first: date, last: date) -> dict[str, list[Point]]:
    """By grade the score at the benchmark in the middle of each window near a period; a line through the year.

    The lowest score of the quoted band of the season's cuts, else the norm's mean of the season.
    """
    cuts = table.cuts.filter(
        (pl.col("assessment") == assessment) & (pl.col("subject") == subject) & pl.col("min_score").is_not_null()
    )
    norms = table.norms.filter((pl.col("assessment") == assessment) & (pl.col("subject") == subject))
    marks: dict[tuple[str, str], float] = {}
    for grade, season, mean in norms.select("grade", "season", "mean").iter_rows():
        marks.setdefault((grade, season), mean)
    whole = table.cuts.filter((pl.col("assessment") == assessment) & (pl.col("subject") == subject))
    for (grade, season), own in cuts.drop_nulls("season").group_by("grade", "season"):
        bands = whole.filter((pl.col("grade") == grade) & (pl.col("season") == season)).height
        at = own.filter(pl.col("order") == quoted_order(bands))
        if at.height:
            marks[str(grade), str(season)] = float(at["min_score"][0])
    near = timedelta(days=150)
    found: dict[str, list[Point]] = {}
    for window, (begin, end) in sorted(table.calendar.windows.items(), key=lambda pair: pair[1]):
        middle = begin + (end - begin) / 2
        if not first - near <= middle <= last + near:
            continue
        for (grade, season), score in marks.items():
            if window.endswith(f" {season}"):
                found.setdefault(grade, []).append(Point(on=middle, score=score))
    return found


def _given(student: str, group: Followed, weeks: float) -> Given:
    held = [one for one in group.sessions if one.minutes is None or one.minutes > 0]
    here = [one.there[student] for one in held if student in one.there]
    minutes, attended = sum(here), sum(spent > 0 for spent in here)
    planned = None if group.planned is None else group.planned * weeks
    share = dosage([minutes], [np.nan if planned is None else planned], [attended], [len(here)]).minutes[0]
    required = None if group.required is None else group.required * weeks
    return Given(
        minutes=minutes, planned=planned, share=None if np.isnan(share) else float(share), attended=attended,
        held=len(here), required=required, short=None if required is None else max(0.0, required - minutes),
    )  # fmt: skip


def follow_up_answer(
    group: Followed, table: ScoreTable, measure: tuple[str, str], measures: Sequence[tuple[str, str]],
    period: tuple[date, date], goals: Mapping[str, tuple[float, date]], names: Names, *, adaptive: bool,
) -> FollowUpAnswer:  # fmt: skip
    """A group followed in a measure over a period, who needs a decision first.

    Results outside the period are left out, so that the figures are those of the headless run over the same rows.
    ``adaptive``: a test between windows, which gives a trend and no rule.
    """
    first, last = period
    weeks = weeks_of_instruction(table.calendar) if table.calendar.years else days_by_seven
    rows = results_of(table, *measure).filter(pl.col("tested_on").is_between(first, last)).sort("line")
    own = rows.filter(pl.col("student_id").is_in(list(group.members)))
    by_student = {str(key[0]): mine for key, mine in own.group_by("student_id", maintain_order=True)}
    marks = benchmarks(table, *measure, first, last)
    span = float(weeks(np.array([last + timedelta(days=1)], dtype="datetime64[D]"), np.datetime64(first, "D"))[0])
    students = []
    for student in group.members:
        mine = by_student.get(student)
        days = mine["tested_on"].to_list() if mine is not None else []
        scores = mine["score"].to_list() if mine is not None else []
        goal = goals.get(student)
        found = progress(days, scores, None if goal is None else Aim(goal[0], goal[1]), weeks, adaptive=adaptive)
        latest = sorted(dict(zip(days, scores, strict=True)).items())
        trend, aim = _ends(found, [day for day, _ in latest], weeks)
        grade = mine["grade"][-1] if mine is not None else None
        students.append(
            Series(
                student_id=student, name=display_name(names, student),
                points=[Point(on=day, score=score) for day, score in latest], trend=trend, aim=aim,
                benchmark=marks.get(grade or "", []), n=found.n, few=found.few, last_score=found.last_score,
                aim_now=found.aim_now, goal=goal[0] if goal else None, by=goal[1] if goal else None,
                slope=found.line.slope, slope_error=found.line.error, projected=found.projected, act=found.step.act,
                confirmed=found.step.confirmed, said=_said(found), given=_given(student, group, span),
            )
        )  # fmt: skip
    students.sort(key=lambda one: (_ORDER.get((one.act, bool(one.confirmed)), 4 + (one.act == "stay")), one.name))
    seen = [
        SessionSeen(
            day=one.day, minutes=one.minutes, held=one.minutes is None or one.minutes > 0, note=one.note,
            came=sum(one.there.get(student, 0.0) > 0 for student in group.members),
            away=sum(one.there.get(student) == 0 for student in group.members),
        )
        for one in group.sessions
    ]  # fmt: skip
    tests = [FollowedTest(assessment=one[0], subject=one[1]) for one in measures]
    return FollowUpAnswer(
        group=group.id, name=group.name, focus=group.focus, first=first, last=last, assessment=measure[0],
        subject=measure[1], adaptive=adaptive, measures=tests, headline=_headline(students),
        lead=_lead(students, seen), students=students, sessions=seen, weeks=span,
    )  # fmt: skip


def decisions_due(students: Sequence[Series]) -> tuple[int, int]:
    """How many need other help, and how many a higher goal, both confirmed."""
    due = [one.act for one in students if one.confirmed]
    return due.count("change"), due.count("raise")


def _headline(students: Sequence[Series]) -> str:
    change, higher = decisions_due(students)
    parts = []
    if change:
        parts.append(f"{plural(change, 'student needs', 'students need')} other help")
    if higher:
        parts.append(f"{higher:,} could have a higher goal")
    if parts:
        return ", ".join(parts)
    if not any(one.n for one in students):
        return "No results in this period"
    return "Nobody needs a decision now"


def _lead(students: Sequence[Series], sessions: Sequence[SessionSeen]) -> str:
    slopes = [one.slope for one in students if one.slope is not None]
    parts = []
    if slopes:
        parts.append(f"Half of the students grow by {signed(float(np.median(slopes)))} a week or more.")
    if sessions:
        parts.append(f"{plural(sum(one.held for one in sessions), 'session was', 'sessions were')} held.")
    shares = [one.given.share for one in students if one.given.share is not None]
    if sessions and shares:
        given = float(np.mean(shares))
        parts.append(f"Students received {percent(given)} of the planned minutes.")
        if given < ENOUGH and decisions_due(students)[0]:
            parts.append("So much is missing that it cannot be said whether the help works: give it first.")
    return " ".join(parts) or "Enter sessions and weekly results to see whether the help works."
