"""Practice of many students in a period: how much, how well, how hard, the reasons when something is off."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from math import isnan

import numpy as np
import polars as pl
from pydantic import BaseModel, Field
from scipy.stats import false_discovery_control

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.progress import Days
from bodkin.answers.words import percent, plural
from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.follow_up.patterns import CHANCE, AccuracyGap, accuracy_gaps
from bodkin.core.follow_up.practice import (
    REASONS,
    Labels,
    Period,
    Practice,
    PracticeGoals,
    PracticeLog,
    practice,
    practice_log,
    share_by,
)

MOST_PATTERNS = 12
"""Grades of schools whose pattern is told, the widest first."""


@dataclass(frozen=True, slots=True)
class PracticeSeen:
    """The whole log as arrays: ``log.student`` is the place of an entry's student in ``place``."""

    log: PracticeLog
    place: Mapping[str, int]
    text: Sequence[str]


def practice_seen(entries: pl.DataFrame) -> PracticeSeen:
    """A frame of entries as the core takes them, made once while the data stay."""
    ids = entries["student_id"].unique(maintain_order=True)
    place = {student: at for at, student in enumerate(ids)}
    who: IntArray | list[int] = (
        entries["student_id"].cast(pl.Enum(ids)).to_physical().to_numpy() if entries.height else []
    )

    def numbers(name: str) -> FloatArray:
        return entries[name].cast(pl.Float64).fill_null(float("nan")).to_numpy()

    labels = {name: entries[name].fill_null("").to_numpy().astype(np.str_) for name in ("kind", "help")}
    log = practice_log(
        who, entries["day"].to_numpy(), numbers("minutes"), numbers("items"), numbers("right"),
        passed=numbers("passed"), level=numbers("level"), length=numbers("length"), **labels,
    )  # fmt: skip
    return PracticeSeen(log, place, entries["text"].to_list())


def of_students(seen: PracticeSeen, students: Sequence[str]) -> PracticeLog:
    """The entries of some students, who stand in the log by their place in ``students``."""
    at = np.full(len(seen.place) + 1, -1, dtype=np.int64)
    for local, student in enumerate(students):
        at[seen.place.get(student, -1)] = local
    at[-1] = -1
    local_of = at[seen.log.student]
    mine = local_of >= 0
    return replace(seen.log.where(mine), student=local_of[mine])


@dataclass(frozen=True, slots=True)
class Looked:
    """The period looked at: its days, the day of today, the school days up to its end, and where its goals are from."""

    first: date
    last: date
    today: date
    school_days: Days
    name: str
    goals_of: str | None
    goals_share: float = 1.0

    @property
    def core(self) -> Period:
        """The period as the core takes it."""
        return Period(
            np.datetime64(self.first, "D"), np.datetime64(self.last, "D"), np.datetime64(self.today, "D"),
            self.school_days,
        )  # fmt: skip


class PracticeRow(BaseModel):
    """One student's practice in the period; shares are 0..1, empty where nothing is known."""

    student_id: str
    name: str
    school: str | None
    grade: str | None
    section: str | None
    entries: int
    minutes: float | None
    minutes_goal: float | None
    amount: float | None = Field(description="minutes by the part of the goal that is due by today")
    accuracy: float | None
    accuracy_goal: float | None
    level: float | None
    easiest: float | None
    hardest: float | None
    tried: int
    passed: int
    days_since: float | None = Field(description="school days since the last entry")
    reasons: list[str]
    strong: bool


class ReasonShared(BaseModel):
    """A reason, and the students who share it."""

    reason: str
    n: int
    students: list[str]


class SharePart(BaseModel):
    """The part of the minutes under a label, with how accurate its entries are."""

    label: str
    share: float
    entries: int
    accuracy: float | None


class UnitPattern(BaseModel):
    """A kind of text that goes worse at a grade of a school than the others do, beyond chance."""

    sentence: str
    school: str | None
    grade: str | None
    kind: str
    n: int
    inside: float
    outside: float
    low: float
    high: float
    students: list[str]


class PracticeAnswer(BaseModel):
    """Practice of the sentence's students in a period, those with most to see to first."""

    first: date
    last: date
    period: str
    elapsed: float | None = Field(description="part of the period's school days that is over, 0..1")
    goals_of: str | None = Field(description="the marking period whose goals stand")
    headline: str
    lead: str
    covered: int = Field(description="students who practiced, or have a goal")
    never: int = Field(description="students of the sentence without any entry or goal")
    reasons: list[ReasonShared]
    patterns: list[UnitPattern]
    by_kind: list[SharePart]
    by_help: list[SharePart]
    strong: list[str]
    students: list[PracticeRow]


def _goals(students: Sequence[str], goals: pl.DataFrame, share: float) -> PracticeGoals:
    """Goals in the order of students; minutes for the part of the marking period that is looked at."""
    own = pl.DataFrame({"student_id": students}, schema={"student_id": pl.String}).join(
        goals, on="student_id", how="left", maintain_order="left"
    )
    columns = {
        name: own[name].cast(pl.Float64).fill_null(float("nan")).to_numpy()
        for name in ("accuracy", "minutes", "easiest", "hardest")
    }
    return PracticeGoals(columns["accuracy"], columns["minutes"] * share, columns["easiest"], columns["hardest"])


def _number(value: float) -> float | None:
    return None if isnan(value) else float(value)


def _numbers(values: FloatArray) -> list[float | None]:
    """Numbers as they are told: what is not known is missing."""
    return [None if isnan(value) else value for value in values.tolist()]


def _shares(log: PracticeLog, names: Labels, codes: IntArray) -> list[SharePart]:
    """Minutes and accuracy by label, the largest part first."""
    if not np.nansum(log.minutes) > 0:
        return []
    scored = ~np.isnan(log.items + log.right)
    n = np.bincount(codes, minlength=names.size)
    items = np.bincount(codes[scored], weights=log.items[scored], minlength=names.size)
    right = np.bincount(codes[scored], weights=log.right[scored], minlength=names.size)
    place = {str(name): at for at, name in enumerate(names)}
    return [
        SharePart(
            label=label or "not said", share=share, entries=int(n[place[label]]),
            accuracy=float(right[place[label]] / items[place[label]]) if items[place[label]] else None,
        )
        for label, share in share_by(names, codes, log.minutes).items()
    ]  # fmt: skip


def entries_within(log: PracticeLog, first: date, last: date) -> PracticeLog:
    """The entries between two days, both included."""
    return log.where((log.day >= np.datetime64(first, "D")) & (log.day <= np.datetime64(last, "D")))


def _unit_patterns(log: PracticeLog, rows: pl.DataFrame) -> list[UnitPattern]:
    """Kinds of text that go worse at a grade of a school, beyond chance over all that were looked at."""
    kinds = log.known_kinds
    if len(kinds) < 2:
        return []
    units = rows.select("school", "grade").unique(maintain_order=True).with_row_index("unit")
    of_student = rows.join(units, on=["school", "grade"], how="left", nulls_equal=True, maintain_order="left")
    unit = of_student["unit"].to_numpy().astype(np.int64)
    # Of two kinds one is worse where the other is better: it is looked at once.
    looked: list[tuple[int, str, AccuracyGap]] = []
    for kind in kinds if len(kinds) > 2 else kinds[:1]:
        gaps = accuracy_gaps(log, log.is_kind(kind), unit, units.height, among=~log.is_kind(""))
        looked += [(at, kind, gap) for at, gap in enumerate(gaps) if gap.p is not None]
    if not looked:
        return []
    adjusted = false_discovery_control([gap.p for *_, gap in looked])
    found = []
    for (at, kind, gap), p in zip(looked, adjusted, strict=True):
        if p > CHANCE or gap.gap is None or gap.inside is None or gap.outside is None:
            continue
        worse, better, sort, ends = gap.inside, gap.outside, kind, (gap.low or 0.0, gap.high or 0.0)
        if gap.gap > 0:
            if len(kinds) > 2:
                continue
            worse, better, sort, ends = gap.outside, gap.inside, kinds[1], (-ends[1], -ends[0])
        school, grade = units["school"][at], units["grade"][at]
        where = f"Grade {grade} at {school}" if school and grade else school or f"Grade {grade}"
        sentence = f"{where}: texts of the kind {sort} go worse, {percent(worse)} right against {percent(better)}."
        found.append(
            UnitPattern(
                sentence=sentence, school=school, grade=grade, kind=sort, n=gap.n, inside=worse, outside=better,
                low=ends[0], high=ends[1], students=rows.filter(pl.Series(unit == at))["student_id"].to_list(),
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: one.inside - one.outside)[:MOST_PATTERNS]


_VERBS = {
    "not seen": ("has not practiced for two weeks", "have not practiced for two weeks"),
    "amount low": ("practices less than the goal", "practice less than their goal"),
    "accuracy low": ("is below the accuracy goal", "are below their accuracy goal"),
    "too hard": ("reads texts that are too hard", "read texts that are too hard"),
    "too easy": ("reads texts that are too easy", "read texts that are too easy"),
    "one kind only": ("reads one kind of text only", "read one kind of text only"),
}


def _headline(found: Practice, covered: int) -> str:
    if not covered:
        return "No practice in this period"
    most = max(REASONS, key=lambda reason: found.counts[reason])
    n = found.counts[most]
    if not n:
        return f"{plural(covered, 'student practices', 'students practice')} as planned"
    verb = _VERBS[most][n != 1]
    return f"{n:,} of {plural(covered, 'student')} {verb}"


def _lead(found: Practice, looked: Looked, covered: int, any_goal: bool) -> str:
    if not covered:
        return "Import a practice log, or choose another period or other students."
    well = sum(not reasons for reasons in found.reasons)
    parts = [f"{well:,} have nothing to see to."] if covered > 1 else []
    accuracy = found.accuracy[~np.isnan(found.accuracy)]
    if accuracy.size:
        parts.append(f"Half of the students answer {percent(float(np.median(accuracy)))} right or more.")
    if not any_goal:
        parts.append("No goals are set for this period, so amount and accuracy are not judged.")
    elif looked.goals_of and looked.goals_share != 1.0:
        parts.append(f"Minutes are held against this part of the goals of {looked.goals_of}.")
    return " ".join(parts)


def practice_answer(
    rows: pl.DataFrame, seen: PracticeSeen, goals: pl.DataFrame, looked: Looked, names: Names
) -> PracticeAnswer:
    """Practice of students in a period against its goals.

    ``rows``: the sentence's students with school, grade and section, one row each; students who neither practiced up
    to today nor have a goal are counted only. Those with most reasons come first, then by name.
    """
    every = rows["student_id"].to_list()
    with_goal = set(goals["student_id"].to_list())
    kept = pl.Series([one in seen.place or one in with_goal for one in every], dtype=pl.Boolean)
    rows = rows.filter(kept)
    students = rows["student_id"].to_list()
    log = of_students(seen, students)
    aims = _goals(students, goals, looked.goals_share)
    found = practice(log, len(students), looked.core, aims)
    now = entries_within(log, looked.first, min(looked.last, looked.today))
    elapsed = looked.core.elapsed
    due = aims.minutes * elapsed
    amount = found.minutes / np.where(due > 0, due, np.nan)
    columns = zip(
        students, rows.select("school", "grade", "section").iter_rows(), found.entries.tolist(), found.tried.tolist(),
        found.passed.tolist(), found.strong.tolist(), found.reasons,
        *(_numbers(values) for values in (found.minutes, aims.minutes, amount, found.accuracy, aims.accuracy,
                                          found.level, aims.easiest, aims.hardest, found.days_since)),
        strict=True,
    )  # fmt: skip
    told = [
        PracticeRow(
            student_id=student, name=display_name(names, student), school=place[0], grade=place[1], section=place[2],
            entries=entries, minutes=minutes, minutes_goal=minutes_goal, amount=part, accuracy=accuracy,
            accuracy_goal=accuracy_goal, level=level, easiest=easiest, hardest=hardest, tried=tried, passed=passed,
            days_since=since, reasons=list(reasons), strong=strong,
        )
        for student, place, entries, tried, passed, strong, reasons, minutes, minutes_goal, part, accuracy,
        accuracy_goal, level, easiest, hardest, since in columns
    ]  # fmt: skip
    told.sort(key=lambda one: (-len(one.reasons), one.name, one.student_id))
    shared = [
        ReasonShared(reason=reason, n=found.counts[reason],
                     students=[one.student_id for one in told if reason in one.reasons])
        for reason in sorted(REASONS, key=lambda reason: -found.counts[reason])
        if found.counts[reason]
    ]  # fmt: skip
    any_goal = bool(~np.isnan(aims.minutes).all() or ~np.isnan(aims.accuracy).all()) if students else False
    return PracticeAnswer.model_construct(
        first=looked.first, last=looked.last, period=looked.name, elapsed=_number(elapsed), goals_of=looked.goals_of,
        headline=_headline(found, len(students)), lead=_lead(found, looked, len(students), any_goal),
        covered=len(students), never=len(every) - len(students), reasons=shared,
        patterns=_unit_patterns(now, rows), by_kind=_shares(now, now.kinds, now.kind),
        by_help=_shares(now, now.helps, now.help),
        strong=[one.student_id for one in told if one.strong], students=told,
    )  # fmt: skip


def levels_of(seen: PracticeSeen, students: Sequence[str], before: date) -> dict[str, float]:
    """Each student's median level of the year up to a marking period's first day, or since where there is none."""
    log, levels = of_students(seen, students), {}
    for at, student in enumerate(students):
        mine = (log.student == at) & ~np.isnan(log.level)
        day = np.datetime64(before, "D")
        earlier = mine & (log.day < day) & (log.day >= day - np.timedelta64(365, "D"))
        chosen = earlier if earlier.any() else mine
        if chosen.any():
            levels[student] = float(np.median(log.level[chosen]))
    return levels


def weekly_minutes(
    seen: PracticeSeen, students: Sequence[str], first: date, last: date
) -> dict[str, dict[date, float]]:
    """Minutes of practice of some students by the Monday of the week, in a period."""
    log = entries_within(of_students(seen, students), first, last)
    days = log.day.astype("datetime64[D]")
    # 1970-01-01 was a Thursday.
    mondays = days - ((days.astype(np.int64) + 3) % 7)
    found: dict[str, dict[date, float]] = {}
    for at, monday, minutes in zip(log.student.tolist(), mondays.tolist(), log.minutes.tolist(), strict=True):
        if not np.isnan(minutes):
            own = found.setdefault(students[at], {})
            own[monday] = own.get(monday, 0.0) + minutes
    return found
