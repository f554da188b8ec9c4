"""The commands that work on kept data: people, imports, exports."""

import sys
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
from bodkin.exchange.mapping import DAY_FORMATS
from bodkin.store.backup import Told, restore_backup, write_backup
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


def _told_mapping(understood: imports.Understood) -> list[str]:
    """How a file is read where that is not just as it is."""
    how = understood.how
    told = [f"  column {name} is read as {column}" for name, column in how.columns.items()]
    told += [
        f'  {column} "{value}" is read as {ours}' for column, of in how.values.items() for value, ours in of.items()
    ]
    if how.day_format:
        told.append(f"  dates are read as {DAY_FORMATS[how.day_format]}")
    return told


def bring_in(path: Path, *, skip_refused: bool, dry_run: bool, demo: bool, accept_mapping: bool = False) -> list[str]:
    """Bring a file in and say what it came to.

    Raises BadFile where rows are refused or a column is missing, Conflict where headers or values
    were only guessed at and ``accept_mapping`` is not set.
    """
    try:
        content = path.read_bytes()
    except OSError as error:
        raise BadFile([Fault(str(path), 0, "", f"cannot be read ({error.strerror})")]) from None
    with open_store(demo=demo) as store:
        with store.reading() as session:
            seen = imports.preview(session, path.name, content)
        if seen.understood.missing:
            lacks = f"as {seen.kind} this file needs this column too"
            raise BadFile([Fault(str(path), 1, name, lacks) for name in seen.understood.missing])
        if seen.reading.faults and not skip_refused:
            raise BadFile([Fault(str(path), f.line, f.column, f.message) for f in seen.reading.faults])
        told = [f"{path.name}: {seen.kind}, {seen.rows} rows"]
        told += [f"  {n} {name.replace('_', ' ')}" for name, n in {**seen.plan.counts, **seen.plan.adds}.items() if n]
        told += _told_mapping(seen.understood)
        told += [f"  {notice}" for notice in (*seen.reading.notices, *seen.plan.notices)]
        told += [f"  column {name} is not known and stays out" for name in seen.reading.unknown]
        if seen.plan.empty:
            return [*told, "  nothing to do"]
        if dry_run:
            return [*told, "  not brought in (--dry-run)"]
        if seen.understood.to_confirm and not accept_mapping:
            guessed = "Headers or values were only guessed at; look at them and add --accept-mapping."
            raise Conflict("\n".join([*told, guessed]))
        now, changes = datetime.now(UTC).replace(tzinfo=None), imports.Changes(confirmed=accept_mapping)
        with store.writing(scores=True) as session:
            key, _ = imports.bring_in(session, path.name, content, None, now, changes)
        return [*told, f"  brought in as import {key}"]


def undo(number: int, *, demo: bool) -> str:
    """Take an import back."""
    with open_store(demo=demo) as store, store.writing(scores=True) as session:
        return f'Import {number} ("{imports.undo_import(session, number)}") is undone.'


def export(out: Path, *, demo: bool) -> list[Path]:
    """Write the plain files of a headless run."""
    with open_store(demo=demo) as store, store.reading() as session:
        return write_plain_files(session, out)


def backup(path: Path, *, demo: bool) -> str:
    """Write the whole database into one file."""
    with open_store(demo=demo) as store, _bar("Backing up") as told:
        rows = write_backup(store, path, told)
    return f"{rows:,} rows are in {path}."


def restore(path: Path, *, replace: bool, demo: bool) -> str:
    """Put a backup back."""
    with open_store(demo=demo) as store, _bar("Restoring") as told:
        rows = restore_backup(store, path, replace=replace, told=told)
    return f"{rows:,} rows are back from {path}."


@contextmanager
def _bar(what: str) -> Iterator[Told]:
    """A progress bar on the error stream, drawn only where somebody looks on."""
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task(what)

        def told(table: str, done: int, all_: int) -> None:
            progress.update(task, description=f"{what} {table.replace('_', ' ')}", completed=done, total=all_)

        yield told
