"""People who sign in, and which students each has in reach."""

from dataclasses import dataclass
from datetime import date

from sqlalchemy import ColumnElement, Select, func, or_, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import plain_rows
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

ROLES = ("coach", "school_lead", "teacher", "interventionist", "aide")


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
    """The school year of today, or the latest one where the calendar does not say."""
    now = session.scalar(
        select(SchoolYear.id).where(SchoolYear.first_day <= today, SchoolYear.last_day >= today).limit(1)
    )
    return now if now is not None else session.scalar(select(SchoolYear.id).order_by(SchoolYear.name.desc()).limit(1))


def in_running_groups(adult_id: int, today: date) -> tuple[ColumnElement[bool], ...]:
    """Stays in groups that an adult leads, alone or as the second, on the group's and the member's days only."""
    return (
        or_(Group.adult_id == adult_id, Group.second_adult_id == adult_id),
        Group.first_day <= today,
        Group.last_day >= today,
        GroupMember.first_day <= today,
        or_(GroupMember.last_day.is_(None), GroupMember.last_day >= today),
    )


def _in_groups(person: Someone, today: date) -> Select[str]:
    return (
        select(Student.student_id)
        .join(GroupMember, GroupMember.student_id == Student.id)
        .join(Group, Group.id == GroupMember.group_id)
        .where(*in_running_groups(person.id, today))
    )


def students_in_reach(session: Session, person: Someone, today: date) -> frozenset[str] | None:
    """District identifiers of the students a person may know of; None: the whole district.

    A role that is not known reaches nobody.
    """
    if person.role == "coach":
        return None
    year = current_year(session, today)
    queries: list[Select[str]] = []
    if person.role == "school_lead":
        queries.append(
            select(Student.student_id)
            .join(StudentYear, StudentYear.student_id == Student.id)
            .where(StudentYear.school_year_id == year, StudentYear.school_id == person.school_id)
        )
    elif person.role == "teacher":
        queries.append(
            select(Student.student_id)
            .join(Enrolment, Enrolment.student_id == Student.id)
            .join(Section, Section.id == Enrolment.section_id)
            .join(SectionTeacher, SectionTeacher.section_id == Section.id)
            .where(
                Section.school_year_id == year,
                SectionTeacher.person_id == person.id,
                or_(Enrolment.first_day.is_(None), Enrolment.first_day <= today),
                or_(Enrolment.last_day.is_(None), Enrolment.last_day >= today),
            )
        )
    elif person.role == "interventionist":
        queries.append(
            select(Student.student_id)
            .join(StudentYear, StudentYear.student_id == Student.id)
            .join(
                AssignedGrade,
                (AssignedGrade.school_id == StudentYear.school_id) & (AssignedGrade.grade == StudentYear.grade),
            )
            .where(StudentYear.school_year_id == year, AssignedGrade.person_id == person.id)
        )
        queries.append(_in_groups(person, today))
    elif person.role == "aide":
        queries.append(_in_groups(person, today))
    return frozenset(student for query in queries for student in session.scalars(query))


def names_of(session: Session) -> dict[str, tuple[str, str]]:
    """Family and given name of every student by district identifier; empty where not known."""
    names = (func.coalesce(name, "") for name in (Student.family_name, Student.given_name))
    query = select(Student.student_id, *names)
    return {student: (family, given) for rows in plain_rows(session, query) for student, family, given in rows}
