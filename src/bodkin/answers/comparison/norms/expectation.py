"""Against what growth is judged: published norms, the district's own history, or the district this year."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import polars as pl

from bodkin.answers.comparison.norms.norms_and_cuts import Grades, NormsAt, Notes, correlations
from bodkin.answers.comparison.pairing import counted, of_window, results_of, windows_of
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.growth.expected_growth import ExpectedGrowth, expected_growth
from bodkin.core.growth.growth_percentiles import (
    MIDDLE,
    GrowthCurves,
    expected_quantiles,
    growth_curves,
    local_growth_percentile,
    median_slope,
)
from bodkin.core.windows import across_summer, next_grade, parse_window, within_one_year
from bodkin.store.reads.table.score_table import WORD, ScoreTable, numbers_of

FEWEST_DISTRICT = 30
"""Students of a grade that a district's own mean and spread need (common practice)."""
LOWER, UPPER = slice(15, 17), slice(83, 85)
"""Quantiles on either side of 0.16 and of 0.84 among the hundred fitted."""


@dataclass(frozen=True, slots=True)
class Judged:
    """What a student's growth is held against, one entry a student.

    ``first`` and ``second``: means and spreads that percentiles are ranks of. The growth
    percentile stands where it does not follow from the expectation alone.
    """

    first: NormsAt
    second: NormsAt
    expectation: ExpectedGrowth
    growth_percentile: FloatArray | None = None


def _scores(rows: pl.DataFrame, name: str) -> FloatArray:
    return numbers_of(rows[name])


def _nothing(n: int) -> ExpectedGrowth:
    gap = np.full(n, np.nan)
    return ExpectedGrowth(gap, gap, gap, gap)


def expected_of(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, grades: Grades, first: NormsAt, target: NormsAt, notes: Notes
) -> Judged:
    """The expectation of each student, against what the scope says.

    ``rows`` as :func:`bodkin.answers.comparison.pairing.pair` gives them; ``grades`` those of the first
    result, ``first`` and ``target`` the norms beside them. Where nothing can be expected a note says why.
    """
    nothing = Judged(first, target, _nothing(rows.height))
    if scope.single or scope.follow == "grade":
        return nothing
    if scope.against == "norms" and not table.norms.height:
        notes.add("no norms were given, so there is no expected growth")
        return nothing
    if not within_one_year(scope.first, scope.second):
        near = scope.second.days is not None and (scope.first.year, scope.first.order) == (
            scope.second.year,
            scope.second.order,
        )
        why = "lie in one season" if near else "lie more than one year apart"
        notes.add(f"the windows {why}, so there is no expected growth")
        return nothing
    if scope.against != "norms" and (reason := kept_from(scope)) is not None:
        notes.add(f"{reason}; choose norms instead")
        return nothing
    return _WAYS[scope.against](table, scope, rows, grades, first, target, notes)


def _by_norms(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, grades: Grades, first: NormsAt, target: NormsAt, notes: Notes
) -> Judged:
    rho = correlations(table, scope, grades, notes)
    score = _scores(rows, "from_score")
    return Judged(first, target, expected_growth(score, first.mean, first.sd, target.mean, target.sd, rho))


def kept_from(scope: Scope) -> str | None:
    """Why figures of the whole district are not for this reader, or None.

    A reader of few students could ask twice, with one day or one slice more, and read off the difference what
    belongs to somebody outside the own reach: such figures stand for calendar windows and whole grades only.
    """
    if scope.reach is None:
        return None
    if scope.first.days is not None or scope.second.days is not None:
        return "figures of the whole district stand for the windows of the calendar, not for days of one's own"
    if scope.language is not None or scope.strand is not None:
        return "figures of the whole district stand for whole tests, not for one language or part"
    return None


def _coarse(values: FloatArray, scope: Scope, decimals: int = 0, least: float = -np.inf) -> FloatArray:
    """Figures of the whole district as they are for whoever may see it, else rounded, and no less than ``least``."""
    return values if scope.reach is None else np.maximum(np.round(values, decimals), least)


def _district_pairs(table: ScoreTable, scope: Scope) -> pl.DataFrame:
    """Results at the two windows of the whole district, whoever asks: only figures of many leave here."""

    def made() -> pl.DataFrame:
        sides = [
            of_window(table, scope, window).select(
                "student_id", pl.col("grade").alias(f"{side}_grade"), pl.col("score").alias(f"{side}_score")
            )
            for side, window in (("from", scope.first), ("to", scope.second))
        ]
        return sides[0].join(sides[1], on="student_id", how="full", coalesce=True)

    return table.worked.once(("district", *_place(scope)), made)


def _place(scope: Scope) -> tuple[str | None, ...]:
    return scope.assessment, scope.subject, scope.language, scope.from_window, scope.to_window


def district_norms(table: ScoreTable, scope: Scope, side: str, grades: Grades) -> NormsAt:
    """Mean and spread of the district's own students of each student's grade at a window.

    ``side``: "from" or "to". NaN where fewer than 30 students of a grade have a result.
    """
    mean, sd = _two(_of_whole_grades(table, scope, side), grades)
    return NormsAt(_coarse(mean, scope), _coarse(sd, scope, least=1.0), np.full(grades.place.size, np.nan))


def _of_whole_grades(table: ScoreTable, scope: Scope, side: str) -> pl.DataFrame:
    """Grade, mean and spread at a window of every grade with 30 students or more who have a result there."""
    grade, score = f"{side}_grade", pl.col(f"{side}_score")
    everyone = _district_pairs(table, scope).filter(score.is_not_null(), pl.col(grade).is_not_null())
    figures = everyone.group_by(grade).agg(pl.len().alias("n"), score.mean().alias("mean"), score.std().alias("sd"))
    return figures.filter(pl.col("n") >= FEWEST_DISTRICT, pl.col("sd") > 0).select(grade, "mean", "sd")


def district_means(table: ScoreTable, scope: Scope) -> dict[str, float]:
    """Mean score at the second window of the district's students of each grade with 30 of them or more.

    Before the second window has results: of the first. To a reader of some students only: in whole points, and
    for calendar windows and whole tests only.
    """
    if kept_from(scope) is not None:
        return {}

    def made() -> dict[str, float]:
        everyone = _district_pairs(table, scope)
        side = "to" if everyone["to_score"].count() else "from"
        grade, score = f"{side}_grade", pl.col(f"{side}_score")
        by_grade = everyone.filter(score.is_not_null(), pl.col(grade).is_not_null()).group_by(grade)
        means = by_grade.agg(pl.len().alias("n"), score.mean().alias("mean")).filter(pl.col("n") >= FEWEST_DISTRICT)
        return {str(grade): float(mean) for grade, _, mean in means.iter_rows()}

    means = table.worked.once(("district means", *_place(scope)), made)
    return means if scope.reach is None else {grade: float(round(mean)) for grade, mean in means.items()}


def window_means(table: ScoreTable, scope: Scope) -> Mapping[str, Mapping[str, float]]:
    """Mean score of the whole test by window and grade, where the district has 30 students of the grade or more.

    To a reader of some students only: in whole points.
    """

    def made(window: str) -> dict[str, float]:
        inside = results_of(
            table, scope.assessment, scope.subject, pl.col("window") == window,
            columns=("student_id", "tested_on", "line", "grade", "score"),
        )  # fmt: skip
        # The result that counts is chosen first: one without a grade is not replaced by an earlier one.
        by_grade = counted(inside, ["student_id"]).filter(pl.col("grade").is_not_null()).group_by("grade")
        means = by_grade.agg(pl.len().alias("n"), pl.col("score").mean().alias("mean"))
        return dict(means.filter(pl.col("n") >= FEWEST_DISTRICT).drop("n").iter_rows())

    means = {
        one: table.worked.once(
            ("window mean", scope.assessment, scope.subject, None, parse_window(one)), partial(made, one)
        )
        for one in windows_of(table, scope.assessment, scope.subject)
    }
    if scope.reach is None:
        return means
    return {window: {grade: float(round(mean)) for grade, mean in own.items()} for window, own in means.items()}


def _two(by_grade: pl.DataFrame, grades: Grades) -> tuple[FloatArray, FloatArray]:
    """Each student's mean and spread from rows of grade, mean and spread."""
    rows = list(by_grade.iter_rows())
    return grades.values({row[0]: row[1] for row in rows}), grades.values({row[0]: row[2] for row in rows})


def _by_district(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, grades: Grades, first: NormsAt, target: NormsAt, notes: Notes
) -> Judged:
    """The bivariate regression with the district's own means, spreads and correlations of each grade."""
    score = _scores(rows, "from_score")
    both = _district_pairs(table, scope).drop_nulls(["from_score", "to_score", "from_grade"])
    lines = (
        both.group_by("from_grade")
        .agg(
            pl.len().alias("n"),
            pl.corr("from_score", "to_score").alias("rho"),
            *(
                getattr(pl.col(f"{side}_score"), figure)().alias(f"{side}_{figure}")
                for side in ("from", "to")
                for figure in ("mean", "std")
            ),
        )
        .filter(pl.col("n") >= FEWEST_DISTRICT, pl.col("from_std") > 0, pl.col("to_std") > 0)
    )
    if scope.reach is not None:
        lines = _by_window_alone(table, scope, lines)
    known = set(lines["from_grade"])
    for grade in grades.met:
        if grade not in known:
            notes.add(f"fewer than {FEWEST_DISTRICT} students of grade {grade} have both results in the district")
    held = {
        name: _coarse(grades.values(dict(lines.select("from_grade", name).iter_rows())), scope, decimals, least)
        for name, decimals, least in (
            ("from_mean", 0, -np.inf),
            ("from_std", 0, 1.0),
            ("to_mean", 0, -np.inf),
            ("to_std", 0, 1.0),
            ("rho", 2, -1.0),
        )
    }
    # The line goes through the students with both results, so their own means hold it.
    expectation = expected_growth(
        score, held["from_mean"], held["from_std"], held["to_mean"], held["to_std"], held["rho"]
    )
    own = district_norms(table, scope, "from", grades)
    seen = Grades.of(rows.select(pl.coalesce("to_grade", "from_grade")).to_series())
    later = district_norms(table, scope, "to", seen)
    return Judged(replace(own, week=first.week), replace(later, week=target.week), expectation)


def _by_window_alone(table: ScoreTable, scope: Scope, lines: pl.DataFrame) -> pl.DataFrame:
    """The lines with means and spreads of everybody with a result at each window, whatever the other window is.

    For a reader of some students: those with results at two windows differ a little from those at two others, and
    so would two answers, by the score of a student or two.
    """
    own = _of_whole_grades(table, scope, "from").rename({"mean": "from_mean", "sd": "from_std"})
    later = _of_whole_grades(table, scope, "to").rename({"mean": "to_mean", "sd": "to_std"})
    due = [next_grade(one) if across_summer(scope.first, scope.second) else one for one in lines["from_grade"]]
    with_due = lines.select("from_grade", "n", "rho").with_columns(pl.Series("to_grade", due, dtype=WORD))
    return with_due.join(own, on="from_grade").join(later, on="to_grade")


def history(table: ScoreTable, scope: Scope) -> pl.DataFrame:
    """Every student's scores at the same two seasons, in the years looked at and in all before.

    Columns ``from_grade``, ``from_score``, ``to_score``; of windows of one's own only they themselves.
    """
    both = pl.col("from_score").is_not_null() & pl.col("to_score").is_not_null()
    parts = [_district_pairs(table, scope).filter(both)]
    if scope.first.days is None and scope.second.days is None:
        apart = scope.second.year - scope.first.year
        for name in sorted(windows_of(table, scope.assessment, scope.subject, scope.language)):
            window = parse_window(name)
            if window.order == scope.first.order and window.year < scope.first.year:
                later = parse_window(
                    f"{window.year + apart}-{(window.year + apart + 1) % 100:02d} {scope.second.season}"
                )
                sides = [
                    of_window(table, scope, one).select(
                        "student_id", pl.col("grade").alias(f"{side}_grade"), pl.col("score").alias(f"{side}_score")
                    )
                    for side, one in (("from", window), ("to", later))
                ]
                parts.append(sides[0].join(sides[1], on="student_id", how="inner"))
    return pl.concat([part.select("from_grade", "from_score", "to_score") for part in parts])


def local_curves(table: ScoreTable, scope: Scope, grade: str) -> GrowthCurves:
    """Growth curves of a grade from the district's own history, fitted once for each state of the data."""

    def made() -> GrowthCurves:
        past = table.worked.once(("history", *_place(scope)), lambda: history(table, scope))
        mine = past.filter(pl.col("from_grade") == grade)
        return growth_curves(mine["from_score"].to_numpy(), mine["to_score"].to_numpy())

    return table.worked.once(("curves", *_place(scope), grade), made)


def _by_history(
    table: ScoreTable, scope: Scope, rows: pl.DataFrame, grades: Grades, first: NormsAt, target: NormsAt, notes: Notes
) -> Judged:
    """The middle of those of the district who started alike, this year and in the years before."""
    score, later = _scores(rows, "from_score"), _scores(rows, "to_score")
    expected, spread, slope, percentile = (np.full(rows.height, np.nan) for _ in range(4))
    beyond = 0
    for grade in grades.met:
        mine = grades.among(grade) & ~np.isnan(score)
        if not mine.any():
            continue
        curves = local_curves(table, scope, grade)
        if curves.reason is not None:
            notes.add(f"grade {grade}: {curves.reason}")
            continue
        quantiles = _coarse(expected_quantiles(curves, score[mine]), scope)
        expected[mine] = quantiles[:, MIDDLE].mean(axis=1)
        spread[mine] = (quantiles[:, UPPER].mean(axis=1) - quantiles[:, LOWER].mean(axis=1)) / 2
        slope[mine] = median_slope(curves, score[mine])
        seen = local_growth_percentile(curves, score[mine], later[mine])
        percentile[mine] = seen.percentile
        beyond += int(seen.beyond.sum())
    if beyond:
        notes.add(f"{beyond:,} students have a start score outside the district's history; the nearest one is used")
    return Judged(first, target, ExpectedGrowth(expected, expected - score, spread, slope), percentile)


_WAYS: dict[str, Callable[[ScoreTable, Scope, pl.DataFrame, Grades, NormsAt, NormsAt, Notes], Judged]] = {
    "norms": _by_norms,
    "local": _by_history,
    "district": _by_district,
}
