"""How the invented rows go into the tables: the database loads the many itself, and each knows its import."""

import hashlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from typing import Any

import polars as pl
from sqlalchemy import insert
from sqlalchemy.orm import Session

from bodkin.store.bulk import load_rows
from bodkin.store.tables import Base, Import
from bodkin.store.writes.undo import note

MANY = 500
_IMPORT, _ROWS = "demo import", "demo rows"


@contextmanager
def brought_in(session: Session, file: str, kind: str, at: datetime) -> Iterator[None]:
    """What is put meanwhile came in as this file, so that the import history tells where everything is from."""
    digest = hashlib.sha256(file.encode()).hexdigest()
    row = Import(file=file, sha256=digest, kind=kind, counts={}, by_id=None, at=at, state="done", mapping=None)
    session.add(row)
    session.flush()
    session.info |= {_IMPORT: row.id, _ROWS: 0}
    yield
    row.counts = {"new": session.info.pop(_ROWS), "changed": 0, "same": 0, "refused": 0}
    note(session, "import", None, at, f"{file} imported", [], scores=True, import_id=session.info.pop(_IMPORT))


def put(session: Session, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
    """Insert rows that all have the same columns."""
    if (brought := session.info.get(_IMPORT)) is not None and "import_id" in table.__table__.c:
        rows = [{**row, "import_id": brought} for row in rows]
        session.info[_ROWS] += len(rows)
    if len(rows) >= MANY:
        load_rows(session, table, pl.DataFrame(rows, infer_schema_length=None))
    elif rows:
        session.execute(insert(table), list(rows))
