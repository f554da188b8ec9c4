"""One student, and finding a student by name."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Depends, Query

from bodkin.answers.student import Found, StudentCard, find_students, student_card
from bodkin.api.asking import Asking, need
from bodkin.api.rights import Right
from bodkin.store.views import note_view

router = APIRouter(prefix="/students", tags=["students"])
Scores = Annotated[Asking, Depends(need(Right.SCORES))]


@router.get("")
def find(asking: Scores, q: Annotated[str, Query(max_length=80)] = "") -> list[Found]:
    """Students in reach whose name holds every word."""
    return find_students(asking.table, q, asking.desk.names(asking.session), asking.reach)


@router.get("/{student_id}")
def one(student_id: str, asking: Scores) -> StudentCard:
    """One student's results."""
    asking.check_student(student_id)
    with asking.desk.store.noting() as session:
        note_view(session, asking.person.id, student_id, datetime.now(UTC).replace(tzinfo=None))
    return student_card(asking.table, student_id, asking.desk.names(asking.session))
