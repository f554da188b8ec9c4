"""Imports: recognise a file, show what it would do, bring it in whole, take it back whole."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict, NotFound
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.import_scores import plan_scores
from bodkin.exchange.import_tables import CUT_SHAPE, GROWTH_SHAPE, NORM_SHAPE, plan_table
from bodkin.exchange.ledger import Ledger, undo
from bodkin.exchange.plain_files import (
    CUT_ROWS,
    GROWTH_NORM_ROWS,
    NORM_ROWS,
    SCORES,
    read_cuts,
    read_growth_norms,
    read_norms,
    read_scores,
)
from bodkin.exchange.plans import Plan
from bodkin.exchange.reading import Layout, Reading
from bodkin.exchange.sheets import Sheet, open_sheet
from bodkin.store.tables import Import, Person


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file that can be brought in."""

    layout: Layout
    read: Callable[[str, bytes | Sheet], Reading]
    plan: Callable[[Session, Reading], Plan]


KINDS: dict[str, FileKind] = {
    "scores": FileKind(SCORES, read_scores, plan_scores),
    "norms": FileKind(NORM_ROWS, read_norms, lambda session, reading: plan_table(session, reading, NORM_SHAPE)),
    "growth_norms": FileKind(
        GROWTH_NORM_ROWS, read_growth_norms, lambda session, reading: plan_table(session, reading, GROWTH_SHAPE)
    ),
    "cuts": FileKind(CUT_ROWS, read_cuts, lambda session, reading: plan_table(session, reading, CUT_SHAPE)),
}


KNOWN = frozenset(column.name for kind in KINDS.values() for column in kind.layout.columns)
"""Header names of every kind of file."""


def recognise(sheet: Sheet) -> str:
    """The kind of a file by its header. Raises BadFile that says what each kind needs."""
    names = set(sheet.header)
    fits = [(len(kind.layout.required), name) for name, kind in KINDS.items() if kind.layout.required <= names]
    if fits:
        return max(fits)[1]
    nearest = max(KINDS, key=lambda name: len(KINDS[name].layout.required & names) / len(KINDS[name].layout.required))
    missing = ", ".join(sorted(KINDS[nearest].layout.required - names))
    told = f"this is none of the files Bodkin reads; nearest is {nearest}, which needs also: {missing}"
    raise BadFile([Fault(sheet.file, sheet.header_line, "", told)])


@dataclass(frozen=True, slots=True)
class Preview:
    """A file as it was understood and what bringing it in would do."""

    kind: str
    sha256: str
    reading: Reading
    plan: Plan
    rows: int
    seen_before: str | None


def _read(file: str, content: bytes) -> tuple[str, Reading]:
    """The kind of a file and its rows; the file's text is given up before anything is planned."""
    sheet = open_sheet(file, content, KNOWN)
    kind = recognise(sheet)
    return kind, KINDS[kind].read(file, sheet)


def preview(session: Session, file: str, content: bytes) -> Preview:
    """Read a file and say what it would do; writes nothing. Raises BadFile."""
    name, reading = _read(file, content)
    digest = hashlib.sha256(content).hexdigest()
    before = session.scalar(
        select(Import.file).where(Import.sha256 == digest, Import.state == "done").order_by(Import.id.desc()).limit(1)
    )
    rows, plan = reading.frame.height, KINDS[name].plan(session, reading)
    # The plan holds what it needs; a large file's rows need not lie there twice.
    reading.frame = reading.frame.clear()
    return Preview(name, digest, reading, plan, rows, before)


def bring_in(
    session: Session, file: str, content: bytes, by_id: int | None, now: datetime
) -> tuple[int | None, Preview]:
    """Bring the good rows of a file in, within the caller's transaction.

    The plan is made anew here, in the transaction that carries it out: what happened since the
    preview counts. Returns the import's key, None where there was nothing to do.
    """
    seen = preview(session, file, content)
    if seen.plan.empty:
        return None, seen
    refused = len({fault.line for fault in seen.reading.faults})
    counts = {**seen.plan.counts, "refused": refused, **{k: v for k, v in seen.plan.adds.items() if v}}
    row = Import(file=file[-160:], sha256=seen.sha256, kind=seen.kind, counts=counts, by_id=by_id, at=now, state="done")
    session.add(row)
    session.flush()
    seen.plan.apply(Ledger(session, row.id))
    return row.id, seen


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


def history(session: Session) -> list[PastImport]:
    """All imports, the latest first."""
    rows = session.execute(
        select(Import, Person.name).outerjoin(Person, Person.id == Import.by_id).order_by(Import.id.desc())
    )
    return [PastImport(i.id, i.file, i.kind, i.counts, by, i.at, i.state) for i, by in rows]


def undo_import(session: Session, key: int) -> str:
    """Take an import back, within the caller's transaction; returns the name of its file.

    Raises NotFound for an unknown import and Conflict where it is undone already or newer work
    rests on it.
    """
    row = session.get(Import, key)
    if row is None:
        raise NotFound("there is no such import")
    if row.state != "done":
        raise Conflict("this import has been undone already")
    undo(session, key)
    return row.file
