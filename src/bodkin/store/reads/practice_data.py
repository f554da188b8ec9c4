"""Practice as it is kept: the log of every student, the goals of marking periods, and these periods' days."""

from dataclasses import dataclass
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, frame_of, read_rows
from bodkin.store.database import two_columns
from bodkin.store.reads.table.load import named
from bodkin.store.tables import MarkingPeriod, PracticeEntry, PracticeGoal, SchoolYear, Student

_KEPT: Columns = {
    "student_id": (PracticeEntry.student_id, pl.Int64()),
    "day": (PracticeEntry.day, pl.Date()),
    "text": (PracticeEntry.text, pl.String()),
    "minutes": (PracticeEntry.minutes, pl.Float64()),
    "kind": (PracticeEntry.kind, pl.String()),
    "length": (PracticeEntry.length, pl.Float64()),
    "level": (PracticeEntry.level, pl.Float64()),
    "help": (PracticeEntry.help, pl.String()),
    "items": (PracticeEntry.items, pl.Float64()),
    "right": (PracticeEntry.right, pl.Float64()),
    "passed": (PracticeEntry.passed, pl.Float64()),
}
ENTRIES = pl.Schema({name: kind for name, (_, kind) in _KEPT.items()} | {"student_id": pl.String()})
"""A practice entry as the step looks at it, students by their district identifier."""

GOALS = pl.Schema(
    {
        "student_id": pl.String(), "accuracy": pl.Float64(), "minutes": pl.Float64(), "easiest": pl.Float64(),
        "hardest": pl.Float64(),
    }
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class PeriodRecord:
    """A marking period with its days."""

    id: int
    name: str
    first: date
    last: date


def load_practice(session: Session, student: str | None = None) -> pl.DataFrame:
    """Every practice entry, or those of one student, at the state the session sees; it changes with imports only."""
    who = select(Student.id, Student.student_id)
    if student is not None:
        who = who.where(Student.student_id == student)
    students = two_columns(session, who)

    def asked(query: Select[Any]) -> Select[Any]:
        mine = query if student is None else query.where(PracticeEntry.student_id.in_(students))
        return mine.order_by(PracticeEntry.id)

    kept = read_rows(session, _KEPT, asked)
    return kept.with_columns(named("student_id", students)).select(list(ENTRIES))


def marking_periods(session: Session) -> list[PeriodRecord]:
    """Marking periods whose days are known, in their order, such as ``2026-27 quarter 3``."""
    query = (
        select(MarkingPeriod.id, SchoolYear.name, MarkingPeriod.name, MarkingPeriod.first_day, MarkingPeriod.last_day)
        .join(SchoolYear, SchoolYear.id == MarkingPeriod.school_year_id)
        .where(MarkingPeriod.first_day.is_not(None), MarkingPeriod.last_day.is_not(None))
        .order_by(MarkingPeriod.first_day, MarkingPeriod.id)
    )
    return [
        PeriodRecord(key, f"{year} {name}", first, last)
        for key, year, name, first, last in session.execute(query)
        if first is not None and last is not None
    ]


def practice_goals(session: Session, period: int) -> pl.DataFrame:
    """The goals of a marking period, one row a student."""
    query = (
        select(
            Student.student_id, PracticeGoal.accuracy, PracticeGoal.minutes, PracticeGoal.easiest, PracticeGoal.hardest
        )
        .join(Student, Student.id == PracticeGoal.student_id)
        .where(PracticeGoal.marking_period_id == period)
        .order_by(PracticeGoal.id)
    )
    return frame_of(session, query, GOALS)
