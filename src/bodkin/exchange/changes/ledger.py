"""What an import writes, written so that it can be taken back whole."""

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import Table, delete, func, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict
from bodkin.store.bulk import load_rows
from bodkin.store.tables import Base, District, Import, ImportChange

BATCH = 5000
LOADED = 50_000
"""Rows that the database loads at a time, so that it can be told how far it is."""
MANY = 1000
"""Rows from which the database loads a file instead of taking them one by one."""


def _plain(row: dict[str, Any]) -> dict[str, Any]:
    return {name: value.isoformat() if isinstance(value, date) else value for name, value in row.items()}


def _typed(table: Table, row: dict[str, Any]) -> dict[str, Any]:
    return {
        name: date.fromisoformat(value) if value is not None and table.c[name].type.python_type is date else value
        for name, value in row.items()
    }


class Ledger:
    """Writes rows for one import: new rows know the import, changed rows leave what they were."""

    def __init__(
        self, session: Session, import_id: int, progress: Callable[[str, int, int], None] | None = None
    ) -> None:
        self.session = session
        self.import_id = import_id
        self._progress = progress

    def add(self, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
        """Insert rows."""
        if len(rows) >= MANY:
            self.add_frame(table, pl.DataFrame(rows, infer_schema_length=None))
        elif rows:
            self.session.execute(insert(table), [{**row, "import_id": self.import_id} for row in rows])

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
        self._keep(table, [row["id"] for row in rows], "changed")
        self.session.execute(update(table), list(rows))

    def remove(self, table: type[Base], keys: Sequence[int]) -> None:
        """Delete rows."""
        if not keys:
            return
        self._keep(table, keys, "removed")
        self.session.execute(delete(table).where(table.id.in_(keys)))

    def _keep(self, table: type[Base], keys: Sequence[int], act: str) -> None:
        columns = table.__table__.columns
        for start in range(0, len(keys), BATCH):
            part = keys[start : start + BATCH]
            before = self.session.execute(select(*columns).where(table.id.in_(part))).mappings()
            self.session.execute(
                insert(ImportChange),
                [
                    {
                        "import_id": self.import_id,
                        "table": table.__tablename__,
                        "row_id": row["id"],
                        "act": act,
                        "before": _plain(dict(row)),
                    }
                    for row in before
                ],
            )


def _brought() -> list[Table]:
    """Tables whose rows know their import, those that others rest on first."""
    return [table for table in Base.metadata.sorted_tables if "import_id" in table.c and table.name != "import_change"]


def _said(name: str) -> str:
    return name.replace("_", " ")


def _leaning(session: Session, import_id: int) -> list[str]:
    """What later work leans on rows of this import, in words."""
    reasons: list[str] = []
    brought = [
        table for table in Base.metadata.sorted_tables if "import_id" in table.c and table.name != "import_change"
    ]
    for table in brought:
        own = select(table.c.id).where(table.c.import_id == import_id)
        for child in Base.metadata.sorted_tables:
            for key in child.foreign_keys:
                if key.column.table is not table:
                    continue
                query = select(func.count()).select_from(child).where(key.parent.in_(own))
                # What this import itself has pointed at its rows points elsewhere again once it is undone.
                own_change = select(ImportChange.row_id).where(
                    ImportChange.import_id == import_id, ImportChange.table == child.name
                )
                query = query.where(child.c.id.not_in(own_change))
                if "import_id" in child.c:
                    query = query.where((child.c.import_id != import_id) | child.c.import_id.is_(None))
                if n := session.scalar(query):
                    reasons.append(f"{n} {_said(child.name)} rows rest on its {_said(table.name)} rows")
        later = (
            select(Import.file)
            .join(ImportChange, ImportChange.import_id == Import.id)
            .where(ImportChange.table == table.name, ImportChange.import_id > import_id, Import.state == "done")
        )
        touched = select(ImportChange.row_id).where(
            ImportChange.import_id == import_id, ImportChange.table == table.name
        )
        files = session.scalars(later.where(ImportChange.row_id.in_(own) | ImportChange.row_id.in_(touched)).distinct())
        reasons += [f'"{file}" has changed its {_said(table.name)} rows since' for file in files]
    return reasons


def undo(session: Session, import_id: int) -> None:
    """Take an import back: the tables hold again, row for row, what they held before.

    Raises Conflict, naming it, where newer work rests on what the import brought.
    """
    if reasons := _leaning(session, import_id):
        raise Conflict("This import cannot be undone while newer work rests on it: " + "; ".join(reasons) + ".")
    tables = {table.name: table for table in Base.metadata.sorted_tables}
    changes = session.scalars(
        select(ImportChange).where(ImportChange.import_id == import_id).order_by(ImportChange.id.desc())
    ).all()
    for change in changes:
        table = tables[change.table]
        before = _typed(table, change.before)
        if change.table == District.__tablename__:
            # The versions of the data only ever rise.
            before = {"name": before["name"]}
        if change.act == "changed":
            session.execute(update(table).where(table.c.id == change.row_id).values(before))
    for table in reversed(_brought()):
        session.execute(delete(table).where(table.c.import_id == import_id))
    for change in changes:
        if change.act == "removed":
            table = tables[change.table]
            session.execute(insert(table).values(_typed(table, change.before)))
    session.execute(delete(ImportChange).where(ImportChange.import_id == import_id))
    session.execute(update(Import).where(Import.id == import_id).values(state="undone"))
