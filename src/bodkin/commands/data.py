"""The commands that work on kept data: people, imports, exports."""

import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from bodkin.commands.demo import demo_settings, own_settings
from bodkin.core.errors import BadInput, Conflict, StoreDown
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.bundles import FilePreview, Waiting, bring_in_all, files_in, preview_all
from bodkin.exchange.imports.understanding import Changes, Understood
from bodkin.exchange.oneroster.package_out import oneroster_package
from bodkin.exchange.plain.export import write_plain_files
from bodkin.exchange.questions.question import Answers
from bodkin.exchange.tables_in.dates import DAY_FORMATS
from bodkin.policy.roles import ROLES, role_of
from bodkin.store.backup import ReportProgress, restore_backup, write_backup
from bodkin.store.database import Store
from bodkin.store.reads.people import by_login
from bodkin.store.server import DatabaseServer
from bodkin.store.tables import Person, School
from bodkin.store.writes.sign_in import end_sessions, set_password
from bodkin.store.writes.undo import undo_import


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
        store = Store(settings.database_url, settings.pinned)
        if _answers(store):
            yield store
            return
    server = DatabaseServer(settings)
    server.start()
    try:
        store = Store(settings.database_url, settings.pinned)
        store.migrate()
        yield store
    finally:
        server.stop()


def add_person(*, login: str, name: str, role: str, school: str | None, password: str, demo: bool) -> str:
    """Add a person who can sign in. Raises BadInput naming the field."""
    from bodkin.api.sign_in import check_new_password, hash_password

    if role not in ROLES:
        raise BadInput(f'role: "{role}" is none of {", ".join(ROLES)}')
    check_new_password(password, login, "password")
    if role_of(role).needs_school and school is None:
        raise BadInput(f"school: a {role_of(role).title} needs a school")
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


def new_password(*, login: str, password: str, demo: bool) -> str:
    """A new password for somebody who has lost the old one; all of the person's sessions end."""
    from bodkin.api.sign_in import check_new_password, hash_password

    check_new_password(password, login, "password")
    with open_store(demo=demo) as store, store.noting() as session:
        found = by_login(session, login)
        if found is None:
            raise BadInput(f'login: nobody signs in as "{login}"')
        set_password(session, found[0], hash_password(password))
        end_sessions(session, found[0], _now())
    return f"{login} has a new password and is signed out everywhere."


def new_key(*, demo: bool) -> str:
    """A new key that signs cookies; the one before still reads until the next new one."""
    (demo_settings() if demo else own_settings()).new_secret()
    return "Cookies are signed with a new key from now on; nobody is signed out."


def _mapping_lines(understood: Understood) -> list[str]:
    """How a file is read where that is not just as it is."""
    how = understood.how
    lines = [f"  column {name} is read as {column}" for name, column in how.columns.items()]
    lines += [
        f'  {column} "{value}" is read as {ours}' for column, of in how.values.items() for value, ours in of.items()
    ]
    if how.day_format:
        lines.append(f"  dates are read as {DAY_FORMATS[how.day_format]}")
    return lines


def bring_in(
    path: Path, *, skip_refused: bool, dry_run: bool, demo: bool, accept_mapping: bool = False,
    sheet: str | None = None, answers: Sequence[str] = (),
) -> list[str]:  # fmt: skip
    """Bring a file in, or the files of a zip in the order in which one needs another; says what it came to.

    Raises BadFile where rows are refused or a column is missing, Conflict where headers or values
    were only guessed at and ``accept_mapping`` is not set, or where questions are open. ``answers`` are
    written ``kind=answer`` or ``kind/item=answer``.
    """
    try:
        content = path.read_bytes()
    except OSError as error:
        raise BadFile([Fault(str(path), 0, "", f"cannot be read ({error.strerror})")]) from None
    parts, left = files_in(path.name, content)
    lines = list(left)
    with open_store(demo=demo) as store, _bar(f"Bringing in {path.name}") as bar:
        changes = Changes(confirmed=accept_mapping, sheet=sheet, answers=_answered(answers))
        waiting = [Waiting(name, name, partial(bytes, data), changes) for name, data in parts]
        with store.trying() as session:
            previewed = preview_all(session, waiting, _now(), bar)
        seen = [_seen(path, one, skip_refused=skip_refused) for one in previewed]
        for one in seen:
            lines += _file_lines(one)
        if all(one.plan.empty for one in seen):
            return [*lines, "  nothing to do"]
        if dry_run:
            return [*lines, "  not brought in (--dry-run)"]
        if not accept_mapping and any(one.understood.to_confirm for one in seen):
            guessed = "Headers or values were only guessed at; look at them and add --accept-mapping."
            raise Conflict("\n".join([*lines, guessed]))
        if asked := [line for one in seen for line in _question_lines(one, changes.answers)]:
            raise Conflict(
                "\n".join([*lines, *asked, "Answer with --answer kind=answer, or kind/item=answer for one."])
            )
        with store.writing(scores=True) as session:
            done = bring_in_all(session, waiting, None, _now(), bar)
    return [*lines, *(f"  brought in as import {key}" for _, key, _ in done if key is not None)]


def _answered(answers: Sequence[str]) -> dict[str, str]:
    wrong = [answer for answer in answers if "=" not in answer]
    if wrong:
        raise BadInput(f'--answer "{wrong[0]}": write kind=answer or kind/item=answer')
    # An item may hold the sign itself; an answer such as same:Saltgauge does not.
    return {what: answer for what, _, answer in (one.rpartition("=") for one in answers)}


def _question_lines(seen: imports.Preview, answers: Answers) -> list[str]:
    """What is still asked about a file, with what can be answered."""
    lines = []
    for question in seen.questions:
        for item in question.items[:20]:
            if question.answer_to(item, answers) is None:
                choices = ", ".join(f"{choice.answer} ({choice.words})" for choice in item.choices)
                lines.append(f"  {question.kind}/{item.key}: {item.said}. {choices}")
        if (more := question.open(answers) - 20) > 0:
            lines.append(f"  {question.kind}: {more} more")
    return lines


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


def _seen(path: Path, previewed: FilePreview, *, skip_refused: bool) -> imports.Preview:
    """A file that can come in. Raises BadFile for one that cannot, naming it as it was called."""
    if previewed.seen is None:
        raise previewed.problem or BadFile([])
    seen, name = previewed.seen, str(path)
    if previewed.file.name != path.name:
        name = f"{path}/{previewed.file.name}"
    if seen.understood.missing:
        lacks = f"a {seen.kind} file needs this column"
        raise BadFile([Fault(name, 1, column, lacks) for column in seen.understood.missing])
    if seen.reading.faults and not skip_refused:
        # A package names its own files.
        within = [f.file.partition("/")[2] for f in seen.reading.faults]
        raise BadFile(
            [
                Fault(f"{name}/{part}" if part else name, f.line, f.column, f.message)
                for f, part in zip(seen.reading.faults, within, strict=True)
            ]
        )
    return seen


def _file_lines(seen: imports.Preview) -> list[str]:
    lines = [f"{seen.reading.file}: {seen.kind}, {seen.rows} rows"]
    lines += [f"  {n} {name.replace('_', ' ')}" for name, n in {**seen.plan.counts, **seen.plan.adds}.items() if n]
    lines += _mapping_lines(seen.understood)
    lines += [f"  {notice}" for notice in (*seen.reading.notices, *seen.plan.notices)]
    return lines + [f"  column {name} is not known and stays out" for name in seen.reading.unknown]


def undo(number: int, *, demo: bool) -> str:
    """Take an import back."""
    with open_store(demo=demo) as store, store.writing(scores=False) as session:
        return f'Import {number} ("{undo_import(session, number)}") is undone.'


def export(out: Path, *, demo: bool, oneroster: bool = False) -> list[Path]:
    """Write every table as its plain file, or the roster and results as a OneRoster package."""
    with open_store(demo=demo) as store, store.reading() as session:
        if not oneroster:
            with _bar("Writing") as bar:
                return write_plain_files(session, out, bar)
        out.mkdir(parents=True, exist_ok=True)
        path = out / "oneroster.zip"
        path.write_bytes(oneroster_package(session))
        return [path]


def backup(path: Path, *, demo: bool) -> str:
    """Write the whole database into one file."""
    with open_store(demo=demo) as store, _bar("Backing up") as progress:
        rows = write_backup(store, path, progress)
    return f"{rows:,} rows are in {path}."


def restore(path: Path, *, replace: bool, demo: bool) -> str:
    """Put a backup back."""
    with open_store(demo=demo) as store, _bar("Restoring") as progress:
        rows = restore_backup(store, path, replace=replace, progress=progress)
    return f"{rows:,} rows are back from {path}."


@contextmanager
def _bar(what: str) -> Iterator[ReportProgress]:
    """A progress bar on the error stream, drawn only where somebody looks on."""
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task(what)

        def report(table: str, done: int, all_: int) -> None:
            said = table.replace("_", " ") if table[:1].isupper() else f"{what} {table.replace('_', ' ')}"
            progress.update(task, description=said, completed=done, total=all_ or None)

        yield report
