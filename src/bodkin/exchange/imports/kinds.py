"""The kinds of files that can be brought in: how each is recognised, read and planned."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from sqlalchemy.orm import Session

from bodkin.exchange.case.standards import is_framework, plan_framework, read_framework
from bodkin.exchange.changes.plans import Plan
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
from bodkin.exchange.questions.question import Answers
from bodkin.exchange.tables_in.mapping import ALIASES
from bodkin.exchange.tables_in.reading import Layout, Reading
from bodkin.exchange.tables_in.sheets import Sheet

PlanRows = Callable[[Session, Reading, Answers], Plan]


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file that can be brought in.

    Of two kinds whose columns are all there the one whose ``mark`` is in the header is meant.
    """

    layout: Layout
    read: Callable[[str, bytes | Sheet], Reading]
    plan: PlanRows
    mark: str | None = None


def _of_rows(kind: RowFile, mark: str | None) -> FileKind:
    plan = plan_students if kind.layout.name == "students" else plan_rows
    return FileKind(
        kind.layout, partial(read_rows, kind), lambda session, reading, _: plan(session, reading, kind), mark
    )


MARKS = {"strand_scores": "strand", "result_scales": "scale", "course_grades": "marking_period", "sessions": "on"}

KINDS: dict[str, FileKind] = {
    "calendar": FileKind(
        CALENDAR_ROWS, read_calendar_rows, lambda session, reading, _: plan_calendar(session, reading)
    ),
    "students": _of_rows(ROW_FILES["students"], None),
    "scores": FileKind(SCORES, read_scores, plan_scores),
    "norms": FileKind(NORM_ROWS, read_norms, lambda session, reading, _: plan_table(session, reading, NORM_SHAPE)),
    "growth_norms": FileKind(
        GROWTH_NORM_ROWS, read_growth_norms, lambda session, reading, _: plan_table(session, reading, GROWTH_SHAPE)
    ),
    "cuts": FileKind(CUT_ROWS, read_cuts, lambda session, reading, _: plan_table(session, reading, CUT_SHAPE)),
    **{name: _of_rows(kind, MARKS.get(name)) for name, kind in ROW_FILES.items() if name != "students"},
}
"""Kinds of files by name, those that others rest on first."""


@dataclass(frozen=True, slots=True)
class WholeKind:
    """A kind of file that is more than one table, in an open standard: nothing of it is mapped."""

    recognise: Callable[[bytes], bool]
    read: Callable[[str, bytes], Any]
    plan: Callable[[Session, Any, Answers], Plan]


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
