"""The commands that work on kept data: people, imports, exports."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from bodkin.commands.demo import demo_settings, own_settings
from bodkin.core.errors import BadInput, Conflict, StoreDown
from bodkin.exchange import imports
from bodkin.exchange.export_plain import write_plain_files
from bodkin.exchange.faults import BadFile, Fault
from bodkin.store.database import Store
from bodkin.store.people import ROLES
from bodkin.store.server import DatabaseServer
from bodkin.store.tables import Person, School


def _answers(store: Store) -> bool:
    try:
        with store.reading() as session:
            session.execute(text("SELECT 1"))
    except StoreDown:
        return False
    return True


@contextmanager
def open_store(*, demo: bool) -> Iterator[Store]:
    """The database of a running Bodkin, or one started for this command and stopped after it."""
    settings = demo_settings() if demo else own_settings()
    if settings.database_file.exists():
        store = Store(settings.database_url)
        if _answers(store):
            yield store
            return
    server = DatabaseServer(settings)
    server.start()
    try:
        store = Store(settings.database_url)
        store.migrate()
        yield store
    finally:
        server.stop()


def add_person(*, login: str, name: str, role: str, school: str | None, password: str, demo: bool) -> str:
    """Add a person who can sign in. Raises BadInput naming the field."""
    from bodkin.api.people import hash_password

    if role not in ROLES:
        raise BadInput(f'role: "{role}" is none of {", ".join(ROLES)}')
    if len(password) < 10:
        raise BadInput("password: needs at least 10 characters")
    if role == "school_lead" and school is None:
        raise BadInput("school: a school lead needs a school")
    with open_store(demo=demo) as store, store.writing(scores=False) as session:
        school_id = session.scalar(select(School.id).where(School.name == school)) if school else None
        if school and school_id is None:
            raise BadInput(f'school: there is no school "{school}"')
        # A teacher whom a file has named already becomes the one who signs in.
        person = session.scalar(select(Person).where(Person.name == name, Person.role == role, Person.login.is_(None)))
        person = person or Person(name=name, role=role)
        person.login, person.password_hash, person.school_id = login, hash_password(password), school_id
        session.add(person)
        try:
            session.flush()
        except IntegrityError:
            raise Conflict(f'login: "{login}" is taken') from None
    return f"{name} can sign in as {login}."


def bring_in(path: Path, *, skip_refused: bool, dry_run: bool, demo: bool) -> list[str]:
    """Bring a file in and say what it came to. Raises BadFile where rows are refused."""
    try:
        content = path.read_bytes()
    except OSError as error:
        raise BadFile([Fault(str(path), 0, "", f"cannot be read ({error.strerror})")]) from None
    with open_store(demo=demo) as store:
        with store.reading() as session:
            seen = imports.preview(session, path.name, content)
        if seen.reading.faults and not skip_refused:
            raise BadFile([Fault(str(path), f.line, f.column, f.message) for f in seen.reading.faults])
        told = [f"{path.name}: {seen.kind}, {seen.rows} rows"]
        told += [f"  {n} {name.replace('_', ' ')}" for name, n in {**seen.plan.counts, **seen.plan.adds}.items() if n]
        told += [f"  {notice}" for notice in seen.plan.notices]
        told += [f"  column {name} is not known and stays out" for name in seen.reading.unknown]
        if seen.plan.empty:
            return [*told, "  nothing to do"]
        if dry_run:
            return [*told, "  not brought in (--dry-run)"]
        with store.writing(scores=True) as session:
            key, _ = imports.bring_in(session, path.name, content, None, datetime.now(UTC).replace(tzinfo=None))
        return [*told, f"  brought in as import {key}"]


def undo(number: int, *, demo: bool) -> str:
    """Take an import back."""
    with open_store(demo=demo) as store, store.writing(scores=True) as session:
        return f'Import {number} ("{imports.undo_import(session, number)}") is undone.'


def export(out: Path, *, demo: bool) -> list[Path]:
    """Write the plain files of a headless run."""
    with open_store(demo=demo) as store, store.reading() as session:
        return write_plain_files(session, out)
