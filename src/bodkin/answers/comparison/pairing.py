"""From results to students: one result a window, put side by side, and who is left out and why."""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from functools import reduce
from operator import and_, or_

import polars as pl

from bodkin.answers.scope.scope import Scope
from bodkin.core.windows import Window, parse_window
from bodkin.store.reads.section_names import is_section
from bodkin.store.reads.table.keys import latest_of_each
from bodkin.store.reads.table.score_table import RESULTS, Memo, ScoreTable

OUTSIDE = "outside the windows"
PLACES = ("grade", "school", "section", "teacher", "programs")
"""Where a student is: as of the day of the test, or as of today."""
FIELDS = (*PLACES, "language")
SIDES = ("from", "to")
"""The first and the second window, as columns begin."""
ROWS = ("from_row", "to_row")
"""Which of a window's results each student's is, at the first and at the second window."""
_CARRIED = ("line", *FIELDS, "tested_on", "score", "standard_error", "percentile")


def no_result(window: str) -> str:
    """The reason for a student without a result in a window."""
    return f"no result in {window}"


@dataclass(frozen=True, slots=True)
class Pairs:
    """Students of a scope.

    ``rows``: one per student with a result in either window, ordered by student, with
    ``from_...`` and ``to_...`` columns, the fields of the later result, ``matched`` and
    ``left_out``; ``from_row`` and ``to_row`` say which row of ``of_window`` each result is.
    ``outside``: students whose only results lie outside the windows.
    """

    rows: pl.DataFrame
    outside: pl.DataFrame


def counted(results: pl.DataFrame, keys: list[str]) -> pl.DataFrame:
    """The one result that counts for each set of keys, in the order in which the results came.

    The latest by date; an undated one is older than any dated; at a tie the one that came later.
    """
    return latest_of_each(results, keys, "line")


def results_of(
    table: ScoreTable, assessment: str, subject: str, *where: pl.Expr, language: str | None = None,
    columns: Collection[str] | None = None, of: Collection[str] | None = None,
) -> pl.DataFrame:  # fmt: skip
    """Results of a measure, of everybody, in one language if one is named; those alone for which more is true.

    ``columns``: those that are wanted, where not all are. ``of``: a few students, where nobody else is asked about,
    whose results are looked up once. Nothing else is kept of it: a second copy of the results would
    be the largest thing in memory.
    """
    # What is left out by one look is not copied for the next.
    mine = reduce(and_, where, _is_of(assessment, subject, language))
    every = table.results if of is None else results_of_students(table, of)
    if columns is None:
        return every.filter(mine)
    return every.lazy().filter(mine).select(columns).collect()


def _is_of(assessment: str, subject: str, language: str | None) -> pl.Expr:
    """Whether a row is a result of a measure, in a language if one is named."""
    mine = (pl.col("assessment") == assessment) & (pl.col("subject") == subject) & pl.col("score").is_not_null()
    return mine if language is None else mine & (pl.col("language") == language)


def windows_of(table: ScoreTable, assessment: str, subject: str, language: str | None = None) -> list[str]:
    """The windows in which a measure has results of anybody; kept while the data stay."""

    def made() -> list[str]:
        mine = results_of(table, assessment, subject, language=language, columns=["window"])
        found: list[str] = mine["window"].drop_nulls().unique().to_list()
        return found

    return table.worked.once(("windows met", assessment, subject, language), made)


def results_of_students(table: ScoreTable, students: Collection[str]) -> pl.DataFrame:
    """Every result of some students, in the order in which they came; those asked for last are kept.

    All that a page says of a student rests on them, and each look through a million results takes five milliseconds.
    """
    who = frozenset(students)
    return table.worked.latest(("results of students",), who, lambda: table.results.filter(_is_one_of(who)))


def _is_one_of(students: Collection[str]) -> pl.Expr:
    if len(students) == 1:
        # Half the time of a look through a list.
        return pl.col("student_id") == next(iter(students))
    return pl.col("student_id").is_in(list(students))


def only_students(table: ScoreTable, students: Collection[str]) -> ScoreTable:
    """A score table with the results of some students alone, for what is asked of few and rests on nobody else."""
    results = results_of_students(table, students)
    return replace(table, results=results, view="some students", worked=Memo(), own=None, alike=None)


def of_measure(
    table: ScoreTable, scope: Scope, *where: pl.Expr, of: Collection[str] | None = None
) -> pl.DataFrame:  # fmt: skip
    """Results of the scope's measure and language, of everybody or ``of`` a few; those for which more is true."""
    return results_of(table, scope.assessment, scope.subject, *where, language=scope.language, of=of)


def _measure(scope: Scope) -> tuple[str | None, ...]:
    return scope.assessment, scope.subject, scope.language


def of_years(table: ScoreTable, scope: Scope, years: Collection[str]) -> pl.DataFrame:
    """Those of the windows of some school years, such as ``2026-27``."""
    every = windows_of(table, scope.assessment, scope.subject, scope.language)
    return of_measure(
        table, scope, pl.col("window").is_in([one for one in every if parse_window(one).school_year in years])
    )


def in_reach(frame: pl.DataFrame, scope: Scope) -> pl.DataFrame:
    """Rows of the students the person may see."""
    return frame if scope.reach is None else frame.filter(pl.col("student_id").is_in(list(scope.reach)))


def _rows_of(results: pl.DataFrame, held: pl.DataFrame) -> pl.Series:
    """Where some of the results stand among all."""
    rows = results.select("line").with_row_index("row")
    return held.select("line").join(rows, on="line", how="left", maintain_order="left")["row"]


def of_window(table: ScoreTable, scope: Scope, window: Window) -> pl.DataFrame:
    """The result of each student that counts in a window, of everybody.

    A window of one's own goes by the day of the test. Kept while the data stay.
    """

    def made() -> pl.DataFrame:
        if table.alike is not None and table.own is not None:
            # Which results count is the same for all tables alike: found once, and held once.
            held = of_window(table.alike, scope, window)
            at = table.alike.worked.once(("rows of", *_measure(scope), window), lambda: _rows_of(table.results, held))
            return held.with_columns(table.results[name].gather(at) for name in table.own)
        inside = (
            pl.col("window") == str(window) if window.days is None else pl.col("tested_on").is_between(*window.days)
        )
        return counted(of_measure(table, scope, inside), ["student_id"])

    return table.worked.once(("window", *_measure(scope), window), made, table.own)


def _outside(table: ScoreTable, scope: Scope, few: Collection[str] | None) -> pl.DataFrame:
    """Results in no window, of everybody or of a few; with a calendar, those within the school years looked at.

    Beside windows of one's own every result in none of the windows looked at is outside.
    """
    years = [table.calendar.years.get(window.school_year) for window in (scope.first, scope.second)]
    own = [window for window in scope.windows if window.days is not None]
    if own:
        named = [str(window) for window in scope.windows if window.days is None]
        terms = [pl.col("tested_on").is_between(*window.days).fill_null(value=False) for window in own if window.days]
        loose = ~reduce(or_, terms) & ~pl.col("window").is_in(named).fill_null(value=False)
    else:
        loose = pl.col("window").is_null()
    if years[0] is not None and years[1] is not None:
        first, last = years[0].first_day.item(), years[1].last_day.item()
        loose &= pl.col("tested_on").is_null() | pl.col("tested_on").is_between(first, last)
    return counted(of_measure(table, scope, loose, of=few), ["student_id"])


def _chosen(scope: Scope, table: ScoreTable) -> pl.Expr | None:
    """The condition that a scope sets on students; turned round with ``all_but``."""
    terms = [
        pl.col(name).is_in(list(values)).fill_null(value=False)
        for name in ("grade", "school", "teacher")
        if (values := getattr(scope, name))
    ]
    if scope.section:
        terms.append(is_section(scope.section))
    if scope.program:
        wanted = list(scope.program)
        has = pl.col("programs").list.eval(pl.element().is_in(wanted)).list.any()
        # "none" stands for students without a program, as in a breakdown by program.
        if "none" in wanted:
            has = has | (pl.col("programs").list.len() == 0)
        terms.append(has.fill_null(value=False))
    for name in dict.fromkeys(value.split(": ", 1)[0] for value in scope.field):
        wanted = [value.split(": ", 1)[1] for value in scope.field if value.startswith(f"{name}: ")]
        mine = table.fields.filter((pl.col("field") == name) & pl.col("value").is_in(wanted))["student_id"]
        terms.append(pl.col("student_id").is_in(mine.to_list()))
    if scope.students is not None:
        terms.append(pl.col("student_id").is_in(list(scope.students)))
    if not terms:
        return None
    chosen = reduce(and_, terms)
    return ~chosen if scope.all_but else chosen


def _placed(frame: pl.DataFrame, scope: Scope, table: ScoreTable) -> pl.DataFrame:
    """Students with where they are today instead of where they were tested, where the scope says so."""
    if scope.roster == "then":
        return frame
    # Of the kinds that results have, whatever is put beside them later.
    today = table.roster.select("student_id", *(pl.col(name).cast(RESULTS[name]) for name in PLACES))
    return frame.drop(PLACES).join(today, on="student_id", how="left", maintain_order="left")


def narrowed(frame: pl.DataFrame, scope: Scope, table: ScoreTable) -> pl.DataFrame:
    """Those of a frame whom the scope looks at, by the frame's own fields or by today's."""
    frame = _placed(frame, scope, table)
    chosen = _chosen(scope, table)
    return frame if chosen is None else frame.filter(chosen)


def students_today(table: ScoreTable, scope: Scope) -> pl.DataFrame:
    """The scope's students as the roster has them today, whether they have a result or not."""
    here = table.roster.filter(pl.col("school").is_not_null() | pl.col("section").is_not_null())
    return narrowed(in_reach(here, scope), scope.model_copy(update={"roster": "then"}), table)


def _side_by_side(table: ScoreTable, scope: Scope, among: Callable[[pl.DataFrame], pl.DataFrame]) -> pl.DataFrame:
    """Results at the first and at the second window, a row a student in the order of students.

    One window alone has no first. ``among``: whose results of a window are looked at.
    """
    sides: list[pl.DataFrame] = []
    for window in (scope.first, scope.second):
        side = of_window(table, scope, window).with_row_index("row")
        if not sides and scope.single:
            side = side.clear()
        sides.append(among(side).select("student_id", "row", *_CARRIED))
    # Who stands where is found first, so that each column is laid out once.
    numbered = [side.select("student_id").with_row_index(prefix) for prefix, side in zip(SIDES, sides, strict=True)]
    who = numbered[0].join(numbered[1], on="student_id", how="full", coalesce=True).sort("student_id")
    laid = [
        side.select(pl.col("row", *_CARRIED).gather(who[prefix]).name.prefix(f"{prefix}_"))
        for prefix, side in zip(SIDES, sides, strict=True)
    ]
    rows = pl.concat([who.select("student_id"), *laid], how="horizontal")
    later = pl.col("to_score").is_not_null()
    return rows.with_columns(
        matched=(later if scope.single else pl.col("from_score").is_not_null() & later) & (scope.follow == "students"),
        **{name: pl.when(later).then(pl.col(f"to_{name}")).otherwise(pl.col(f"from_{name}")) for name in FIELDS},
    )


def _paired(
    table: ScoreTable, scope: Scope, among: Callable[[pl.DataFrame], pl.DataFrame], few: Collection[str] | None = None
) -> Pairs:
    """Students side by side, why some are left out, and those outside; not narrowed to the scope yet.

    ``few``: who may be outside, where not everybody is asked about.
    """
    rows, outside = _side_by_side(table, scope, among), _outside(table, scope, few)
    reason = (
        pl.when(pl.col("matched") | (scope.follow == "grade"))
        .then(None)
        .when(pl.col("student_id").is_in(outside["student_id"].implode()))
        .then(pl.lit(OUTSIDE))
        .when(pl.col("to_score").is_not_null())
        .then(pl.lit(no_result(scope.first.label)))
        .otherwise(pl.lit(no_result(scope.second.label)))
    )
    rows = rows.with_columns(left_out=reason)
    for window in scope.windows[1:-1]:
        there = pl.col("student_id").is_in(of_window(table, scope, window)["student_id"].implode())
        missing = pl.col("matched") & ~there
        rows = rows.with_columns(
            left_out=pl.when(missing).then(pl.lit(no_result(window.label))).otherwise(pl.col("left_out")),
            matched=pl.col("matched") & there,
        )
    loose = outside.join(rows.select("student_id"), on="student_id", how="anti")
    return Pairs(rows, loose.select("student_id", *FIELDS, "tested_on", "score").sort("student_id"))


def pair(table: ScoreTable, scope: Scope) -> Pairs:
    """The students of a scope with their results at both windows.

    With further windows between, a matched student has a result in each of them too. The windows
    of everybody, put side by side, are kept while the data stay.
    """
    if scope.follow == "grade":
        both = _paired(table, scope, lambda side: narrowed(in_reach(side, scope), scope, table))
        rows = _placed(both.rows, scope, table)
        return Pairs(rows, narrowed(in_reach(both.outside, scope), scope, table))
    key = ("pairs", *_measure(scope), *scope.windows)
    if scope.few is not None and table.worked.known(key) is None:
        # Each student is paired alone: of a few nobody else is put side by side.
        mine = _is_one_of(scope.few)
        both = _paired(table, scope, lambda side: side.filter(mine), scope.few)
    else:
        both = table.worked.once(key, lambda: _paired(table, scope, lambda side: side))
    rows = narrowed(in_reach(both.rows, scope), scope, table)
    return Pairs(rows, narrowed(in_reach(both.outside, scope), scope, table))


def students_of_classes(table: ScoreTable, scope: Scope) -> frozenset[str]:
    """Everybody in the classes of a scope in the school year of its later window, whoever asks.

    By each student's latest result of the measure in that year; who has left since does not count.
    """
    latest = of_years(table, scope, [scope.second.school_year]).sort("tested_on").unique("student_id", keep="last")
    named = pl.col("section").is_in(scope.section)
    named |= pl.concat_str("school", pl.lit(": "), "section").is_in(scope.section)
    if scope.school:
        named &= pl.col("school").is_in(scope.school)
    found = latest.filter(named)
    if table.roster.height:
        here = table.roster.filter(pl.col("section").is_not_null())
        found = found.join(here, on="student_id", how="semi")
    return frozenset(found["student_id"])
