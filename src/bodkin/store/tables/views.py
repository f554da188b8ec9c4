"""What people look at: scopes they keep by name, and which students they opened."""

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


class ViewLog(Base):
    """Who opened which student, and when; the student by id, so that the line stays when the student goes."""

    __tablename__ = "view_log"
    __table_args__ = (Index("ix_view_log_person", "person_id", "at"),)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    student: Mapped[Code]
    at: Mapped[datetime] = mapped_column(DateTime)
