"""What an import changed, and how it is taken back; :mod:`bodkin.store.writes.undo` decides whether it may be."""

from datetime import date
from typing import Any

from sqlalchemy import Table, delete, func, insert, select, update
from sqlalchemy.orm import Session

from bodkin.store.tables import Act, Base, District, Import, ImportChange

Rows = set[tuple[str, int]]
"""Rows by table and key."""


def _typed(table: Table, row: dict[str, Any]) -> dict[str, Any]:
    return {
        name: date.fromisoformat(value) if value is not None and table.c[name].type.python_type is date else value
        for name, value in row.items()
    }


def _plain_name(table: str) -> str:
    return table.replace("_", " ")


def _brought_tables() -> list[Table]:
    """Tables whose rows know their import, those that others rest on first."""
    lists = (ImportChange.__tablename__, Act.__tablename__)
    return [table for table in Base.metadata.sorted_tables if "import_id" in table.c and table.name not in lists]


def resting_on(session: Session, import_id: int) -> list[str]:
    """What newer work rests on the rows of an import, in words."""
    reasons: list[str] = []
    for table in _brought_tables():
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
                    reasons.append(f"{n} {_plain_name(child.name)} rows rest on its {_plain_name(table.name)} rows")
        later = (
            select(Import.file)
            .join(ImportChange, ImportChange.import_id == Import.id)
            .where(ImportChange.table == table.name, ImportChange.import_id > import_id, Import.state == "done")
        )
        changed = select(ImportChange.row_id).where(
            ImportChange.import_id == import_id, ImportChange.table == table.name
        )
        files = session.scalars(later.where(ImportChange.row_id.in_(own) | ImportChange.row_id.in_(changed)).distinct())
        reasons += [f'"{file}" has changed its {_plain_name(table.name)} rows since' for file in files]
    return reasons


def touched(session: Session, import_id: int, rows: Rows) -> Rows:
    """Which of some rows an import brought, changed or removed."""
    found: Rows = set()
    for table in _brought_tables():
        keys = [key for name, key in rows if name == table.name]
        if keys:
            own = select(table.c.id).where(table.c.import_id == import_id, table.c.id.in_(keys))
            found |= {(table.name, key) for key in session.scalars(own)}
    if rows:
        keys = [key for _, key in rows]
        changes = select(ImportChange.table, ImportChange.row_id).where(
            ImportChange.import_id == import_id, ImportChange.row_id.in_(keys)
        )
        found |= rows & {(table, key) for table, key in session.execute(changes)}
    return found


def restore(session: Session, import_id: int) -> None:
    """Make the tables hold again, row for row, what they held before an import."""
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
    for table in reversed(_brought_tables()):
        session.execute(delete(table).where(table.c.import_id == import_id))
    for change in changes:
        if change.act == "removed":
            table = tables[change.table]
            session.execute(insert(table).values(_typed(table, change.before)))
    session.execute(delete(ImportChange).where(ImportChange.import_id == import_id))
    session.execute(update(Import).where(Import.id == import_id).values(state="undone"))
