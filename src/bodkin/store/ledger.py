"""Which tables each change touched, kept with it, so that what rests on others can stay in memory.

Every statement of the application goes through SQLAlchemy's engine: there its text tells which table it writes to, and
which ones a read looks at. A table that is read by name only seems to be looked at once too often, never too seldom.
"""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from uuid import uuid4

from sqlalchemy import BigInteger, Column, Connection, Engine, MetaData, String, Table, event, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from bodkin.store.tables import Base

TABLES = frozenset(Base.metadata.tables) - {"district"}
"""Tables that are followed; the district's row holds the versions themselves and changes with every act."""
LEDGER = Table(
    "table_change",
    MetaData(),
    Column("name", String(64), primary_key=True),
    Column("version", BigInteger, nullable=False),
)
"""The data version at which each table last changed; no backup holds it, since it tells of this database alone."""
IDENTITY = "database "
"""Stands before the mark that only this database has: what was kept beside another one is not of this one."""
REMOVED = "-"
"""Stands before the name of a table whose rows were removed."""

DAY = "today"
"""Stands among the tables that were looked at for the day, which no write changes."""

READING = "reading"
"""Marks a session that sees one state of the data from its first look to its last."""
_READS, _WRITES, _SEEN = "bodkin reads", "bodkin writes", "ledger"
_WORD = re.compile(r"\w+")
_TARGET = re.compile(
    r"(?is)\s*(?:(?P<verb>UPDATE|DELETE)\b(?P<named>.*?)(?:\bSET\b|\bWHERE\b|$)"
    r"|(?:INSERT|REPLACE)\b[^(]*?\bINTO\s+`?(?P<into>\w+)|LOAD\s+DATA\b.*?\bINTO\s+TABLE\s+`?(?P<loaded>\w+)"
    r"|TRUNCATE\s+(?:TABLE\s+)?`?(?P<emptied>\w+))"
)


def written_by(statement: str) -> frozenset[str]:
    """The tables that a statement writes to, and, marked as such, those it removes rows of; none of a read."""
    found = _TARGET.match(statement)
    if found is None:
        return frozenset()
    if found["verb"]:
        names = TABLES & set(_WORD.findall(found["named"]))
        gone = found["verb"].upper() == "DELETE"
    else:
        names = TABLES & {found["into"] or found["loaded"] or found["emptied"]}
        gone = found["emptied"] is not None or statement.lstrip()[:7].upper() == "REPLACE"
    return frozenset(names) | {REMOVED + name for name in names if gone}


def _note(connection: Connection, _cursor: Any, statement: str, *_rest: Any) -> None:
    kept = connection.info
    if (reads := kept.get(_READS)) is not None:
        reads.update(TABLES.intersection(_WORD.findall(statement)))
    if (writes := kept.get(_WRITES)) is not None:
        writes.update(written_by(statement))


def watch(engine: Engine) -> None:
    """Listen to every statement of an engine."""
    event.listen(engine, "before_cursor_execute", _note)


@contextmanager
def reads_of(session: Session) -> Iterator[set[str]]:
    """The tables that a session looks at meanwhile; complete once it is over."""
    info, found = session.connection().info, set[str]()
    outer = info.get(_READS)
    info[_READS] = found
    try:
        yield found
    finally:
        if outer is None:
            info.pop(_READS, None)
        else:
            outer.update(found)
            info[_READS] = outer


def looked_at(session: Session, names: frozenset[str]) -> None:
    """Say that a session looked at tables, where what was read of them before was used again."""
    if (reads := session.connection().info.get(_READS)) is not None:
        reads.update(names)


@contextmanager
def writes_kept(session: Session, version: Any) -> Iterator[None]:
    """Keep, at the end of a session's transaction, which tables it wrote to; ``version``: that of the data, as SQL."""
    info, began = session.connection().info, session.get_transaction()
    info[_WRITES] = set()
    try:
        yield
        if session.get_transaction() is not began or began is None or not began.is_active:
            # It was given up within; nothing of it is kept.
            return
        session.flush()
        mark(session, frozenset(info[_WRITES]), session.execute(select(version)).scalar_one())
    finally:
        info.pop(_WRITES, None)


def mark(session: Session, names: frozenset[str], version: int) -> None:
    """Say that tables changed at a version of the data."""
    if names:
        made = insert(LEDGER).values([{"name": name, "version": version} for name in sorted(names)])
        session.execute(made.on_duplicate_key_update(version=made.inserted.version))


def everything_changed(connection: Connection, schema: str, version: int) -> None:
    """Say that every table of a schema changed: it is about to be put in place of another."""
    there = LEDGER.to_metadata(MetaData(), schema=schema)
    names = TABLES | {REMOVED + name for name in TABLES}
    connection.execute(there.insert(), [{"name": name, "version": version} for name in sorted(names)])


def changed_since(session: Session, version: int) -> frozenset[str]:
    """Tables that changed after a version of the data, as the session sees them."""
    seen: dict[str, int] | None = session.info.get(_SEEN)
    if seen is None:
        seen = {row.name: row.version for row in session.execute(select(LEDGER.c.name, LEDGER.c.version))}
        if session.info.get(READING):
            session.info[_SEEN] = seen
    return frozenset(name for name, at in seen.items() if at > version)


def identity(session: Session) -> str:
    """The mark that only this database has; none where it has none."""
    return session.scalar(select(LEDGER.c.name).where(LEDGER.c.name.startswith(IDENTITY)).limit(1)) or ""


def new_identity(connection: Connection) -> None:
    """Give a database a mark of its own, as a copy of another one needs."""
    connection.execute(LEDGER.delete().where(LEDGER.c.name.startswith(IDENTITY)))
    connection.execute(LEDGER.insert().values(name=f"{IDENTITY}{uuid4()}", version=0))
