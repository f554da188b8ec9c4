"""One database server for the whole run, and databases on it that are fresh or hold the demo."""

import atexit
import itertools
import os
import shutil
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from functools import cache
from pathlib import Path

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import Connection, create_engine, text

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
TEMPLATE = "demo-template"
"""The mark in that folder that names the database with the demo."""
TEMPLATE_FILES = "demo-files"
ENDINGS = (".ibd", ".cfg")
SCHEMAS = (r"fresh\_%",)
"""What the test databases are called; the run's own account may use them."""
RIGHTS = "RELOAD"
"""What the run's own account may do besides: lay a table's file down for copying."""
LARGE = 4 * 2**20
"""Bytes from which a table is copied as a file: a sixth of the work of copying its rows."""
_numbers = itertools.count(1)


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


@cache
def password() -> str:
    """The demo's password as it is kept: hashed the quick way, since real hashing takes its time on purpose.

    How it is hashed stands in the hash, so that hundreds of sign-ins are quick too; tests of passwords make their own.
    """
    from bodkin.demo.district import PASSWORD

    return PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),)).hash(PASSWORD)


def _database(prepare: Callable[[Connection], None] = lambda _: None) -> tuple[Store, str]:
    """A database of its own and its address."""
    url, name = server().settings.database_url, f"fresh_{os.getpid()}_{next(_numbers)}"
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin"))
        connection.execute(text(f"USE {name}"))
        prepare(connection)
    engine.dispose()
    address = url.replace("/bodkin?", f"/{name}?")
    return Store(address), address


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


def fresh() -> tuple[Store, str]:
    """A migrated, empty database of its own, and its address."""
    statements = _migrated()

    def prepare(connection: Connection) -> None:
        for statement in statements:
            connection.exec_driver_sql(statement.replace("%", "%%"))
        place_triggers(connection)
        new_identity(connection)

    return _database(prepare)


def make_template() -> None:
    """Load the invented district once for the whole run; workers copy it, and wait for the mark it leaves."""
    store, address = fresh()
    with store.writing(scores=True) as session:
        load_demo(session, lambda _: password())
    _lay_down_files(store, _name_of(address))
    store.engine.dispose()
    mark = server().settings.folder / TEMPLATE
    draft = mark.with_suffix(".draft")
    draft.write_text(_name_of(address))
    draft.replace(mark)


def _lay_down_files(store: Store, name: str) -> None:
    """Copies of the files of large tables, complete and with what a copied table needs to be taken in."""
    data, files = server().data / name, server().settings.folder / TEMPLATE_FILES
    files.mkdir()
    large = [file.stem for file in data.glob("*.ibd") if file.stat().st_size > LARGE]
    with store.engine.connect() as connection:
        connection.exec_driver_sql(f"FLUSH TABLES {', '.join(f'`{table}`' for table in large)} FOR EXPORT")
        for table in large:
            for ending in ENDINGS:
                shutil.copyfile(data / f"{table}{ending}", files / f"{table}{ending}")
        connection.exec_driver_sql("UNLOCK TABLES")


def _name_of(address: str) -> str:
    return address.split("?", maxsplit=1)[0].rsplit("/", 1)[1]


def _template(patience: float = 120.0) -> str:
    """The name of the database that holds the demo, once it does; loaded here where nobody else does."""
    mark = server().settings.folder / TEMPLATE
    if FOLDER not in os.environ and not mark.exists():
        make_template()
    deadline = time.monotonic() + patience
    while not mark.exists():
        if time.monotonic() > deadline:
            raise AssertionError("the demo was not loaded in time")
        time.sleep(0.05)
    return mark.read_text()


def demo_copy() -> Store:
    """A database of its own with the invented district, copied from the template: large tables as files."""
    template = _template()
    files = server().settings.folder / TEMPLATE_FILES
    store, address = _database()
    data = server().data / _name_of(address)
    with store.engine.begin() as connection:
        tables = [str(name) for name in connection.scalars(text(f"SHOW TABLES FROM `{template}`"))]
        made = [connection.execute(text(f"SHOW CREATE TABLE `{template}`.`{table}`")).one()[1] for table in tables]
        connection.exec_driver_sql("SET foreign_key_checks = 0, unique_checks = 0")
        for table, statement in zip(tables, made, strict=True):
            connection.exec_driver_sql(statement.replace("%", "%%"))
            if (files / f"{table}.ibd").exists():
                connection.exec_driver_sql(f"ALTER TABLE `{table}` DISCARD TABLESPACE")
                for ending in ENDINGS:
                    shutil.copyfile(files / f"{table}{ending}", data / f"{table}{ending}")
                connection.exec_driver_sql(f"ALTER TABLE `{table}` IMPORT TABLESPACE")
            else:
                connection.exec_driver_sql(f"INSERT INTO `{table}` SELECT * FROM `{template}`.`{table}`")
        connection.exec_driver_sql("SET foreign_key_checks = 1, unique_checks = 1")
        place_triggers(connection)
        new_identity(connection)
    return store


@cache
def demo() -> Store:
    """A database with the invented district; tests that write to it put back what they change."""
    return demo_copy()
