"""From results to students: one result a window, put side by side, and who is left out and why."""

from dataclasses import dataclass

import polars as pl

from bodkin.answers.scope import Scope
from bodkin.store.score_table import ScoreTable

OUTSIDE = "outside the windows"
FIELDS = ("grade", "school", "section", "teacher", "programs", "language")
_CARRIED = ("line", *FIELDS, "tested_on", "score", "standard_error", "percentile")


def no_result(window: str) -> str:
    """The reason for a student without a result in a window."""
    return f"no result in {window}"


@dataclass(frozen=True, slots=True)
class Pairs:
    """Students of a scope.

    ``rows``: one per student with a result in either window, ordered by student, with
    ``from_...`` and ``to_...`` columns, the fields of the later result, ``matched`` and
    ``left_out``. ``outside``: students whose only results lie outside the windows.
    """

    rows: pl.DataFrame
    outside: pl.DataFrame


def counted(results: pl.DataFrame, keys: list[str]) -> pl.DataFrame:
    """The one result that counts for each set of keys.

    The latest by date; an undated one is older than any dated; at a tie the one that came later.
    """
    ordered = results.sort(["tested_on", "line"], nulls_last=False)
    return ordered.unique(subset=keys, keep="last", maintain_order=True)


def _of_measure(table: ScoreTable, scope: Scope) -> pl.DataFrame:
    chosen = (pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject)
    chosen &= pl.col("score").is_not_null()
    if scope.language is not None:
        chosen &= pl.col("language") == scope.language
    if scope.students is not None:
        chosen &= pl.col("student_id").is_in(list(scope.students))
    return table.results.filter(chosen)


def _outside(results: pl.DataFrame, table: ScoreTable, scope: Scope) -> pl.DataFrame:
    """Results in no window; with a calendar, those within the school years looked at."""
    years = [table.calendar.years.get(window.school_year) for window in (scope.first, scope.second)]
    loose = results.filter(pl.col("window").is_null())
    if years[0] is not None and years[1] is not None:
        first, last = years[0].first_day.item(), years[1].last_day.item()
        loose = loose.filter(pl.col("tested_on").is_null() | pl.col("tested_on").is_between(first, last))
    return counted(loose, ["student_id"])


def _narrowed(frame: pl.DataFrame, scope: Scope) -> pl.DataFrame:
    for name in ("grade", "school", "section", "teacher"):
        if values := getattr(scope, name):
            frame = frame.filter(pl.col(name).is_in(list(values)))
    if scope.program:
        wanted = list(scope.program)
        has = pl.col("programs").list.eval(pl.element().is_in(wanted)).list.any()
        # "none" stands for students without a program, as in a breakdown by program.
        if "none" in wanted:
            has = has | (pl.col("programs").list.len() == 0)
        frame = frame.filter(has)
    return frame


def pair(table: ScoreTable, scope: Scope) -> Pairs:
    """The students of a scope with their results at both windows."""
    results = _of_measure(table, scope)
    inside = counted(
        results.filter(pl.col("window").is_in([scope.from_window, scope.to_window])), ["student_id", "window"]
    )
    sides = []
    for prefix, window in (("from", scope.from_window), ("to", scope.to_window)):
        side = inside.filter(pl.col("window") == window).select("student_id", *_CARRIED)
        sides.append(side.rename({name: f"{prefix}_{name}" for name in _CARRIED}))
    rows = sides[0].join(sides[1], on="student_id", how="full", coalesce=True)
    later = pl.col("to_score").is_not_null()
    rows = rows.with_columns(
        matched=pl.col("from_score").is_not_null() & later,
        **{name: pl.when(later).then(pl.col(f"to_{name}")).otherwise(pl.col(f"from_{name}")) for name in FIELDS},
    )
    outside = _outside(results, table, scope)
    reason = (
        pl.when(pl.col("matched"))
        .then(None)
        .when(pl.col("student_id").is_in(outside["student_id"].to_list()))
        .then(pl.lit(OUTSIDE))
        .when(later)
        .then(pl.lit(no_result(scope.from_window)))
        .otherwise(pl.lit(no_result(scope.to_window)))
    )
    rows = _narrowed(rows.with_columns(left_out=reason), scope).sort("student_id")
    loose = outside.join(inside.select("student_id").unique(), on="student_id", how="anti")
    return Pairs(rows, _narrowed(loose.select("student_id", *FIELDS, "tested_on", "score"), scope).sort("student_id"))
