"""One student, and finding a student by name."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Depends, Query

from bodkin.answers.student.card import Found, StudentCard, find_students, student_card
from bodkin.api.context import Context, need
from bodkin.api.rights import Right
from bodkin.store.writes.logs import note_view

router = APIRouter(prefix="/students", tags=["students"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]


@router.get("")
def find(context: Scores, q: Annotated[str, Query(max_length=80)] = "") -> list[Found]:
    """Students in reach whose name holds every word."""
    return find_students(context.table, q, context.runtime.names(context.session), context.reach)


@router.get("/{student_id}")
def one(student_id: str, context: Scores) -> StudentCard:
    """One student's results."""
    context.check_student(student_id)
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, student_id, datetime.now(UTC).replace(tzinfo=None))
    return student_card(context.table, student_id, context.runtime.names(context.session))
