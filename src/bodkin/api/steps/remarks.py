"""A view or a student passed on to a colleague with a remark; a message by mail holds the link and nothing else."""

import re
from datetime import datetime
from typing import Annotated
from urllib.parse import unquote

from fastapi import Depends, Request
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.exchange.services.mail import address_of, message, send
from bodkin.policy.reach import students_in_reach
from bodkin.policy.rights import Right
from bodkin.store.reads.people import by_key
from bodkin.store.writes.views import RemarkRecord, mark_read, pass_on, remarks_for

router = Part(prefix="/remarks", tags=["views"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
_PATH = re.compile(r"^/(check|compare|growth|needs|groups|follow-up|share|student)(/[^?#]*)?(\?[^#]*)?$")
_STUDENT = re.compile(r"^/student/([^/?#]+)")
SENDER = "bodkin@localhost"


class NewRemark(BaseModel):
    """What is passed on: the address without its host, to whom, and a remark."""

    model_config = ConfigDict(extra="forbid")

    to: Key
    path: Annotated[str, StringConstraints(min_length=2, max_length=8200)]
    text: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000)]


class PassedOn(BaseModel):
    """What was done; ``mailed``: a message with a link was sent too."""

    id: int
    said: str
    mailed: bool


class RemarkSeen(BaseModel):
    """Something a colleague passed on."""

    id: int
    by: str
    at: datetime
    path: str
    text: str
    read: bool


def _student(path: str) -> str | None:
    """The student an address is about, if it is about one. Raises BadInput for an address that is none of Bodkin's."""
    if not _PATH.match(path):
        raise BadInput("path: this is no address of a step or a student")
    found = _STUDENT.match(path)
    return unquote(found[1]) if found else None


def _readable(context: Context, one: RemarkRecord) -> bool:
    """Whether the reader may know of whom a remark is about."""
    return one.student is None or context.reach is None or one.student in context.reach


@router.post("", status_code=201)
def send_on(body: NewRemark, context: Scores, request: Request) -> PassedOn:
    """Pass a view or a student on to a colleague, who sees of it what the colleague may see anyway."""
    student = _student(body.path)
    if student is not None:
        context.check_student(student)
    to = by_key(context.session, body.to)
    if to is None or to.id == context.person.id:
        raise NotFound("There is no such colleague.")
    settings = context.runtime.settings
    if student is not None:
        reach = students_in_reach(context.session, to, context.today)
        if reach is not None and student not in reach:
            raise Conflict(f"{to.name} may not see this student, so nothing was passed on.")
    with context.runtime.store.noting() as session:
        key = pass_on(
            session, by=context.person.id, to=to.id, path=body.path, student=student, text=body.text, at=now()
        )  # fmt: skip
    where = address_of(to.login, settings.mail_domain)
    mailed = False
    if settings.mail is not None and where is not None:
        mailed = send(settings.mail, message(where, SENDER, f"{str(request.base_url).rstrip('/')}/remark/{key}"))
    return PassedOn(id=key, said=f"Passed on to {to.name}", mailed=mailed)


@router.get("")
def mine(context: Scores) -> list[RemarkSeen]:
    """What colleagues passed on to one, the latest first, as far as one may know of it."""
    return [
        RemarkSeen(id=one.id, by=one.by, at=one.at, path=one.path, text=one.text, read=one.read)
        for one in remarks_for(context.session, context.person.id)
        if _readable(context, one)
    ]


@router.post("/{key}/read")
def read(key: Key, context: Scores) -> RemarkSeen:
    """Keep that one has seen a remark; where it leads."""
    for one in remarks_for(context.session, context.person.id, limit=1000):
        if one.id == key and _readable(context, one):
            with context.runtime.store.noting() as session:
                mark_read(session, key, context.person.id, now())
            return RemarkSeen(id=one.id, by=one.by, at=one.at, path=one.path, text=one.text, read=True)
    raise NotFound("There is no such remark.")
