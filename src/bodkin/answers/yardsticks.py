"""Norms, growth norms and cuts put beside each student's results."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import polars as pl
from numpy.typing import NDArray

from bodkin.answers.scope import Scope
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.cuts import CutRow, CutSet, band_orders, cut_set
from bodkin.core.expected_growth import DEFAULT_CORRELATION
from bodkin.core.norms import middle_row, norm_curve
from bodkin.core.scales import percent_below, score_at_percentile
from bodkin.core.windows import Window, across_summer, grade_key, next_grade
from bodkin.store.score_table import ScoreTable


@dataclass(slots=True)
class Notes:
    """Reasons why something could not be computed or stands on an assumption, each said once."""

    told: list[str] = field(default_factory=list)

    def add(self, note: str) -> None:
        """Add a note unless it is there already."""
        if note not in self.told:
            self.told.append(note)


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
        met = sorted(grades.drop_nulls().unique().to_list(), key=grade_key)
        if not met:
            return cls([], np.full(grades.len(), -1, dtype=np.int64))
        places = grades.cast(pl.Enum(met)).to_physical().cast(pl.Int64)
        return cls(met, places.fill_null(-1).to_numpy())

    def among(self, grade: str) -> BoolArray:
        """Which students are in a grade that was met."""
        return np.asarray(self.place == self.met.index(grade))

    def values(self, known: Mapping[str, float], default: float = np.nan) -> FloatArray:
        """Each student's value by grade; ``default`` for a grade not listed, NaN without a grade."""
        return np.array([*(known.get(grade, default) for grade in self.met), np.nan])[self.place]


def _weeks(table: ScoreTable, window: Window, days: NDArray[np.datetime64], still_to_come: BoolArray) -> FloatArray:
    """Instructional week of each test; one still to come stands at the middle of its window."""
    year = table.calendar.years.get(window.school_year)
    if year is None:
        return np.full(days.shape, np.nan)
    span = window.days or table.calendar.windows.get(str(window))
    if span is not None:
        first, last = (np.datetime64(day, "D") for day in span)
        days = np.where(still_to_come, first + (last - first) // 2, days)
    known = ~np.isnat(days)
    weeks = np.full(days.shape, np.nan)
    if known.any():
        # Many students share a day: each day is counted once.
        begin = days[known].min()
        every = np.arange(begin, days[known].max() + np.timedelta64(1, "D"), dtype="datetime64[D]")
        weeks[known] = year.week_of(every)[(days[known] - begin).astype(np.int64)]
    return weeks


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
    n = grades.place.size
    mean, sd, week = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan)
    if not table.norms.height or not n:
        return NormsAt(mean, sd, week)
    days = rows[f"{side}_tested_on"].to_numpy().astype("datetime64[D]")
    weeks = _weeks(table, window, days, rows[f"{side}_score"].is_null().to_numpy())
    by_grade = _norms_by_grade(table, scope)
    for grade in grades.met:
        mine = grades.among(grade)
        norms = by_grade.get(grade, [])
        by_week = mine & ~np.isnan(weeks)
        dated = [norm for norm in norms if norm[1] is not None]
        if dated and by_week.any():
            curve = norm_curve(*(np.array(column, dtype=np.float64) for column in list(zip(*dated, strict=True))[1:]))
            values = curve.at(weeks[by_week])
            mean[by_week], sd[by_week], week[by_week] = values.mean, values.sd, weeks[by_week]
            if values.beyond.any():
                notes.add(
                    f"{int(values.beyond.sum())} tests of grade {grade} in {window.label} lie before the first or "
                    "after the last week of the norms; the end value stands"
                )
            mine = mine & ~by_week
        season = [norm for norm in norms if norm[0] == window.season]
        if season and mine.any():
            chosen = season[middle_row([np.nan if norm[1] is None else norm[1] for norm in season])]
            mean[mine], sd[mine] = chosen[2], chosen[3]
        elif mine.any():
            notes.add(f"no norm for grade {grade} in {window.season}")
    return NormsAt(mean, sd, week)


def target_grades(scope: Scope, first: pl.Series, second: pl.Series) -> pl.Series:
    """The grade each student is expected in: the one seen at the second window, else the one due."""
    due = first
    if across_summer(scope.first, scope.second):
        met = first.drop_nulls().unique().to_list()
        due = first.replace_strict({grade: next_grade(grade) for grade in met}, default=None, return_dtype=pl.String)
    return second.zip_with(second.is_not_null(), due)


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


def _set_for(rows: pl.DataFrame) -> CutSet:
    return cut_set([CutRow(*row) for row in rows.select("order", "band", "min_score", "min_percentile").iter_rows()])


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
    n = grades.place.size
    orders = np.full(n, np.nan)
    names: dict[int, str] = {}
    sets = table.cuts.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
    by_key = dict(iter(sets.group_by(["grade", "season"])))
    width = max((rows.height - 1 for rows in by_key.values()), default=0)
    lines = np.full((n, width), np.nan)
    known = ~np.isnan(scores)
    for grade in grades.met if sets.height else []:
        mine: BoolArray = grades.among(grade) & known
        if not mine.any():
            continue
        rows = by_key.get((grade, window.season)) if scope.cuts == "season" else None
        if rows is None:
            rows = by_key.get((grade, None))
            if rows is None:
                notes.add(
                    f"no {'' if scope.cuts == 'season' else 'year-end '}cuts for grade {grade} in {window.season}"
                )
                continue
            if scope.cuts == "season":
                notes.add(f"no {window.season} cuts for grade {grade}; the year-end cuts stand")
        chosen = _set_for(rows)
        for order, band in enumerate(chosen.bands, start=1):
            if names.setdefault(order, band) != band:
                notes.add(f'band {order} is called "{names[order]}" in one grade and "{band}" in another')
        if chosen.kind == "score":
            orders[mine] = band_orders(scores[mine], chosen.cuts)
            lines[mine, : len(chosen.cuts)] = chosen.cuts
            continue
        below = percent_below(scores[mine], norms.mean[mine], norms.sd[mine])
        orders[mine] = band_orders(np.where(np.isnan(below), percentiles[mine], below), chosen.cuts)
        for place, cut in enumerate(chosen.cuts):
            lines[mine, place] = score_at_percentile(np.full(int(mine.sum()), cut), norms.mean[mine], norms.sd[mine])
    return BandsAt(orders, lines, names)
