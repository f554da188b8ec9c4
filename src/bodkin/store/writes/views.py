"""Scopes kept by name, and the students a person opened lately."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict, NotFound
from bodkin.store.tables import Person, SavedScope, Student, ViewLog


@dataclass(frozen=True, slots=True)
class SavedScopeRecord:
    """A scope kept by name, and whose it is."""

    id: int
    person_id: int
    person: str
    name: str
    line: str | None
    step: str
    query: str
    favourite: bool
    shared: bool


def _kept(row: SavedScope, person: str) -> SavedScopeRecord:
    return SavedScopeRecord(
        row.id, row.person_id, person, row.name, row.line, row.step, row.query, row.favourite, row.shared
    )


def saved_scopes(session: Session, person_id: int) -> Sequence[SavedScopeRecord]:
    """A person's own scopes, favourites first, then by name."""
    query = select(SavedScope, Person.name).join(Person, Person.id == SavedScope.person_id)
    query = query.where(SavedScope.person_id == person_id).order_by(SavedScope.favourite.desc(), SavedScope.name)
    return [_kept(row, name) for row, name in session.execute(query)]


def saved_scope(session: Session, key: int, person_id: int) -> SavedScopeRecord:
    """One scope, one's own or one that is shared. Raises NotFound for any other, there or not."""
    query = select(SavedScope, Person.name).join(Person, Person.id == SavedScope.person_id)
    found = session.execute(query.where(SavedScope.id == key)).one_or_none()
    if found is None or (found[0].person_id != person_id and not found[0].shared):
        raise NotFound("There is no such view, or it is not shared with you.")
    return _kept(found[0], found[1])


def keep_scope(
    session: Session, person_id: int, *, name: str, line: str | None, step: str, query: str, shared: bool, at: datetime
) -> int:
    """Keep a scope; returns its key. Raises Conflict where the person has one of that name."""
    row = SavedScope(
        person_id=person_id, name=name, line=line, step=step, query=query, favourite=False, shared=shared, made_at=at
    )
    session.add(row)
    try:
        session.flush()
    except IntegrityError:
        raise Conflict(f'you have a view called "{name}" already; choose another name') from None
    return row.id


def _own(session: Session, key: int, person_id: int) -> None:
    if session.scalar(select(SavedScope.id).where(SavedScope.id == key, SavedScope.person_id == person_id)) is None:
        raise NotFound("There is no such view of yours.")


def change_scope(session: Session, key: int, person_id: int, values: dict[str, Any]) -> None:
    """Change one's own scope. Raises NotFound, Conflict where the name is taken."""
    _own(session, key, person_id)
    if not values:
        return
    try:
        session.execute(update(SavedScope).where(SavedScope.id == key).values(values))
    except IntegrityError:
        raise Conflict(f'you have a view called "{values.get("name")}" already; choose another name') from None


def forget_scope(session: Session, key: int, person_id: int) -> None:
    """Forget one's own scope. Raises NotFound."""
    _own(session, key, person_id)
    session.execute(delete(SavedScope).where(SavedScope.id == key))


def note_view(session: Session, person_id: int, student: str, at: datetime) -> None:
    """Keep that a person opened a student."""
    who = select(func.min(Student.id)).where(Student.student_id == student).scalar_subquery()
    session.execute(insert(ViewLog).values(person_id=person_id, student_id=who, at=at))


def opened_lately(session: Session, person_id: int, limit: int = 8) -> list[str]:
    """Students a person opened, the latest first, each once."""
    last = func.max(ViewLog.id)
    query = (
        select(Student.student_id)
        .join(ViewLog, ViewLog.student_id == Student.id)
        .where(ViewLog.person_id == person_id)
        .group_by(Student.student_id)
        .order_by(last.desc())
        .limit(limit)
    )
    return list(session.scalars(query))
