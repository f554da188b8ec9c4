"""Documents on students: attached, read, removed for good, and removed by themselves after their last day."""

import hashlib
from base64 import b64decode, b64encode
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from bodkin.core.errors import NotFound
from bodkin.store.tables import Document, DocumentPart, Person, Student
from bodkin.store.writes.undo import Before, new

PART = 384 * 1024
"""Bytes of content in a part; as base64 a third more, well within what the database takes at once."""


@dataclass(frozen=True, slots=True)
class DocumentRecord:
    """A document as it is listed: whom it is about, what it is, who attached it, and the last day it is kept."""

    id: int
    student_id: str
    kind: str
    name: str
    media: str
    size: int
    sha256: str
    shared: bool
    by_id: int | None
    by: str | None
    at: datetime
    until: date | None


def _documents(
    session: Session, today: date, *, student: str | None = None, key: int | None = None
) -> list[DocumentRecord]:
    query = (
        select(Document, Student.student_id, Person.name)
        .join(Student, Student.id == Document.student_id)
        .outerjoin(Person, Person.id == Document.by_id)
        .where(Document.until.is_(None) | (Document.until >= today))
        .order_by(Document.at.desc(), Document.id.desc())
    )
    query = query.where(Student.student_id == student) if student is not None else query.where(Document.id == key)
    return [
        DocumentRecord(
            one.id, about, one.kind, one.name, one.media, one.size, one.sha256, one.shared, one.by_id, by, one.at,
            one.until,
        )
        for one, about, by in session.execute(query)
    ]  # fmt: skip


def documents_on(session: Session, student: str, today: date) -> list[DocumentRecord]:
    """Documents on a student that are still kept on a day, the latest first."""
    return _documents(session, today, student=student)


def document_of(session: Session, key: int, today: date) -> DocumentRecord:
    """A document that is still kept on a day. Raises NotFound."""
    for one in _documents(session, today, key=key):
        return one
    raise NotFound("There is no such document.")


def content_of(session: Session, key: int) -> bytes:
    """The content of a document, as it was attached."""
    parts = select(DocumentPart.content).where(DocumentPart.document_id == key).order_by(DocumentPart.place)
    return b"".join(b64decode(part) for part in session.scalars(parts))


def attach_document(
    session: Session, student: str, name: str, media: str, content: bytes, *, kind: str, shared: bool, by: int,
    at: datetime, until: date | None,
) -> tuple[int, list[Before]]:  # fmt: skip
    """Attach a file to a student who is there; its key, and what undo needs."""
    who = session.scalar(select(Student.id).where(Student.student_id == student))
    digest = hashlib.sha256(content).hexdigest()
    made = Document(student_id=who, kind=kind, name=name, media=media, size=len(content), sha256=digest,
                    shared=shared, by_id=by, at=at, until=until)  # fmt: skip
    session.add(made)
    session.flush()
    before = [new(Document, made.id)]
    for place, begin in enumerate(range(0, len(content), PART)):
        part = DocumentPart(document_id=made.id, place=place, content=b64encode(content[begin : begin + PART]).decode())
        session.add(part)
        session.flush()
        before.append(new(DocumentPart, part.id))
    return made.id, before


def remove_document(session: Session, key: int) -> None:
    """Remove a document for good: nothing of it is kept, so undo cannot bring it back."""
    session.execute(delete(DocumentPart).where(DocumentPart.document_id == key))
    session.execute(delete(Document).where(Document.id == key))


def any_expired(session: Session, today: date) -> bool:
    """Whether the last day of any document is over."""
    return session.scalar(select(Document.id).where(Document.until < today).limit(1)) is not None


def remove_expired(session: Session, today: date) -> int:
    """Remove every document whose last day is over; how many there were."""
    over = list(session.scalars(select(Document.id).where(Document.until < today)))
    for key in over:
        remove_document(session, key)
    return len(over)
