"""One student, finding a student by name, and correcting single cells of results, with who and why."""

from datetime import date, datetime
from typing import Annotated, Literal

from fastapi import Depends, Query
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.student.card import StudentCard, student_card
from bodkin.answers.student.find import Found, find_students
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.store.writes.corrections import correct, results_of
from bodkin.store.writes.decisions import student_of
from bodkin.store.writes.logs import note_view

router = Part(prefix="/students", tags=["students"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Decides = Annotated[Context, Depends(need(Right.DECIDE))]


class CorrectionAnswer(BaseModel):
    """A correction: what stood there, what stands there now, who and why."""

    column: str
    before: str | None
    after: str | None
    why: str
    by: str | None
    at: datetime


class ResultAnswer(BaseModel):
    """A result of a student, and what has been corrected about it, the latest first."""

    id: int
    assessment: str
    subject: str
    window: str | None
    tested_on: date | None
    language: str | None
    score: float
    state: str | None
    corrections: list[CorrectionAnswer]


class CorrectionAsked(BaseModel):
    """One cell to correct; an empty value takes a window or language away."""

    model_config = ConfigDict(extra="forbid")

    column: Literal["score", "tested_on", "window", "language"]
    value: str | None = Field(default=None, max_length=64)
    why: str = Field(min_length=1, max_length=255)


class CorrectionMade(BaseModel):
    """A correction that was made; its key undoes it."""

    id: int
    said: str


@router.get("")
def find(context: Scores, q: Annotated[str, Query(max_length=80)] = "") -> list[Found]:
    """Students in reach whose name or id holds every word; of none, those near it."""
    return find_students(context.table, q, context.runtime.names(context.session), context.reach)


@router.get("/{student_id}")
def one(student_id: str, context: Scores) -> StudentCard:
    """One student's results."""
    context.check_student(student_id)
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, student_id, now())
    return student_card(context.table, student_id, context.runtime.names(context.session))


@router.get("/{student_id}/results")
def results(student_id: str, context: Decides) -> list[ResultAnswer]:
    """Every result of a student, the latest first, whether it counts or not."""
    context.check_student(student_id)
    return [
        ResultAnswer(
            id=one.id, assessment=one.assessment, subject=one.subject, window=one.window, tested_on=one.tested_on,
            language=one.language, score=one.score, state=one.state,
            corrections=[
                CorrectionAnswer(column=c.column, before=c.before, after=c.after, why=c.why, by=c.by, at=c.at)
                for c in one.corrections
            ],
        )
        for one in results_of(context.session, student_id)
    ]  # fmt: skip


@router.post("/results/{result_id}/corrections")
def correct_result(result_id: Key, asked: CorrectionAsked, context: Decides) -> CorrectionMade:
    """Correct one cell of a result; undoing it brings back what stood there."""
    student = student_of(context.session, result_id)
    context.check_student(student)
    cell = {"tested_on": "test date"}.get(asked.column, asked.column)
    said = f"Corrected the {cell} of a result of {context.name_of(student)} to {asked.value or 'nothing'}: {asked.why}"
    with context.runtime.store.writing(scores=False) as session:
        key = correct(session, result_id, asked.column, asked.value, asked.why, context.person.id, now(), said)
    return CorrectionMade(id=key, said=said)
