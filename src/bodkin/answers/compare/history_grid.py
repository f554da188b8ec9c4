"""The history grid: a row a student, a column per test, language and window, back over the years."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.norms.placed import placed
from bodkin.answers.comparison.pairing import of_window, of_years
from bodkin.answers.comparison.step_answer import Names, display_name, display_names
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption, measure_title
from bodkin.core.errors import BadInput
from bodkin.core.windows import Window, parse_window
from bodkin.store.reads.table.score_table import ScoreTable

PAGE = 100
MOST_YEARS = 12

TableOf = Callable[[Scope], ScoreTable]
"""The table that a measure's or a strand's questions are put to."""


class GridColumn(BaseModel):
    """A column: one measure, strand and language at one window; ``key`` names it in the address."""

    key: str
    title: str
    assessment: str
    subject: str
    strand: str | None
    language: str | None
    window: str
    n: int


class HistoryCell(BaseModel):
    """A result: score, band order (of its measure's ``bands``), day and grade."""

    score: float
    order: int | None
    band: str | None


class GridRow(BaseModel):
    """A student with programs, and a cell for each column."""

    student_id: str
    name: str
    grade: str | None
    section: str | None
    programs: list[str]
    cells: list[HistoryCell | None]


class HistoryGrid(BaseModel):
    """A page of the grid; ``n`` students in all; ``bands``: names by measure, for the marks."""

    caption: str
    n: int
    start: int
    columns: list[GridColumn]
    bands: list[list[str]]
    rows: list[GridRow]


@dataclass(frozen=True, slots=True)
class _Column:
    """A column with the scope it is asked by and the table it is put to."""

    column: GridColumn
    scope: Scope
    table: ScoreTable
    window: Window

    def results(self) -> pl.DataFrame:
        """The counted result of each student."""
        return of_window(self.table, self.scope, self.window)


def _years(scope: Scope, back: int) -> set[str]:
    last = scope.second.year
    return {Window(year, 0).school_year for year in range(last - back, last + 1)}


def _languages(results: pl.DataFrame) -> list[str | None]:
    languages = results["language"].unique().sort(nulls_last=True).to_list()
    return languages if len(languages) > 1 else [None]


def columns_of(
    scope: Scope, students: pl.Series, measures: Sequence[tuple[str, str]], table_of: TableOf, *, back: int,
    strands: Callable[[str, str], Sequence[str]] | None,
) -> list[_Column]:  # fmt: skip
    """Every column in which one of the students has a result, measure by measure, the earliest window first."""
    if not 0 <= back <= MOST_YEARS:
        raise BadInput(f"years: from 0 to {MOST_YEARS} years back")
    found: list[_Column] = []
    years = _years(scope, back)
    for assessment, subject in measures:
        parts = [None, *(strands(assessment, subject) if strands else ())]
        for strand in parts:
            asked = scope.model_copy(
                update={"assessment": assessment, "subject": subject, "strand": strand, "language": None}
            )
            table = table_of(asked)
            mine = of_years(table, asked, years).filter(pl.col("student_id").is_in(students.implode()))
            for language in _languages(mine):
                own = mine if language is None else mine.filter(pl.col("language") == language)
                counts = own.group_by("window").agg(pl.col("student_id").n_unique())
                for name, n in sorted(counts.iter_rows(), key=lambda row: parse_window(row[0])):
                    title = measure_title(assessment, subject, strand)
                    title += f" in {language}" if language else ""
                    found.append(
                        _Column(
                            GridColumn(
                                key="|".join([assessment, subject, strand or "", language or "", name]), title=title,
                                assessment=assessment, subject=subject, strand=strand, language=language, window=name,
                                n=n,
                            ),
                            asked.model_copy(update={"language": language}), table, parse_window(name),
                        )
                    )  # fmt: skip
    return found


def _cells(column: _Column, students: pl.Series) -> tuple[list[HistoryCell | None], list[str]]:
    """The cells of a column for some students, and the names of its bands."""
    held = column.results().filter(pl.col("student_id").is_in(students.implode()))
    found = placed(column.table, column.scope, column.window, held)
    cells = {
        student: HistoryCell(
            score=value, order=None if np.isnan(order) else int(order), band=found.band(at)
        )
        for at, (student, value, order) in enumerate(
            zip(held["student_id"], held["score"].to_list(), found.order.tolist(), strict=True)
        )
    }  # fmt: skip
    return [cells.get(student) for student in students], [found.names[order] for order in sorted(found.names)]


class ColumnCounts(NamedTuple):
    """How many students of a column are in each band, in the bands' order, and how many have no band."""

    column: GridColumn
    counts: list[int]
    bands: list[str]
    without: int


def column_counts(columns: Sequence[_Column], students: pl.Series) -> list[ColumnCounts]:
    """The bands of some students at each column, by the cuts of its own window and their grade then."""
    counted = []
    for one in columns:
        held = one.results().filter(pl.col("student_id").is_in(students.implode()))
        found = placed(one.table, one.scope, one.window, held)
        orders = sorted(found.names)
        counts = [int((found.order == order).sum()) for order in orders]
        names = [found.names[order] for order in orders]
        counted.append(ColumnCounts(one.column, counts, names, held.height - sum(counts)))
    return counted


def _ordered(students: pl.DataFrame, columns: Sequence[_Column], sort: str, *, down: bool, names: Names) -> pl.Series:
    """Students in an order: by name, by class, or by the score of a column; those without one last."""
    chosen = next((column for column in columns if column.column.key == sort), None)
    if chosen is not None:
        scores = chosen.results().select("student_id", sorted_by="score")
        students = students.join(scores, on="student_id", how="left")
    elif sort == "section":
        students = students.with_columns(sorted_by=pl.col("section"))
    else:
        sort_names = [name.lower() for name in display_names(names, students["student_id"])]
        students = students.with_columns(sorted_by=pl.Series(sort_names, dtype=pl.String))
    return students.sort("sorted_by", "student_id", descending=[down, False], nulls_last=True)["student_id"]


def history_grid(
    comparison: Comparison, columns: Sequence[_Column], names: Names, *, sort: str = "name", down: bool = False,
    start: int = 0, count: int | None = PAGE,
) -> HistoryGrid:  # fmt: skip
    """A page of the grid over the students of a comparison; ``count`` None: all of them."""
    students = comparison.students
    page = _ordered(students, columns, sort, down=down, names=names).slice(start, count)
    known = {row["student_id"]: row for row in students.filter(
        pl.col("student_id").is_in(page.implode())
    ).select("student_id", "grade", "section", "programs").iter_rows(named=True)}  # fmt: skip
    cells, bands = [], []
    for column in columns:
        own, shown = _cells(column, page)
        cells.append(own)
        bands.append(shown)
    rows = [
        GridRow(
            student_id=student, name=display_name(names, student), grade=known[student]["grade"],
            section=known[student]["section"], programs=known[student]["programs"] or [],
            cells=[column[at] for column in cells],
        )
        for at, student in enumerate(page)
    ]  # fmt: skip
    return HistoryGrid.model_construct(
        caption=caption(comparison.pieces), n=students.height, start=start,
        columns=[column.column for column in columns], bands=bands, rows=rows,
    )  # fmt: skip


def grid_table(grid: HistoryGrid) -> Table:
    """The grid as a spreadsheet: a score and a band for each column."""
    header = ["student_id", "name", "grade", "section", "programs"]
    for column in grid.columns:
        header += [f"{column.title}, {column.window}", f"{column.title}, {column.window}: band"]
    lines = []
    for row in grid.rows:
        line: list[object] = [row.student_id, row.name, row.grade, row.section, ";".join(row.programs)]
        for cell in row.cells:
            line += [cell.score, cell.band] if cell is not None else [None, None]
        lines.append(line)
    return Table(header, lines, grid.caption)
