"""Students' strand scores at a window and the line that each is held against."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

import numpy as np
import polars as pl

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.norms.expectation import FEWEST_DISTRICT
from bodkin.answers.comparison.norms.norms_and_cuts import (
    Grades,
    Notes,
    PlacedTests,
    bands_at,
    norms_of,
    placed_tests,
)
from bodkin.answers.comparison.pairing import ROWS, in_reach, of_window
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.needs.strands import strand_profile
from bodkin.core.windows import Window
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of

Line = Literal["own", "class", "grade", "district", "norm", "target"]
LINES: tuple[Line, ...] = get_args(Line)
TableOf = Callable[[str], ScoreTable]
"""The score table of a strand by its name."""


@dataclass(frozen=True)
class StrandScores:
    """Strand scores at one window, shape (students, strands), and what they are held against, of the same shape.

    Each strand's numbers lie side by side in memory.
    """

    window: Window
    score: FloatArray
    error: FloatArray
    against: FloatArray
    whole: FloatArray

    @cached_property
    def known_error(self) -> FloatArray:
        """The strands' standard errors, NaN for one of 0, which says nothing."""
        return np.where(self.error > 0, self.error, np.nan)

    @cached_property
    def distance(self) -> FloatArray:
        """Distance from the line in the strand's standard errors."""
        return strand_profile(self.score, self.known_error, self.against)


def held_of(table: ScoreTable, comparison: Comparison, strand: str | None, window: Window) -> pl.DataFrame:
    """Everybody's results that count in a window, of the whole test or of a strand."""
    scope = comparison.scope.model_copy(update={"strand": strand})
    return of_window(table, scope, window)


def _means(held: pl.DataFrame, rows: pl.DataFrame, keys: Sequence[str]) -> FloatArray:
    """Mean score of all who share a student's values of some columns, one entry a student."""
    means = held.drop_nulls(list(keys)).group_by(keys).agg(pl.col("score").mean().alias("mean"))
    joined = rows.join(means, on=list(keys), how="left", maintain_order="left")
    return numbers_of(joined["mean"])


def _numbers(table: ScoreTable, held: pl.DataFrame, scope: Scope, window: Window) -> dict[str, FloatArray]:
    """Scores and errors of a window's results as arrays with NaN at the end, kept while the data stay."""

    def made() -> dict[str, FloatArray]:
        return {name: np.append(numbers_of(held[name]), np.nan) for name in ("score", "standard_error")}

    return table.worked.once(("numbers", scope.assessment, scope.subject, scope.language, window), made)


class _Sitting:
    """The students' results at one window. The strands of a test come from one sitting and share it."""

    def __init__(self, who: pl.DataFrame, held: pl.DataFrame, row: str | None = None) -> None:
        """``row``: the column that says which of the window's results each student's is, where one does."""
        self.line = held["line"]
        """The lines of the window's results, of everybody."""
        if row is not None:
            self._at = who[row]
        else:
            at = held.select("student_id").with_row_index("at")
            self._at = who.select("student_id").join(at, on="student_id", how="left", maintain_order="left")["at"]
        self._place = self._at.fill_null(held.height).to_numpy()
        self._held = held
        self._placed: PlacedTests | None = None

    def values(self, column: FloatArray) -> FloatArray:
        """A column of the window's results with NaN at its end, one entry a student; NaN without a result."""
        taken: FloatArray = column[self._place]
        return taken

    @cached_property
    def rows(self) -> pl.DataFrame:
        """Grade, school, class, day and score of each student's result."""
        return self._held.select(
            pl.col("grade", "school", "section", "tested_on", "score").gather(self._at)
        )  # fmt: skip

    def placed(self, table: ScoreTable, window: Window) -> PlacedTests:
        """The students' tests by grade and day, as norms go by them."""
        if self._placed is None:
            side = self.rows.rename({"score": "to_score", "tested_on": "to_tested_on"})
            self._placed = placed_tests(table, window, Grades.of(self.rows["grade"]), side, "to")
        return self._placed


def _line_of(
    line: Line, comparison: Comparison, table: ScoreTable, strand: str, window: Window, held: pl.DataFrame,
    sitting: _Sitting, notes: Notes,
) -> FloatArray:  # fmt: skip
    """What one strand is held against, one entry a student; NaN where that is not known.

    ``held``: everybody's results at the window.
    """
    scope = comparison.scope.model_copy(update={"strand": strand})
    rows = sitting.rows
    if line == "class":
        return _means(in_reach(held, scope), rows, ("school", "section"))
    if line == "grade":
        return _means(in_reach(held, scope), rows, ("school", "grade"))
    if line == "district":
        enough = held.filter(pl.len().over("grade") >= FEWEST_DISTRICT)
        return _means(enough, rows, ("grade",))
    placed = sitting.placed(table, window)
    norms = norms_of(table, scope, window, placed, notes)
    if line == "norm":
        return norms.mean
    score, none = sitting.values(_numbers(table, held, scope, window)["score"]), np.full(rows.height, np.nan)
    bands = bands_at(table, scope, window, placed.grades, score, norms, none, notes)
    order = quoted_order(len(comparison.bands)) - 2
    if not 0 <= order < bands.lines.shape[1]:
        return none
    return np.asarray(bands.lines[:, order], dtype=np.float64)


def strand_scores(
    comparison: Comparison, students: pl.DataFrame, strands: Sequence[str], whole: ScoreTable, table_of: TableOf,
    line: Line, window: Window, notes: Notes, *, of_points: bool,
) -> StrandScores:  # fmt: skip
    """The students' strand scores at a window and the line they are held against.

    ``students``: of the comparison, which is of the whole test; with the columns ``ROWS``.
    """
    scope = comparison.scope
    held = held_of(whole, comparison, None, window)
    sitting = _Sitting(students, held, dict(zip((scope.first, scope.second), ROWS, strict=True)).get(window))
    overall = sitting.values(_numbers(whole, held, comparison.scope, window)["score"])
    columns: dict[str, list[FloatArray]] = {"score": [], "error": [], "against": []}
    for strand in strands:
        table = table_of(strand)
        held = held_of(table, comparison, strand, window)
        if not held["line"].equals(sitting.line):
            sitting = _Sitting(students, held)
        numbers = _numbers(table, held, comparison.scope, window)
        columns["score"].append(sitting.values(numbers["score"]))
        columns["error"].append(sitting.values(numbers["standard_error"]))
        if line != "own":
            columns["against"].append(_line_of(line, comparison, table, strand, window, held, sitting, notes))
    score, error = (np.stack(columns[name]).T for name in ("score", "error"))
    if of_points:
        # The whole of a test in points is on another scale: the mean of the strands stands for it.
        known = ~np.isnan(score)
        overall = np.where(known, score, 0.0).sum(axis=1) / np.where(known.any(axis=1), known.sum(axis=1), np.nan)
    against = np.broadcast_to(overall[:, None], score.shape) if line == "own" else np.stack(columns["against"]).T
    return StrandScores(window, score, error, against, overall)
