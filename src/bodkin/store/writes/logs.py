"""The logs that only grow: who opened which student, and who took what out."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from bodkin.store.tables import ExportLog, Person, Student, ViewLog


@dataclass(frozen=True, slots=True)
class ViewLine:
    """A student that somebody opened."""

    at: datetime
    by: str
    role: str
    student_id: str


@dataclass(frozen=True, slots=True)
class ExportLine:
    """Something that somebody took out; ``students``: how many it names, None where it names none."""

    at: datetime
    by: str
    role: str
    what: str
    form: str
    students: int | None


def note_view(session: Session, person_id: int, student: str, at: datetime) -> None:
    """Keep that a person opened a student."""
    session.execute(insert(ViewLog).values(person_id=person_id, student=student, at=at))


def looked_before(session: Session, person_id: int, student: str, before: datetime) -> datetime | None:
    """When a person last opened a student before a time."""
    query = select(func.max(ViewLog.at)).where(
        ViewLog.person_id == person_id, ViewLog.student == student, ViewLog.at < before
    )
    return session.scalar(query)


def note_export(session: Session, person_id: int, what: str, form: str, students: int | None, at: datetime) -> None:
    """Keep that a person took something out."""
    row = {"person_id": person_id, "what": what[:255], "form": form, "students": students, "at": at}
    session.execute(insert(ExportLog).values(row))


def opened_lately(session: Session, person_id: int, limit: int = 8) -> list[str]:
    """Students a person opened, the latest first, each once."""
    last = func.max(ViewLog.id)
    query = (
        select(Student.student_id)
        .join(ViewLog, ViewLog.student == Student.student_id)
        .where(ViewLog.person_id == person_id)
        .group_by(Student.student_id)
        .order_by(last.desc())
        .limit(limit)
    )
    return list(session.scalars(query))


def views_logged(
    session: Session, before: int | None, limit: int, reach: Collection[str] | None = None
) -> list[tuple[int, ViewLine]]:
    """Who opened whom, the latest first, with the line's number; only of students in ``reach``."""
    query = (
        select(ViewLog.id, ViewLog.at, Person.name, Person.role, ViewLog.student)
        .join(Person, Person.id == ViewLog.person_id)
        .order_by(ViewLog.id.desc())
        .limit(limit)
    )
    if before is not None:
        query = query.where(ViewLog.id < before)
    if reach is not None:
        query = query.where(ViewLog.student.in_(reach))
    return [(row.id, ViewLine(row.at, row.name, row.role, row.student)) for row in session.execute(query)]


def exports_logged(
    session: Session, before: int | None, limit: int, school_id: int | None = None
) -> list[tuple[int, ExportLine]]:
    """Who took what out, the latest first, with the line's number; only by people of a school where one is given."""
    query = (
        select(ExportLog.id, ExportLog.at, Person.name, Person.role, ExportLog.what, ExportLog.form, ExportLog.students)
        .join(Person, Person.id == ExportLog.person_id)
        .order_by(ExportLog.id.desc())
        .limit(limit)
    )
    if before is not None:
        query = query.where(ExportLog.id < before)
    if school_id is not None:
        query = query.where(Person.school_id == school_id)
    return [
        (row.id, ExportLine(row.at, row.name, row.role, row.what, row.form, row.students))
        for row in session.execute(query)
    ]
