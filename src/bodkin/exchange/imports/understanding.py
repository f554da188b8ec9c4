"""How a file is read: its kind, columns, values and dates, as somebody says, as remembered, or as Bodkin proposes."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports.kinds import KINDS, KNOWN
from bodkin.exchange.questions.dates import last_year_known
from bodkin.exchange.questions.question import Answers
from bodkin.exchange.tables_in.dates import OWN, DateSample, read_days, samples, ways_that_fit
from bodkin.exchange.tables_in.mapping import (
    Mapped,
    days_written,
    mapped,
    mended,
    propose_columns,
    propose_values,
    shape_of,
)
from bodkin.exchange.tables_in.sheets import Sheet, open_sheet
from bodkin.store.database import day_of
from bodkin.store.tables import ImportMapping


@dataclass(frozen=True, slots=True)
class Changes:
    """What a person has said about a file: its kind and how it is read, cells that were mended, what was asked.

    Without ``how`` Bodkin finds out itself. ``edits`` are by line of the file and header, ``sheet`` is
    which one of a workbook.
    """

    kind: str | None = None
    how: Mapped | None = None
    confirmed: bool = False
    edits: Mapping[tuple[int, str], str] = field(default_factory=dict)
    sheet: str | None = None
    answers: Answers = field(default_factory=dict)


NOTHING_SAID = Changes()

Source = Literal["as it is", "remembered", "proposed", "by hand"]


@dataclass(frozen=True, slots=True)
class Understood:
    """How a file is read and where that comes from.

    ``headers``: each header as written and the column it stands for (None: kept out); ``missing``:
    columns that the kind needs and nothing stands for; ``strange``: values that are none of
    Bodkin's with what each may mean; ``day_formats``: ways that fit every date, or where none does those that
    fit most, with ``days_unread`` dates that they cannot read; ``day_samples``: a few dates in each way.
    ``sheets`` of a workbook that hold anything, and the one that is read.
    """

    kind: str
    how: Mapped
    source: Source
    shape: str
    headers: list[tuple[str, str, str | None]]
    missing: list[str]
    strange: dict[str, dict[str, str | None]]
    day_formats: list[str]
    days_unread: int = 0
    day_samples: Mapping[str, list[DateSample]] = field(default_factory=dict)
    sheet: str | None = None
    sheets: list[str] = field(default_factory=list)

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


def remembered(session: Session, shape: str) -> ImportMapping | None:
    """How files of a shape are read, as the newest import that taught it has it."""
    newest = select(ImportMapping).where(ImportMapping.shape == shape).order_by(ImportMapping.id.desc())
    return session.scalar(newest.limit(1))


def understand(session: Session, sheet: Sheet, changes: Changes) -> Understood:
    """How a file is read: as a person says, as remembered for this shape, or as Bodkin proposes.

    A remembered way of writing dates that does not fit every row is asked for again. Raises BadFile for a file of
    no kind.
    """
    shape = shape_of(sheet)
    latest = last_year_known(session, day_of(session))
    kept = remembered(session, shape)
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
    named = mapped(sheet, layout, Mapped(how.columns), latest)
    strange = propose_values(named, layout)
    days = days_written(named, layout)
    every, near = ways_that_fit(days, latest)
    formats = every or near
    if source == "proposed":
        meant = {
            name: {value: ours for value, ours in meanings.items() if ours is not None}
            for name, meanings in strange.items()
        }
        how = Mapped(how.columns, {name: meanings for name, meanings in meant.items() if meanings}, _way(formats))
        source = "as it is" if how.changes_nothing else "proposed"
    elif source == "remembered" and formats and (how.day_format or OWN) not in every:
        how, source = replace(how, day_format=_way(formats)), "proposed"
    names = {column.name for column in layout.columns}
    headers = [
        (title, header, column if column in names else None)
        for title, header, column in zip(sheet.titles, sheet.header, named.header, strict=True)
    ]
    used = how.day_format or OWN
    unread = read_days(days, used, latest).null_count() if used in formats and used not in every else 0
    return Understood(
        kind, how, source, shape, headers, sorted(layout.required - set(named.header)), strange, formats, unread,
        samples(days, list(dict.fromkeys([*([used] if days.len() else []), *formats])), latest), sheet.sheet,
        sheet.sheets,
    )  # fmt: skip


def _way(formats: list[str]) -> str | None:
    """Bodkin's own way of writing dates where it fits, else the first that does."""
    return None if OWN in formats or not formats else formats[0]


def opened(session: Session, file: str, content: bytes, changes: Changes) -> tuple[Sheet, Understood]:
    """A file's table in Bodkin's words, and how that came about. Raises BadFile."""
    sheet = mended(open_sheet(file, content, KNOWN, changes.sheet), changes.edits)
    understood = understand(session, sheet, changes)
    latest = last_year_known(session, day_of(session))
    return mapped(sheet, KINDS[understood.kind].layout, understood.how, latest), understood
