"""The whole database in one file and back: every table as text, with its count and digest, in a zip."""

import hashlib
import json
import os
import re
import zipfile
from collections.abc import Callable, Iterator
from datetime import date, datetime
from pathlib import Path
from typing import Any

from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Table, inspect, select, text
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict
from bodkin.store.bulk import loading
from bodkin.store.database import Store, alembic_config
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
    # JSON is kept as the text it is, so that it comes back letter by letter.
    names = ", ".join(f"`{column.name}`" for column in table.columns)
    query = text(f"SELECT {names} FROM `{table.name}` ORDER BY id")  # noqa: S608 (names of our own tables)
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
        if manifest["format"] != FORMAT:
            raise BadInput(f"{path}: this backup has format {manifest['format']}; this Bodkin reads format {FORMAT}")
    except OSError as error:
        raise BadInput(f"{path}: cannot be read ({error.strerror})") from None
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput(f"{path}: this is no backup of Bodkin, or it is damaged") from None
    return packed, manifest


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


def restore_backup(store: Store, path: Path, *, replace: bool, progress: ReportProgress = no_progress) -> int:
    """Put a backup back into a database, with the tables as they were then, brought up to date afterwards.

    Raises BadInput for a file that is none or damaged, found out before anything is touched;
    Conflict where the database holds anything and ``replace`` is not set. Interrupted half-way,
    the database must be restored again; the file stays as it is.
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
        command.downgrade(config, "base")
        command.upgrade(config, manifest["revision"])
        rows = 0
        with Session(store.engine) as session, session.begin():
            for at, (name, kept) in enumerate(manifest["tables"].items()):
                progress(name, at, len(manifest["tables"]))
                session.execute(text(f"DELETE FROM `{name}`"))  # noqa: S608 (names of our own tables)
                with packed.open(f"{name}.tsv") as content:
                    rows += loading(session, name, kept["columns"], content, kept["rows"])
        command.upgrade(config, "head")
    progress("", 1, 1)
    return rows
