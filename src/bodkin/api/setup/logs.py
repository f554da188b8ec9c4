"""The logs: who opened which student, and who took what out; for coaches and school leads."""

from datetime import datetime
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel

from bodkin.answers.comparison.step_answer import display_name
from bodkin.api.context import Context, need
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.policy.roles import role_title
from bodkin.store.writes.logs import exports_logged, views_logged

router = Part(prefix="/logs", tags=["logs"])
Logs = Annotated[Context, Depends(need(Right.LOGS))]
PAGE = 100


class ViewedLine(BaseModel):
    """A student that somebody opened."""

    id: int
    at: datetime
    by: str
    role: str
    student_id: str
    student: str


class ExportedLine(BaseModel):
    """Something that somebody took out; ``students`` is None where it names none."""

    id: int
    at: datetime
    by: str
    role: str
    what: str
    form: str
    students: int | None


@router.get("/views")
def views(context: Logs, before: Key | None = None) -> list[ViewedLine]:
    """Who opened which student, the latest first, a page of lines before a line."""
    return [
        ViewedLine(
            id=key, at=line.at, by=line.by, role=role_title(line.role), student_id=line.student_id,
            student=display_name(context.names, line.student_id),
        )
        for key, line in views_logged(context.session, before, PAGE, context.reach)
    ]  # fmt: skip


@router.get("/exports")
def exports(context: Logs, before: Key | None = None) -> list[ExportedLine]:
    """Who took what out, the latest first; a school lead sees those of the own school's people."""
    school = None if context.may(Right.LOGS_OF_DISTRICT) else context.person.school_id or 0
    return [
        ExportedLine(
            id=key, at=line.at, by=line.by, role=role_title(line.role), what=line.what, form=line.form,
            students=line.students,
        )
        for key, line in exports_logged(context.session, before, PAGE, school)
    ]  # fmt: skip
