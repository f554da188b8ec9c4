"""Everything about one student that is no result of a test: groups, programs, accommodations, days away, notes."""

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.database import two_columns
from bodkin.store.reads.student.sittings import SittingRecord, load_sittings
from bodkin.store.tables import (
    Absence,
    Assessment,
    Attendance,
    CourseGrade,
    Enrolment,
    Entitlement,
    Goal,
    Group,
    GroupMember,
    GroupSession,
    MarkingPeriod,
    Note,
    Program,
    RetestRequest,
    School,
    SchoolYear,
    Section,
    Student,
    StudentProgram,
    StudentYear,
)


@dataclass(frozen=True, slots=True)
class SpanRecord:
    """Something that was so between two days; an end that is not known is None."""

    first: date | None
    last: date | None
    words: str


@dataclass(frozen=True, slots=True)
class DayRecord:
    """Something on a day; ``kind`` says which, ``size`` how many minutes where that is known."""

    on: date
    words: str
    kind: str = ""
    size: float | None = None
    by_id: int | None = None
    shared: bool = False


@dataclass(frozen=True, slots=True)
class PlaceRecord:
    """Where a student was in a school year, between its first and last day."""

    year: str
    first: date | None
    last: date | None
    school: str | None
    grade: str | None
    section: str | None


@dataclass(frozen=True, slots=True)
class StudentRecord:
    """One student's record; each list by day."""

    places: list[PlaceRecord]
    groups: list[tuple[int, SpanRecord]]
    programs: list[SpanRecord]
    accommodations: list[SpanRecord]
    sessions: list[tuple[int, DayRecord]]
    absences: list[DayRecord]
    grades: list[DayRecord]
    goals: list[DayRecord]
    reviews: list[DayRecord]
    notes: list[DayRecord]
    retests: list[DayRecord]
    sittings: list[SittingRecord]


def load_student(session: Session, student: str) -> StudentRecord:
    """The record of a student who is there, at the state the session sees."""
    key = session.scalar(select(Student.id).where(Student.student_id == student))
    ask = session.execute
    groups = ask(
        select(GroupMember.group_id, GroupMember.first_day, GroupMember.last_day, Group.last_day, Group.name)
        .join(Group, Group.id == GroupMember.group_id)
        .where(GroupMember.student_id == key)
        .order_by(GroupMember.first_day)
    )
    programs = ask(
        select(StudentProgram.first_day, StudentProgram.last_day, Program.name)
        .join(Program, Program.id == StudentProgram.program_id)
        .where(StudentProgram.student_id == key)
        .order_by(StudentProgram.first_day)
    )
    entitled = ask(
        select(Entitlement.first_day, Entitlement.last_day, Entitlement.accommodation)
        .where(Entitlement.student_id == key)
        .order_by(Entitlement.first_day)
    )
    met = ask(
        select(GroupSession.group_id, GroupSession.day, Group.name, Attendance.minutes)
        .join(GroupSession, GroupSession.id == Attendance.session_id)
        .join(Group, Group.id == GroupSession.group_id)
        .where(Attendance.student_id == key)
        .order_by(GroupSession.day)
    )
    away = ask(
        select(Absence.day, Absence.reason, Absence.minutes).where(Absence.student_id == key).order_by(Absence.day)
    )
    graded = ask(
        select(MarkingPeriod.last_day, CourseGrade.subject, CourseGrade.symbol, CourseGrade.points, MarkingPeriod.name)
        .join(MarkingPeriod, MarkingPeriod.id == CourseGrade.marking_period_id)
        .where(CourseGrade.student_id == key, MarkingPeriod.last_day.is_not(None))
        .order_by(MarkingPeriod.last_day, CourseGrade.subject)
    )
    aims = ask(
        select(Goal.by_day, Goal.target, Goal.review_on, Assessment.name, Assessment.subject)
        .join(Assessment, Assessment.id == Goal.assessment_id)
        .where(Goal.student_id == key)
        .order_by(Goal.by_day)
    ).all()
    written = ask(
        select(Note.day, Note.text, Note.audience, Note.by_id, Note.shared)
        .where(Note.student_id == key, Note.withdrawn_on.is_(None))
        .order_by(Note.day)
    )
    return StudentRecord(
        places=_places(session, key),
        groups=[(group, SpanRecord(first, last or end, name)) for group, first, last, end, name in groups],
        programs=[SpanRecord(*row) for row in programs],
        accommodations=[SpanRecord(*row) for row in entitled],
        sessions=[(group, DayRecord(day, name, "came" if spent else "away", spent)) for group, day, name, spent in met],
        absences=[DayRecord(day, reason or "", "absence", minutes) for day, reason, minutes in away],
        grades=[
            DayRecord(day, f"{subject} {symbol}, {period}", subject, points)
            for day, subject, symbol, points, period in graded
            if day is not None
        ],
        goals=[DayRecord(day, f"{name}, {subject}", "goal", target) for day, target, _, name, subject in aims],
        reviews=[DayRecord(on, f"goal in {name}, {subject}", "review") for _, _, on, name, subject in aims if on],
        notes=[DayRecord(day, text, audience, by_id=by, shared=shared) for day, text, audience, by, shared in written],
        retests=_retests(session, key),
        sittings=load_sittings(session, key),
    )


def _places(session: Session, key: int | None) -> list[PlaceRecord]:
    """School, grade and home class of each school year a student is known in, the earliest first."""
    enrolled = (
        select(Section.school_year_id, Section.name)
        .join(Enrolment, Enrolment.section_id == Section.id)
        .where(Enrolment.student_id == key, Section.kind == "home")
        .order_by(Enrolment.first_day, Enrolment.id)
    )
    # Of two home classes in a year the later one.
    classes = two_columns(session, enrolled)
    query = (
        select(SchoolYear, School.name, StudentYear.grade)
        .join(StudentYear, StudentYear.school_year_id == SchoolYear.id)
        .outerjoin(School, School.id == StudentYear.school_id)
        .where(StudentYear.student_id == key)
        .order_by(SchoolYear.name)
    )
    return [
        PlaceRecord(year.name, year.first_day, year.last_day, school, grade, classes.get(year.id))
        for year, school, grade in session.execute(query)
    ]


def _retests(session: Session, key: int | None) -> list[DayRecord]:
    """Retests that were asked for and not done."""
    query = (
        select(RetestRequest.asked_at, Assessment.name, Assessment.subject, RetestRequest.why)
        .join(Assessment, Assessment.id == RetestRequest.assessment_id)
        .where(RetestRequest.student_id == key, RetestRequest.state == "open")
        .order_by(RetestRequest.asked_at)
    )
    return [
        DayRecord(asked.date(), f"{name}, {subject}", "retest", shared=True)
        for asked, name, subject, _why in session.execute(query)
    ]
