"""Practice of many students in a period: how much, how well, how hard, the reasons when something is off."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import isnan
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, display_names
from bodkin.answers.follow_up.practice.patterns import UnitPattern, unit_patterns
from bodkin.answers.follow_up.practice.seen import PeriodSeen, PracticeSeen, of_places, places_in
from bodkin.answers.words import in_natural_order, percent, plural
from bodkin.core.arrays import IntArray
from bodkin.core.errors import NotFound
from bodkin.core.follow_up.practice import (
    REASONS,
    Labels,
    Practice,
    PracticeGoals,
    PracticeLog,
    Reason,
    practice,
    share_by,
)
from bodkin.store.reads.table.score_table import numbers_of

PracticeColumn = Literal[
    "name", "section", "entries", "minutes", "amount", "accuracy", "level", "days_since", "reasons"
]
"""What the rows can be sorted by; reasons by their number, classes by the school where there is none."""


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


class NamedPractice(BaseModel):
    """A student of a list of practice, with what is off."""

    student_id: str
    name: str
    school: str | None
    section: str | None
    reasons: list[str]


class ReasonShared(BaseModel):
    """A reason, and how many students share it."""

    reason: Reason
    n: int


class SharePart(BaseModel):
    """The part of the minutes under a label, with how accurate its entries are."""

    label: str
    share: float
    entries: int
    accuracy: float | None


class PracticeAnswer(BaseModel):
    """Practice of the sentence's students in a period, with as many rows as were asked for."""

    first: date
    last: date
    period: str
    elapsed: float | None = Field(description="part of the period's school days that is over, 0..1")
    goals_of: str | None = Field(description="the marking period whose goals stand")
    headline: str
    lead: str
    covered: int = Field(description="students who practiced, or have a goal: as many rows there are in all")
    never: int = Field(description="students of the sentence without any entry or goal")
    reasons: list[ReasonShared]
    patterns: list[UnitPattern]
    by_kind: list[SharePart]
    by_help: list[SharePart]
    strong: int = Field(description="students who could try something else")
    students: list[PracticeRow] = Field(description="the first rows, in the order asked for")


@dataclass(frozen=True, slots=True)
class PracticeFound:
    """Practice of many as it was found: what is told of all, and the rows of all.

    ``whole``: the answer without rows; ``rows``: the columns of PracticeRow, those with most reasons first, then by
    name.
    """

    whole: PracticeAnswer
    rows: pl.DataFrame

    def page(self, by: PracticeColumn = "reasons", down: bool = True, n: int | None = None) -> PracticeAnswer:
        """The answer with its first ``n`` rows (None: all) in an order; a row without the value comes last."""
        rows = self.rows if by == "reasons" and down else _sorted(self.rows, by, down)
        return self.whole.model_copy(update={"students": [PracticeRow(**row) for row in rows.slice(0, n).to_dicts()]})

    def named(
        self, reason: Reason | None = None, strong: bool = False, pattern: int | None = None
    ) -> list[NamedPractice]:
        """The students with a reason, those who could try something else, those of a pattern (its place in the
        answer), or all; by name where nothing else orders them. Raises NotFound for a pattern that is not there.
        """
        rows = self.rows
        if reason is not None:
            rows = rows.filter(pl.col("reasons").list.contains(reason))
        if strong:
            rows = rows.filter(pl.col("strong"))
        if pattern is not None:
            if not 0 <= pattern < len(self.whole.patterns):
                raise NotFound("There is no such pattern any more.")
            unit = self.whole.patterns[pattern]
            rows = rows.filter(
                pl.col("school").eq_missing(pl.lit(unit.school)), pl.col("grade").eq_missing(pl.lit(unit.grade))
            )
        return [NamedPractice(**row) for row in rows.select(list(NamedPractice.model_fields)).to_dicts()]


def _goals(students: Sequence[str], goals: pl.DataFrame, share: float) -> PracticeGoals:
    """Goals in the order of students; minutes for the part of the marking period that is looked at."""
    own = pl.DataFrame({"student_id": students}, schema={"student_id": pl.String}).join(
        goals, on="student_id", how="left", maintain_order="left"
    )
    columns = {name: numbers_of(own[name]) for name in ("accuracy", "minutes", "easiest", "hardest")}
    return PracticeGoals(columns["accuracy"], columns["minutes"] * share, columns["easiest"], columns["hardest"])


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


def _lead(found: Practice, looked: PeriodSeen, covered: int, any_goal: bool) -> str:
    if not covered:
        return "Import a practice log, or choose another period or other students."
    well = covered - int(np.count_nonzero(found.any_reason))
    parts = [f"{well:,} have nothing to see to."] if covered > 1 else []
    accuracy = found.accuracy[~np.isnan(found.accuracy)]
    if accuracy.size:
        parts.append(f"Half of the students answer {percent(float(np.median(accuracy)))} right or more.")
    if not any_goal:
        parts.append("No goals are set for this period, so amount and accuracy are not judged.")
    elif looked.goals_of and looked.goals_share != 1.0:
        parts.append(f"Minutes are held against this part of the goals of {looked.goals_of}.")
    return " ".join(parts)


def practice_found(
    rows: pl.DataFrame, seen: PracticeSeen, goals: pl.DataFrame, looked: PeriodSeen, names: Names
) -> PracticeFound:
    """Practice of students in a period against its goals.

    ``rows``: the sentence's students with school, grade and section, one row each; students who neither practiced up
    to today nor have a goal are counted only.
    """
    asked = rows.height
    places = places_in(seen, rows["student_id"].to_list())
    kept = (places >= 0) | rows["student_id"].is_in(goals["student_id"].implode()).to_numpy()
    rows = rows.filter(pl.Series(kept))
    students = rows["student_id"].to_list()
    log = of_places(seen, places[kept])
    aims = _goals(students, goals, looked.goals_share)
    found = practice(log, len(students), looked.core, aims)
    now = found.within
    elapsed = looked.core.elapsed
    any_goal = bool(~np.isnan(aims.minutes).all() or ~np.isnan(aims.accuracy).all()) if students else False
    whole = PracticeAnswer(
        first=looked.first, last=looked.last, period=looked.name, elapsed=None if isnan(elapsed) else elapsed,
        goals_of=looked.goals_of,
        headline=_headline(found, len(students)), lead=_lead(found, looked, len(students), any_goal),
        covered=len(students), never=asked - len(students),
        reasons=[
            ReasonShared(reason=reason, n=found.counts[reason])
            for reason in sorted(REASONS, key=lambda reason: -found.counts[reason]) if found.counts[reason]
        ],
        patterns=unit_patterns(now, rows), by_kind=_shares(now, now.kinds, now.kind),
        by_help=_shares(now, now.helps, now.help), strong=int(found.strong.sum()), students=[],
    )  # fmt: skip
    return PracticeFound(whole, _rows(rows, found, aims, elapsed, names))


def _rows(rows: pl.DataFrame, found: Practice, aims: PracticeGoals, elapsed: float, names: Names) -> pl.DataFrame:
    """A row for each student, those with most reasons first, then by name."""
    due = np.where(aims.minutes * elapsed > 0, aims.minutes * elapsed, np.nan)
    numbers = {
        "minutes": found.minutes, "minutes_goal": aims.minutes, "amount": found.minutes / due,
        "accuracy": found.accuracy, "accuracy_goal": aims.accuracy, "level": found.level, "easiest": aims.easiest,
        "hardest": aims.hardest, "days_since": found.days_since,
    }  # fmt: skip
    every = rows.select("student_id", "school", "grade", "section").with_columns(
        pl.Series("name", display_names(names, rows["student_id"]), dtype=pl.String),
        pl.Series("entries", found.entries), pl.Series("tried", found.tried), pl.Series("passed", found.passed),
        pl.Series("reasons", [list(one) for one in found.combinations], dtype=pl.List(pl.String)).gather(
            found.combination
        ),
        pl.Series("strong", found.strong),
        *(pl.Series(name, values, nan_to_null=True) for name, values in numbers.items()),
    )  # fmt: skip
    order = [pl.col("reasons").list.len().cast(pl.Int32), "name", "student_id"]
    return every.sort(order, descending=[True, False, False])


def _sorted(rows: pl.DataFrame, by: PracticeColumn, down: bool) -> pl.DataFrame:
    key = pl.col(by)
    if by == "reasons":
        key = key.list.len().cast(pl.Int32)
    elif by in ("name", "section"):
        key = pl.coalesce("section", "school") if by == "section" else key
        places = in_natural_order(rows.select(key).to_series())
        key = key.replace_strict(places, default=None, return_dtype=pl.Int64)
    return rows.sort(key, descending=down, nulls_last=True, maintain_order=True)


def practice_answer(
    rows: pl.DataFrame, seen: PracticeSeen, goals: pl.DataFrame, looked: PeriodSeen, names: Names
) -> PracticeAnswer:
    """The same with every row, those with most reasons first; see practice_found."""
    return practice_found(rows, seen, goals, looked, names).page()
