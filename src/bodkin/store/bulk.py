"""Many rows at once, into a table and out of it: as text that the database reads or writes itself."""

import io
import shutil
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from typing import IO, Any

import polars as pl
from MySQLdb import Error as DriverError
from sqlalchemy import Select, func, select, text
from sqlalchemy.orm import InstrumentedAttribute, Session

from bodkin.store.tables import Base

TEXTS = (pl.String(), pl.Categorical())
"""Kinds of columns that hold text."""


def _escaped(column: str) -> pl.Expr:
    """Text as LOAD DATA reads it back: the escape character itself, then what parts values and lines."""
    value = pl.col(column).cast(pl.String)
    for plain, written in (("\\", "\\\\"), ("\t", "\\t"), ("\n", "\\n"), ("\r", "\\r")):
        value = value.str.replace_all(plain, written, literal=True)
    return value


@contextmanager
def _keys_unchecked(session: Session) -> Iterator[None]:
    """While the rows go in nothing looks their keys up; on this connection only, and never longer.

    Set at the driver: a failed transaction must not keep the check from coming back, nor hide
    why it failed.
    """
    driver = session.connection().connection.cursor()
    driver.execute("SET SESSION foreign_key_checks = 0")
    try:
        yield
    finally:
        # A connection that is gone has no check to bring back.
        with suppress(DriverError):
            driver.execute("SET SESSION foreign_key_checks = 1")
            driver.close()


def load_rows(session: Session, table: type[Base], rows: pl.DataFrame) -> None:
    """Insert rows, columns by name, within the session's transaction.

    The keys in ``rows`` must be those of rows that are there: nothing looks them up again. Raises
    RuntimeError where the database did not take every row just as it is, so that the caller's
    transaction ends without any.
    """
    if rows.is_empty():
        return
    known = table.__table__.columns
    texts = [name for name, kind in rows.schema.items() if kind in TEXTS]
    # The database knows truth as a number.
    rows = rows.with_columns(pl.col(pl.Boolean).cast(pl.Int8))
    content = io.BytesIO()
    rows.with_columns(_escaped(name) for name in texts).write_csv(
        content, include_header=False, separator="\t", quote_style="never", null_value="\\N"
    )
    content.seek(0)
    loading(session, table.__tablename__, [known[name].name for name in rows.columns], content, rows.height)


def loading(session: Session, table: str, columns: Sequence[str], content: IO[bytes], height: int) -> int:
    """Load lines of tab-separated values, ``height`` of them, and say how many there were.

    Raises RuntimeError where the database did not take every line just as it is.
    """
    names = ", ".join(f"`{name}`" for name in columns)
    with tempfile.NamedTemporaryFile(prefix="bodkin-", suffix=".tsv") as file:
        shutil.copyfileobj(content, file)
        file.flush()
        with _keys_unchecked(session):
            done = session.connection().exec_driver_sql(
                f"LOAD DATA LOCAL INFILE %s INTO TABLE `{table}` CHARACTER SET utf8mb4 "
                rf"FIELDS TERMINATED BY '\t' ESCAPED BY '\\' LINES TERMINATED BY '\n' ({names})",
                (file.name,),
            )
            loaded, warnings = done.rowcount, session.execute(text("SHOW WARNINGS")).all()
    # A local load turns errors into warnings; here each of them is one.
    if loaded != height or warnings:
        reason = warnings[0][2] if warnings else "no reason given"
        raise RuntimeError(f"{loaded} of {height} rows were taken by {table}: {reason}")
    return loaded


Columns = Mapping[str, tuple[InstrumentedAttribute[Any], pl.DataType]]
"""Columns of a frame by name: what each holds, and of which kind it is."""
AT_ONCE = 50_000
"""Rows that are taken from the driver at a time: a million at once would take several times the memory."""
UNIT = "\x1f"
"""Parts the values of a row that is read as text: the unit separator of ASCII."""


def plain_rows(session: Session, query: Select[*tuple[Any, ...]]) -> Iterator[Sequence[tuple[Any, ...]]]:
    """Rows of columns, of which there may be very many, some at a time.

    They are as the driver gives them, so that a truth is a number: what the mapper does for each row takes longer
    than all the rest.
    """
    # As a query of the session does.
    session.flush()
    with session.connection().execute(query) as found:
        cursor = found.cursor
        while cursor is not None and (rows := cursor.fetchmany(AT_ONCE)):
            yield rows


def frame_of(session: Session, query: Any, schema: pl.Schema) -> pl.DataFrame:
    """What a query finds, a row at a time: for few rows."""
    return pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")


def read_rows(
    session: Session, columns: Columns, among: Callable[[Select[Any]], Select[Any]] = lambda query: query
) -> pl.DataFrame:
    """Rows of tables as a frame; ``among`` narrows and orders them. An empty text comes back as missing.

    The database writes each row as one text and the frame reads them all at once: of a million rows
    that takes a fifth of the time that as many objects take. Numbers come back to the last digit.
    """
    schema = pl.Schema({name: kind for name, (_, kind) in columns.items()})
    found = [column for column, _ in columns.values()]
    written = func.concat_ws(UNIT, *(func.ifnull(column, "") for column in found))
    parts = []
    for rows in plain_rows(session, among(select(written))):
        lines = [line for (line,) in rows]
        content = "\n".join(lines).encode()
        if content.count(b"\n") + 1 != len(lines) or content.count(UNIT.encode()) != len(lines) * (len(found) - 1):
            # A text that holds a line break or the separator itself goes the plain way.
            texts = [name for name, kind in schema.items() if kind in TEXTS]
            return frame_of(session, among(select(*found)), schema).with_columns(pl.col(texts).replace("", None))
        parts.append(pl.read_csv(content, separator=UNIT, has_header=False, quote_char=None, schema=schema))
    return pl.concat(parts, rechunk=True) if parts else pl.DataFrame(schema=schema)
