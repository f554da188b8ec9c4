"""Documents on a student: attached after a look at their content, served as downloads only, removed for good."""

from datetime import date, datetime
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import Depends, Form, Response, UploadFile
from pydantic import BaseModel

from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotAllowed, NotFound
from bodkin.exchange.attached.content import LARGEST, checked_name, sort_of
from bodkin.exchange.services.scanner import check_scanned
from bodkin.policy.rights import Right
from bodkin.policy.roles import reads_internal
from bodkin.store.writes.logs import note_view
from bodkin.store.writes.student.documents import (
    DocumentRecord,
    attach_document,
    content_of,
    document_of,
    documents_on,
    remove_document,
)
from bodkin.store.writes.undo import FINAL
from bodkin.store.writes.undo import note as keep_act

router = Part(prefix="/students", tags=["students"])
Documents = Annotated[Context, Depends(need(Right.DOCUMENTS))]
Kind = Literal["plan", "letter", "work sample", "report", "other"]
ANY_FILE: dict[int | str, dict[str, Any]] = {
    200: {
        "description": "The file as it was attached.",
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


class DocumentSeen(BaseModel):
    """A document; ``own``: the reader may remove it; ``until``: the last day it is kept, None for no end."""

    id: int
    kind: str
    name: str
    size: int
    by: str | None
    at: datetime
    until: date | None
    shared: bool
    own: bool


class DocumentAct(BaseModel):
    """What was kept; its key undoes it."""

    id: int
    said: str


class DocumentRemoved(BaseModel):
    """A document that was removed for good."""

    said: str


def _may_remove(context: Context, one: DocumentRecord) -> bool:
    return one.by_id == context.person.id or context.may(Right.DOCUMENTS_OF_OTHERS)


def _readable(context: Context, key: int) -> DocumentRecord:
    """A document the person may read. Raises NotFound for any other."""
    found = document_of(context.session, key, context.today)
    outside = context.reach is not None and found.student_id not in context.reach
    if outside or not reads_internal(context.person, shared=found.shared, by_id=found.by_id):
        raise NotFound("There is no such document.")
    return found


@router.get("/{student_id}/documents")
def documents(student_id: str, context: Documents) -> list[DocumentSeen]:
    """Documents on a student that the person may read, the latest first."""
    context.check_student(student_id)
    return [
        DocumentSeen(
            id=one.id, kind=one.kind, name=one.name, size=one.size, by=one.by, at=one.at, until=one.until,
            shared=one.shared, own=_may_remove(context, one),
        )
        for one in documents_on(context.session, student_id, context.today)
        if reads_internal(context.person, shared=one.shared, by_id=one.by_id)
    ]  # fmt: skip


@router.post("/documents", status_code=201)
def attach(
    context: Documents, file: UploadFile, student_id: Annotated[str, Form(max_length=64)],
    kind: Annotated[Kind, Form()], shared: Annotated[bool, Form()] = False,
    until: Annotated[date | None, Form()] = None,
) -> DocumentAct:  # fmt: skip
    """Attach a file to a student; by its content it is one of the common types and holds no scripts."""
    context.check_student(student_id)
    today = context.today
    if until is not None and until < today:
        raise BadInput("until: the last day it is kept is over already; choose a later one or none")
    name = checked_name(file.filename or "")
    content = file.file.read(LARGEST + 1)
    sort = sort_of(name, content)
    check_scanned(context.runtime.settings.scanner_address, content)
    said = f"Document ({kind}) attached to {context.name_of(student_id)}"
    with context.runtime.store.writing(scores=False) as session:
        _, changes = attach_document(
            session, student_id, name, sort.media, content, kind=kind, shared=shared, by=context.person.id, at=now(),
            until=until,
        )  # fmt: skip
        act = keep_act(session, "document", context.person.id, now(), said, changes)
    return DocumentAct(id=act, said=said)


@router.get("/documents/{key}", response_class=Response, responses=ANY_FILE)
def download(key: Key, context: Documents) -> Response:
    """A document as it was attached, as a download that no browser opens by itself; the look is logged."""
    found = _readable(context, key)
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, found.student_id, now())
    headers = {
        "Content-Disposition": f"attachment; filename*=UTF-8''{quote(found.name)}", "Cache-Control": "no-store",
        "Content-Security-Policy": "sandbox; default-src 'none'",
    }  # fmt: skip
    return Response(content_of(context.session, key), media_type=found.media, headers=headers)


@router.delete("/documents/{key}")
def remove(key: Key, context: Documents) -> DocumentRemoved:
    """Remove a document for good; that it was there stays in the list of acts, its content is gone."""
    found = _readable(context, key)
    if not _may_remove(context, found):
        raise NotAllowed("Only who attached a document, a coach or a school lead may remove it.")
    said = f"Document ({found.kind}) of {context.name_of(found.student_id)} removed for good"
    with context.runtime.store.writing(scores=False) as session:
        remove_document(session, key)
        keep_act(session, "document", context.person.id, now(), said, [], state=FINAL)
    return DocumentRemoved(said=said)
