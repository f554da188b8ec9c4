"""Sessions of people who signed in, and how often somebody tried and failed."""

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Select, bindparam, delete, func, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import NotFound
from bodkin.store.reads.people import Someone
from bodkin.store.tables import Person, School, SignInSession, SignInTry

IDLE = timedelta(hours=2)
"""A session that nobody used for so long has ended."""
LONGEST = timedelta(hours=12)
"""A session ends so long after the sign-in, used or not."""
NOTED_EVERY = timedelta(minutes=1)
"""How often it is noted that a session is in use."""
TRIES_LAST = timedelta(minutes=1)
"""How long a failed try counts."""


@dataclass(frozen=True, slots=True)
class OpenSession:
    """A session that goes on, and whose it is."""

    id: int
    person: Someone
    made_at: datetime
    used_at: datetime
    browser: str


def _hashed(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def open_session(session: Session, person_id: int, browser: str, at: datetime) -> str:
    """A new session of a person; returns the token that its cookie holds, which is kept nowhere else."""
    token = secrets.token_urlsafe(32)
    row = {"token_hash": _hashed(token), "person_id": person_id, "made_at": at, "used_at": at, "ended_at": None}
    session.execute(insert(SignInSession).values(**row, browser=browser[:160]))
    return token


# Columns, not whole rows, and made once: every request asks this.
_GOING_ON = (
    select(
        SignInSession.id,
        SignInSession.made_at,
        SignInSession.used_at,
        SignInSession.browser,
        Person.id.label("person_id"),
        Person.name,
        Person.role,
        Person.login,
        Person.school_id,
        School.name.label("school"),
    )
    .join(Person, Person.id == SignInSession.person_id)
    .outerjoin(School, School.id == Person.school_id)
    .where(
        SignInSession.ended_at.is_(None), SignInSession.used_at > bindparam("used_after"),
        SignInSession.made_at > bindparam("made_after"), Person.login.is_not(None),
    )
    .order_by(SignInSession.id.desc())
)  # fmt: skip
"""Sessions that go on, the latest first."""
_OF_TOKEN = _GOING_ON.where(SignInSession.token_hash == bindparam("token_hash"))
_OF_PERSON = _GOING_ON.where(SignInSession.person_id == bindparam("of_person"))


def _sessions(session: Session, query: Select[*tuple[Any, ...]], now: datetime, **more: object) -> list[OpenSession]:
    found = session.execute(query, {"used_after": now - IDLE, "made_after": now - LONGEST, **more})
    return [
        OpenSession(
            row.id, Someone(row.person_id, row.name, row.role, row.login or "", row.school_id, row.school), row.made_at,
            row.used_at, row.browser,
        )
        for row in found
    ]  # fmt: skip


def session_of(session: Session, token: str, now: datetime) -> OpenSession | None:
    """The session that a cookie's token belongs to; None where it has ended or never was."""
    return next(iter(_sessions(session, _OF_TOKEN, now, token_hash=_hashed(token))), None)


def sessions_of(session: Session, person_id: int, now: datetime) -> list[OpenSession]:
    """A person's sessions that go on, the latest first."""
    return _sessions(session, _OF_PERSON, now, of_person=person_id)


def note_use(session: Session, key: int, now: datetime) -> None:
    """Note that a session is in use."""
    session.execute(update(SignInSession).where(SignInSession.id == key).values(used_at=now))


def end_session(session: Session, key: int, person_id: int, now: datetime) -> None:
    """End one of a person's sessions. Raises NotFound."""
    mine = update(SignInSession).where(
        SignInSession.id == key, SignInSession.person_id == person_id, SignInSession.ended_at.is_(None)
    )
    if not session.execute(mine.values(ended_at=now)).rowcount:  # type: ignore[attr-defined]
        raise NotFound("There is no such session.")


def end_sessions(session: Session, person_id: int, now: datetime, but: int | None = None) -> None:
    """End all sessions of a person, ``but`` one."""
    theirs = update(SignInSession).where(SignInSession.person_id == person_id, SignInSession.ended_at.is_(None))
    if but is not None:
        theirs = theirs.where(SignInSession.id != but)
    session.execute(theirs.values(ended_at=now))


def set_password(session: Session, person_id: int, password_hash: str) -> None:
    """Keep a new password, as it is hashed."""
    session.execute(update(Person).where(Person.id == person_id).values(password_hash=password_hash))


def note_try(session: Session, buckets: Mapping[str, int], at: datetime) -> tuple[list[int], bool]:
    """Note a try under every bucket; returns the rows' keys, and whether a bucket has had more than it may.

    It is noted before the password is looked at, and each try counts those noted before it; so tries are noted in
    turn (``Store.noting_in_turn``), and many at once cannot all slip through.
    """
    session.execute(delete(SignInTry).where(SignInTry.at < at - 2 * TRIES_LAST))
    keys: list[int] = []
    too_many = False
    for bucket, most in buckets.items():
        row = SignInTry(bucket=bucket, at=at)
        session.add(row)
        session.flush()
        keys.append(row.id)
        earlier = select(func.count()).where(
            SignInTry.bucket == bucket, SignInTry.at > at - TRIES_LAST, SignInTry.id <= row.id
        )
        too_many = too_many or (session.scalar(earlier) or 0) > most
    return keys, too_many


def forget_tries(session: Session, keys: list[int]) -> None:
    """A try that does not count: it succeeded, or was refused unseen."""
    session.execute(delete(SignInTry).where(SignInTry.id.in_(keys)))
