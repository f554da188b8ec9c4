"""Rows of the score table that are made from other tables, such as common tests from their answers."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import polars as pl
from sqlalchemy.orm import Session

from bodkin.store.database import versions
from bodkin.store.ledger import changed_since, identity, reads_of
from bodkin.store.reads.table.start_file import HeldRows, RowsFile


@dataclass(frozen=True, slots=True)
class _Made:
    """Rows at a version of the data, with the tables they rest on."""

    rows: pl.DataFrame
    version: int
    tables: frozenset[str]


class MadeRows:
    """Made once while the tables that were looked at stay as they are; ``file`` carries them over to the next start."""

    def __init__(self, file: RowsFile | None = None) -> None:
        self._file = file
        self._made: _Made | None = None

    def current(self, session: Session, make: Callable[[], pl.DataFrame], *, keep: bool) -> pl.DataFrame:
        """The rows as the session sees what they rest on; ``keep``: whether the next start finds them in the file."""
        newest = versions(session)[0]
        made = self._made or self._read(session, newest)
        if made is not None and made.version <= newest and not changed_since(session, made.version) & made.tables:
            self._made = replace(made, version=newest)
            return made.rows
        with reads_of(session) as tables:
            rows = make()
        # A session that began before the last change makes them for itself alone.
        if made is None or made.version <= newest:
            self._made = _Made(rows, newest, frozenset(tables))
            self._leave(session, keep=keep)
        return rows

    def _read(self, session: Session, newest: int) -> _Made | None:
        if self._file is None:
            return None
        return self._file.read(
            identity(session), newest, lambda held: _Made(held.rows, held.version, frozenset(held.said["tables"]))
        )

    def _leave(self, session: Session, *, keep: bool) -> None:
        """What the next start may use; nothing of a small district, nor where nothing is made."""
        if self._file is None or self._made is None:
            return
        if keep and self._made.rows.height:
            said = {"tables": sorted(self._made.tables)}
            self._file.write(HeldRows(self._made.rows, self._made.version, said), identity(session))
        else:
            self._file.remove()
