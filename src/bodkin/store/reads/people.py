"""People who sign in, and the ways in which students are in somebody's reach."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import plain_rows
from bodkin.store.reach_by import ReachBy
from bodkin.store.tables import (
    AssignedGrade,
    Enrolment,
    Group,
    GroupMember,
    Person,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentYear,
)


@dataclass(frozen=True, slots=True)
class Someone:
    """A signed-in person."""

    id: int
    name: str
    role: str
    login: str
    school_id: int | None
    school: str | None


def by_login(session: Session, login: str) -> tuple[int, str] | None:
    """Key and password hash of the person with this login."""
    row = session.execute(
        select(Person.id, Person.password_hash).where(Person.login == login, Person.password_hash.is_not(None))
    ).one_or_none()
    return (row.id, row.password_hash) if row else None


def by_key(session: Session, key: int) -> Someone | None:
    """The person with this key who can sign in."""
    row = session.execute(
        select(Person.id, Person.name, Person.role, Person.login, Person.school_id, School.name.label("school"))
        .outerjoin(School, School.id == Person.school_id)
        .where(Person.id == key, Person.login.is_not(None))
    ).one_or_none()
    return Someone(row.id, row.name, row.role, row.login, row.school_id, row.school) if row else None


def password_of(session: Session, key: int) -> str:
    """The hash of a person's password."""
    return session.scalar(select(Person.password_hash).where(Person.id == key)) or ""


def who_sign_in(session: Session) -> list[tuple[int, str, str]]:
    """Key, name and role of everyone who can sign in."""
    rows = session.execute(
        select(Person.id, Person.name, Person.role).where(Person.login.is_not(None)).order_by(Person.name)
    )
    return [(row.id, row.name, row.role) for row in rows]


def adults(session: Session) -> list[tuple[int, str, str]]:
    """Key, name and role of everyone who could lead a group."""
    rows = session.execute(select(Person.id, Person.name, Person.role).order_by(Person.name))
    return [(row.id, row.name, row.role) for row in rows]


def current_year(session: Session, today: date) -> int | None:
    """The school year of today; between two the one that has ended, until the next one begins.

    The latest one where the calendar does not say.
    """
    going_on = (SchoolYear.first_day <= today) & (SchoolYear.last_day >= today)
    begun = SchoolYear.first_day.is_(None) | (SchoolYear.first_day <= today)
    order = (func.coalesce(going_on, False).desc(), begun.desc(), SchoolYear.name.desc())
    return session.scalar(select(SchoolYear.id).order_by(*order).limit(1))


def in_running_groups(adult_id: int, today: date) -> tuple[ColumnElement[bool], ...]:
    """Stays in groups that an adult leads, alone or as the second, on the group's and the member's days only."""
    return (
        or_(Group.adult_id == adult_id, Group.second_adult_id == adult_id),
        Group.first_day <= today,
        Group.last_day >= today,
        GroupMember.first_day <= today,
        or_(GroupMember.last_day.is_(None), GroupMember.last_day >= today),
    )


def students_by(session: Session, by: ReachBy, person: Someone, today: date) -> Iterable[str]:
    """District identifiers of the students whom one way of reach gives a person on a day.

    Raises ValueError for the whole district, which is no list.
    """
    year, query = current_year(session, today), select(Student.student_id)
    if by is ReachBy.SCHOOL:
        query = query.join(StudentYear, StudentYear.student_id == Student.id).where(
            StudentYear.school_year_id == year, StudentYear.school_id == person.school_id
        )
    elif by is ReachBy.SECTIONS:
        query = (
            query.join(Enrolment, Enrolment.student_id == Student.id)
            .join(Section, Section.id == Enrolment.section_id)
            .join(SectionTeacher, SectionTeacher.section_id == Section.id)
            .where(
                Section.school_year_id == year,
                SectionTeacher.person_id == person.id,
                or_(Enrolment.first_day.is_(None), Enrolment.first_day <= today),
                or_(Enrolment.last_day.is_(None), Enrolment.last_day >= today),
            )
        )
    elif by is ReachBy.ASSIGNED_GRADES:
        own = (AssignedGrade.school_id == StudentYear.school_id) & (AssignedGrade.grade == StudentYear.grade)
        query = (
            query.join(StudentYear, StudentYear.student_id == Student.id)
            .join(AssignedGrade, own)
            .where(StudentYear.school_year_id == year, AssignedGrade.person_id == person.id)
        )
    elif by is ReachBy.GROUPS:
        query = (
            query.join(GroupMember, GroupMember.student_id == Student.id)
            .join(Group, Group.id == GroupMember.group_id)
            .where(*in_running_groups(person.id, today))
        )
    else:
        raise ValueError(f"{by.value} is no list of students")
    return session.scalars(query)


def names_of(session: Session) -> dict[str, tuple[str, str]]:
    """Family and given name of every student by district identifier; empty where not known."""
    names = (func.coalesce(name, "") for name in (Student.family_name, Student.given_name))
    query = select(Student.student_id, *names)
    return {student: (family, given) for rows in plain_rows(session, query) for student, family, given in rows}
