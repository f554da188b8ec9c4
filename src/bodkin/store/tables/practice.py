"""What students did in between: practice, day by day."""

from datetime import date

from sqlalchemy import Boolean, Double, ForeignKey, Integer, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Name


class PracticeEntry(Base, BroughtIn):
    """One piece of practice: what, how long, with which help, and how it went."""

    __tablename__ = "practice_entry"
    __table_args__ = (UniqueConstraint("student_id", "day", "text"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    day: Mapped[date]
    text: Mapped[Name]
    minutes: Mapped[float | None] = mapped_column(Double)
    kind: Mapped[Code | None]
    length: Mapped[int | None] = mapped_column(Integer)
    level: Mapped[float | None] = mapped_column(Double)
    help: Mapped[Code | None]
    items: Mapped[int | None] = mapped_column(Integer)
    right: Mapped[int | None] = mapped_column(Integer)
    passed: Mapped[bool | None] = mapped_column(Boolean)


class PracticeGoal(Base, BroughtIn):
    """What a student should reach in a marking period: accuracy (share 0..1), minutes, and the reader's range."""

    __tablename__ = "practice_goal"
    __table_args__ = (UniqueConstraint("student_id", "marking_period_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    marking_period_id: Mapped[int] = mapped_column(ForeignKey("marking_period.id"))
    accuracy: Mapped[float | None] = mapped_column(Double)
    minutes: Mapped[float | None] = mapped_column(Double)
    easiest: Mapped[float | None] = mapped_column(Double)
    hardest: Mapped[float | None] = mapped_column(Double)
