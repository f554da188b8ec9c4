"""Schools, calendar, people, students, classes and programs."""

from datetime import date

from sqlalchemy import BigInteger, Boolean, Double, ForeignKey, Integer, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Grade, Name, Season, Sourced


class District(Base):
    """The one district of this Bodkin, and the versions of its data.

    ``data_version`` rises with every write; ``score_version`` only with writes to what the
    score table in memory holds, so that making a group does not make it load again. ``watch_hour``:
    the hour of the day in which the watched folder is looked at (none: at any time). ``time_zone``: where the day
    begins and ends, such as ``America/New_York`` (none: that of the machine).
    """

    __tablename__ = "district"
    name: Mapped[Name]
    data_version: Mapped[int] = mapped_column(BigInteger, default=1)
    score_version: Mapped[int] = mapped_column(BigInteger, default=1)
    watch_hour: Mapped[int | None] = mapped_column(Integer)
    time_zone: Mapped[str | None] = mapped_column(String(64))


class School(Base, BroughtIn, Sourced):
    """A school."""

    __tablename__ = "school"
    name: Mapped[Name] = mapped_column(unique=True)


class SchoolYear(Base, BroughtIn, Sourced):
    """A school year such as 2026-27; without days where the calendar is not known."""

    __tablename__ = "school_year"
    name: Mapped[Code] = mapped_column(unique=True)
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Closure(Base, BroughtIn):
    """Days on which school was closed, both ends included."""

    __tablename__ = "closure"
    name: Mapped[Name]
    first_day: Mapped[date]
    last_day: Mapped[date]


class MarkingPeriod(Base, BroughtIn, Sourced):
    """A part of a school year with grades of its own, such as a quarter."""

    __tablename__ = "marking_period"
    __table_args__ = (UniqueConstraint("school_year_id", "name"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    name: Mapped[Name]
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Window(Base, BroughtIn, Sourced):
    """A testing window: a season of a school year."""

    __tablename__ = "window"
    __table_args__ = (UniqueConstraint("school_year_id", "season"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    season: Mapped[Season]
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Person(Base, BroughtIn, Sourced):
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


class Student(Base, BroughtIn, Sourced):
    """A student; ``student_id`` is the district's own identifier."""

    __tablename__ = "student"
    student_id: Mapped[Code] = mapped_column(unique=True)
    given_name: Mapped[Name | None]
    family_name: Mapped[Name | None]


class Identifier(Base, BroughtIn):
    """Another identifier of a student, such as the state's; ``kind`` says whose."""

    __tablename__ = "identifier"
    __table_args__ = (UniqueConstraint("student_id", "kind"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    kind: Mapped[Code]
    value: Mapped[Code] = mapped_column(index=True)


class Field(Base, BroughtIn):
    """A field of the roster that a district may compare by; ``shown`` only where it was switched on."""

    __tablename__ = "field"
    name: Mapped[Code] = mapped_column(unique=True)
    shown: Mapped[bool] = mapped_column(Boolean, default=False)


class StudentField(Base, BroughtIn):
    """What a student's roster says in such a field."""

    __tablename__ = "student_field"
    __table_args__ = (UniqueConstraint("student_id", "field_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    field_id: Mapped[int] = mapped_column(ForeignKey("field.id"))
    value: Mapped[Name]


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


class Course(Base, BroughtIn, Sourced):
    """What a class is a class of; a class without one stands for itself."""

    __tablename__ = "course"
    school_year_id: Mapped[int | None] = mapped_column(ForeignKey("school_year.id"))
    title: Mapped[Name]
    code: Mapped[Code | None]
    subject: Mapped[Code | None]
    grade: Mapped[Grade | None]


class Section(Base, BroughtIn, Sourced):
    """A class of one school year; ``kind`` is ``home`` or ``subject``."""

    __tablename__ = "section"
    __table_args__ = (UniqueConstraint("school_year_id", "school_id", "name"),)
    school_year_id: Mapped[int] = mapped_column(ForeignKey("school_year.id"))
    school_id: Mapped[int | None] = mapped_column(ForeignKey("school.id"))
    name: Mapped[Name]
    kind: Mapped[str | None] = mapped_column(String(16))
    course_id: Mapped[int | None] = mapped_column(ForeignKey("course.id"))


class SectionTeacher(Base, BroughtIn, Sourced):
    """Who teaches a class."""

    __tablename__ = "section_teacher"
    __table_args__ = (UniqueConstraint("section_id", "person_id"),)
    section_id: Mapped[int] = mapped_column(ForeignKey("section.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Enrolment(Base, BroughtIn, Sourced):
    """A student in a class between two days; ends that are not known are empty."""

    __tablename__ = "enrolment"
    __table_args__ = (UniqueConstraint("student_id", "section_id", "first_day"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    section_id: Mapped[int] = mapped_column(ForeignKey("section.id"))
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]


class Entitlement(Base, BroughtIn):
    """An accommodation that a student is entitled to between two days, and where that is written."""

    __tablename__ = "entitlement"
    __table_args__ = (UniqueConstraint("student_id", "accommodation", "first_day"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    accommodation: Mapped[Name]
    first_day: Mapped[date | None]
    last_day: Mapped[date | None]
    source: Mapped[Name | None]


class Absence(Base, BroughtIn):
    """A day, or part of one, on which a student was away."""

    __tablename__ = "absence"
    __table_args__ = (UniqueConstraint("student_id", "day"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    day: Mapped[date]
    reason: Mapped[Name | None]
    minutes: Mapped[int | None] = mapped_column(Integer)


class NotTested(Base, BroughtIn):
    """Why a student has no result in a window."""

    __tablename__ = "not_tested"
    __table_args__ = (UniqueConstraint("student_id", "window_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    window_id: Mapped[int] = mapped_column(ForeignKey("window.id"))
    reason: Mapped[Name]


class CourseGrade(Base, BroughtIn):
    """A grade a teacher gave for a subject in a marking period, and the points it stands for."""

    __tablename__ = "course_grade"
    __table_args__ = (UniqueConstraint("student_id", "subject", "marking_period_id"),)
    student_id: Mapped[int] = mapped_column(ForeignKey("student.id"))
    subject: Mapped[Code]
    marking_period_id: Mapped[int] = mapped_column(ForeignKey("marking_period.id"))
    symbol: Mapped[Code]
    points: Mapped[float | None] = mapped_column(Double)
