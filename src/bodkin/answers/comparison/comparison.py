"""Two windows compared: every student's figures, from which all summaries are drawn."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

import numpy as np
import polars as pl

from bodkin.answers.comparison.measures.strand_measure import CARRIED
from bodkin.answers.comparison.norms.expectation import Judged, expected_of
from bodkin.answers.comparison.norms.norms_and_cuts import (
    BandsAt,
    Grades,
    NormsAt,
    Notes,
    bands_at,
    norms_at,
    target_grades,
)
from bodkin.answers.comparison.norms.outlook import chances_at
from bodkin.answers.comparison.pairing import Pairs, pair
from bodkin.answers.scope.scope import FIELD, Scope
from bodkin.answers.scope.sentence import Piece, sentence
from bodkin.core.arrays import FloatArray
from bodkin.core.growth.expected_growth import ExpectedGrowth, GrowthSeen, error_away, growth_seen
from bodkin.core.scores.cuts import near_cut
from bodkin.core.scores.local_rank import lowest_fifth as in_lowest_fifth
from bodkin.core.scores.scales import percentile_rank
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of

VERDICTS = ("clearly_below", "as_expected", "clearly_above")
"""The verdicts -1, 0 and 1 of the core."""

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
    "chance_at_or_above",
)
"""The columns of ``students.csv``, in order."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """Everything known of a scope's students at two windows.

    ``students``: one row per student with a result in either window: the columns of
    ``students.csv`` and what they were worked out from. ``outside``: students left out because
    all their results lie outside the windows. ``bands``: band names from the lowest up.
    ``grades``: those of the later result, or the only one; they and the arrays of ``seen`` and
    ``expectation`` run along ``students``, as do the rows of ``chances``: of each cut of the second window,
    while that is still to come.
    """

    scope: Scope
    pieces: list[Piece]
    students: pl.DataFrame
    outside: pl.DataFrame
    bands: list[str]
    seen: GrowthSeen
    expectation: ExpectedGrowth
    grades: Grades
    chances: FloatArray | None
    notes: list[str]
    version: int


def quoted_order(bands: int) -> int:
    """Order of the band whose share at or above is quoted: the first of the upper half."""
    return bands // 2 + 1


def _just_below(score: FloatArray, error: FloatArray, lines: FloatArray, order: int) -> FloatArray:
    """1 for students below the quoted band by no more than their error, 0 for others, NaN without error or cut."""
    if lines.shape[1] < order - 1 or order < 2:
        return np.full(score.shape, np.nan)
    short = lines[:, order - 2] - score
    return np.where(np.isnan(short + error), np.nan, ((short > 0) & (short <= error)).astype(np.float64))


def _known(name: str, values: FloatArray) -> pl.Series:
    """Numbers of the core, NaN as empty."""
    return pl.Series(name, values, nan_to_null=True)


def _worded(name: str, values: FloatArray, words: Sequence[str], first: int) -> pl.Series:
    """Numbers of the core as the words they stand for, ``first`` for the first of them; NaN is empty."""
    return pl.Series(name, words, dtype=pl.String).gather(_known(name, values - first).cast(pl.UInt32))


def _ranked(scores: FloatArray, norms: NormsAt, own: FloatArray) -> FloatArray:
    """Percentile from the norm, or the file's own where there is no norm."""
    from_norm = percentile_rank(scores, norms.mean, norms.sd)
    return np.where(np.isnan(from_norm), own, from_norm)


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


Members = Mapping[str, frozenset[str]]
"""Students of each group a person knows of, by the group's name."""


def with_units(rows: pl.DataFrame, table: ScoreTable, scope: Scope, members: Members) -> pl.DataFrame:
    """Students with what a breakdown by group or by a field of the roster needs: a column named like it."""
    for by in (scope.by, scope.by2):
        if by is not None and by.startswith(FIELD):
            mine = table.fields.filter(pl.col("field") == by.removeprefix(FIELD))
            values = mine.unique("student_id", keep="last").select("student_id", pl.col("value").alias(by))
            rows = rows.join(values, on="student_id", how="left", maintain_order="left")
        elif by == "group":
            inside: dict[str, list[str]] = {}
            for name, students in members.items():
                for student in students:
                    inside.setdefault(student, []).append(name)
            units = [inside.get(student, []) for student in rows["student_id"]]
            rows = rows.with_columns(pl.Series("group", units, dtype=pl.List(pl.String)))
    return rows


def broken_down(
    comparison: Comparison, table: ScoreTable, scope: Scope, members: Members = MappingProxyType({})
) -> Comparison:
    """A comparison under the breakdown of a scope that differs in nothing else.

    ``members`` holds the groups that a breakdown by group goes by.
    """
    students, outside = (
        with_units(frame, table, scope, members) for frame in (comparison.students, comparison.outside)
    )
    return replace(comparison, scope=scope, students=students, outside=outside)


def compare(
    table: ScoreTable, scope: Scope, pieces: list[Piece] | None = None, members: Members = MappingProxyType({})
) -> Comparison:
    """Work out every student's figures for a scope, with the columns that its breakdown needs.

    ``pieces`` is the scope's sentence where the caller knows it better (names of groups);
    ``members`` holds the groups that a breakdown by group goes by.
    """
    return broken_down(_compare(table, scope, pieces), table, scope, members)


@dataclass(frozen=True, slots=True)
class _Side:
    """The students' results at one window, arrays along the rows, with norms and cuts beside them."""

    score: FloatArray
    error: FloatArray
    percentile: FloatArray
    grades: Grades
    norms: NormsAt
    bands: BandsAt


def _side(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, prefix: str, grades: Grades, norms: NormsAt, notes: Notes
) -> _Side:
    score, error, percentile = (
        numbers_of(rows[f"{prefix}_{name}"]) for name in ("score", "standard_error", "percentile")
    )
    window = scope.first if prefix == "from" else scope.second
    bands = bands_at(table, scope, window, grades, score, norms, percentile, notes)
    return _Side(score, error, percentile, grades, norms, bands)


def _compare(table: ScoreTable, scope: Scope, pieces: list[Piece] | None) -> Comparison:
    """Every student's figures, whatever the breakdown."""
    notes = Notes()
    pairs: Pairs = pair(table, scope)
    rows = pairs.rows
    grades, later_grades = Grades.of(rows["from_grade"]), Grades.of(rows["to_grade"])
    start = norms_at(table, scope, scope.first, grades, rows, "from", notes)
    due = target_grades(scope, grades, later_grades)
    target = norms_at(table, scope, scope.second, due, rows, "to", notes)
    judged = expected_of(table, scope, rows, grades, start, target, notes)
    first = _side(table, scope, rows, "from", grades, start, notes)
    second = _side(table, scope, rows, "to", later_grades, target, notes)
    if scope.strand is not None and table.cuts.height:
        notes.add(CARRIED)
    if not table.cuts.height:
        notes.add("no cuts were given, so there are no bands")
    bands = _band_names(first.bands, second.bands, table, scope, notes)
    seen = growth_seen(first.score, second.score, judged.expectation, first.error, second.error)
    if judged.growth_percentile is not None:
        seen = replace(seen, percentile=judged.growth_percentile)
    chances = _chances(
        table, scope, judged, due, target, to_come=bool(np.isnan(second.score).all()) and not scope.single
    )
    students = rows.with_columns(
        *_numbers_of(first, second, judged, seen),
        *_words_of(first, second, seen, bands),
        _known("chance_at_or_above", _of_quoted(chances, bands, rows.height)),
    ).with_columns(unmatched=pl.col("left_out"))
    if not scope.paired:
        # Nobody is left out of shares over each window's own; the summary still counts reasons.
        students = students.with_columns(left_out=pl.lit(None, dtype=pl.String))
    spelled_out = pieces if pieces is not None else sentence(scope, norms=bool(table.norms.height))
    latest = later_grades.or_else(grades)
    return Comparison(
        scope, spelled_out, students, pairs.outside, bands, seen, judged.expectation, latest, chances,
        notes.reasons, table.version,
    )  # fmt: skip


def _chances(
    table: ScoreTable, scope: Scope, judged: Judged, due: Grades, target: NormsAt, *, to_come: bool
) -> FloatArray | None:
    """Chances at or above each cut of the second window, where nobody has a result there yet."""
    if not to_come or np.isnan(judged.expectation.score).all():
        return None
    return chances_at(table, scope, judged.expectation, due, target)


def _of_quoted(chances: FloatArray | None, bands: list[str], students: int) -> FloatArray:
    order = quoted_order(len(bands))
    if chances is None or not 2 <= order <= chances.shape[1] + 1:
        return np.full(students, np.nan)
    return chances[:, order - 2]


def _numbers_of(first: _Side, second: _Side, judged: Judged, seen: GrowthSeen) -> list[pl.Series]:
    """The figures of every student that are numbers."""
    expectation = judged.expectation
    figures = {
        "gain": seen.gain,
        "from_percentile": _ranked(first.score, judged.first, first.percentile),
        "to_percentile": _ranked(second.score, judged.second, second.percentile),
        "expected_score": expectation.score,
        "expected_low": expectation.low,
        "expected_high": expectation.high,
        "expected_percentile": percentile_rank(expectation.score, judged.second.mean, judged.second.sd),
        "expected_gain": expectation.gain,
        "expected_spread": expectation.spread,
        "error_away": error_away(expectation.slope, first.error, second.error),
        "gain_z": seen.distance,
        "growth_percentile": seen.percentile,
        "from_order": first.bands.orders,
        "to_order": second.bands.orders,
        "from_norm_mean": judged.first.mean,
        "from_norm_sd": judged.first.sd,
        "from_week": first.norms.week,
        "to_norm_mean": judged.second.mean,
        "to_norm_sd": judged.second.sd,
        "to_week": second.norms.week,
    }
    return [_known(name, values) for name, values in figures.items()]


def _words_of(first: _Side, second: _Side, seen: GrowthSeen, bands: list[str]) -> list[pl.Series]:
    """The figures of every student that are words or yes and no; near and just below by the later result."""
    later = ~np.isnan(second.score)
    score, error = np.where(later, second.score, first.score), np.where(later, second.error, first.error)
    lines = np.where(later[:, None], second.bands.lines, first.bands.lines) if later.size else second.bands.lines
    return [
        _known("met", seen.met).cast(pl.Boolean),
        _worded("verdict", seen.verdict, VERDICTS, -1),
        _worded("from_band", first.bands.orders, bands, 1),
        _worded("to_band", second.bands.orders, bands, 1),
        _known("just_below", _just_below(score, error, lines, quoted_order(len(bands)))).cast(pl.Boolean),
        _known("near_cut", near_cut(score, error, lines)).cast(pl.Boolean),
    ]


def lowest_fifth(comparison: Comparison) -> pl.Series:
    """Whether each student is in the lowest fifth of those whom the shares stand on, by grade and later score.

    Runs along ``students``; ties stay together; empty without a grade, or for one who does not count.
    """
    rows = comparison.students
    counts = rows["matched"].to_numpy() | (not comparison.scope.paired)
    score = np.where(counts, numbers_of(rows.select(pl.coalesce("to_score", "from_score")).to_series()), np.nan)
    grades = comparison.grades
    found = np.full(score.shape, np.nan)
    for grade in grades.met:
        mine = grades.among(grade)
        found[mine] = in_lowest_fifth(score[mine])
    return _known("lowest_fifth", found).cast(pl.Boolean)
