"""Norms, growth norms and cuts put beside each student's results."""

from dataclasses import dataclass, field

import numpy as np
import polars as pl
from numpy.typing import NDArray

from bodkin.answers.scope import Scope
from bodkin.core.arrays import BoolArray, FloatArray
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


def _grades(values: list[str | None]) -> list[str]:
    return sorted({value for value in values if value is not None}, key=grade_key)


def _weeks(table: ScoreTable, window: Window, days: NDArray[np.datetime64], still_to_come: BoolArray) -> FloatArray:
    """Instructional week of each test; one still to come stands at the middle of its window."""
    year = table.calendar.years.get(window.school_year)
    if year is None:
        return np.full(days.shape, np.nan)
    span = table.calendar.windows.get(str(window))
    if span is not None:
        first, last = (np.datetime64(day, "D") for day in span)
        days = np.where(still_to_come, first + (last - first) // 2, days)
    return year.week_of(days)


def norms_at(
    table: ScoreTable,
    scope: Scope,
    window: Window,
    grades: list[str | None],
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
    n = len(grades)
    mean, sd, week = np.full(n, np.nan), np.full(n, np.nan), np.full(n, np.nan)
    if not table.norms.height or not n:
        return NormsAt(mean, sd, week)
    days = rows[f"{side}_tested_on"].cast(pl.Datetime("ms")).to_numpy().astype("datetime64[D]")
    weeks = _weeks(table, window, days, rows[f"{side}_score"].is_null().to_numpy())
    of_measure = table.norms.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
    names = np.array([grade or "" for grade in grades])
    for grade in _grades(grades):
        mine = names == grade
        norms = of_measure.filter(pl.col("grade") == grade)
        by_week = mine & ~np.isnan(weeks)
        dated = norms.filter(pl.col("week").is_not_null())
        if by_week.any() and dated.height:
            curve = norm_curve(*(dated[name].to_numpy() for name in ("week", "mean", "sd")))
            values = curve.at(weeks[by_week])
            mean[by_week], sd[by_week], week[by_week] = values.mean, values.sd, weeks[by_week]
            if values.beyond.any():
                notes.add(
                    f"{int(values.beyond.sum())} tests of grade {grade} in {window} lie before the first or after "
                    "the last week of the norms; the end value stands"
                )
            mine = mine & ~by_week
        season = norms.filter(pl.col("season") == window.season)
        if mine.any() and season.height:
            row = season.row(middle_row(season["week"].fill_null(float("nan")).to_list()), named=True)
            mean[mine], sd[mine] = row["mean"], row["sd"]
        elif mine.any():
            notes.add(f"no norm for grade {grade} in {window.season}")
    return NormsAt(mean, sd, week)


def target_grades(scope: Scope, first: list[str | None], second: list[str | None]) -> list[str | None]:
    """The grade each student is expected in: the one seen at the second window, else the one due."""
    summer = across_summer(scope.first, scope.second)
    due = [next_grade(grade) if summer and grade is not None else grade for grade in first]
    return [seen if seen is not None else expected for seen, expected in zip(second, due, strict=True)]


def correlations(table: ScoreTable, scope: Scope, grades: list[str | None], notes: Notes) -> FloatArray:
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
    for grade in _grades(grades):
        if grade not in known:
            notes.add(
                f"no growth norm for grade {grade} from {first} to {second}; "
                f"a correlation of {DEFAULT_CORRELATION} is assumed"
            )
    return np.array([known.get(grade, DEFAULT_CORRELATION) if grade else np.nan for grade in grades], dtype=np.float64)


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
    grades: list[str | None],
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
    n = len(grades)
    orders = np.full(n, np.nan)
    names: dict[int, str] = {}
    sets = table.cuts.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
    by_key = dict(iter(sets.group_by(["grade", "season"])))
    width = max((rows.height - 1 for rows in by_key.values()), default=0)
    lines = np.full((n, width), np.nan)
    marks = np.array([grade or "" for grade in grades])
    known = ~np.isnan(scores)
    for grade in _grades(grades) if sets.height else []:
        mine: BoolArray = (marks == grade) & known
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
