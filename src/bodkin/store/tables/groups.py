"""Groups of students who work together for a while."""

from datetime import date

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, Name


class Group(Base):
    """A group with its focus, the measure it is about, its adult and its time."""

    __tablename__ = "group"
    name: Mapped[Name] = mapped_column(unique=True)
    focus: Mapped[str] = mapped_column(String(255))
    assessment_id: Mapped[int | None] = mapped_column(ForeignKey("assessment.id"))
    adult_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    first_day: Mapped[date]
    last_day: Mapped[date]
    made_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class GroupMember(Base):
    """A student in a group between two days; the last day is empty while the student stays."""

    __tablename__ = "group_member"
    __table_args__ = (UniqueConstraint("group_id", "student_id", "first_day"),)
    group_id: Mapped[int] = mapped_column(ForeignKey("group.id"))
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    first_day: Mapped[date]
    last_day: Mapped[date | None]
    reason: Mapped[str | None] = mapped_column(String(255))
