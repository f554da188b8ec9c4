"""Results that are hard to believe, with their evidence, and classes that rushed."""

import sys
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.check import sittings
from bodkin.answers.check.rows import Doubtful, Rushed
from bodkin.answers.check.sittings import (
    COUNTS,
    WindowSittings,
    as_decided,
    decided_words,
    measured,
    of_window,
)
from bodkin.answers.comparison.breakdown import arrays_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.core.arrays import BoolArray, FloatArray
from bodkin.core.check import credibility
from bodkin.core.check.credibility import doubt
from bodkin.core.windows import parse_window
from bodkin.store.reads.check_data import CheckData
from bodkin.store.reads.table.keys import code_of, day_and_line, one_key
from bodkin.store.reads.table.made_rows import made_by
from bodkin.store.reads.table.score_table import WORD, numbers_of

RUSHED_SHARE, RUSHED_FEWEST = 1 / 3, 6
"""A class is named as rushed where at least a third of its tests, and at least six, were too fast."""


CHANCE = 0.5
"""Share of right answers below which a multiple-choice adaptive test was rather guessed than worked on."""


FLAGS = ("fast_for_all", "fast_for_self", "far_below")
"""The doubts that a result may raise."""
_MEASURED = ("score", "standard_error", "minutes")
_LOOKED_AT = ["student_id", "language", "window", "state", "tested_on", "result_id", *_MEASURED]
_BY = one_key(code_of("student_id"), (code_of("language") + 1).fill_null(0)).alias("by")
"""Whose sitting it is: each language has a past of its own."""


@dataclass(frozen=True, slots=True)
class _Before:
    """What the sittings of a window (``who``: whose) had in an earlier one; NaN where not known."""

    who: pl.DataFrame
    there: BoolArray
    score: FloatArray
    error: FloatArray
    minutes: FloatArray


def _looked_up(every: pl.DataFrame, windows: Sequence[str], who: pl.DataFrame) -> dict[str, _Before]:
    """The sittings that count of some earlier windows, beside later ones of the same students; all in one look."""
    each = who.unique("by", maintain_order=True).with_row_index("at")
    mine = who.join(each, on="by", how="left", maintain_order="left")["at"].to_numpy()
    past = every.select(_LOOKED_AT).filter(pl.col("window").is_in(list(windows)) & COUNTS).with_columns(_BY)
    past = past.drop("student_id", "language", "state").join(each, on="by", how="inner")
    columns = {"score": numbers_of(past["score"])} | {name: measured(past, name) for name in _MEASURED[1:]}
    place, came = past["at"].to_numpy(), past.select(day_and_line("result_id")).to_series().to_numpy()
    found = {}
    for one in windows:
        rows = np.flatnonzero((past["window"] == one).to_numpy())
        there = np.zeros(each.height, dtype=np.bool_)
        there[place[rows]] = True
        if np.count_nonzero(there) < rows.size:
            # Of several the latest stays.
            rows = rows[np.argsort(came[rows])]
        at = place[rows]
        values = {name: np.full(each.height, np.nan) for name in columns}
        for name, column in columns.items():
            values[name][at] = column[rows]
        score, error, minutes = (values[name][mine] for name in _MEASURED)
        found[one] = _Before(who, there[mine], score, error, minutes)
    return found


def _befores(data: CheckData, window: str, before: Sequence[str], now: pl.DataFrame) -> list[_Before]:
    """The earlier windows of a window; one whose results stay as they are is not looked through again."""
    who = now.select(_BY)
    names = {one: f"{one} before {window}" for one in before}
    found: dict[str, _Before] = {}
    for one, name in names.items():
        held: _Before | None = data.known(name, (one,))
        if held is not None and held.who.equals(who):
            found[one] = held
    rest = [one for one in before if one not in found]
    if rest:
        looked_up = _looked_up(data.sittings, rest, who)
        found |= {one: data.put(names[one], (one,), past) for one, past in looked_up.items()}
    return [found[one] for one in before]


def doubts_of(data: CheckData, window: str) -> pl.DataFrame:
    """Every sitting of the window in the district with its doubts, grade by grade and language by language.

    Adds ``fast_for_all``, ``fast_for_self``, ``far_below``, ``limit``, ``own_median`` and ``change``
    (missing where they cannot be told) and the last counted result before.
    """
    order = _in_order(data.sittings)
    before = order[: order.index(window)] if window in order else []
    return data.rows_once(f"doubts {window}", (*before, window), _code(), lambda: _doubts(data, window, before))


@cache
def _code() -> str:
    """By which code doubts are found."""
    return made_by(sys.modules[__name__], sittings, credibility)


def _doubts(data: CheckData, window: str, before: Sequence[str]) -> pl.DataFrame:
    now = of_window(data, window)
    past = _befores(data, window, before, now)
    score, error = np.full((2, now.height), np.nan)
    latest = np.zeros(now.height, dtype=np.int64)
    for at, one in enumerate(past, start=1):
        score, error = np.where(one.there, one.score, score), np.where(one.there, one.error, error)
        latest = np.where(one.there, at, latest)
    minutes = np.stack([one.minutes for one in past], axis=1) if past else np.full((now.height, 1), np.nan)
    rows = now.with_columns(
        pl.Series("last_score", score).fill_nan(None),
        pl.Series("last_error", error).fill_nan(None),
        pl.Series("last_window", [None, *before], dtype=WORD).gather(latest),
    )
    taken, own, own_error = measured(now, "minutes"), numbers_of(now["score"]), measured(now, "standard_error")
    flags = np.zeros((3, now.height), dtype=np.bool_)
    limit, median, change = np.full((3, now.height), np.nan)
    alike = now.with_row_index("at").group_by("grade", "language", maintain_order=True).agg("at")
    for mine in arrays_of(alike["at"]):
        found = doubt(taken[mine], minutes[mine], own[mine], own_error[mine], score[mine], error[mine])
        flags[:, mine] = found.fast_for_all, found.fast_for_self, found.far_below
        limit[mine] = np.nan if found.limit is None else found.limit
        median[mine], change[mine] = found.own_median, found.change
    return rows.with_columns(
        **{name: pl.Series(flag) for name, flag in zip(FLAGS, flags, strict=True)},
        limit=pl.Series(limit).fill_nan(None),
        own_median=pl.Series(median).fill_nan(None),
        change=pl.Series(change).fill_nan(None),
    )


_TOO_FAST = pl.col("fast_for_all") | pl.col("fast_for_self")


def doubtful(seen: WindowSittings, data: CheckData) -> tuple[pl.DataFrame, list[Rushed]]:
    """Results of the window that are hard to believe, as :func:`doubts_of` has them; and classes that rushed.

    Adds what was decided about them, ``both`` (too fast and far below) and ``retest`` (asked for).
    """
    whole = doubts_of(data, seen.window)
    if not whole.height:
        return as_decided(whole, data).with_columns(both=pl.lit(value=False), retest=pl.lit(value=False)), []
    mine = whole.filter(pl.col("result_id").is_in(seen.sittings["result_id"].implode()))
    asked = data.retests.filter((pl.col("window") == seen.window) & (pl.col("state") == "open"))["student_id"]
    found = as_decided(mine.filter(_TOO_FAST | pl.col("far_below")), data).with_columns(
        both=_TOO_FAST & pl.col("far_below"), retest=pl.col("student_id").is_in(asked.implode())
    )
    classes = mine.filter(pl.col("section").is_not_null()).group_by("school", "section", maintain_order=True)
    counted = classes.agg(_TOO_FAST.sum().alias("fast"), pl.len().alias("tested")).filter(
        (pl.col("fast") >= RUSHED_FEWEST) & (pl.col("fast") >= RUSHED_SHARE * pl.col("tested"))
    )
    rushed = counted.sort("fast", "section", descending=[True, False]).iter_rows(named=True)
    return found, [Rushed(**row) for row in rushed]


def doubts_in_words(found: pl.DataFrame, entitled: dict[str, set[str]], names: Names) -> list[Doubtful]:
    """Doubtful results with their evidence, a suggested retest first; ``entitled``: accommodations by student."""
    rows = [
        Doubtful(
            **{name: row[name] for name in _SHOWN}, name=display_name(names, row["student_id"]),
            used=row["accommodations"], entitled=sorted(entitled.get(row["student_id"], ())), why=_why(row),
            decided=decided_words(row),
        )
        for row in found.iter_rows(named=True)
    ]  # fmt: skip
    return sorted(rows, key=_weight)


_SHOWN = (
    "result_id", "student_id", "grade", "school", "section", "language", "tested_on", "score", "standard_error",
    "minutes", "last_score", "last_window", "items_tried", "items_right", "state", "limit", "own_median", "change",
    *FLAGS, "both", "retest",
)  # fmt: skip


def _weight(one: Doubtful) -> tuple[bool, bool, bool, float, str]:
    settled = one.state is not None or one.retest
    return settled, not one.both, not one.far_below, one.change if one.change is not None else 0.0, one.name


def _in_order(everyone: pl.DataFrame) -> list[str]:
    return [str(window) for window in sorted(map(parse_window, everyone["window"].drop_nulls().unique()))]


def _why(row: dict[str, Any]) -> str:
    reasons = []
    minutes = row["minutes"]
    if row["fast_for_all"]:
        reasons.append(f"{minutes:g} minutes; under {row['limit']:.0f} is too fast in this grade")
    if row["fast_for_self"]:
        reasons.append(f"{minutes:g} minutes, less than half of the {row['own_median']:g} it took before")
    if row["far_below"]:
        reasons.append(f"{row['score']:.0f} after {row['last_score']:.0f} in {row['last_window']}, beyond test error")
    tried, right = row["items_tried"], row["items_right"]
    if reasons and tried and right is not None and right < CHANCE * tried:
        reasons.append(f"{right} of {tried} items right")
    return "; ".join(reasons)
