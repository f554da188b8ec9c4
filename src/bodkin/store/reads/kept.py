"""What was read from the database and is kept in memory until a table that it was read from changes."""

from collections.abc import Callable, Collection
from dataclasses import dataclass
from threading import Lock
from typing import Generic, TypeVar

from sqlalchemy.orm import Session

from bodkin.store.database import versions
from bodkin.store.ledger import changed_since, looked_at, reads_of

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class _Held(Generic[T]):
    value: T
    tables: frozenset[str]
    version: int


class Kept(Generic[T]):
    """One thing that is read by a function, as each session sees it; which tables that takes is noted as it is read.

    ``but``: tables whose changes somebody else looks after.
    """

    def __init__(self, load: Callable[[Session], T], but: Collection[str] = ()) -> None:
        self._load = load
        self._but = frozenset(but)
        self._held: _Held[T] | None = None
        self._lock = Lock()

    def current(self, session: Session) -> T:
        """The value at the version that the session sees."""
        found = self._of(session)
        # Whoever notes what is looked at meanwhile rests on the same tables.
        looked_at(session, found.tables)
        return found.value

    def _of(self, session: Session) -> _Held[T]:
        newest, held = versions(session)[0], self._held
        if held is not None and held.version == newest:
            return held
        with self._lock:
            held = self._held
            if held is not None and held.version == newest:
                return held
            if held is not None and held.version < newest and not changed_since(session, held.version) & held.tables:
                self._held = _Held(held.value, held.tables, newest)
                return self._held
            with reads_of(session) as tables:
                value = self._load(session)
            found = _Held(value, frozenset(tables) - self._but, newest)
            # A session that began before the last change reads for itself alone.
            if held is None or held.version <= newest:
                self._held = found
            return found
