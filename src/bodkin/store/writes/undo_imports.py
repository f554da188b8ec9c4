"""What an import changed, and how it is taken back; :mod:`bodkin.store.writes.undo` decides whether it may be."""

from dataclasses import dataclass, field
from datetime import date, datetime
from itertools import groupby
from typing import Any

from sqlalchemy import (
    Select,
    Table,
    bindparam,
    delete,
    exists,
    insert,
    literal,
    select,
    tuple_,
    union_all,
    update,
)
from sqlalchemy.orm import Session

from bodkin.store.tables import Act, Base, District, Import, ImportChange

Rows = set[tuple[str, int]]
"""Rows by table and key."""


@dataclass(slots=True)
class NewerWork:
    """What newer work stands on the rows of an import: other ``imports``, and ``rows`` that nobody's file brought."""

    imports: set[int] = field(default_factory=set)
    rows: Rows = field(default_factory=set)


def _typed(table: Table, row: dict[str, Any]) -> dict[str, Any]:
    kinds = {date: date.fromisoformat, datetime: datetime.fromisoformat}
    return {
        name: kinds[table.c[name].type.python_type](value)
        if isinstance(value, str) and table.c[name].type.python_type in kinds
        else value
        for name, value in row.items()
    }


def _brought_tables() -> list[Table]:
    """Tables whose rows know their import, those that others rest on first."""
    lists = (ImportChange.__tablename__, Act.__tablename__)
    return [table for table in Base.metadata.sorted_tables if "import_id" in table.c and table.name not in lists]


def standing_on(session: Session, import_id: int) -> NewerWork:
    """What newer work stands on the rows of an import: rows that point at them, and imports that changed them."""
    found, brought = NewerWork(), _brought_tables()
    later = (
        select(Import.id)
        .join(ImportChange, ImportChange.import_id == Import.id)
        .where(ImportChange.import_id > import_id, Import.state == "done")
        .distinct()
    )
    mine = select(ImportChange.table, ImportChange.row_id).where(ImportChange.import_id == import_id)
    found.imports |= set(session.scalars(later.where(tuple_(ImportChange.table, ImportChange.row_id).in_(mine))))
    for table in _with_rows_of(session, import_id):
        own = select(table.c.id).where(table.c.import_id == import_id)
        asked: list[Select[str, int]] = []
        for child in Base.metadata.sorted_tables:
            for key in child.foreign_keys:
                if key.column.table is not table:
                    continue
                # What this import itself has pointed at its rows points elsewhere again once it is undone.
                own_change = select(ImportChange.row_id).where(
                    ImportChange.import_id == import_id, ImportChange.table == child.name
                )
                pointing = (key.parent.in_(own), child.c.id.not_in(own_change))
                loose = select(literal(child.name), child.c.id).where(*pointing)
                if child in brought:
                    others = select(literal(""), child.c.import_id).where(*pointing, child.c.import_id != import_id)
                    asked.append(others.distinct())
                    loose = loose.where(child.c.import_id.is_(None))
                asked.append(loose)
        changed = later.where(ImportChange.table == table.name, ImportChange.row_id.in_(own)).subquery()
        # All in one question: one each would be a hundred.
        for name, row in session.execute(union_all(select(literal(""), changed.c.id), *asked)):
            if name:
                found.rows.add((name, row))
            else:
                found.imports.add(row)
    return found


def _with_rows_of(session: Session, import_id: int) -> list[Table]:
    """Tables that hold rows of an import."""
    tables = _brought_tables()
    there = session.execute(select(*(exists().where(table.c.import_id == import_id) for table in tables))).one()
    return [table for table, any_ in zip(tables, there, strict=True) if any_]


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


def imports_touching(session: Session, rows: Rows) -> set[int]:
    """Imports that brought, changed or removed any of some rows."""
    found: set[int] = set()
    for table in _brought_tables():
        keys = [key for name, key in rows if name == table.name]
        if keys:
            brought = select(table.c.import_id).where(table.c.id.in_(keys), table.c.import_id.is_not(None))
            found |= set(session.scalars(brought))
    for name in {name for name, _ in rows}:
        keys = [key for one, key in rows if one == name]
        changed = select(ImportChange.import_id).where(ImportChange.table == name, ImportChange.row_id.in_(keys))
        found |= set(session.scalars(changed))
    return found


def restore(session: Session, import_id: int) -> None:
    """Take an import's rows out, and put back every column that it changed; what else changed since stays."""
    tables = {table.name: table for table in Base.metadata.sorted_tables}
    changes = session.scalars(
        select(ImportChange).where(ImportChange.import_id == import_id).order_by(ImportChange.id.desc())
    ).all()
    changed: list[tuple[tuple[str, tuple[str, ...]], dict[str, Any]]] = []
    for change in changes:
        before = _typed(tables[change.table], change.before)
        before.pop("id", None)
        if change.table == District.__tablename__:
            # The versions of the data only ever rise.
            before = {"name": before["name"]}
        if change.act == "changed" and before:
            changed.append(((change.table, tuple(before)), {**before, "@id": change.row_id}))
    # The last change first, even where one row was changed twice; runs of the same columns go together.
    for (name, columns), run in groupby(changed, key=lambda one: one[0]):
        table, rows = tables[name], [row for _, row in run]
        put_back = update(table).where(table.c.id == bindparam("@id"))
        session.execute(put_back.values({column: bindparam(column) for column in columns}), rows)
    for table in reversed(_brought_tables()):
        session.execute(delete(table).where(table.c.import_id == import_id))
    for change in changes:
        if change.act == "removed":
            table = tables[change.table]
            session.execute(insert(table).values(_typed(table, change.before)))
    session.execute(delete(ImportChange).where(ImportChange.import_id == import_id))
    session.execute(update(Import).where(Import.id == import_id).values(state="undone"))
