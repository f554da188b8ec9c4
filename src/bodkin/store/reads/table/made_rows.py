"""Rows of the score table that are made from other tables, such as common tests from their answers."""

import hashlib
from collections.abc import Callable
from datetime import date
from pathlib import Path
from types import ModuleType

import polars as pl
from sqlalchemy.orm import Session

from bodkin.store.database import day_of, versions
from bodkin.store.ledger import DAY, identity, looked_at, reads_of
from bodkin.store.reads.kept import Held, Kept, Lately
from bodkin.store.reads.table.start_file import HeldRows, RowsFile


def made_by(*modules: ModuleType) -> str:
    """A few letters for what stands in some modules: rows that other code has made are made anew."""
    texts = [Path(one.__file__).read_bytes() for one in modules if one.__file__]
    return hashlib.sha256(b"".join(texts)).hexdigest()[:16]


class MadeRows:
    """Made once while the tables that were looked at stay as they are; ``file`` carries them over to the next start.

    ``many``: the rows from which on it does. ``about``: the code that they rest on.
    """

    def __init__(self, file: RowsFile | None = None, many: int = 1, about: str = "") -> None:
        self._file, self._many, self._about = file, many, about
        self._lately: Lately[pl.DataFrame] = Lately()

    def current(self, session: Session, make: Callable[[], pl.DataFrame], *, keep: bool = True) -> pl.DataFrame:
        """The rows as the session sees what they rest on; ``keep``: whether the next start finds them in the file."""
        newest, day = versions(session)[0], day_of(session, noted=False)
        if self._lately.newest is None:
            self._lately.newest = self._read(session, newest, day)
        found = self._lately.at(newest, day) or self._lately.still(session, newest, day)
        if found is not None:
            # Whoever notes what is looked at meanwhile rests on the same tables.
            looked_at(session, found.tables)
            return found.value
        with reads_of(session) as tables:
            rows = make()
        # A session that began before what is still known makes them for itself alone.
        held = self._lately.put(rows, frozenset(tables), newest, day)
        if held is self._lately.newest:
            self._leave(session, held, keep=keep)
        return rows

    def let_go(self) -> None:
        """Hold the rows no more; whoever made something else of them keeps that. The file stays."""
        self._lately = Lately()

    def _read(self, session: Session, newest: int, day: date) -> Held[pl.DataFrame] | None:
        if self._file is None:
            return None

        def found(held: HeldRows) -> Held[pl.DataFrame] | None:
            if held.said.get("about", "") != self._about or held.said["day"] not in (None, str(day)):
                return None
            tables = frozenset(held.said["tables"])
            return Held(held.rows, tables, held.version, held.version, day if DAY in tables else None)

        return self._file.read(identity(session), newest, found)

    def _leave(self, session: Session, held: Held[pl.DataFrame], *, keep: bool) -> None:
        """What the next start may use; nothing of a small district, nor where nothing is made."""
        if self._file is None:
            return
        if keep and held.value.height >= self._many:
            day = None if held.day is None else str(held.day)
            said = {"tables": sorted(held.tables), "about": self._about, "day": day}
            self._file.write(HeldRows(held.value, held.last, said), identity(session))
        else:
            self._file.remove()


def kept_rows(
    load: Callable[[Session], pl.DataFrame], file: RowsFile | None, many: int, about: str = ""
) -> Kept[pl.DataFrame]:
    """What a function reads, kept while the tables that it looks at stay, which the next start finds in a file.

    ``many``, ``about``: see ``MadeRows``.
    """
    rows = MadeRows(file, many, about)
    return Kept(lambda session: rows.current(session, lambda: load(session)))
