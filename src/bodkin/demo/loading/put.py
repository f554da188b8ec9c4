"""How the invented rows go into the tables: the database loads the many itself."""

from collections.abc import Sequence
from typing import Any

import polars as pl
from sqlalchemy import insert
from sqlalchemy.orm import Session

from bodkin.store.bulk import load_rows
from bodkin.store.tables import Base

MANY = 500


def put(session: Session, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
    """Insert rows that all have the same columns."""
    if len(rows) >= MANY:
        load_rows(session, table, pl.DataFrame(rows, infer_schema_length=None))
    elif rows:
        session.execute(insert(table), list(rows))
