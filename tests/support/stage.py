"""One database server for the whole run, and databases on it that are fresh or hold the demo."""

import atexit
import fcntl
import itertools
import os
import shutil
import tempfile
import time
import weakref
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import Connection, Engine, create_engine, make_url, text
from sqlalchemy.util import LRUCache

from bodkin.api import sign_in
from bodkin.demo.loading.load import load_demo
from bodkin.store.database import Store, place_triggers
from bodkin.store.ledger import new_identity
from bodkin.store.server import DatabaseServer
from bodkin.store.settings import LOOPBACK, ROOT, Settings

# Beside other workers a hash that lets everything else go first takes seconds; nothing here measures that.
sign_in._let_others_go_first = lambda: None

TODAY = date(2027, 2, 12)
FOLDER = "BODKIN_TEST_SERVER"
"""Where the test command says which folder its server has."""
DEMO, SMALL = "demo-template", "small-template"
"""Marks in that folder that name the databases to copy."""
SMALL_YEAR, SMALL_GRADE = "2026-27", "4"
"""Who stays in the small district: the students of one grade, beside the members of groups."""
ENDINGS = (".ibd", ".cfg")
SCHEMAS = (r"fresh\_%",)
"""What the test databases are called; the run's own account may use them."""
RIGHTS = "RELOAD"
"""What the run's own account may do besides: lay a table's file down for copying."""
LARGE = 2**19
"""Bytes from which a table is copied as a file, which takes less than copying its rows."""
STATEMENTS = 4000
"""How many compiled statements a worker keeps; a whole run has fewer."""
_numbers = itertools.count(1)
_stores: "weakref.WeakSet[Store]" = weakref.WeakSet()
_compiled: LRUCache[Any, Any] = LRUCache(STATEMENTS)


class _Alike(make_url("mariadb+mysqldb://").get_dialect()):  # type: ignore[misc]
    """The dialect of a test database. All count as one where compiled statements are looked up, so that a statement
    is compiled once for all databases of the run's server; each still knows the name of its own.
    """

    supports_statement_cache = True

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Alike)

    def __hash__(self) -> int:
        return hash(_Alike)


@cache
def server() -> DatabaseServer:
    """The run's server: that of the test command, or one of this process where tests are run by hand."""
    if shared := os.environ.get(FOLDER):
        return DatabaseServer(_settings(Path(shared)))
    folder = Path(tempfile.mkdtemp(prefix="bodkin-test-"))
    database = DatabaseServer(_settings(folder), more_schemas=SCHEMAS, more_rights=RIGHTS)
    database.start()

    def end() -> None:
        database.stop()
        shutil.rmtree(folder, ignore_errors=True)

    atexit.register(end)
    return database


def settings() -> Settings:
    """The settings of an application under test, with a folder for files of this process alone.

    What waits for a person lies in that folder; in a common one a test could clear away what another has just kept.
    """
    return _own_settings(os.getpid())


@cache
def _own_settings(process: int) -> Settings:
    common = server().settings
    folder = common.folder / f"files-{process}"
    folder.mkdir()
    (folder / common.database_file.name).symlink_to(common.database_file)
    return replace(common, folder=folder)


def _settings(folder: Path) -> Settings:
    return Settings(folder, TODAY, ROOT / "web" / "dist", hosts=(*LOOPBACK, "testserver"))


def once_a_run(name: str, make: Callable[[], str]) -> str:
    """A text that is dear to make and the same for all: the first worker that wants it makes it, the others wait."""
    place = server().settings.folder / name
    with place.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not place.exists():
            place.write_text(make())
    return place.read_text()


@cache
def password() -> str:
    """The demo's password as it is kept: hashed the quick way, since real hashing takes its time on purpose.

    How it is hashed stands in the hash, so that hundreds of sign-ins are quick too; tests of passwords make their own.
    """
    from bodkin.demo.district import PASSWORD

    return PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),)).hash(PASSWORD)


def _database(
    prepare: Callable[[Connection], None] = lambda _: None, today: date | None = TODAY
) -> tuple[Store, str]:  # fmt: skip
    """A database of its own and its address."""
    url, name = server().settings.database_url, f"fresh_{os.getpid()}_{next(_numbers)}"
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin"))
        connection.execute(text(f"USE {name}"))
        prepare(connection)
    engine.dispose()
    address = url.replace("/bodkin?", f"/{name}?")
    store = Store(address, today)
    store.engine.dialect.__class__ = _Alike
    store.engine.update_execution_options(compiled_cache=_compiled)
    _stores.add(store)
    return store, address


def close_connections() -> None:
    """Close every connection to the databases made here that nobody uses.

    Those of a class that has ended would stay until the garbage collector finds them, which is seldom, while the
    server counts them.
    """
    for store in list(_stores):
        store.engine.dispose()


@cache
def _migrated() -> tuple[str, ...]:
    """What makes a database as the migrations leave it: they run once, the others are made alike."""
    store, address = _database()
    store.migrate()
    name = address.split("?")[0].rsplit("/", 1)[1]
    with store.engine.begin() as connection:
        tables = list(connection.scalars(text("SHOW TABLES")))
        made = [connection.execute(text(f"SHOW CREATE TABLE `{table}`")).one()[1] for table in tables]
        filled = [table for table in tables if connection.scalar(text(f"SELECT COUNT(*) FROM `{table}`"))]
    rows = [f"INSERT INTO `{table}` SELECT * FROM `{name}`.`{table}`" for table in filled]
    return ("SET foreign_key_checks = 0", *made, *rows, "SET foreign_key_checks = 1")


def fresh(today: date | None = TODAY) -> tuple[Store, str]:
    """A migrated, empty database of its own, and its address; ``today``: the day for good, None: that of the clock."""
    statements = _migrated()

    def prepare(connection: Connection) -> None:
        for statement in statements:
            connection.exec_driver_sql(statement.replace("%", "%%"))
        place_triggers(connection)
        new_identity(connection)

    return _database(prepare, today)


def make_template() -> None:
    """Load the invented district once for the whole run, and make a small one of it; workers copy the two."""
    store, address = fresh()
    with store.writing(scores=True) as session:
        load_demo(session, lambda _: password())
    store.engine.dispose()
    name = _name_of(address)
    _ready(DEMO, name)
    _, address = _filled(name, dict.fromkeys(_tables(name), "") | _of_few_students(name))
    _ready(SMALL, _name_of(address))


def _ready(kind: str, name: str) -> None:
    """Lay down the files of a template's large tables, complete and with what a copy needs; then leave its mark."""
    data, files = server().data / name, server().settings.folder / f"{kind}-files"
    files.mkdir()
    large = [file.stem for file in data.glob("*.ibd") if file.stat().st_size > LARGE]
    if large:
        with _engine().connect() as connection:
            listed = ", ".join(f"`{name}`.`{table}`" for table in large)
            connection.exec_driver_sql(f"FLUSH TABLES {listed} FOR EXPORT")
            for file in (f"{table}{ending}" for table in large for ending in ENDINGS):
                shutil.copyfile(data / file, files / file)
            connection.exec_driver_sql("UNLOCK TABLES")
    mark = server().settings.folder / kind
    draft = mark.with_suffix(".draft")
    draft.write_text(name)
    draft.replace(mark)


@cache
def _engine() -> Engine:
    return create_engine(server().settings.database_url)


def _tables(name: str) -> list[str]:
    with _engine().connect() as connection:
        return [str(table) for table in connection.scalars(text(f"SHOW TABLES FROM `{name}`"))]


def _of_few_students(name: str) -> dict[str, str]:
    """For each table that hangs on students: which of its rows are about those who stay in the small district."""
    few = (
        f"(SELECT student_id FROM `{name}`.student_year JOIN `{name}`.school_year ON school_year.id = school_year_id"
        f" WHERE school_year.name = '{SMALL_YEAR}' AND grade = '{SMALL_GRADE}'"
        f" UNION SELECT student_id FROM `{name}`.group_member)"
    )
    with _engine().connect() as connection:
        found = connection.execute(
            text("SELECT table_name, column_name, referenced_table_name FROM information_schema.key_column_usage"
                 " WHERE table_schema = :name AND referenced_table_name IS NOT NULL"), {"name": name}
        )  # fmt: skip
        links = [tuple(row) for row in found]
    stay = {"student": f"WHERE id IN {few}"}
    stay |= {table: f"WHERE {column} IN {few} OR {column} IS NULL" for table, column, to in links if to == "student"}
    for table, column, to in links:
        if to in ("result", "note", "document"):
            stay[table] = f"WHERE {column} IN (SELECT id FROM `{name}`.`{to}` {stay[to]})"
    return stay


def _name_of(address: str) -> str:
    return address.split("?", maxsplit=1)[0].rsplit("/", 1)[1]


def _template(kind: str, patience: float = 120.0) -> str:
    """The name of a database to copy, once it is filled; filled here where nobody else does it."""
    mark = server().settings.folder / kind
    if FOLDER not in os.environ and not mark.exists():
        make_template()
    deadline = time.monotonic() + patience
    while not mark.exists():
        if time.monotonic() > deadline:
            raise AssertionError("the demo was not loaded in time")
        time.sleep(0.05)
    return mark.read_text()


def _filled(template: str, which: dict[str, str], files: Path | None = None) -> tuple[Store, str]:
    """A database of its own with rows of another: ``which`` names the rows of each table.

    Large tables come as files where there are any.
    """
    store, address = _database()
    data, as_files = server().data / _name_of(address), []
    with store.engine.begin() as connection:
        made = {
            table: connection.execute(text(f"SHOW CREATE TABLE `{template}`.`{table}`")).one()[1] for table in which
        }
        connection.exec_driver_sql("SET foreign_key_checks = 0, unique_checks = 0")
        for table, statement in made.items():
            connection.exec_driver_sql(statement.replace("%", "%%"))
            if files and (files / f"{table}.ibd").exists():
                connection.exec_driver_sql(f"ALTER TABLE `{table}` DISCARD TABLESPACE")
                for ending in ENDINGS:
                    shutil.copyfile(files / f"{table}{ending}", data / f"{table}{ending}")
                connection.exec_driver_sql(f"ALTER TABLE `{table}` IMPORT TABLESPACE")
                as_files.append(f"`{table}`")
            else:
                connection.exec_driver_sql(f"INSERT INTO `{table}` SELECT * FROM `{template}`.`{table}` {which[table]}")
        connection.exec_driver_sql("SET foreign_key_checks = 1, unique_checks = 1")
        if as_files:
            # Else the server takes them for empty, and reads the whole of each instead of an index.
            connection.exec_driver_sql(f"ANALYZE TABLE {', '.join(as_files)}")
        place_triggers(connection)
        new_identity(connection)
    return store, address


def _copy(kind: str) -> Store:
    template = _template(kind)
    files = server().settings.folder / f"{kind}-files"
    return _filled(template, dict.fromkeys(_tables(template), ""), files)[0]


def demo_copy() -> Store:
    """A database of its own with the invented district."""
    return _copy(DEMO)


def small_copy() -> Store:
    """A database of its own with a small district: that of the demo with one grade and the members of groups.

    For tests of everything that can be in a database, whatever it says: they take a fraction of the time.
    """
    return _copy(SMALL)


@cache
def small() -> Store:
    """The small district; tests only read it."""
    return small_copy()


@cache
def demo() -> Store:
    """A database with the invented district; tests that write to it put back what they change."""
    return demo_copy()
