"""One database server for the whole run, and databases on it that are fresh or hold the demo."""

import atexit
import itertools
import shutil
import tempfile
from collections.abc import Callable
from datetime import date
from functools import cache
from pathlib import Path

from sqlalchemy import Connection, create_engine, text

from bodkin.api.people import hash_password
from bodkin.demo.loading.load import load_demo
from bodkin.store.database import Store
from bodkin.store.server import DatabaseServer
from bodkin.store.settings import ROOT, Settings

TODAY = date(2027, 2, 12)
_numbers = itertools.count(1)


@cache
def server() -> DatabaseServer:
    """The server, started at the first call and ended with the run."""
    folder = Path(tempfile.mkdtemp(prefix="bodkin-test-"))
    database = DatabaseServer(Settings(folder, TODAY, ROOT / "web" / "dist"))
    database.start()

    def end() -> None:
        database.stop()
        shutil.rmtree(folder, ignore_errors=True)

    atexit.register(end)
    return database


@cache
def password() -> str:
    """The demo's password as it is kept; hashing takes its time on purpose, once is enough."""
    from bodkin.demo.district import PASSWORD

    return hash_password(PASSWORD)


def _database(prepare: Callable[[Connection], None] = lambda _: None) -> tuple[Store, str]:
    """A database of its own and its address."""
    url, name = server().settings.database_url, f"fresh_{next(_numbers)}"
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

    return _database(prepare)


@cache
def demo() -> Store:
    """A database with the invented district; tests that write to it put back what they change."""
    store, _ = fresh()
    with store.writing(scores=True) as session:
        load_demo(session, lambda _: password())
    return store
