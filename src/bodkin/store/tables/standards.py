"""Standards, what they rest on, who has mastered them, and when they are taught."""

from datetime import date

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Grade, Name


class Standard(Base, BroughtIn):
    """A standard of a grade; ``kind`` is priority, supporting or process, ``parent`` the code above it."""

    __tablename__ = "standard"
    code: Mapped[Code] = mapped_column(unique=True)
    grade: Mapped[Grade]
    subject: Mapped[Code]
    strand: Mapped[Name]
    text: Mapped[str] = mapped_column(String(1000))
    kind: Mapped[Code | None]
    parent: Mapped[Code | None]


class Prerequisite(Base, BroughtIn):
    """A standard and one that it rests on."""

    __tablename__ = "prerequisite"
    __table_args__ = (UniqueConstraint("standard_id", "rests_on_id"),)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    rests_on_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))


class MasteryEntry(Base, BroughtIn):
    """What somebody or something says of a student and a standard: mastered, nearly or not yet."""

    __tablename__ = "mastery_entry"
    __table_args__ = (UniqueConstraint("student_id", "standard_id", "day", "source"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    state: Mapped[str] = mapped_column(String(16))
    day: Mapped[date]
    source: Mapped[Name | None]
    note: Mapped[str | None] = mapped_column(String(255))
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class TeachingCalendar(Base, BroughtIn):
    """When a standard is taught: to a class, or to a whole grade of a school year."""

    __tablename__ = "teaching_calendar"
    __table_args__ = (UniqueConstraint("school_year_id", "grade", "section_id", "standard_id", "first_day"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    grade: Mapped[Grade | None]
    section_id: Mapped[int | None] = mapped_column(ForeignKey("section.id"))
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    first_day: Mapped[date]
    last_day: Mapped[date]


class Material(Base, BroughtIn):
    """Teaching material on a standard: a link or text, and a short check."""

    __tablename__ = "material"
    __table_args__ = (UniqueConstraint("standard_id", "title"),)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    title: Mapped[Name]
    link: Mapped[str | None] = mapped_column(String(1000))
    check: Mapped[str | None] = mapped_column(String(1000))
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class AssignedMaterial(Base):
    """Material given to a student, by way of a group where one is named; ``done_on`` once it is done."""

    __tablename__ = "assigned_material"
    __table_args__ = (UniqueConstraint("material_id", "student_id"),)
    material_id: Mapped[int] = mapped_column(ForeignKey("material.id"))
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    group_id: Mapped[int | None] = mapped_column(ForeignKey("group.id"))
    assigned_on: Mapped[date]
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    done_on: Mapped[date | None]
