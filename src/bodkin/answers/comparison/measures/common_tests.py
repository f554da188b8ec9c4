"""Common tests as measures: the sittings that count, points of each item, and the per cent right as a score."""

from collections import Counter
from collections.abc import Mapping
from datetime import date

import numpy as np
import polars as pl

from bodkin.core.windows import parse_window
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.keys import code_of, in_order, last_of_each, one_key
from bodkin.store.reads.table.score_table import RESULTS, WORD, ScoreTable, school_years, shaped

FIRST_LINE = 10**12
"""Where the lines of common tests begin among the results: behind all that were brought in as scores."""


def latest_sittings(answers: pl.DataFrame, first: date | None = None, last: date | None = None) -> pl.DataFrame:
    """The answers that count: of each student and test those of the latest sitting, whole.

    A sitting is a student's answers to a test on one day; an undated one is older than any dated, and lies
    in no period. ``first`` and ``last`` narrow to sittings in a period before the latest is chosen. Of
    several answers to one item in a sitting the later line counts. ``first_line``: where a student first
    comes among all the answers.
    """
    day = pl.col("tested_on")
    each = answers.with_columns(who=code_of("student_id"))
    each = each.with_columns(
        sitting=one_key(pl.col("who"), code_of("test")), first_line=pl.col("line").min().over("who")
    )
    if first is not None:
        each = each.filter(day >= first)
    if last is not None:
        each = each.filter(day <= last)
    counted = each.filter(day.eq_missing(day.max().over("sitting"))).drop("who", "sitting")
    return last_of_each(in_order(counted), ["student_id", "test", "item"])


def counted_answers(data: NeedsData, first: date | None = None, last: date | None = None) -> pl.DataFrame:
    """The answers that count of all the data has, found once; of a period where one is asked for."""
    return data.worked.once(("counted answers", first, last), lambda: latest_sittings(data.answers, first, last))


def numbered_items(data: NeedsData) -> pl.DataFrame:
    """The items with their row in ``data.items`` as ``at``."""
    return data.items.with_row_index("at").with_columns(pl.col("at").cast(pl.Int64))


def item_points(data: NeedsData, counted: pl.DataFrame) -> pl.DataFrame:
    """Points of each student on each item that counts of the tests sat.

    Columns: student_id, test, tested_on, at (the row of the item in ``data.items``), won, possible. An item
    without an answer wins nothing; points that were given stand before the key; dropped items are left out.
    """
    items, item = numbered_items(data), one_key(code_of("test"), code_of("item"))
    live = items.filter(~pl.col("dropped")).select("at", "test", "item", possible="points")
    answers = counted.select(
        "option", "points", "student_id", "test", "tested_on", by=one_key(code_of("student_id"), code_of("test")),
        asked=item,
    )  # fmt: skip
    sat = answers.unique("by", keep="first", maintain_order=True).with_row_index("sat")
    rows = sat.select("sat", "student_id", "test", "tested_on").join(
        live.drop("item"), on="test", how="inner", maintain_order="left_right"
    )
    # Each sitting has a row for every item of its test, in their order: where an answer belongs need not be looked up.
    sat = sat.select("by", begins=rows["sat"].search_sorted(sat["sat"]))
    place = live.select(asked=item, place=pl.int_range(pl.len()).over("test"))
    given = (
        answers.select("option", "points", "by", "asked")
        .join(place, on="asked", how="inner")
        .join(sat, on="by", how="left")
        .with_columns(row=pl.col("begins").cast(pl.Int64) + pl.col("place"))
    )
    answer = np.full(rows.height, -1, dtype=np.int64)
    answer[given["row"].to_numpy()] = np.arange(given.height)
    at = pl.Series(answer).replace(-1, None)
    keys = items.select("at", key="keys").explode("key").select(one_key(pl.col("at"), code_of("key"))).to_series()
    right = one_key(pl.col("at"), code_of("option")).is_in(keys.implode()).fill_null(value=False)
    return (
        rows.with_columns(given[name].gather(at) for name in ("option", "points"))
        .with_columns(won=pl.coalesce("points", right.cast(pl.Float64) * pl.col("possible")))
        .select("student_id", "test", "tested_on", "at", "won", "possible")
    )


def subjects(data: NeedsData) -> dict[str, str]:
    """The subject of each common test: that of most of its items' standards; "other" where none is known."""
    of_standard = dict(data.standards.select("standard", "subject").iter_rows())
    found: dict[str, Counter[str]] = {}
    for test, standards in data.items.select("test", "standards").iter_rows():
        known = found.setdefault(test, Counter())
        known.update(of_standard[one] for one in standards if one in of_standard)
    return {test: counts.most_common(1)[0][0] if counts else "other" for test, counts in found.items()}


def _window_of(day: date | None, windows: Mapping[str, tuple[date, date]], table: ScoreTable) -> str | None:
    """The window a common test belongs to: the latest of its school year that had begun, else the first."""
    if day is None:
        return None
    at = np.datetime64(day, "D")
    year = next((name for name, one in table.calendar.years.items() if one.first_day <= at <= one.last_day), None)
    mine = sorted((name for name in windows if name.startswith(f"{year} ")), key=parse_window)
    begun = [name for name in mine if windows[name][0] <= day]
    return begun[-1] if begun else mine[0] if mine else None


def _placed(sat: pl.DataFrame, rosters: Mapping[str, pl.DataFrame]) -> pl.DataFrame:
    """Grade, school, class and teacher of each student on the day of the test."""
    nothing = [pl.lit(None, dtype=WORD).alias(name) for name in ("grade", "school", "section", "teacher")]
    parts = []
    for (window,), rows in sat.with_columns(year=school_years()).group_by("year"):
        roster = rosters.get(str(window))
        if roster is None:
            parts.append(rows.with_columns(nothing))
            continue
        held = rows.select("student_id", "test", "tested_on").join(roster, on="student_id", how="inner")
        day = pl.col("tested_on")
        held = held.filter(
            (pl.col("since").is_null() | (pl.col("since") <= day))
            & (pl.col("until").is_null() | (pl.col("until") >= day))
        ).sort(pl.col("kind") != "home", maintain_order=True)
        first = held.unique(["student_id", "test"], keep="first", maintain_order=True)
        places = first.select("student_id", "test", "grade", "school", "section", "teacher")
        parts.append(rows.join(places, on=["student_id", "test"], how="left"))
    return pl.concat(parts) if parts else sat.with_columns(nothing)


def common_test_rows(
    table: ScoreTable, data: NeedsData, rosters: Mapping[str, pl.DataFrame], programs: pl.DataFrame
) -> pl.DataFrame:
    """Rows of the score table for every common test as a measure: the per cent of its points, 0..100.

    It belongs to the latest window of its school year that had begun, and has no error and no norms; cuts it
    has where the district gave some under its name. ``rosters`` by school year and ``programs`` with their
    days say where each student was on the day.
    """
    if not data.answers.height:
        return pl.DataFrame(schema=RESULTS)
    points = item_points(data, counted_answers(data))
    sat = (
        points.group_by("student_id", "test", maintain_order=True)
        .agg(pl.col("tested_on").first(), pl.col("won").sum(), pl.col("possible").sum())
        .filter(pl.col("possible") > 0)
        .with_columns(score=100.0 * pl.col("won") / pl.col("possible"))
    )
    days = {day: _window_of(day, table.calendar.windows, table) for day in sat["tested_on"].unique()}
    sat = sat.with_columns(window=pl.col("tested_on").replace_strict(days, default=None, return_dtype=WORD))
    placed = _placed(sat, rosters)
    day = pl.col("tested_on")
    inside = (
        placed.select("student_id", "test", "tested_on")
        .join(programs, on="student_id", how="inner")
        .filter(
            (pl.col("first_day").is_null() | (pl.col("first_day") <= day))
            & (pl.col("last_day").is_null() | (pl.col("last_day") >= day))
        )
        .group_by("student_id", "test")
        .agg(pl.col("program").unique().sort().alias("programs"))
    )
    missing = dict.fromkeys(("standard_error", "percentile"), pl.lit(None, dtype=pl.Float64))
    rows = (
        placed.join(inside, on=["student_id", "test"], how="left")
        .sort("test", "student_id")
        .with_columns(
            pl.col("programs").fill_null([]), assessment="test",
            subject=pl.col("test").replace_strict(subjects(data), default="other", return_dtype=WORD),
            line=pl.int_range(FIRST_LINE, FIRST_LINE + pl.len(), dtype=pl.Int64),
            language=pl.lit(None, dtype=WORD), **missing,
        )
    )  # fmt: skip
    return shaped(rows, RESULTS)
