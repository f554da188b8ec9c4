"""What people look at and hand out: saved scopes, students opened, sets of sections, pages made."""

from datetime import datetime

from sqlalchemy import Boolean, DateTime, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, Code, Name


class SavedScope(Base):
    """A scope kept under a name: ``step`` and ``query`` are the address without its host.

    ``key`` is what its link holds, too long to guess. Whom it is shared with stands in ``SavedScopeReader``;
    they see of it what they may see anyway.
    """

    __tablename__ = "saved_scope"
    __table_args__ = (UniqueConstraint("person_id", "name"),)
    key: Mapped[str] = mapped_column(String(32), unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    name: Mapped[Name]
    line: Mapped[str | None] = mapped_column(String(255))
    step: Mapped[Code]
    query: Mapped[str] = mapped_column(String(8000))
    favourite: Mapped[bool] = mapped_column(Boolean)
    made_at: Mapped[datetime] = mapped_column(DateTime)


class SavedScopeReader(Base):
    """Somebody a kept scope is shared with: one person, or everybody with a role."""

    __tablename__ = "saved_scope_reader"
    __table_args__ = (UniqueConstraint("saved_scope_id", "person_id", "role"),)
    saved_scope_id: Mapped[int] = mapped_column(ForeignKey("saved_scope.id"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    role: Mapped[Code | None]


class Remark(Base):
    """A view or a student passed on to a colleague with a remark; ``path`` is the address without its host.

    ``student``: the id of the one it is about, where it is about one. Only who may see the student sees the remark.
    """

    __tablename__ = "remark"
    __table_args__ = (Index("ix_remark_to", "to_id", "at"),)
    from_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    to_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    path: Mapped[str] = mapped_column(String(8200))
    student: Mapped[Code | None]
    text: Mapped[str] = mapped_column(String(1000))
    read_at: Mapped[datetime | None] = mapped_column(DateTime)


class ViewLog(Base):
    """Who opened which student, and when; the student by id, so that the line stays when the student goes."""

    __tablename__ = "view_log"
    __table_args__ = (Index("ix_view_log_person", "person_id", "at"),)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    student: Mapped[Code]
    at: Mapped[datetime] = mapped_column(DateTime)


class PageSet(Base):
    """A set of sections for pages that the district keeps by name; ``sections`` with spaces, in their order."""

    __tablename__ = "page_set"
    name: Mapped[Name] = mapped_column(unique=True)
    audience: Mapped[Code]
    sections: Mapped[str] = mapped_column(String(400))
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class PageLog(Base):
    """Pages that were made about a student: by whom, for whom, what stands on them; rows are only added.

    ``student`` by id, so that the line stays when the student goes; ``sha256`` of the file that was made.
    """

    __tablename__ = "page_log"
    __table_args__ = (Index("ix_page_log_student", "student", "at"),)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    student: Mapped[Code]
    audience: Mapped[Code]
    sections: Mapped[str] = mapped_column(String(400))
    language: Mapped[Code]
    form: Mapped[str] = mapped_column(String(16))
    sha256: Mapped[str] = mapped_column(String(64))


class PageHanded(Base):
    """That pages were handed over, by whom and when; rows are only added."""

    __tablename__ = "page_handed"
    page_log_id: Mapped[int] = mapped_column(ForeignKey("page_log.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    to: Mapped[str] = mapped_column(String(160))
