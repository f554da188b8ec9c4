"""The whole database in one file and back: every table as text, with its count and digest, in a zip."""

import hashlib
import json
import os
import re
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, datetime
from pathlib import Path
from typing import Any

from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, Table, inspect, select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict
from bodkin.store.bulk import loading
from bodkin.store.database import Store, alembic_config, lift_triggers, place_triggers
from bodkin.store.ledger import everything_changed
from bodkin.store.tables import Base

FORMAT = 1
MANIFEST = "manifest.json"
CHUNK = 5_000
NAME = re.compile("[a-z][a-z0-9_]*")
"""Names that tables and columns of Bodkin can have."""

ReportProgress = Callable[[str, int, int], None]
"""What to tell of the progress: the table at hand, how many are done, how many there are."""


def no_progress(_table: str, _done: int, _all: int) -> None:
    """Tell nothing."""


_ESCAPED = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r"})
_WRITERS: dict[type, Callable[[Any], str]] = {
    type(None): lambda _: r"\N",
    bool: lambda value: str(int(value)),
    int: str,
    float: repr,
    str: lambda value: value.translate(_ESCAPED),
    date: date.isoformat,
    datetime: lambda value: value.isoformat(sep=" "),
}


def _written(value: Any) -> str:
    """A value as LOAD DATA reads it back, exactly."""
    writer = _WRITERS.get(type(value))
    return writer(value) if writer else repr(value).translate(_ESCAPED)


def _lines(connection: Connection, table: Table) -> Iterator[str]:
    return _table_lines(connection, table.name, [column.name for column in table.columns])


def _table_lines(connection: Connection, table: str, columns: list[str]) -> Iterator[str]:
    # JSON is kept as the text it is, so that it comes back letter by letter.
    names = ", ".join(f"`{column}`" for column in columns)
    query = text(f"SELECT {names} FROM `{table}` ORDER BY id")  # noqa: S608 (names of our own tables)
    rows = connection.execution_options(stream_results=True, max_row_buffer=CHUNK).execute(query)
    for row in rows:
        yield "\t".join(_written(value) for value in row) + "\n"


def write_backup(store: Store, path: Path, progress: ReportProgress = no_progress) -> int:
    """Write every table as it is at one moment; returns the number of rows.

    The file appears whole or not at all, and only its owner may read it: it holds names, scores
    and password hashes.
    """
    tables = Base.metadata.sorted_tables
    draft = path.with_name(path.name + ".draft")
    draft.unlink(missing_ok=True)
    draft.touch(mode=0o600)
    contents: dict[str, dict[str, Any]] = {}
    with store.reading() as session, zipfile.ZipFile(draft, "w", zipfile.ZIP_DEFLATED) as packed:
        # One snapshot for all tables, whatever is written meanwhile.
        session.execute(text("START TRANSACTION WITH CONSISTENT SNAPSHOT"))
        revision = session.scalar(text("SELECT version_num FROM alembic_version"))
        for at, table in enumerate(tables):
            progress(table.name, at, len(tables))
            digest, rows = hashlib.sha256(), 0
            with packed.open(f"{table.name}.tsv", "w", force_zip64=True) as out:
                for line in _lines(session.connection(), table):
                    content = line.encode()
                    digest.update(content)
                    out.write(content)
                    rows += 1
            columns = [column.name for column in table.columns]
            contents[table.name] = {"columns": columns, "rows": rows, "sha256": digest.hexdigest()}
        manifest = {"format": FORMAT, "revision": revision, "tables": contents}
        packed.writestr(MANIFEST, json.dumps(manifest, indent=1))
    os.replace(draft, path)
    progress("", len(tables), len(tables))
    return sum(one["rows"] for one in contents.values())


def _opened(path: Path) -> tuple[zipfile.ZipFile, dict[str, Any]]:
    try:
        packed = zipfile.ZipFile(path)
        manifest = json.loads(packed.read(MANIFEST))
        if not _well_formed(manifest):
            raise BadInput(f"{path}: this is no backup of Bodkin, or it was changed")
        if manifest["format"] != FORMAT:
            raise BadInput(f"{path}: this backup has format {manifest['format']}; this Bodkin reads format {FORMAT}")
    except OSError as error:
        raise BadInput(f"{path}: cannot be read ({error.strerror})") from None
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput(f"{path}: this is no backup of Bodkin, or it is damaged") from None
    return packed, manifest


def _well_formed(manifest: Any) -> bool:
    """Whether a manifest has the shape that :func:`write_backup` gives it."""

    def table(kept: Any) -> bool:
        return (
            isinstance(kept, dict)
            and isinstance(kept.get("columns"), list)
            and all(isinstance(name, str) for name in kept["columns"])
            and isinstance(kept.get("rows"), int)
            and isinstance(kept.get("sha256"), str)
        )

    return (
        isinstance(manifest, dict)
        and isinstance(manifest.get("format"), int)
        and isinstance(manifest.get("revision"), str)
        and isinstance(manifest.get("tables"), dict)
        and all(isinstance(name, str) and table(kept) for name, kept in manifest["tables"].items())
    )


def _checked(path: Path, packed: zipfile.ZipFile, manifest: dict[str, Any]) -> None:
    """Read every table through once and hold it against its digest, before anything is touched."""
    for name, kept in manifest["tables"].items():
        # The names become part of what the database is told to do.
        if not all(NAME.fullmatch(word) for word in (name, *kept["columns"])):
            raise BadInput(f"{path}: table {name!r} is none of Bodkin's")
        digest = hashlib.sha256()
        try:
            with packed.open(f"{name}.tsv") as content:
                while part := content.read(1 << 20):
                    digest.update(part)
        except (KeyError, zipfile.BadZipFile, zipfile.zlib.error, EOFError):  # type: ignore[attr-defined]
            raise BadInput(f"{path}: table {name} is damaged") from None
        if digest.hexdigest() != kept["sha256"]:
            raise BadInput(f"{path}: table {name} is not what was written; the file is damaged or was changed")


def _holds_anything(session: Session) -> bool:
    there = set(inspect(session.connection()).get_table_names())
    tables = [table for table in Base.metadata.sorted_tables if table.name != "district" and table.name in there]
    return any(session.execute(select(table.c.id).limit(1)).first() is not None for table in tables)


def _beside(schema: str) -> tuple[str, str]:
    """Schemas that a restore works in: where the backup is built up, and where what it replaces waits to go."""
    return f"{schema}_restoring", f"{schema}_replaced"


def _build(store: Store, path: Path, packed: zipfile.ZipFile, manifest: dict[str, Any], report: ReportProgress) -> int:
    """Fill a schema with what a backup holds and hold it against the file; returns the number of rows.

    Raises BadInput that names the table whose content is not what the file says, or points at rows that are not there.
    """
    config = alembic_config(store.engine)
    command.upgrade(config, manifest["revision"])
    rows = 0
    for at, (name, kept) in enumerate(manifest["tables"].items()):
        report(name, at, len(manifest["tables"]))
        with Session(store.engine) as session, session.begin():
            session.execute(text(f"DELETE FROM `{name}`"))  # noqa: S608 (names of our own tables)
            try:
                with packed.open(f"{name}.tsv") as content:
                    rows += loading(session, name, kept["columns"], content, kept["rows"])
            except (DBAPIError, RuntimeError) as error:
                raise BadInput(f"{path}: table {name} does not fit the tables of Bodkin ({error})") from error
    with store.engine.connect() as connection:
        there = inspect(connection)
        for name, kept in manifest["tables"].items():
            for key in there.get_foreign_keys(name):
                column, other = key["constrained_columns"][0], key["referred_table"]
                lost = (
                    f"SELECT COUNT(*) FROM `{name}` a LEFT JOIN `{other}` b ON b.id = a.`{column}`"  # noqa: S608
                    f" WHERE a.`{column}` IS NOT NULL AND b.id IS NULL"
                )
                if n := connection.scalar(text(lost)):
                    raise BadInput(f"{path}: {n} rows of table {name} point at rows of {other} that are not there")
            if _digest(connection, name, kept["columns"]) != kept["sha256"]:
                raise BadInput(f"{path}: table {name} did not come back as it was written")
    command.upgrade(config, "head")
    return rows


def _digest(connection: Connection, name: str, columns: list[str]) -> str:
    digest = hashlib.sha256()
    for line in _table_lines(connection, name, columns):
        digest.update(line.encode())
    return digest.hexdigest()


def _swap(engine: Engine, schema: str) -> None:
    """Put the tables that were built up in place of those that are there, all in one statement."""
    fresh, former = _beside(schema)
    with engine.connect() as connection:
        connection.exec_driver_sql("SET foreign_key_checks = 0")
        old, new = (
            [str(name) for name in connection.scalars(text(f"SHOW TABLES FROM `{one}`"))] for one in (schema, fresh)
        )
        versions = "SELECT data_version, score_version FROM `{}`.district"
        for data, scores in connection.exec_driver_sql(versions.format(schema)) if "district" in old else ():
            # What is kept in memory goes by versions that only ever rise.
            raised = "data_version = GREATEST(data_version, %s), score_version = GREATEST(score_version, %s)"
            connection.exec_driver_sql(f"UPDATE `{fresh}`.district SET {raised}", (data + 1, scores + 1))  # noqa: S608
            everything_changed(connection, fresh, data + 1)
            connection.commit()
        lift_triggers(connection, schema)
        lift_triggers(connection, fresh)
        moves = [f"`{schema}`.`{name}` TO `{former}`.`{name}`" for name in old]
        moves += [f"`{fresh}`.`{name}` TO `{schema}`.`{name}`" for name in new]
        connection.exec_driver_sql(f"RENAME TABLE {', '.join(moves)}")
        connection.exec_driver_sql("SET foreign_key_checks = 1")
        place_triggers(connection)


def restore_backup(store: Store, path: Path, *, replace: bool, progress: ReportProgress = no_progress) -> int:
    """Put a backup back into a database, with the tables as they were then, brought up to date.

    It is built up beside what is there, compared with the file, and only then put in its place, at once: whatever
    goes wrong or dies before that leaves everything as it was. Raises BadInput for a file that is none or damaged;
    Conflict where the database holds anything and ``replace`` is not set.
    """
    packed, manifest = _opened(path)
    with packed:
        config = alembic_config(store.engine)
        known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
        if manifest["revision"] not in known:
            revision = manifest["revision"]
            raise BadInput(f"{path}: was made by a newer Bodkin (tables {revision}); restore it with that one")
        _checked(path, packed, manifest)
        with store.reading() as session:
            full = _holds_anything(session)
        if full and not replace:
            raise Conflict("this Bodkin holds data already; restoring would replace all of it (--replace)")
        schema = str(store.engine.url.database)
        with _schemas_beside(store.engine, schema):
            second = Store(store.engine.url.set(database=_beside(schema)[0]), store.pinned)
            try:
                rows = _build(second, path, packed, manifest, progress)
            finally:
                second.engine.dispose()
            _swap(store.engine, schema)
    progress("", 1, 1)
    return rows


@contextmanager
def _schemas_beside(engine: Engine, schema: str) -> Iterator[None]:
    """Empty schemas to work in, gone afterwards; what an interrupted restore left there goes first."""

    def drop() -> None:
        with engine.connect() as connection:
            for name in _beside(schema):
                connection.exec_driver_sql(f"DROP DATABASE IF EXISTS `{name}`")

    drop()
    with engine.connect() as connection:
        for name in _beside(schema):
            connection.exec_driver_sql(f"CREATE DATABASE `{name}` CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
    try:
        yield
    finally:
        drop()
