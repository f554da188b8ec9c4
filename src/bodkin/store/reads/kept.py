"""What was read from the database and is kept in memory until a table that it was read from changes."""

import time
from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from datetime import date
from threading import Lock
from typing import Any, Generic, TypeVar
from weakref import WeakSet

from sqlalchemy.orm import Session

from bodkin.store.database import day_of, of_one_state, versions
from bodkin.store.ledger import DAY, changed_since, looked_at, reads_of

T = TypeVar("T")

EARLIER = 2
"""How many earlier values are kept for questions that began before a change."""
EARLIER_SECONDS = 10.0
"""How long they are kept: by then such a question has taken what it needs."""


@dataclass(frozen=True, slots=True)
class Held(Generic[T]):
    """A value that holds from one version of the data to another, both included, and the tables it rests on.

    ``day``: the only day on which it holds, where it rests on what day it is.
    """

    value: T
    tables: frozenset[str]
    first: int
    last: int
    day: date | None = None

    def holds(self, version: int, day: date) -> bool:
        """Whether it is the value at a version of the data on a day."""
        return self.first <= version <= self.last and self.day in (None, day)


_HOLDING: "WeakSet[Lately[Any]]" = WeakSet()
"""Those who keep something for questions that began before a change; in every thread of the process."""


def let_go_of_earlier() -> None:
    """Let go of what is kept for questions that are over by now, although nobody asks any more."""
    for one in list(_HOLDING):
        one.tidy()


class Lately(Generic[T]):
    """The newest value, and for a short while those before it. While people ask, somebody always writes.

    Without the earlier ones each question that began before a write would read everything for itself, while
    all others wait.
    """

    def __init__(self) -> None:
        self.newest: Held[T] | None = None
        self._earlier: tuple[tuple[float, Held[T]], ...] = ()

    def at(self, version: int, day: date) -> Held[T] | None:
        """The value at a version on a day, where it is still known."""
        newest = self.newest
        if newest is not None and newest.holds(version, day):
            return newest
        return next((one for _, one in self._earlier if one.holds(version, day)), None)

    def still(self, session: Session, version: int, day: date) -> Held[T] | None:
        """The newest value, where no table of it has changed up to a later version; it holds up to there then."""
        held = self.newest
        if held is None or held.last > version or held.day not in (None, day):
            return None
        if changed_since(session, held.last) & held.tables:
            return None
        self.newest = replace(held, last=version)
        return self.newest

    def put(
        self, value: T, tables: frozenset[str], version: int, day: date, earlier: T | None = None
    ) -> Held[T]:  # fmt: skip
        """What was read at a version on a day; the newest unless a newer one is held.

        ``earlier``: kept for the one before.
        """
        found = Held(value, tables, version, version, day if DAY in tables else None)
        before, now = self.newest, time.monotonic()
        if before is not None and (before.last, before.day or day) > (version, day):
            return found
        if before is not None:
            kept = before if earlier is None else replace(before, value=earlier)
            self._earlier = ((now, kept), *self._earlier)[:EARLIER]
            _HOLDING.add(self)
        self.newest = found
        self.tidy()
        return found

    def tidy(self) -> None:
        """Let go of earlier values once their time is over."""
        if self._earlier:
            since = time.monotonic() - EARLIER_SECONDS
            self._earlier = tuple(one for one in self._earlier if one[0] > since)
        if not self._earlier:
            _HOLDING.discard(self)


class Kept(Generic[T]):
    """One thing that is read by a function, as each session sees it; which tables that takes is noted as it is read.

    ``but``: tables whose changes somebody else looks after.
    """

    def __init__(self, load: Callable[[Session], T], but: Collection[str] = ()) -> None:
        self._load = load
        self._but = frozenset(but)
        self._lately: Lately[T] = Lately()
        self._lock = Lock()

    def current(self, session: Session) -> T:
        """The value at the version that the session sees."""
        found = of_one_state(session, self, lambda: self._of(session))
        # Whoever notes what is looked at meanwhile rests on the same tables.
        looked_at(session, found.tables)
        return found.value

    @property
    def newest(self) -> T | None:
        """The value at the newest version that was asked for."""
        return None if self._lately.newest is None else self._lately.newest.value

    def _of(self, session: Session) -> Held[T]:
        newest, day = versions(session)[0], day_of(session, noted=False)
        self._lately.tidy()
        if (found := self._lately.at(newest, day)) is not None:
            return found
        with self._lock:
            found = self._lately.at(newest, day) or self._lately.still(session, newest, day)
            if found is not None:
                return found
            with reads_of(session) as tables:
                value = self._load(session)
            # A session that began before what is still known reads for itself alone.
            return self._lately.put(value, frozenset(tables) - self._but, newest, day)
