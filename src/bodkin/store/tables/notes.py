"""What people write and attach about students: notes with their history, documents with their content."""

from datetime import date, datetime

from sqlalchemy import Boolean, DateTime, ForeignKey, Integer, String, UniqueConstraint, false
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Name


class Note(Base, BroughtIn):
    """A note on a student; ``audience`` is internal or family.

    An internal note is its writer's own unless it is ``shared`` with everybody who may see the student; one that
    was withdrawn stays with the day.
    """

    __tablename__ = "note"
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    day: Mapped[date]
    text: Mapped[str] = mapped_column(String(1000))
    audience: Mapped[str] = mapped_column(String(16))
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    withdrawn_on: Mapped[date | None]
    shared: Mapped[bool] = mapped_column(Boolean, server_default=false())


class NoteVersion(Base):
    """What a note said before it was changed, until which day, and by whom it was changed."""

    __tablename__ = "note_version"
    note_id: Mapped[int] = mapped_column(ForeignKey("note.id"))
    text: Mapped[str] = mapped_column(String(1000))
    until: Mapped[date]
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class Document(Base):
    """A file attached to a student; ``media``: its type by its content, ``size`` in bytes.

    It is its owner's until it is ``shared`` with everybody who may see the student, and is kept up to and with
    ``until``.
    """

    __tablename__ = "document"
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    kind: Mapped[Code]
    name: Mapped[Name]
    media: Mapped[Name]
    size: Mapped[int] = mapped_column(Integer)
    sha256: Mapped[Code]
    shared: Mapped[bool] = mapped_column(Boolean)
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    until: Mapped[date | None]


class DocumentPart(Base):
    """A part of a document's content as base64; the parts in their order make the file."""

    __tablename__ = "document_part"
    __table_args__ = (UniqueConstraint("document_id", "place"),)
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id"))
    place: Mapped[int] = mapped_column(Integer)
    content: Mapped[str] = mapped_column(MEDIUMTEXT)
