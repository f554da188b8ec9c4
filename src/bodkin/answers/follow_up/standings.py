"""All groups at a glance: what the rule says of each student and the help received, worked out in one go."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from math import isnan
from typing import Protocol

import numpy as np
import polars as pl

from bodkin.answers.follow_up.given import ENOUGH, Given, Received, given_of
from bodkin.answers.follow_up.progress import Weeks
from bodkin.answers.words import percent, plural, signed
from bodkin.core.arrays import FloatArray
from bodkin.core.follow_up.many import ACTS, aim_lines, next_steps
from bodkin.core.follow_up.phases import phase_start


class Standing(Protocol):
    """What a headline needs of a student."""

    @property
    def n(self) -> int:
        """Results that the rule rests on."""

    @property
    def act(self) -> str:
        """The word of the rule."""

    @property
    def confirmed(self) -> bool | None:
        """Whether it is confirmed."""

    @property
    def slope(self) -> float | None:
        """Points a week."""

    @property
    def given(self) -> Given:
        """The help received."""


@dataclass(frozen=True, slots=True)
class GroupAsked:
    """A group to look at: ``goals``, ``decided``, ``received`` by student; ``sessions``: how many were held, None where
    none was entered.

    ``since``: the day each member joined, where it is known; ``planned``, ``required``: minutes a week.
    """

    id: int
    name: str
    members: Sequence[str]
    period: tuple[date, date]
    adaptive: bool
    planned: float | None
    required: float | None
    sessions: int | None
    since: Mapping[str, date] = field(default_factory=dict)
    goals: Mapping[str, tuple[float, date]] = field(default_factory=dict)
    decided: Mapping[str, Sequence[tuple[date, str, str]]] = field(default_factory=dict)
    received: Mapping[str, Received] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StudentStanding:
    """One student of a group, by the figures that the pictures show."""

    student_id: str
    n: int
    act: str
    confirmed: bool | None
    slope: float | None
    given: Given


@dataclass(frozen=True, slots=True)
class GroupStanding:
    """A group with its students, and how many sessions were held."""

    id: int
    name: str
    students: Sequence[StudentStanding]
    sessions: int | None

    @property
    def headline(self) -> str:
        """Who needs a decision."""
        return headline(self.students)

    @property
    def lead(self) -> str:
        """How it goes, and how much help was given."""
        return lead(self.students, self.sessions)


def decisions_due(students: Sequence[Standing]) -> tuple[int, int]:
    """How many need other help, and how many a higher goal, both confirmed."""
    due = [one.act for one in students if one.confirmed]
    return due.count("change"), due.count("raise")


def headline(students: Sequence[Standing]) -> str:
    """Who needs a decision now."""
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


def lead(students: Sequence[Standing], sessions: int | None) -> str:
    """How students grow and how much help was given; ``sessions``: those held, None where none was entered."""
    slopes = [one.slope for one in students if one.slope is not None]
    parts = []
    if slopes:
        parts.append(f"Half of the students grow by {signed(float(np.median(slopes)))} a week or more.")
    if sessions is not None:
        parts.append(f"{plural(sessions, 'session was', 'sessions were')} held.")
    shares = [one.given.share for one in students if one.given.share is not None]
    if sessions is not None and shares:
        given = float(np.mean(shares))
        parts.append(f"Students received {percent(given)} of the planned minutes.")
        if given < ENOUGH and decisions_due(students)[0]:
            parts.append("So much is missing that it cannot be said whether the help works: give it first.")
    return " ".join(parts) or "Enter sessions and weekly results to see whether the help works."


def _grids(results: pl.DataFrame, rows: int, weeks: Weeks) -> tuple[FloatArray, FloatArray, np.ndarray]:
    """Weeks since the first result and scores, a row a place; and the first day of each place."""
    counted = results.sort("place", "tested_on", "line").unique(
        ["place", "tested_on"], keep="last", maintain_order=True
    )
    place, day = counted["place"].to_numpy(), counted["tested_on"].to_numpy().astype("datetime64[D]")
    n = np.bincount(place, minlength=rows)
    at = np.arange(place.size) - np.repeat(np.cumsum(n) - n, n)
    first = np.full(rows, np.datetime64("NaT", "D"))
    begin = place[at == 0]
    first[begin] = day[at == 0]
    week, score = (np.full((rows, int(n.max(initial=0))), np.nan) for _ in range(2))
    week[place, at] = weeks(day, first[place])
    score[place, at] = counted["score"].to_numpy()
    return week, score, first


def _given(places: Sequence[tuple[GroupAsked, str]], weeks: Weeks) -> list[Given]:
    """The help each member of each group received; one look-up of the calendar for all."""
    if not places:
        return []
    begins = [max(group.period[0], group.since.get(one, group.period[0])) for group, one in places]
    ends = [group.period[1] + timedelta(days=1) for group, _ in places]
    span = weeks(np.array(ends, dtype="datetime64[D]"), np.array(begins, dtype="datetime64[D]"))
    return given_of(
        [group.received.get(one, Received()) for group, one in places], [group.planned for group, _ in places],
        [group.required for group, _ in places], span,
    )  # fmt: skip


def group_standings(groups: Sequence[GroupAsked], results: pl.DataFrame, weeks: Weeks) -> list[GroupStanding]:
    """Every group in its period; the figures are those of each group's own pictures.

    ``results``: group, student_id, tested_on, score, line of each group's measure, within its period.
    """
    places = [(group, student) for group in groups for student in group.members]
    since = [
        phase_start([(day, kind) for day, kind, _ in group.decided.get(student, ())], group.period[1])
        for group, student in places
    ]
    frame = pl.DataFrame(
        {"group": [group.id for group, _ in places], "student_id": [student for _, student in places], "since": since},
        schema={"group": pl.Int64, "student_id": pl.String, "since": pl.Date},
    ).with_row_index("place")
    mine = results.join(frame, on=["group", "student_id"], how="inner").filter(
        pl.col("since").is_null() | (pl.col("tested_on") > pl.col("since"))
    )
    week, score, first = _grids(mine, len(places), weeks)
    goals = [group.goals.get(student) for group, student in places]
    days = np.array([goal[1] if goal else None for goal in goals], dtype="datetime64[D]")
    until = weeks(days, first) if days.size else np.zeros(0)
    aims = aim_lines(week, score, until, [np.nan if goal is None else goal[0] for goal in goals])
    steps = next_steps(week, score, aims)
    given, found, at = _given(places, weeks), [], 0
    n, slopes, sure = steps.n.tolist(), steps.slope.tolist(), steps.confirmed.tolist()
    acts = [ACTS[code] for code in steps.act]
    for group in groups:
        students = []
        for student in group.members:
            # A test between windows gives a trend and no rule.
            act, confirmed = (
                ("none", None) if group.adaptive else (acts[at], None if isnan(sure[at]) else bool(sure[at]))
            )
            slope = None if isnan(slopes[at]) else slopes[at]
            students.append(StudentStanding(student, n[at], act, confirmed, slope, given[at]))
            at += 1
        found.append(GroupStanding(group.id, group.name, students, group.sessions))
    return found
