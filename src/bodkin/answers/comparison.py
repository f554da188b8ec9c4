"""Two windows compared: every student's figures, from which all summaries are drawn."""

from dataclasses import dataclass

import numpy as np
import polars as pl

from bodkin.answers.pairing import Pairs, pair
from bodkin.answers.scope import Piece, Scope, sentence
from bodkin.answers.yardsticks import (
    BandsAt,
    NormsAt,
    Notes,
    bands_at,
    correlations,
    norms_at,
    target_grades,
)
from bodkin.core.arrays import FloatArray
from bodkin.core.cuts import near_cut
from bodkin.core.expected_growth import ExpectedGrowth, GrowthSeen, expected_growth, growth_seen
from bodkin.core.scales import percentile_rank
from bodkin.core.windows import within_one_year
from bodkin.store.score_table import ScoreTable

VERDICTS = {1.0: "clearly_above", 0.0: "as_expected", -1.0: "clearly_below"}

STUDENT_COLUMNS = (
    "student_id",
    "from_grade",
    "to_grade",
    "from_tested_on",
    "to_tested_on",
    "from_score",
    "to_score",
    "gain",
    "from_percentile",
    "to_percentile",
    "expected_score",
    "expected_low",
    "expected_high",
    "expected_percentile",
    "expected_gain",
    "gain_z",
    "growth_percentile",
    "met",
    "verdict",
    "from_band",
    "to_band",
    "near_cut",
    "left_out",
)
"""The columns of ``students.csv``, in order."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """Everything known of a scope's students at two windows.

    ``students``: one row per student with a result in either window: the columns of
    ``students.csv`` and what they were worked out from. ``outside``: students left out because
    all their results lie outside the windows. ``bands``: band names from the lowest up.
    The arrays of ``seen`` and ``expectation`` run along ``students``.
    """

    scope: Scope
    pieces: list[Piece]
    students: pl.DataFrame
    outside: pl.DataFrame
    bands: list[str]
    seen: GrowthSeen
    expectation: ExpectedGrowth
    notes: list[str]
    version: int


def _numbers(series: pl.Series) -> FloatArray:
    return series.cast(pl.Float64).fill_null(float("nan")).to_numpy()


def _ranked(scores: FloatArray, norms: NormsAt, own: FloatArray) -> FloatArray:
    """Percentile from the norm, or the file's own where there is no norm."""
    from_norm = percentile_rank(scores, norms.mean, norms.sd)
    return np.where(np.isnan(from_norm), own, from_norm)


def _expectation(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, first: NormsAt, target: NormsAt, notes: Notes
) -> ExpectedGrowth:
    score = _numbers(rows["from_score"])
    nothing = np.full(rows.height, np.nan)
    if not table.norms.height:
        notes.add("no norms were given, so nothing can be expected")
        return ExpectedGrowth(nothing, nothing, nothing)
    if not within_one_year(scope.first, scope.second):
        notes.add("the windows lie more than one year apart, so nothing can be expected")
        return ExpectedGrowth(nothing, nothing, nothing)
    rho = correlations(table, scope, rows["from_grade"].to_list(), notes)
    return expected_growth(score, first.mean, first.sd, target.mean, target.sd, rho)


def _band_names(first: BandsAt, second: BandsAt, table: ScoreTable, scope: Scope, notes: Notes) -> list[str]:
    names = dict(first.names)
    for order, band in second.names.items():
        if names.setdefault(order, band) != band:
            notes.add(f'band {order} is called "{names[order]}" in one set of cuts and "{band}" in another')
    if not names:
        rows = table.cuts.filter((pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject))
        for order, band in rows.select("order", "band").iter_rows():
            names.setdefault(order, band)
    return [names[order] for order in sorted(names)]


def compare(table: ScoreTable, scope: Scope, pieces: list[Piece] | None = None) -> Comparison:
    """Work out every student's figures for a scope.

    ``pieces`` is the scope's sentence where the caller knows it better (names of groups).
    """
    notes = Notes()
    pairs: Pairs = pair(table, scope)
    rows = pairs.rows
    grades, later_grades = rows["from_grade"].to_list(), rows["to_grade"].to_list()
    first = norms_at(table, scope, scope.first, grades, rows, "from", notes)
    due = target_grades(scope, grades, later_grades)
    target = norms_at(table, scope, scope.second, due, rows, "to", notes)
    x1, x2 = _numbers(rows["from_score"]), _numbers(rows["to_score"])
    s1, s2 = _numbers(rows["from_standard_error"]), _numbers(rows["to_standard_error"])
    own1, own2 = _numbers(rows["from_percentile"]), _numbers(rows["to_percentile"])
    expectation = _expectation(table, scope, rows, first, target, notes)
    seen = growth_seen(x1, x2, expectation, s1, s2)
    before = bands_at(table, scope, scope.first, grades, x1, first, own1, notes)
    after = bands_at(table, scope, scope.second, later_grades, x2, target, own2, notes)
    if not table.cuts.height:
        notes.add("no cuts were given, so there are no bands")
    later = ~np.isnan(x2)
    lines = np.where(later[:, None], after.lines, before.lines) if rows.height else after.lines
    near = near_cut(np.where(later, x2, x1), np.where(later, s2, s1), lines)
    bands = _band_names(before, after, table, scope, notes)
    names = dict(enumerate(bands, start=1))
    figures = {
        "gain": seen.gain,
        "from_percentile": _ranked(x1, first, own1),
        "to_percentile": _ranked(x2, target, own2),
        "expected_score": expectation.score,
        "expected_low": expectation.low,
        "expected_high": expectation.high,
        "expected_percentile": percentile_rank(expectation.score, target.mean, target.sd),
        "expected_gain": expectation.gain,
        "expected_spread": expectation.spread,
        "gain_z": seen.distance,
        "growth_percentile": seen.percentile,
        "from_order": before.orders,
        "to_order": after.orders,
        "from_norm_mean": first.mean,
        "from_norm_sd": first.sd,
        "from_week": first.week,
        "to_norm_mean": target.mean,
        "to_norm_sd": target.sd,
        "to_week": target.week,
    }
    students = rows.with_columns(
        *(pl.Series(name, values).fill_nan(None) for name, values in figures.items()),
        pl.Series("met", [None if np.isnan(v) else bool(v) for v in seen.met], dtype=pl.Boolean),
        pl.Series("verdict", [VERDICTS.get(v) for v in seen.verdict], dtype=pl.String),
        pl.Series("from_band", [names.get(v) for v in before.orders], dtype=pl.String),
        pl.Series("to_band", [names.get(v) for v in after.orders], dtype=pl.String),
        pl.Series("near_cut", [None if np.isnan(v) else bool(v) for v in near], dtype=pl.Boolean),
    )
    if not scope.matched:
        # Nobody is left out of shares over each window's own; the summary still counts reasons.
        students = students.with_columns(unmatched=pl.col("left_out"), left_out=pl.lit(None, dtype=pl.String))
    else:
        students = students.with_columns(unmatched=pl.col("left_out"))
    told = pieces if pieces is not None else sentence(scope, norms=bool(table.norms.height))
    return Comparison(scope, told, students, pairs.outside, bands, seen, expectation, notes.told, table.version)
