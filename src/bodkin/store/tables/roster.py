"""Schools, calendar, people, students, classes and programs."""

from datetime import date

from sqlalchemy import BigInteger, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Grade, Name, Season


class District(Base):
    """The one district of this Bodkin, and the versions of its data.

    ``data_version`` rises with every write; ``score_version`` only with writes to what the
    score table in memory holds, so that making a group does not make it load again.
    """

    __tablename__ = "district"
    name: Mapped[Name]
    data_version: Mapped[int] = mapped_column(BigInteger, default=1)
    score_version: Mapped[int] = mapped_column(BigInteger, default=1)


class School(Base, BroughtIn):
    """A school."""

    __tablename__ = "school"
    name: Mapped[Name] = mapped_column(unique=True)


class SchoolYear(Base, BroughtIn):
    """A school year such as 2026-27; without days where the calendar is not known."""

    __tablename__ = "school_year"
    name: Mapped[Code] = mapped_column(unique=True)
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Closure(Base):
    """Days on which school was closed, both ends included."""

    __tablename__ = "closure"
    name: Mapped[Name]
    first_day: Mapped[date]
    last_day: Mapped[date]


class Window(Base, BroughtIn):
    """A testing window: a season of a school year."""

    __tablename__ = "window"
    __table_args__ = (UniqueConstraint("school_year_id", "season"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    season: Mapped[Season]
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Person(Base, BroughtIn):
    """Someone who works with Bodkin or is named as a teacher; signs in where a login is set."""

    __tablename__ = "person"
    name: Mapped[Name] = mapped_column(index=True)
    role: Mapped[str] = mapped_column(String(20))
    login: Mapped[Code | None] = mapped_column(unique=True)
    password_hash: Mapped[str | None] = mapped_column(String(255))
    school_id: Mapped[int | None] = mapped_column(ForeignKey("school.id"))


class AssignedGrade(Base):
    """A grade of a school that an interventionist looks after."""

    __tablename__ = "assigned_grade"
    __table_args__ = (UniqueConstraint("person_id", "school_id", "grade"),)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    school_id: Mapped[int] = mapped_column(ForeignKey("school.id"))
    grade: Mapped[Grade]


class Student(Base, BroughtIn):
    """A student; ``student_id`` is the district's own identifier."""

    __tablename__ = "student"
    student_id: Mapped[Code] = mapped_column(unique=True)
    given_name: Mapped[Name | None]
    family_name: Mapped[Name | None]


class StudentYear(Base, BroughtIn):
    """A student's school, grade and home language in one school year."""

    __tablename__ = "student_year"
    __table_args__ = (UniqueConstraint("student_id", "school_year_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    school_id: Mapped[int | None] = mapped_column(ForeignKey("school.id"))
    grade: Mapped[Grade | None]
    home_language: Mapped[Code | None]


class Program(Base, BroughtIn):
    """A program such as multilingual learners."""

    __tablename__ = "program"
    name: Mapped[Name] = mapped_column(unique=True)


class StudentProgram(Base, BroughtIn):
    """A student in a program between two days; an open end is empty."""

    __tablename__ = "student_program"
    __table_args__ = (UniqueConstraint("student_id", "program_id", "first_day"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    program_id: Mapped[int] = mapped_column(ForeignKey("program.id"))
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Section(Base, BroughtIn):
    """A class of one school year."""

    __tablename__ = "section"
    __table_args__ = (UniqueConstraint("school_year_id", "school_id", "name"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    school_id: Mapped[int | None] = mapped_column(ForeignKey("school.id"))
    name: Mapped[Name]


class SectionTeacher(Base, BroughtIn):
    """Who teaches a class."""

    __tablename__ = "section_teacher"
    __table_args__ = (UniqueConstraint("section_id", "person_id"),)
    section_id: Mapped[int] = mapped_column(ForeignKey("section.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Enrolment(Base, BroughtIn):
    """A student in a class between two days; ends that are not known are empty."""

    __tablename__ = "enrolment"
    __table_args__ = (UniqueConstraint("student_id", "section_id", "first_day"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    section_id: Mapped[int] = mapped_column(ForeignKey("section.id"))
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]
