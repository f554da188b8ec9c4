"""What an import writes, written so that :mod:`bodkin.store.writes.undo` can take it back whole."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import delete, insert, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bodkin.store.bulk import load_rows
from bodkin.store.tables import Base, ImportChange

BATCH = 5000
LOADED = 50_000
"""Rows that the database loads at a time, so that it can be told how far it is."""
MANY = 1000
"""Rows from which the database loads a file instead of taking them one by one."""


def _plain(row: dict[str, Any]) -> dict[str, Any]:
    return {name: value.isoformat() if isinstance(value, date) else value for name, value in row.items()}


class RowRefused(Exception):
    """A row that the tables cannot hold beside what is there."""

    def __init__(self, line: int, said: str) -> None:
        super().__init__(said)
        self.line = line
        self.said = said


class Ledger:
    """Writes rows for one import: new rows know the import, changed rows leave what they were."""

    def __init__(
        self, session: Session, import_id: int, progress: Callable[[str, int, int], None] | None = None
    ) -> None:
        self.session = session
        self.import_id = import_id
        self._progress = progress

    def add(
        self, table: type[Base], rows: Sequence[dict[str, Any]], places: Sequence[tuple[int, str]] | None = None
    ) -> None:
        """Insert rows; ``places``: the line of each in its file, and what it is.

        Raises RowRefused, where the places are known, for the first row that the tables cannot hold.
        """
        if not rows:
            return
        if places is None:
            self._insert(table, rows)
            return
        try:
            with self.session.begin_nested():
                self._insert(table, rows)
        except (IntegrityError, RuntimeError):
            self._one_by_one(table, rows, places)

    def _insert(self, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
        if len(rows) >= MANY:
            self.add_frame(table, pl.DataFrame(rows, infer_schema_length=None))
        else:
            self.session.execute(insert(table), [{**row, "import_id": self.import_id} for row in rows])

    def _one_by_one(self, table: type[Base], rows: Sequence[dict[str, Any]], places: Sequence[tuple[int, str]]) -> None:
        """Insert rows singly, to find the one that cannot be held."""
        for row, (line, said) in zip(rows, places, strict=True):
            try:
                self.session.execute(insert(table), [{**row, "import_id": self.import_id}])
            except IntegrityError as error:
                raise RowRefused(line, said) from error

    def add_frame(self, table: type[Base], rows: pl.DataFrame) -> None:
        """Insert rows given as columns; every key in them must be there."""
        for start in range(0, rows.height, LOADED):
            if self._progress is not None:
                self._progress(f"Writing {_said(table.__tablename__)} rows", start, rows.height)
            part = rows.slice(start, LOADED)
            load_rows(self.session, table, part.with_columns(import_id=pl.lit(self.import_id)))

    def change(self, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
        """Update rows; each holds its ``id`` and every column that changes."""
        if not rows:
            return
        self._keep(table, [row["id"] for row in rows], "changed", {row["id"]: row for row in rows})
        self.session.execute(update(table), list(rows))

    def remove(self, table: type[Base], keys: Sequence[int]) -> None:
        """Delete rows."""
        if not keys:
            return
        self._keep(table, keys, "removed")
        self.session.execute(delete(table).where(table.id.in_(keys)))

    def _keep(
        self, table: type[Base], keys: Sequence[int], act: str, after: Mapping[int, dict[str, Any]] | None = None
    ) -> None:
        """Keep what was there: a removed row whole, of a changed one the columns that change."""
        columns = table.__table__.columns
        for start in range(0, len(keys), BATCH):
            part = keys[start : start + BATCH]
            kept = []
            for row in self.session.execute(select(*columns).where(table.id.in_(part))).mappings():
                before = dict(row)
                if after is not None:
                    values = after[row["id"]]
                    before = {name: value for name, value in before.items() if name in values and values[name] != value}
                if before:
                    kept.append(
                        {
                            "import_id": self.import_id,
                            "table": table.__tablename__,
                            "row_id": row["id"],
                            "act": act,
                            "before": _plain(before),
                        }
                    )
            if kept:
                self.session.execute(insert(ImportChange), kept)


def _said(name: str) -> str:
    return name.replace("_", " ")
