"""Scopes kept by name, and whom they are shared with."""

import secrets
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, delete, insert, or_, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.reads.people import Someone
from bodkin.store.tables import Person, Remark, SavedScope, SavedScopeReader


@dataclass(frozen=True, slots=True)
class SavedScopeRecord:
    """A scope kept by name, and whose it is."""

    id: int
    key: str
    person_id: int
    person: str
    name: str
    line: str | None
    step: str
    query: str
    favourite: bool
    people: tuple[int, ...] = ()
    roles: tuple[str, ...] = ()


def _kept(session: Session, row: SavedScope, person: str) -> SavedScopeRecord:
    readers = session.execute(
        select(SavedScopeReader.person_id, SavedScopeReader.role).where(SavedScopeReader.saved_scope_id == row.id)
    ).all()
    return SavedScopeRecord(
        row.id, row.key, row.person_id, person, row.name, row.line, row.step, row.query, row.favourite,
        tuple(sorted(one for one, _ in readers if one is not None)), tuple(sorted(one for _, one in readers if one)),
    )  # fmt: skip


def _shared_with(person: Someone) -> ColumnElement[bool]:
    mine = or_(SavedScopeReader.person_id == person.id, SavedScopeReader.role == person.role)
    return SavedScope.id.in_(select(SavedScopeReader.saved_scope_id).where(mine))


def saved_scopes(session: Session, person: Someone) -> Sequence[SavedScopeRecord]:
    """A person's own scopes, favourites first, then by name; after them those that others share with the person."""
    query = select(SavedScope, Person.name).join(Person, Person.id == SavedScope.person_id)
    own = query.where(SavedScope.person_id == person.id).order_by(SavedScope.favourite.desc(), SavedScope.name)
    others = query.where(SavedScope.person_id != person.id, _shared_with(person)).order_by(SavedScope.id.desc())
    return [_kept(session, row, name) for asked in (own, others) for row, name in session.execute(asked).all()]


def saved_scope(session: Session, key: str, person: Someone) -> SavedScopeRecord:
    """One scope, one's own or one shared with the person. Raises NotFound for any other, there or not."""
    query = select(SavedScope, Person.name).join(Person, Person.id == SavedScope.person_id)
    mine = query.where(SavedScope.key == key, or_(SavedScope.person_id == person.id, _shared_with(person)))
    found = session.execute(mine).one_or_none()
    if found is None:
        raise NotFound("There is no such view, or it is not shared with you.")
    return _kept(session, found[0], found[1])


def keep_scope(
    session: Session, person_id: int, *, name: str, line: str | None, step: str, query: str, at: datetime
) -> str:
    """Keep a scope; returns its key. Raises Conflict where the person has one of that name."""
    row = SavedScope(
        key=secrets.token_urlsafe(16), person_id=person_id, name=name, line=line, step=step, query=query,
        favourite=False, made_at=at,
    )  # fmt: skip
    session.add(row)
    try:
        session.flush()
    except IntegrityError:
        raise Conflict(f'you have a view called "{name}" already; choose another name') from None
    return row.key


def _own(session: Session, key: str, person_id: int) -> int:
    found = session.scalar(select(SavedScope.id).where(SavedScope.key == key, SavedScope.person_id == person_id))
    if found is None:
        raise NotFound("There is no such view of yours.")
    return found


def change_scope(session: Session, key: str, person_id: int, values: dict[str, Any]) -> None:
    """Change one's own scope. Raises NotFound, Conflict where the name is taken."""
    own = _own(session, key, person_id)
    if not values:
        return
    try:
        session.execute(update(SavedScope).where(SavedScope.id == own).values(values))
    except IntegrityError:
        raise Conflict(f'you have a view called "{values.get("name")}" already; choose another name') from None


def share_scope(session: Session, key: str, person_id: int, people: Collection[int], roles: Collection[str]) -> None:
    """Share one's own scope with these people and roles and nobody else. Raises NotFound, BadInput."""
    own = _own(session, key, person_id)
    known = set(session.scalars(select(Person.id).where(Person.id.in_(people), Person.login.is_not(None))))
    if set(people) - known:
        raise BadInput("people: there is no such person")
    session.execute(delete(SavedScopeReader).where(SavedScopeReader.saved_scope_id == own))
    rows: list[dict[str, object]] = [{"saved_scope_id": own, "person_id": one, "role": None} for one in sorted(known)]
    rows += [{"saved_scope_id": own, "person_id": None, "role": one} for one in sorted(set(roles))]
    if rows:
        session.execute(insert(SavedScopeReader), rows)


def forget_scope(session: Session, key: str, person_id: int) -> None:
    """Forget one's own scope. Raises NotFound."""
    own = _own(session, key, person_id)
    session.execute(delete(SavedScopeReader).where(SavedScopeReader.saved_scope_id == own))
    session.execute(delete(SavedScope).where(SavedScope.id == own))


@dataclass(frozen=True, slots=True)
class RemarkRecord:
    """Something a colleague passed on."""

    id: int
    by: str
    at: datetime
    path: str
    student: str | None
    text: str
    read: bool


def pass_on(
    session: Session, *, by: int, to: int, path: str, student: str | None, text: str, at: datetime
) -> int:  # fmt: skip
    """Keep a remark for a colleague; its key."""
    made = Remark(from_id=by, to_id=to, at=at, path=path, student=student, text=text, read_at=None)
    session.add(made)
    session.flush()
    return made.id


def remarks_for(session: Session, person_id: int, limit: int = 30) -> list[RemarkRecord]:
    """What was passed on to a person, the latest first."""
    query = (
        select(Remark, Person.name)
        .join(Person, Person.id == Remark.from_id)
        .where(Remark.to_id == person_id)
        .order_by(Remark.id.desc())
        .limit(limit)
    )
    return [
        RemarkRecord(one.id, name, one.at, one.path, one.student, one.text, one.read_at is not None)
        for one, name in session.execute(query)
    ]


def mark_read(session: Session, key: int, person_id: int, at: datetime) -> None:
    """Keep that a person has seen a remark. Raises NotFound for one that is nobody's or another's."""
    mine = update(Remark).where(Remark.id == key, Remark.to_id == person_id).values(read_at=at)
    if not session.connection().execute(mine).rowcount:
        raise NotFound("There is no such remark.")
