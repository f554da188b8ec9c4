"""Norms, growth norms and cuts put beside each student's results."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import polars as pl
from numpy.typing import NDArray

from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.growth.expected_growth import DEFAULT_CORRELATION
from bodkin.core.scores.cuts import CutRow, CutSet, band_orders, cut_set
from bodkin.core.scores.norms import NormCurve, middle_row, norm_curve
from bodkin.core.scores.scales import percent_below, score_at_percentile
from bodkin.core.windows import Window, across_summer, grade_key, next_grade
from bodkin.store.reads.table.score_table import ScoreTable

FEW = 200
"""So many students are gone through one by one in less time than a column takes to be numbered."""


@dataclass(slots=True)
class Notes:
    """Reasons why something could not be computed or stands on an assumption, each said once."""

    reasons: list[str] = field(default_factory=list)

    def add(self, note: str) -> None:
        """Add a note unless it is there already."""
        if note not in self.reasons:
            self.reasons.append(note)


@dataclass(frozen=True, slots=True)
class NormsAt:
    """Norm mean and spread for each student at one window, and the week they stand for.

    ``week`` is NaN where the season's own row was used.
    """

    mean: FloatArray
    sd: FloatArray
    week: FloatArray


@dataclass(frozen=True, slots=True)
class Grades:
    """Each student's grade as a number into the grades met, in school order; -1 without one."""

    met: list[str]
    place: IntArray

    @classmethod
    def of(cls, grades: pl.Series) -> "Grades":
        """The grades of students, one entry a student."""
        if len(grades) < FEW:
            given = grades.to_list()
            met = sorted({one for one in given if one is not None}, key=grade_key)
            at = {grade: place for place, grade in enumerate(met)}
            return cls(met, np.array([at.get(one, -1) for one in given], dtype=np.int64))
        # Words that are kept once have numbers already; the numbers of others last as long as these names.
        names = pl.Categories.random()
        known = grades if grades.dtype == pl.Categorical else grades.cast(pl.Categorical(names))
        there = known.unique().drop_nulls()
        words, numbers = there.to_list(), there.to_physical().cast(pl.Int64).to_numpy()
        order = sorted(range(len(words)), key=lambda at: grade_key(words[at]))
        rank = np.full(int(numbers.max(initial=-1)) + 2, -1, dtype=np.int64)
        rank[numbers[order]] = np.arange(len(order))
        # The last one stands for nobody's grade.
        place = known.to_physical().cast(pl.Int64).fill_null(-1).to_numpy()
        return cls([words[at] for at in order], rank[place])

    def or_else(self, other: "Grades") -> "Grades":
        """These grades; the other's for students who have none here."""
        names = sorted({*self.met, *other.met}, key=grade_key)
        mine, theirs = (np.array([*(names.index(grade) for grade in one.met), -1])[one.place] for one in (self, other))
        place = np.where(mine >= 0, mine, theirs)
        there = np.flatnonzero(np.bincount(place[place >= 0], minlength=len(names)))
        rank = np.full(len(names) + 1, -1, dtype=np.int64)
        rank[there] = np.arange(there.size)
        return Grades([names[at] for at in there], rank[place])

    def among(self, grade: str) -> BoolArray:
        """Which students are in a grade that was met."""
        return np.asarray(self.place == self.met.index(grade))

    def values(self, known: Mapping[str, float], default: float = np.nan) -> FloatArray:
        """Each student's value by grade; ``default`` for a grade not listed, NaN without a grade."""
        return np.array([*(known.get(grade, default) for grade in self.met), np.nan])[self.place]


@dataclass(frozen=True, slots=True)
class _Days:
    """The instructional week of every day that tests lie on, NaN last; and each test's place among them.

    Many students share a day, so what goes by the day is worked out once for all of them.
    """

    week: FloatArray
    place: IntArray


def _days(table: ScoreTable, window: Window, days: NDArray[np.datetime64], still_to_come: BoolArray) -> _Days:
    """Instructional week of each test; one still to come stands at the middle of its window."""
    year = table.calendar.years.get(window.school_year)
    if year is None:
        return _Days(np.array([np.nan]), np.full(days.shape, -1))
    span = window.days or table.calendar.windows.get(str(window))
    if span is not None:
        first, last = (np.datetime64(day, "D") for day in span)
        days = np.where(still_to_come, first + (last - first) // 2, days)
    known = ~np.isnat(days)
    if not known.any():
        return _Days(np.array([np.nan]), np.full(days.shape, -1))
    begin = days[known].min()
    every = np.arange(begin, days[known].max() + np.timedelta64(1, "D"), dtype="datetime64[D]")
    place = np.where(known, (days - begin).astype(np.int64), -1)
    return _Days(np.append(year.week_of(every), np.nan), place)


_Norm = tuple[str, float | None, float, float]
"""Season, week, mean and spread of a norm row."""


def _norms_by_grade(table: ScoreTable, scope: Scope) -> dict[str, list[_Norm]]:
    """The measure's norm rows by grade, in their order."""

    def made() -> dict[str, list[_Norm]]:
        found: dict[str, list[_Norm]] = {}
        own = table.norms.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
        for grade, *norm in own.select("grade", "season", "week", "mean", "sd").iter_rows():
            found.setdefault(grade, []).append((norm[0], norm[1], norm[2], norm[3]))
        return found

    return table.worked.once(("norms", scope.assessment, scope.subject), made)


@dataclass(frozen=True, slots=True)
class PlacedTests:
    """Each student's test by grade and day, so that what goes by them is worked out once for each grade and day.

    ``cell``: each student's place in a grid of grades (the last row: no grade) x days (the last column: no day).
    ``tests``: how many tests lie in each cell, of the grid's shape.
    """

    grades: Grades
    week: FloatArray
    cell: IntArray
    tests: IntArray


def placed_tests(table: ScoreTable, window: Window, grades: Grades, rows: pl.DataFrame, side: str) -> PlacedTests:
    """Students' tests at a window by grade and day.

    ``rows`` holds the ``side`` ("from" or "to") looked at; where that has no score the test is still to come.
    """
    tested_on = rows[f"{side}_tested_on"].to_numpy().astype("datetime64[D]")
    days = _days(table, window, tested_on, np.isnan(rows[f"{side}_score"].to_numpy()))
    shape = len(grades.met) + 1, days.week.size
    cell = np.where(grades.place < 0, len(grades.met), grades.place) * shape[1]
    cell += np.where(days.place < 0, shape[1] - 1, days.place)
    tests = np.bincount(cell, minlength=shape[0] * shape[1]).reshape(shape)
    return PlacedTests(grades, days.week, cell, tests)


def norms_at(
    table: ScoreTable,
    scope: Scope,
    window: Window,
    grades: Grades,
    rows: pl.DataFrame,
    side: str,
    notes: Notes,
) -> NormsAt:
    """Each student's norm at a window, by own grade and by week of the test or by season.

    Where the calendar of the school year is known the week decides, interpolated between the
    rows of the grade; otherwise, and for a result without a date, the row of the season stands,
    of several the one with the middle week. ``rows`` holds the ``side`` ("from" or "to") looked
    at; where that has no score the test is still to come. Without a fitting norm: NaN, a note.
    """
    return norms_of(table, scope, window, placed_tests(table, window, grades, rows, side), notes)


def norms_of(table: ScoreTable, scope: Scope, window: Window, placed: PlacedTests, notes: Notes) -> NormsAt:
    """The norms of tests that were placed by grade and day already; see ``norms_at``."""
    if not table.norms.height:
        return NormsAt(*(np.full(placed.cell.size, np.nan) for _ in range(3)))
    by_grade = _norms_by_grade(table, scope)
    grid = np.full((3, *placed.tests.shape), np.nan)
    for at, grade in enumerate(placed.grades.met):
        norms, tests = by_grade.get(grade, []), placed.tests[at]
        # Only where tests have a day, for norms that make no curve are a fault only then.
        curve = _curve_of(table, scope, grade, norms) if tests[:-1].any() else None
        _fill_grade(grid[:, at], norms, curve, placed.week, tests, grade, window, notes)
    return NormsAt(*(values.ravel()[placed.cell] for values in grid))


def _curve_of(table: ScoreTable, scope: Scope, grade: str, norms: list[_Norm]) -> NormCurve | None:
    """The curve of a grade's norms with a week; None where there are none."""

    def made() -> NormCurve | None:
        dated = [norm for norm in norms if norm[1] is not None]
        if not dated:
            return None
        return norm_curve(*(np.array(column, dtype=np.float64) for column in list(zip(*dated, strict=True))[1:]))

    return table.worked.once(("norm_curve", scope.assessment, scope.subject, grade), made)


def _fill_grade(
    values: FloatArray, norms: list[_Norm], curve: NormCurve | None, week: FloatArray, tests: IntArray, grade: str,
    window: Window, notes: Notes,
) -> None:  # fmt: skip
    """Put mean, spread and week of one grade into ``values``, shape (3, days), the last for tests without a day.

    ``tests``: how many tests of the grade lie on each of the days.
    """
    weekless = slice(None)
    if curve is not None:
        at_day = curve.at(week[:-1])
        values[:, :-1] = at_day.mean, at_day.sd, week[:-1]
        if beyond := int(tests[:-1][at_day.beyond].sum()):
            notes.add(
                f"{beyond:,} tests of grade {grade} in {window.label} lie before the first or "
                "after the last week of the norms; the value at the end is used"
            )
        weekless = slice(-1, None)
    if not tests[weekless].any():
        return
    season = [norm for norm in norms if norm[0] == window.season]
    if not season:
        notes.add(f"no norm for grade {grade} in {window.season}")
        return
    chosen = season[middle_row([np.nan if norm[1] is None else norm[1] for norm in season])]
    values[:2, weekless] = np.array(chosen[2:])[:, None]


def target_grades(scope: Scope, first: Grades, second: Grades) -> Grades:
    """The grade each student is expected in: the one seen at the second window, else the one due."""
    due = first
    if across_summer(scope.first, scope.second):
        steps = [next_grade(grade) for grade in first.met]
        known = sorted({grade for grade in steps if grade is not None}, key=grade_key)
        places = [-1 if grade is None else known.index(grade) for grade in steps]
        due = Grades(known, np.array([*places, -1])[first.place])
    return second.or_else(due)


def correlations(table: ScoreTable, scope: Scope, grades: Grades, notes: Notes) -> FloatArray:
    """Correlation of scores between the windows for each student's first grade.

    Where the growth norms have no row the default stands, with a note.
    """
    first, second = scope.first.season, scope.second.season
    rows = table.growth_norms.filter(
        (pl.col("assessment") == scope.assessment)
        & (pl.col("subject") == scope.subject)
        & (pl.col("from_season") == first)
        & (pl.col("to_season") == second)
    )
    known = dict(rows.select("grade", "correlation").iter_rows())
    for grade in grades.met:
        if grade not in known:
            notes.add(
                f"no growth norm for grade {grade} from {first} to {second}; "
                f"a correlation of {DEFAULT_CORRELATION} is assumed"
            )
    return grades.values(known, DEFAULT_CORRELATION)


@dataclass(frozen=True, slots=True)
class BandsAt:
    """Band order of each student at one window, and the cuts in scale points, shape (n, k).

    ``names`` are the bands by order as far as cut sets were met.
    """

    orders: FloatArray
    lines: FloatArray
    names: dict[int, str]


def _cut_sets(table: ScoreTable, scope: Scope) -> dict[tuple[str, str | None], CutSet]:
    """The measure's cut sets by grade and season, None for the year-end set."""

    def made() -> dict[tuple[str, str | None], CutSet]:
        rows: dict[tuple[str, str | None], list[CutRow]] = {}
        own = table.cuts.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
        for grade, season, *cut in own.select(
            "grade", "season", "order", "band", "min_score", "min_percentile"
        ).iter_rows():
            rows.setdefault((grade, season), []).append(CutRow(*cut))
        return {key: cut_set(cuts) for key, cuts in rows.items()}

    return table.worked.once(("cuts", scope.assessment, scope.subject), made)


def _scores_at(percentiles: FloatArray, mean: FloatArray, sd: FloatArray) -> FloatArray:
    """The scores of percentile cuts, a row a student."""
    shape = percentiles.shape
    means, sds = (np.broadcast_to(one[:, None], shape) for one in (mean, sd))
    return score_at_percentile(percentiles, means, sds)


def bands_at(
    table: ScoreTable,
    scope: Scope,
    window: Window,
    grades: Grades,
    scores: FloatArray,
    norms: NormsAt,
    percentiles: FloatArray,
    notes: Notes,
) -> BandsAt:
    """Each student's band at a window by the cuts of own grade.

    With season cuts chosen, the season's set stands where there is one, else the year-end set,
    with a note. A percentile cut is compared unrounded with the norm percentile, or with the
    file's own percentile where there is no norm.
    """
    sets = _cut_sets(table, scope)
    place = np.where(np.isnan(scores), -1, grades.place)
    chosen = _chosen_cuts(sets, scope, window, grades, np.bincount(place + 1, minlength=len(grades.met) + 1)[1:], notes)
    # The cuts of each grade, the last row for students without one, and then of each student.
    width = max((len(one.cuts) for one in sets.values()), default=0)
    cuts = np.full((len(grades.met) + 1, width), np.nan)
    has, by_rank = np.zeros(len(cuts), dtype=np.bool_), np.zeros(len(cuts), dtype=np.bool_)
    for at, one in chosen.items():
        cuts[at, : len(one.cuts)] = one.cuts
        has[at], by_rank[at] = True, one.kind == "percentile"
    # Each cut lies side by side in memory for all students.
    lines = np.take(cuts.T, place, axis=1).T
    values = np.where(has[place], scores, np.nan)
    ranked = by_rank[place]
    if not ranked.any():
        return BandsAt(band_orders(values, lines), lines, _names_of(chosen, notes))
    mean, sd = norms.mean[ranked], norms.sd[ranked]
    below = percent_below(scores[ranked], mean, sd)
    values[ranked] = np.where(np.isnan(below), percentiles[ranked], below)
    orders = band_orders(values, lines)
    lines[ranked] = _scores_at(lines[ranked], mean, sd)
    return BandsAt(orders, lines, _names_of(chosen, notes))


def _chosen_cuts(
    sets: Mapping[tuple[str, str | None], CutSet], scope: Scope, window: Window, grades: Grades, tested: IntArray,
    notes: Notes,
) -> dict[int, CutSet]:  # fmt: skip
    """The cut set of each grade with tests, by the grade's place: the season's, else the year-end set with a note."""
    found: dict[int, CutSet] = {}
    by_season = scope.cuts == "season"
    for at, grade in enumerate(grades.met):
        if not sets or not tested[at]:
            continue
        one = sets.get((grade, window.season)) if by_season else None
        if one is None and (one := sets.get((grade, None))) is not None and by_season:
            notes.add(f"no {window.season} cuts for grade {grade}; the year-end cuts are used")
        if one is None:
            notes.add(f"no {'' if by_season else 'year-end '}cuts for grade {grade} in {window.season}")
        else:
            found[at] = one
    return found


def _names_of(chosen: Mapping[int, CutSet], notes: Notes) -> dict[int, str]:
    """Band names by order over the grades; a name that differs from grade to grade is noted."""
    names: dict[int, str] = {}
    for one in chosen.values():
        for order, band in enumerate(one.bands, start=1):
            if names.setdefault(order, band) != band:
                notes.add(f'band {order} is called "{names[order]}" in one grade and "{band}" in another')
    return names
