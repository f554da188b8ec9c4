"""What a check looks at: its window, who of the roster belongs to it, and its sittings as decided."""

from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.comparison.measures.common_tests import FIRST_LINE
from bodkin.answers.comparison.pairing import in_reach, narrowed
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.windows import parse_window
from bodkin.store.reads.check_data import ROSTER, SITTINGS, CheckData
from bodkin.store.reads.table.keys import by_day
from bodkin.store.reads.table.load import NOT_COUNTED
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of, shaped


@dataclass(frozen=True, slots=True)
class WindowSittings:
    """What a check looks at: its window, the day it is seen from, and who of the roster belongs to it.

    ``sittings``: those of the window as decided by now; ``counting``: those of them that count, the
    last of each student last; ``later``: when a student last sat the test at all.
    """

    window: str
    is_open: bool
    day: date
    roster: pl.DataFrame
    sittings: pl.DataFrame
    counting: pl.DataFrame
    later: pl.DataFrame


def of_common_test(table: ScoreTable, scope: Scope, data: CheckData) -> CheckData:
    """The data of a common test, whose sittings are its answers: expected is who is in a grade that sat it."""
    if data.sittings.height:
        return data
    mine = table.results.filter(
        (pl.col("assessment") == scope.assessment) & (pl.col("subject") == scope.subject)
        & (pl.col("line") >= FIRST_LINE)
    )  # fmt: skip
    if not mine.height:
        return data
    missing = [pl.lit(None, dtype=kind).alias(name) for name, kind in SITTINGS.items() if name not in mine.columns]
    grades = mine["grade"].drop_nulls().unique().implode()
    return replace(
        data,
        sittings=shaped(mine.with_columns(*missing).with_columns(result_id="line"), SITTINGS),
        rosters={year: roster.filter(pl.col("grade").is_in(grades)) for year, roster in data.rosters.items()},
        changed={},
        left=None,
        worked={},
        placed={},
    )


def _window(table: ScoreTable, scope: Scope, data: CheckData, today: date) -> tuple[str, bool]:
    """The later window once it has begun or has results, else the earlier one; and whether it is still open."""
    first, second = (
        f"{window.school_year} {window.season}" for window in (scope.first, scope.second)
    )  # a window of one's own stands for the one of its season
    span = table.calendar.windows.get(second)
    there = of_window(data, second).height > 0
    chosen = second if there or (span is not None and span[0] <= today) else first
    days = table.calendar.windows.get(chosen)
    return chosen, days is not None and days[0] <= today <= days[1]


def window_sittings(table: ScoreTable, scope: Scope, data: CheckData, today: date) -> WindowSittings:
    """The window that is checked, the students expected in it, and its sittings.

    The roster is that of the window's last day, or of today where that is earlier; filters go by it.
    """
    window, is_open = _window(table, scope, data, today)
    year = parse_window(window).school_year
    days = table.calendar.windows.get(window)
    day = min(today, days[1]) if days is not None else today
    if (year, day) not in data.placed:
        data.placed[year, day] = _placed_on(data.rosters.get(year), day)
    roster = data.placed[year, day]
    # Only the grades that sit this test at all.
    everyone = of_window(data, window)
    grades = everyone["grade"].drop_nulls().unique().to_list()
    if grades:
        roster = roster.filter(pl.col("grade").is_in(grades) | pl.col("grade").is_null())
    roster = _narrowed(roster, scope, data, table, day)
    there = pl.lit(value=True) if scope.language is None else pl.col("language") == scope.language
    sittings = everyone.filter(there, pl.col("student_id").is_in(roster["student_id"].implode()))
    sittings = as_decided(sittings, data)
    # Only of those a retest was asked for does anybody want to know when they sat since.
    asked = data.sittings.filter(there, pl.col("student_id").is_in(data.retests["student_id"].implode()))
    later = asked.group_by("student_id").agg(pl.col("tested_on").max())
    return WindowSittings(window, is_open, day, roster, sittings, counting(sittings), later)


def of_window(data: CheckData, window: str) -> pl.DataFrame:
    """Every sitting of a window."""
    return data.once(f"sittings {window}", (window,), lambda: data.sittings.filter(pl.col("window") == window))


def _placed_on(roster: pl.DataFrame | None, day: date) -> pl.DataFrame:
    """Where each student is on a day, the home class first, with the first day in any class."""
    if roster is None:
        roster = pl.DataFrame(schema=ROSTER)
    begins = pl.col("since").min().over("student_id").alias("first_day")
    here = (pl.col("since").is_null() | (pl.col("since") <= day)) & (
        pl.col("until").is_null() | (pl.col("until") >= day)
    )
    home_first = pl.col("kind").eq_missing(pl.lit("home")).not_()
    return (
        roster.with_columns(begins, home_first.alias("other"))
        .filter(here)
        .sort("student_id", "other", maintain_order=True)
        .unique("student_id", keep="first", maintain_order=True)
    )


def as_decided(sittings: pl.DataFrame, data: CheckData) -> pl.DataFrame:
    """Sittings with what has been decided about them by now."""
    columns = ["state", "state_why", "state_by"]
    return sittings.drop(columns).join(data.states, on="result_id", how="left", maintain_order="left")


def _narrowed(roster: pl.DataFrame, scope: Scope, data: CheckData, table: ScoreTable, day: date) -> pl.DataFrame:
    """Students of the roster whom the scope looks at, by the same rule as everywhere."""
    inside = _on(data.programs, day).group_by("student_id").agg(pl.col("program").alias("programs"))
    students = roster.join(inside, on="student_id", how="left", maintain_order="left")
    students = students.with_columns(pl.col("programs").fill_null([]))
    return in_reach(narrowed(students, scope, table), scope).drop("programs")


COUNTS = ~pl.col("state").is_in(list(NOT_COUNTED)).fill_null(value=False)
"""Whether a sitting counts, by what was decided about it."""


def counting(sittings: pl.DataFrame) -> pl.DataFrame:
    """Sittings that count, the one of each window and language last."""
    return by_day(sittings.filter(COUNTS), "result_id")


def measured(frame: pl.DataFrame, name: str) -> FloatArray:
    """Minutes or errors; what is 0 or less was not measured."""
    values = numbers_of(frame[name])
    return np.where(values > 0, values, np.nan)


def known_number(value: float) -> float | None:
    """A number of the core as an answer has it."""
    return None if np.isnan(value) else float(value)


def decided_words(row: dict[str, Any]) -> str | None:
    """What was decided about a result, by whom and why."""
    if row["state"] is None:
        return None
    by = f" by {row['state_by']}" if row["state_by"] else ""
    return f"{row['state']}{by}" + (f": {row['state_why']}" if row["state_why"] else "")


def _on(rows: pl.DataFrame, day: date) -> pl.DataFrame:
    """Rows that hold on a day, by ``first_day`` and ``last_day``; an empty end is open."""
    begun = pl.col("first_day").is_null() | (pl.col("first_day") <= day)
    return rows.filter(begun & (pl.col("last_day").is_null() | (pl.col("last_day") >= day)))


def entitled_to(data: CheckData, day: date) -> dict[str, set[str]]:
    """Accommodations that each student's plan promises on a day."""
    found: dict[str, set[str]] = {}
    for student, accommodation in _on(data.entitled, day).select("student_id", "accommodation").iter_rows():
        found.setdefault(student, set()).add(accommodation)
    return found
