"""What pages say of many students beside their results: goals, accommodations, notes, teachers, each read in one go."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from bodkin.store.reads.student.record import DayRecord
from bodkin.store.tables import (
    Assessment,
    Enrolment,
    Entitlement,
    Goal,
    Note,
    Person,
    Section,
    SectionTeacher,
    Student,
)


@dataclass(frozen=True, slots=True)
class GoalRow:
    """A goal of a student."""

    subject: str
    target: float
    by: date
    plan: str | None
    agreed_with: str | None
    review_on: date | None


@dataclass(frozen=True, slots=True)
class ManyStudents:
    """Lists by student; who has nothing is not there."""

    goals: dict[str, list[GoalRow]]
    accommodations: dict[str, list[str]]
    notes: dict[str, list[DayRecord]]
    teachers: dict[str, list[str]]


def load_many(session: Session, students: Sequence[str], today: date) -> ManyStudents:
    """Goals that are not past, accommodations and teachers of today, and every note that stands."""
    keys = dict(session.execute(select(Student.id, Student.student_id).where(Student.student_id.in_(students))).all())
    found = ManyStudents({}, {}, {}, {})
    goals = (
        select(Goal, Assessment.subject)
        .join(Assessment, Assessment.id == Goal.assessment_id)
        .where(Goal.student_id.in_(keys), Goal.by_day >= today)
        .order_by(Goal.by_day, Goal.id)
    )
    for goal, subject in session.execute(goals):
        row = GoalRow(subject, goal.target, goal.by_day, goal.plan, goal.agreed_with, goal.review_on)
        found.goals.setdefault(keys[goal.student_id], []).append(row)
    entitled = (
        select(Entitlement.student_id, Entitlement.accommodation)
        .where(
            Entitlement.student_id.in_(keys),
            or_(Entitlement.first_day.is_(None), Entitlement.first_day <= today),
            or_(Entitlement.last_day.is_(None), Entitlement.last_day >= today),
        )
        .order_by(Entitlement.accommodation)
    )
    for key, name in session.execute(entitled):
        found.accommodations.setdefault(keys[key], []).append(name)
    notes = select(Note).where(Note.student_id.in_(keys), Note.withdrawn_on.is_(None)).order_by(Note.day, Note.id)
    for note in session.scalars(notes):
        own = DayRecord(note.day, note.text, note.audience, by_id=note.by_id, shared=note.shared)
        found.notes.setdefault(keys[note.student_id], []).append(own)
    taught = (
        select(Enrolment.student_id, Person.name)
        .join(Section, Section.id == Enrolment.section_id)
        .join(SectionTeacher, SectionTeacher.section_id == Section.id)
        .join(Person, Person.id == SectionTeacher.person_id)
        .where(
            Enrolment.student_id.in_(keys), Section.kind == "home",
            or_(Enrolment.first_day.is_(None), Enrolment.first_day <= today),
            or_(Enrolment.last_day.is_(None), Enrolment.last_day >= today),
        )
        .order_by(Person.name)
    )  # fmt: skip
    for key, name in session.execute(taught):
        mine = found.teachers.setdefault(keys[key], [])
        if name not in mine:
            mine.append(name)
    return found
