"""The counted results of a scope in all its windows, for the trend."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import polars as pl

from bodkin.answers.comparison.pairing import FIELDS, in_reach, narrowed, of_window
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import BoolArray, IntArray
from bodkin.store.reads.table.score_table import ScoreTable

_CARRIED = ("score", "tested_on", "percentile")


@dataclass(frozen=True, slots=True)
class OverWindows:
    """Every counted result of a scope in all its windows.

    ``rows``: one a result, with ``score``, ``tested_on``, ``percentile``, ``own_grade`` (that of the day of the
    test) and ``who``, its place in ``students``. Rows of a window stand together, from ``bounds[at]`` to
    ``bounds[at + 1]``. ``students``: ``student_id`` and where the student was at the latest result, by which the
    scope chooses; one row a student, or one a result where the scope follows grades. ``number``: each of these
    rows' student, counted from 0 to ``n``.
    """

    rows: pl.DataFrame
    bounds: IntArray
    students: pl.DataFrame
    number: IntArray
    n: int

    def window(self, at: int) -> slice:
        """Where the rows of a window stand."""
        return slice(int(self.bounds[at]), int(self.bounds[at + 1]))

    def rows_of(self, students: BoolArray) -> BoolArray:
        """Which rows are of some of the students."""
        found: BoolArray = students[self.rows["who"].to_numpy()]
        return found


@dataclass(frozen=True, slots=True)
class _Everybody:
    """Everybody with a result in one of some windows; kept while the data stay, so that no text is joined again.

    ``latest``: a row a student with where each was at the latest of these results. ``places``: shape (windows,
    students), the row of each one's result among those of the window; -1 without one.
    """

    latest: pl.DataFrame
    places: IntArray


def _everybody(table: ScoreTable, scope: Scope) -> _Everybody:
    def made() -> _Everybody:
        sides = [of_window(table, scope, window).select("student_id", *FIELDS) for window in scope.windows]
        # Window stands behind window, so that the last row of a student is the latest.
        latest = pl.concat(sides).unique("student_id", keep="last", maintain_order=True)
        numbered = latest.select("student_id").with_row_index("who")
        places = np.full((len(sides), latest.height), -1)
        for at, side in enumerate(sides):
            who = side.select("student_id").join(numbered, on="student_id", how="left", maintain_order="left")["who"]
            places[at, who.to_numpy()] = np.arange(side.height)
        return _Everybody(latest, places)

    key = ("everybody", scope.assessment, scope.subject, scope.language, *scope.windows)
    return table.worked.once(key, made)


class _InWindow(NamedTuple):
    """Results of a window, and the place of each one's student."""

    rows: pl.DataFrame
    who: IntArray


def over_windows(table: ScoreTable, scope: Scope) -> OverWindows:
    """The results of a scope over its windows. Matched: only students with a result in every window."""
    if scope.follow == "grade":
        return _of_grades(table, scope)
    everybody = _everybody(table, scope)
    students = everybody.latest.with_columns(place=np.arange(everybody.latest.height))
    if scope.paired:
        students = students[np.flatnonzero((everybody.places >= 0).all(axis=0))]
    students = narrowed(in_reach(students, scope), scope, table)
    places = everybody.places[:, students["place"].to_numpy()]
    sides = []
    for window, mine in zip(scope.windows, places, strict=True):
        there = np.flatnonzero(mine >= 0)
        rows = of_window(table, scope, window).select(*_CARRIED, own_grade="grade")
        sides.append(_InWindow(rows[mine[there]], there))
    return _together(sides, students.drop("place"), np.arange(students.height))


def _of_grades(table: ScoreTable, scope: Scope) -> OverWindows:
    """Where the scope follows grades, each window has its own students."""
    found = []
    for window in scope.windows:
        results = of_window(table, scope, window).with_columns(own_grade=pl.col("grade"))
        found.append(narrowed(in_reach(results, scope), scope, table))
    begins = np.cumsum([0, *(side.height for side in found)])
    sides = [
        _InWindow(side.select(*_CARRIED, "own_grade"), begin + np.arange(side.height))
        for side, begin in zip(found, begins, strict=False)
    ]
    students = pl.concat([side.select("student_id", *FIELDS) for side in found])
    return _together(sides, students, students["student_id"].rank("dense").cast(pl.Int64).to_numpy() - 1)


def _together(sides: list[_InWindow], students: pl.DataFrame, number: IntArray) -> OverWindows:
    rows = pl.concat([side.rows for side in sides])
    who = np.concatenate([side.who for side in sides])
    bounds = np.cumsum([0, *(side.rows.height for side in sides)])
    return OverWindows(rows.with_columns(who=who), bounds, students, number, int(number.max(initial=-1)) + 1)
