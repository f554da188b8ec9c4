"""Imports: show what a file would do, bring it in whole, list what came in."""

import hashlib
from dataclasses import dataclass, replace
from datetime import datetime

import polars as pl
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict
from bodkin.exchange.changes.ledger import Ledger, RowRefused
from bodkin.exchange.changes.plans import Plan, ReportProgress, no_progress
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports.kinds import KINDS, KNOWN, WHOLE_KINDS, whole_kind
from bodkin.exchange.imports.understanding import NOTHING_SAID, Changes, Understood, opened, remembered
from bodkin.exchange.questions.ask import ask
from bodkin.exchange.questions.question import Question, open_items
from bodkin.exchange.questions.values import safe_meanings
from bodkin.exchange.tables_in.mapping import REASON, Mapped
from bodkin.exchange.tables_in.reading import Reading
from bodkin.exchange.tables_in.sheets import open_sheet
from bodkin.store.database import day_of
from bodkin.store.tables import Import, ImportMapping, Person
from bodkin.store.writes.undo import note


@dataclass(frozen=True, slots=True)
class Preview:
    """A file as it was understood and what bringing it in would do.

    Without a column that its kind needs there is nothing to do yet: ``plan`` is empty and
    ``understood.missing`` says what. ``questions`` are what is doubtful, ``open`` of them not answered yet.
    """

    kind: str
    sha256: str
    reading: Reading
    plan: Plan
    rows: int
    seen_before: str | None
    understood: Understood
    questions: list[Question]
    open: int


def refused_rows(
    session: Session, file: str, content: bytes, changes: Changes
) -> tuple[list[str], list[list[str | None]]]:
    """The rows that stay out, with the file's own header and a column ``reason``: to mend and bring in again."""
    if (whole := whole_kind(content)) is not None:
        read = WHOLE_KINDS[whole].read(file, content)
        WHOLE_KINDS[whole].plan(session, read, changes.answers)
        rows = [[fault.file, str(fault.line), fault.column, fault.message] for fault in read.faults]
        return ["file", "line", "column", REASON], list(rows)
    raw = open_sheet(file, content, KNOWN, changes.sheet)
    understood, reading = _read(session, file, content, changes)
    # Some rows are only refused for what the tables lack, or once it is said whom they mean.
    ask(session, understood.kind, reading, changes.answers, day_of(session))
    KINDS[understood.kind].plan(session, reading, changes.answers)
    why: dict[int, list[str]] = {}
    for fault in reading.faults:
        why.setdefault(fault.line, []).append(f"{fault.column}: {fault.message}" if fault.column else fault.message)
    places = [at for at, line in enumerate(raw.line) if line in why]
    rows = [[*(column[at] for column in raw.columns), "; ".join(why[raw.line[at]])] for at in places]
    return [*raw.titles, REASON], rows


def _read(session: Session, file: str, content: bytes, changes: Changes) -> tuple[Understood, Reading]:
    """How a file is read, and its rows; its text is given up before anything is planned."""
    sheet, understood = opened(session, file, content, changes)
    if understood.missing:
        layout = KINDS[understood.kind].layout
        frame = pl.DataFrame(schema={"line": pl.Int64} | {column.name: column.kind.dtype for column in layout.columns})
        return understood, Reading(file, frame, sheet.header, notices=sheet.notices)
    return understood, KINDS[understood.kind].read(file, sheet)


def _seen_before(session: Session, content: bytes) -> tuple[str, str | None]:
    """The digest of a file, and the name under which it came in before."""
    digest = hashlib.sha256(content).hexdigest()
    query = select(Import.file).where(Import.sha256 == digest, Import.state == "done").order_by(Import.id.desc())
    return digest, session.scalar(query.limit(1))


def _preview_whole(session: Session, kind: str, file: str, content: bytes, changes: Changes) -> Preview:
    read = WHOLE_KINDS[kind].read(file, content)
    plan = WHOLE_KINDS[kind].plan(session, read, changes.answers)
    digest, before = _seen_before(session, content)
    understood = Understood(kind, Mapped(), "as it is", "", [], [], {}, [])
    reading = Reading(file, pl.DataFrame(), faults=read.faults)
    still = open_items(plan.questions, changes.answers)
    return Preview(kind, digest, reading, plan, read.rows, before, understood, plan.questions, still)


def preview(
    session: Session,
    file: str,
    content: bytes,
    changes: Changes = NOTHING_SAID,
    progress: ReportProgress = no_progress,
) -> Preview:
    """Read a file and say what it would do; writes nothing. Raises BadFile."""
    progress(f"Reading {file}", 0, 0)
    if (whole := whole_kind(content)) is not None:
        return _preview_whole(session, whole, file, content, changes)
    understood, reading = _read(session, file, content, changes)
    digest, before = _seen_before(session, content)
    progress(f"Comparing {file} with what is there", 0, 0)
    rows = reading.frame.height
    questions = ask(session, understood.kind, reading, changes.answers, day_of(session))
    plan = KINDS[understood.kind].plan(session, reading, changes.answers)
    questions += plan.questions
    if understood.source == "remembered" and not understood.how.changes_nothing:
        reading.notices.append(
            "headers and values are read the way you confirmed for an earlier file with the same columns"
        )
    # The plan holds what it needs; a large file's rows need not lie there twice.
    reading.frame = reading.frame.clear()
    still = open_items(questions, changes.answers)
    return Preview(understood.kind, digest, reading, plan, rows, before, understood, questions, still)


def bring_in(
    session: Session,
    file: str,
    content: bytes,
    by_id: int | None,
    now: datetime,
    changes: Changes = NOTHING_SAID,
    progress: ReportProgress = no_progress,
    came_by: str | None = None,
    *,
    supposing: bool = False,
) -> tuple[int | None, Preview]:
    """Bring the good rows of a file in, within the caller's transaction.

    The plan is made anew here, in the transaction that carries it out: what happened since the
    preview counts. Returns the import's key, None where there was nothing to do. A mapping that
    was confirmed is remembered for the next file of this shape. ``supposing``: take guesses as right and
    open questions as answered, to see what would come of it. Raises Conflict where a mapping
    was only proposed and nobody has confirmed it, or where questions are open, and BadFile where
    the tables cannot hold a row.
    """
    seen = preview(session, file, content, changes, progress)
    understood = seen.understood
    if understood.missing:
        lacks = f"a {seen.kind} file needs this column; choose which of the columns it is"
        raise BadFile([Fault(file, 1, name, lacks) for name in understood.missing])
    if understood.to_confirm and not changes.confirmed and not supposing:
        raise Conflict("Some headers or values of this file are guesses. Check and confirm them first.")
    if seen.open and not supposing:
        raise Conflict(f"{file}: {open_words(seen)}. Answer that first, under Who and what is new.")
    if seen.plan.empty:
        return None, seen
    refused = len({fault.line for fault in seen.reading.faults})
    counts = {**seen.plan.counts, "refused": refused, **{k: v for k, v in seen.plan.adds.items() if v}}
    how = _learned(seen, changes)
    row = Import(
        file=file[-160:], sha256=seen.sha256, kind=seen.kind, counts=counts, by_id=by_id, at=now, state="done",
        mapping=None if how.changes_nothing else how.remembered(), came_by=came_by,
    )  # fmt: skip
    session.add(row)
    session.flush()
    ledger = Ledger(session, row.id, progress)
    known = remembered(session, understood.shape)
    if not how.changes_nothing and (known is None or how.remembered() != known.mapping):
        kept = {"shape": understood.shape, "kind": seen.kind, "mapping": how.remembered(), "by_id": by_id, "at": now}
        ledger.add(ImportMapping, [kept])
    try:
        seen.plan.apply(ledger)
    except RowRefused as error:
        raise BadFile(
            [Fault(file, error.line, "", f"{error.said}: the tables hold another row in its place")]
        ) from error
    except IntegrityError as error:
        message = "holds a row that cannot stand beside what is there; nothing of it was brought in"
        raise BadFile([Fault(file, 0, "", message)]) from error
    note(session, "import", by_id, now, f"{row.file} imported", [], scores=True, import_id=row.id)
    return row.id, seen


def open_words(seen: Preview) -> str:
    """What is open about a file, in words."""
    return "1 question is open" if seen.open == 1 else f"{seen.open} questions are open"


def _learned(seen: Preview, changes: Changes) -> Mapped:
    """How the next file of this shape is read: as this one, with the spellings that were said to be known names."""
    how = seen.understood.how
    values = {name: dict(meanings) for name, meanings in how.values.items()}
    for name, meanings in safe_meanings(seen.questions, changes.answers).items():
        values.setdefault(name, {}).update(meanings)
    return replace(how, values=values)


@dataclass(frozen=True, slots=True)
class PastImport:
    """An import as the history lists it."""

    id: int
    file: str
    kind: str
    counts: dict[str, int]
    by: str | None
    at: datetime
    state: str
    came_by: str | None = None


def history(session: Session) -> list[PastImport]:
    """All imports, the latest first."""
    rows = session.execute(
        select(Import, Person.name).outerjoin(Person, Person.id == Import.by_id).order_by(Import.id.desc())
    )
    return [PastImport(i.id, i.file, i.kind, i.counts, by, i.at, i.state, i.came_by) for i, by in rows]
