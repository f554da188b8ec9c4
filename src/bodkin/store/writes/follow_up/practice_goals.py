"""Goals of practice for a marking period, set for many at once."""

from collections.abc import Mapping

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.store.database import two_columns
from bodkin.store.tables import MarkingPeriod, PracticeGoal, Student
from bodkin.store.writes.undo import Before, new, was

PARTS = ("accuracy", "minutes", "easiest", "hardest")
"""What a goal can say; a part that is not named stays as it is."""


def set_practice_goals(session: Session, period: int, goals: Mapping[str, Mapping[str, float | None]]) -> list[Before]:
    """Set goals of a marking period, some parts for each student; what undo needs.

    Raises BadInput for a period or student that is not there.
    """
    if session.get(MarkingPeriod, period) is None:
        raise BadInput("marking_period: there is no such marking period")
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(goals)))
    if len(who) < len(goals):
        raise BadInput("there is no such student")
    said = {who[student]: {name: parts[name] for name in PARTS if name in parts} for student, parts in goals.items()}
    here = (PracticeGoal.marking_period_id == period, PracticeGoal.student_id.in_(said))
    there = list(session.execute(select(PracticeGoal.__table__).where(*here)).mappings())
    before = [was(PracticeGoal, row, list(said[row["student_id"]])) for row in there]
    changes = [{"id": row["id"], **said.pop(row["student_id"])} for row in there]
    if changes:
        session.execute(update(PracticeGoal), changes)
    added = [
        {"student_id": key, "marking_period_id": period, **dict.fromkeys(PARTS), **parts}
        for key, parts in sorted(said.items())
    ]
    if added:
        keys = session.scalars(insert(PracticeGoal).returning(PracticeGoal.id, sort_by_parameter_order=True), added)
        before += [new(PracticeGoal, one) for one in keys]
    return before
