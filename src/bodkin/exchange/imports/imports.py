"""Imports: recognise a file, show what it would do, bring it in whole, take it back whole."""

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from typing import Any, Literal

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict
from bodkin.exchange.case.standards import is_framework, plan_framework, read_framework
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import Plan, ReportProgress, no_progress
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports.likely import Likely, likely_students
from bodkin.exchange.oneroster.files import is_package, read_package
from bodkin.exchange.oneroster.package_in import plan_package
from bodkin.exchange.plain.import_calendar import plan_calendar, read_calendar_rows
from bodkin.exchange.plain.import_rows import plan_rows, plan_students, read_rows
from bodkin.exchange.plain.import_scores import plan_scores
from bodkin.exchange.plain.import_tables import CUT_SHAPE, GROWTH_SHAPE, NORM_SHAPE, plan_table
from bodkin.exchange.plain.plain_files import (
    CALENDAR_ROWS,
    CUT_ROWS,
    GROWTH_NORM_ROWS,
    NORM_ROWS,
    SCORES,
    read_cuts,
    read_growth_norms,
    read_norms,
    read_scores,
)
from bodkin.exchange.plain.row_files import ROW_FILES, RowFile
from bodkin.exchange.tables_in.mapping import (
    ALIASES,
    REASON,
    Mapped,
    day_formats,
    mapped,
    mended,
    propose_columns,
    propose_values,
    shape_of,
)
from bodkin.exchange.tables_in.reading import Layout, Reading
from bodkin.exchange.tables_in.sheets import Sheet, open_sheet
from bodkin.store.tables import Import, ImportMapping, Person
from bodkin.store.writes.undo import note


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file that can be brought in.

    Of two kinds whose columns are all there the one whose ``mark`` is in the header is meant.
    """

    layout: Layout
    read: Callable[[str, bytes | Sheet], Reading]
    plan: Callable[[Session, Reading], Plan]
    mark: str | None = None


def _of_rows(kind: RowFile, mark: str | None) -> FileKind:
    plan = plan_students if kind.layout.name == "students" else plan_rows
    return FileKind(kind.layout, partial(read_rows, kind), lambda session, reading: plan(session, reading, kind), mark)


MARKS = {"strand_scores": "strand", "result_scales": "scale", "course_grades": "marking_period", "sessions": "on"}

KINDS: dict[str, FileKind] = {
    "calendar": FileKind(CALENDAR_ROWS, read_calendar_rows, plan_calendar),
    "students": _of_rows(ROW_FILES["students"], None),
    "scores": FileKind(SCORES, read_scores, plan_scores),
    "norms": FileKind(NORM_ROWS, read_norms, lambda session, reading: plan_table(session, reading, NORM_SHAPE)),
    "growth_norms": FileKind(
        GROWTH_NORM_ROWS, read_growth_norms, lambda session, reading: plan_table(session, reading, GROWTH_SHAPE)
    ),
    "cuts": FileKind(CUT_ROWS, read_cuts, lambda session, reading: plan_table(session, reading, CUT_SHAPE)),
    **{name: _of_rows(kind, MARKS.get(name)) for name, kind in ROW_FILES.items() if name != "students"},
}
"""Kinds of files by name, those that others rest on first."""


@dataclass(frozen=True, slots=True)
class WholeKind:
    """A kind of file that is more than one table, in an open standard: nothing of it is mapped."""

    recognise: Callable[[bytes], bool]
    read: Callable[[str, bytes], Any]
    plan: Callable[[Session, Any], Plan]


WHOLE_KINDS: dict[str, WholeKind] = {
    "oneroster": WholeKind(is_package, read_package, plan_package),
    "case": WholeKind(is_framework, read_framework, plan_framework),
}


def whole_kind(content: bytes) -> str | None:
    """The open standard that a file is in, if any."""
    return next((name for name, kind in WHOLE_KINDS.items() if kind.recognise(content)), None)


KNOWN = frozenset(column.name for kind in KINDS.values() for column in kind.layout.columns) | frozenset(
    word for words in ALIASES.values() for word in words
)
"""Header names of every kind of file, and other words for them."""


@dataclass(frozen=True, slots=True)
class Changes:
    """What a person has said about a file: its kind and how it is read, and cells that were mended.

    Without ``how`` Bodkin finds out itself. ``edits`` are by line of the file and header.
    """

    kind: str | None = None
    how: Mapped | None = None
    confirmed: bool = False
    edits: Mapping[tuple[int, str], str] = field(default_factory=dict)


Source = Literal["as it is", "remembered", "proposed", "by hand"]


@dataclass(frozen=True, slots=True)
class Understood:
    """How a file is read and where that comes from.

    ``headers``: each header as written and the column it stands for (None: kept out); ``missing``:
    columns that the kind needs and nothing stands for; ``strange``: values that are none of
    Bodkin's with what each may mean; ``day_formats``: ways that fit every date.
    """

    kind: str
    how: Mapped
    source: Source
    shape: str
    headers: list[tuple[str, str, str | None]]
    missing: list[str]
    strange: dict[str, dict[str, str | None]]
    day_formats: list[str]

    @property
    def to_confirm(self) -> bool:
        """Whether a person must look at it first: it was only proposed."""
        return self.source == "proposed" and not self.how.changes_nothing


def _kind_of(sheet: Sheet) -> tuple[str, dict[str, str]]:
    """The kind whose required columns are all there, named or by other words; else the nearest one.

    Raises BadFile where not even two of the columns of any kind are there.
    """
    found = []
    for name, kind in KINDS.items():
        columns = propose_columns(sheet, kind.layout)
        there = (set(sheet.header) | set(columns.values())) & kind.layout.required
        whole = there == kind.layout.required
        as_named = len(kind.layout.required & set(sheet.header))
        marked = kind.mark in sheet.header or (kind.mark is None and not whole)
        near = len(there) if whole else len(there) / len(kind.layout.required)
        found.append((whole, marked, near, as_named, name == "scores", name, columns))
    *_, name, columns = max(found, key=lambda one: one[:5])
    required = KINDS[name].layout.required
    missing = required - set(sheet.header) - set(columns.values())
    if len(required) - len(missing) < 2:
        also = ", ".join(sorted(missing))
        message = f"Bodkin cannot tell what kind of file this is; the closest is {name}, which also needs: {also}"
        raise BadFile([Fault(sheet.file, sheet.header_line, "", message)])
    return name, columns


def recognise(sheet: Sheet) -> str:
    """The kind of a file by its header. Raises BadFile that says what each kind needs."""
    return _kind_of(sheet)[0]


def understand(session: Session, sheet: Sheet, changes: Changes) -> Understood:
    """How a file is read: as a person says, as remembered for this shape, or as Bodkin proposes.

    Raises BadFile for a file of no kind.
    """
    shape = shape_of(sheet)
    kept = session.scalar(select(ImportMapping).where(ImportMapping.shape == shape))
    source: Source
    if changes.how is not None:
        kind, how, source = changes.kind or recognise(sheet), changes.how, "by hand"
        if kind not in KINDS:
            raise BadInput(f'there is no kind of file "{kind}"')
    elif kept is not None:
        kind, how, source = kept.kind, Mapped.recalled(kept.mapping), "remembered"
    else:
        kind, columns = _kind_of(sheet)
        how, source = Mapped(columns), "proposed"
    layout = KINDS[kind].layout
    named = mapped(sheet, layout, Mapped(how.columns))
    strange, formats = propose_values(named, layout), day_formats(named, layout)
    if source == "proposed":
        meant = {
            name: {value: ours for value, ours in meanings.items() if ours is not None}
            for name, meanings in strange.items()
        }
        own = "%Y-%m-%d" in formats or not formats
        how = Mapped(
            how.columns, {name: meanings for name, meanings in meant.items() if meanings}, None if own else formats[0]
        )
        source = "as it is" if how.changes_nothing else "proposed"
    names = {column.name for column in layout.columns}
    headers = [
        (title, header, column if column in names else None)
        for title, header, column in zip(sheet.titles, sheet.header, named.header, strict=True)
    ]
    return Understood(kind, how, source, shape, headers, sorted(layout.required - set(named.header)), strange, formats)


@dataclass(frozen=True, slots=True)
class Preview:
    """A file as it was understood and what bringing it in would do.

    Without a column that its kind needs there is nothing to do yet: ``plan`` is empty and
    ``understood.missing`` says what.
    """

    kind: str
    sha256: str
    reading: Reading
    plan: Plan
    rows: int
    seen_before: str | None
    understood: Understood
    likely: list[Likely]


def opened(session: Session, file: str, content: bytes, changes: Changes) -> tuple[Sheet, Understood]:
    """A file's table in Bodkin's words, and how that came about. Raises BadFile."""
    sheet = mended(open_sheet(file, content, KNOWN), changes.edits)
    understood = understand(session, sheet, changes)
    return mapped(sheet, KINDS[understood.kind].layout, understood.how), understood


def refused_rows(
    session: Session, file: str, content: bytes, changes: Changes
) -> tuple[list[str], list[list[str | None]]]:
    """The rows that stay out, with the file's own header and a column ``reason``: to mend and bring in again."""
    if (whole := whole_kind(content)) is not None:
        read = WHOLE_KINDS[whole].read(file, content)
        WHOLE_KINDS[whole].plan(session, read)
        rows = [[fault.file, str(fault.line), fault.column, fault.message] for fault in read.faults]
        return ["file", "line", "column", REASON], list(rows)
    raw = open_sheet(file, content, KNOWN)
    understood, reading = _read(session, file, content, changes)
    # Some rows are only refused for what the tables lack.
    KINDS[understood.kind].plan(session, reading)
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


def _preview_whole(session: Session, kind: str, file: str, content: bytes) -> Preview:
    read = WHOLE_KINDS[kind].read(file, content)
    plan = WHOLE_KINDS[kind].plan(session, read)
    digest, before = _seen_before(session, content)
    understood = Understood(kind, Mapped(), "as it is", "", [], [], {}, [])
    reading = Reading(file, pl.DataFrame(), faults=read.faults)
    return Preview(kind, digest, reading, plan, read.rows, before, understood, [])


def preview(
    session: Session, file: str, content: bytes, changes: Changes = Changes(), progress: ReportProgress = no_progress
) -> Preview:
    """Read a file and say what it would do; writes nothing. Raises BadFile."""
    progress(f"Reading {file}", 0, 0)
    if (whole := whole_kind(content)) is not None:
        return _preview_whole(session, whole, file, content)
    understood, reading = _read(session, file, content, changes)
    digest, before = _seen_before(session, content)
    progress(f"Comparing {file} with what is there", 0, 0)
    rows, plan = reading.frame.height, KINDS[understood.kind].plan(session, reading)
    likely = likely_students(session, reading) if understood.kind in ("scores", "students") else []
    if understood.source == "remembered" and not understood.how.changes_nothing:
        reading.notices.append(
            "headers and values are read the way you confirmed for an earlier file with the same columns"
        )
    # The plan holds what it needs; a large file's rows need not lie there twice.
    reading.frame = reading.frame.clear()
    return Preview(understood.kind, digest, reading, plan, rows, before, understood, likely)


def bring_in(
    session: Session,
    file: str,
    content: bytes,
    by_id: int | None,
    now: datetime,
    changes: Changes = Changes(),
    progress: ReportProgress = no_progress,
) -> tuple[int | None, Preview]:
    """Bring the good rows of a file in, within the caller's transaction.

    The plan is made anew here, in the transaction that carries it out: what happened since the
    preview counts. Returns the import's key, None where there was nothing to do. A mapping that
    was confirmed is remembered for the next file of this shape. Raises Conflict where a mapping
    was only proposed and nobody has confirmed it.
    """
    seen = preview(session, file, content, changes, progress)
    understood = seen.understood
    if understood.missing:
        lacks = f"a {seen.kind} file needs this column; choose which of the columns it is"
        raise BadFile([Fault(file, 1, name, lacks) for name in understood.missing])
    if understood.to_confirm and not changes.confirmed:
        raise Conflict("Some headers or values of this file are guesses. Check and confirm them first.")
    if seen.plan.empty:
        return None, seen
    refused = len({fault.line for fault in seen.reading.faults})
    counts = {**seen.plan.counts, "refused": refused, **{k: v for k, v in seen.plan.adds.items() if v}}
    how = None if understood.how.changes_nothing else understood.how.remembered()
    row = Import(
        file=file[-160:],
        sha256=seen.sha256,
        kind=seen.kind,
        counts=counts,
        by_id=by_id,
        at=now,
        state="done",
        mapping=how,
    )
    session.add(row)
    session.flush()
    if how is not None and understood.source != "remembered":
        _remember(session, understood, by_id, now)
    seen.plan.apply(Ledger(session, row.id, progress))
    note(session, "import", by_id, now, f"{row.file} imported", [], scores=True, import_id=row.id)
    return row.id, seen


def _remember(session: Session, understood: Understood, by_id: int | None, now: datetime) -> None:
    kept = session.scalar(select(ImportMapping).where(ImportMapping.shape == understood.shape))
    kept = kept or ImportMapping(shape=understood.shape)
    kept.kind, kept.mapping, kept.by_id, kept.at = understood.kind, understood.how.remembered(), by_id, now
    session.add(kept)


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
