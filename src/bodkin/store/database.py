"""The connection to the database, its migrations, and the versions of the data."""

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from datetime import date, tzinfo
from pathlib import Path
from typing import Any, TypeVar

from alembic import command
from alembic.config import Config
from sqlalchemy import URL, Connection, Engine, Row, Select, create_engine, func, select, update
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from bodkin.core.errors import StoreDown
from bodkin.store.bulk import plain_rows
from bodkin.store.day import day_in, zone_named
from bodkin.store.ledger import DAY, READING, looked_at, watch, writes_kept
from bodkin.store.tables import District

T = TypeVar("T")

DISTRICT = 1
"""The key of the one district."""

_GONE = {1053, 1077, 2002, 2003, 2006, 2013, 2055, 4031}
"""Numbers of driver errors that mean: the server is away or going, not: wrong SQL."""
_IN_THE_WAY = {1040, 1205, 1213}
"""The same for: no connection is left, or somebody else's change is in the way and this one was given up whole."""
BUSY = "The database is busy. Nothing was changed; try again in a moment."
CONNECTIONS = 60
"""How many connections one process opens at most."""
TURN_SECONDS = 10
"""How long one waits for one's turn; each takes a few milliseconds."""


class Store:
    """The database as the rest of Bodkin sees it; ``pinned``: the day that all of it takes for today, if any."""

    def __init__(self, url: str | URL, pinned: date | None = None) -> None:
        self.pinned = pinned
        # pre_ping finds connections that a restarted server has dropped.
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_recycle=1800, connect_args={"local_infile": 1, "connect_timeout": 5},
            # As many as there are threads that answer; values of a statement stay out of its errors.
            pool_size=10, max_overflow=CONNECTIONS - 10, pool_timeout=20, hide_parameters=True,
        )  # fmt: skip
        watch(self.engine)

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees one state of the data and changes nothing."""
        session = Session(self.engine, info={READING: True, _PINNED: self.pinned})
        try:
            with _database_errors_named():
                yield session
        finally:
            _end_reading(session)

    @contextmanager
    def writing(self, *, scores: bool) -> Iterator[Session]:
        """A session whose changes are all kept or none; raises the versions in the same transaction.

        ``scores``: the change touches what the score table in memory holds. Writers wait for
        each other at the district's row.
        """
        info = {_RAISED: scores, _PINNED: self.pinned}
        with _database_errors_named(), Session(self.engine, info=info) as session, session.begin():
            raised = {"data_version": District.data_version + 1}
            if scores:
                raised["score_version"] = District.score_version + 1
            session.execute(update(District).where(District.id == DISTRICT).values(raised))
            with writes_kept(session, District.data_version):
                yield session

    @contextmanager
    def noting(self) -> Iterator[Session]:
        """A session for what no figure stands on, such as who looked at what: no version is raised."""
        info = {_PINNED: self.pinned}
        with _database_errors_named(), Session(self.engine, info=info) as session, session.begin():
            yield session

    @contextmanager
    def noting_in_turn(self, what: str) -> Iterator[Session]:
        """The same, one after the other for all who say the same word, in every process: each sees what those before
        noted. Raises StoreDown where the turn does not come within some seconds.
        """
        with _database_errors_named(), self.engine.connect() as connection:
            # A lock by name goes for the whole server, which may have other databases.
            name = func.md5(func.concat(func.database(), " ", what))
            if connection.scalar(select(func.get_lock(name, TURN_SECONDS))) != 1:
                raise StoreDown(BUSY)
            # Nothing has been looked at yet: what is seen begins with the turn.
            connection.commit()
            try:
                with Session(connection) as session, session.begin():
                    yield session
            finally:
                connection.scalar(select(func.release_lock(name)))

    @contextmanager
    def trying(self) -> Iterator[Session]:
        """A session that may write to see what comes of it; nothing is kept, and writers wait meanwhile."""
        with _database_errors_named(), Session(self.engine, info={_PINNED: self.pinned}) as session:
            session.execute(select(District).where(District.id == DISTRICT).with_for_update())
            yield session
            session.rollback()

    def migrate(self) -> None:
        """Bring the tables up to date."""
        with _database_errors_named():
            command.upgrade(alembic_config(self.engine), "head")
            with self.engine.connect() as connection:
                place_triggers(connection)
            with Session(self.engine) as session, session.begin():
                if session.get(District, DISTRICT) is None:
                    session.add(District(id=DISTRICT, name="Our schools", data_version=1, score_version=1))


def _end_reading(session: Session) -> None:
    """End a session that changed nothing; where the server is gone there is nothing left to end."""
    try:
        session.close()
    except DBAPIError:
        session.invalidate()


def raise_scores(session: Session) -> None:
    """Say, within a writing session, that what the score table in memory holds has changed; once is enough."""
    if session.info.get(_RAISED):
        return
    session.info[_RAISED] = True
    session.execute(update(District).where(District.id == DISTRICT).values(score_version=District.score_version + 1))


_DISTRICT_ROW, _RAISED, _PINNED, _TODAY = "district", "scores raised", "pinned", "today"
# Made once: every request asks this.
_OF_DISTRICT = select(District.data_version, District.score_version, District.time_zone).where(District.id == DISTRICT)


def _district(session: Session) -> Row[int, int, str | None]:
    # A reading session sees one state of the data from its first look to its last.
    return of_one_state(session, _DISTRICT_ROW, lambda: session.execute(_OF_DISTRICT).one())


def versions(session: Session) -> tuple[int, int]:
    """The data version and the score version as the session sees them."""
    row = _district(session)
    return row.data_version, row.score_version


def time_zone_of(session: Session) -> str | None:
    """The name of the district's time zone; None where it is that of the machine."""
    name: str | None = _district(session).time_zone
    return name


def zone_of(session: Session) -> tzinfo | None:
    """The district's time zone; None where it is that of the machine."""
    return zone_named(time_zone_of(session))


def day_of(session: Session, *, noted: bool = True) -> date:
    """Today, as all of the session takes it: in the district's time zone, unless a start pinned the day.

    ``noted``: like a table that was looked at, so that what is read with it in sight is read again on another day.
    """
    if _TODAY not in session.info:
        session.info[_TODAY] = session.info.get(_PINNED) or day_in(zone_of(session))
    if noted:
        looked_at(session, frozenset({DAY}))
    today: date = session.info[_TODAY]
    return today


def of_one_state(session: Session, key: Hashable, find: Callable[[], T]) -> T:
    """What is found once for a reading session, which sees one state of the data; found each time in others."""
    if not session.info.get(READING):
        return find()
    if key not in session.info:
        session.info[key] = find()
    found: T = session.info[key]
    return found


def two_columns(session: Session, query: Select[*tuple[Any, ...]]) -> dict[Any, Any]:
    """What a query of two columns finds, the second by the first; numbers, texts and days only."""
    return {key: value for rows in plain_rows(session, query) for key, value in rows}


@contextmanager
def _database_errors_named() -> Iterator[None]:
    """A database that is away becomes an error of our own; anything else stays what it is."""
    try:
        yield
    except PoolTimeout as error:
        raise StoreDown(BUSY) from error
    except (OperationalError, InterfaceError) as error:
        number = error.orig.args[0] if error.orig is not None and error.orig.args else None
        if number in _IN_THE_WAY:
            raise StoreDown(BUSY) from error
        if isinstance(error, InterfaceError) or number in _GONE:
            raise StoreDown("The database does not answer. Nothing was changed; try again in a moment.") from error
        raise


RESULT_VERSION = """
CREATE TRIGGER IF NOT EXISTS result_{when}_version BEFORE {act} ON result FOR EACH ROW
SET NEW.data_version = COALESCE((SELECT data_version FROM district WHERE id = 1), 0)
"""
"""Each result knows the version of the data at which it was last written, whoever wrote it and how."""


def watch_results(connection: Connection) -> None:
    """See to it that the database itself notes when a result was last written."""
    for act in ("INSERT", "UPDATE"):
        connection.exec_driver_sql(RESULT_VERSION.format(when=act.lower(), act=act))


LOGS = ("view_log", "export_log", "page_log", "page_handed")
"""Tables whose rows are only ever added."""


def place_triggers(connection: Connection) -> None:
    """Put in place all that the database sees to itself."""
    watch_results(connection)
    guard_logs(connection)


def guard_logs(connection: Connection) -> None:
    """See to it that the database itself refuses to change or remove a line of the logs."""
    for table in LOGS:
        for act in ("UPDATE", "DELETE"):
            connection.exec_driver_sql(
                f"CREATE TRIGGER IF NOT EXISTS {table}_no_{act.lower()} BEFORE {act} ON {table} FOR EACH ROW"
                f" SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'rows of {table} are only added'"
            )


def lift_triggers(connection: Connection, schema: str) -> None:
    """Lift the triggers of a schema while its tables move elsewhere."""
    for act in ("insert", "update"):
        connection.exec_driver_sql(f"DROP TRIGGER IF EXISTS `{schema}`.result_{act}_version")
    for table in LOGS:
        for act in ("update", "delete"):
            connection.exec_driver_sql(f"DROP TRIGGER IF EXISTS `{schema}`.{table}_no_{act}")


def alembic_config(engine: Engine) -> Config:
    """What Alembic needs to know, without a file beside the code."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["engine"] = engine
    return config
