"""Results that are hard to believe, with their evidence, and classes that rushed."""

from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.check.rows import Doubtful, Rushed
from bodkin.answers.check.sittings import (
    WindowSittings,
    as_decided,
    counting,
    decided_words,
    measured,
    numbers,
)
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.core.arrays import FloatArray
from bodkin.core.check.credibility import doubt
from bodkin.core.windows import parse_window
from bodkin.store.reads.check_data import CheckData

RUSHED_SHARE, RUSHED_FEWEST = 1 / 3, 6
"""A class is named as rushed where at least a third of its tests, and at least six, were too fast."""


CHANCE = 0.5
"""Share of right answers below which a multiple-choice adaptive test was rather guessed than worked on."""


def _last_counted(past: pl.DataFrame, order: dict[str, int]) -> pl.DataFrame:
    """Each student's last counted result before the window: ``last_score``, ``last_error``, ``last_window``."""
    return (
        past.with_columns(place=pl.col("window").replace_strict(order, default=None, return_dtype=pl.Int64))
        .sort("place")
        .unique("student_id", keep="last", maintain_order=True)
        .select(
            "student_id",
            pl.col("score").alias("last_score"),
            pl.col("standard_error").alias("last_error"),
            pl.col("window").alias("last_window"),
        )
    )


def _earlier_minutes(now: pl.DataFrame, wide: pl.DataFrame | None) -> FloatArray:
    """Minutes of earlier windows, a row a student, NaN where there are none; ``wide``: a column a window."""
    if wide is None:
        return np.full((now.height, 1), np.nan)
    joined = now.select("student_id").join(wide, on="student_id", how="left", maintain_order="left")
    before = joined.drop("student_id").cast(pl.Float64).fill_null(float("nan")).to_numpy()
    return np.where(before > 0, before, np.nan)


def doubts_of(data: CheckData, window: str) -> pl.DataFrame:
    """Every sitting of the window in the district with its doubts, grade by grade and language by language.

    Adds ``fast_for_all``, ``fast_for_self``, ``far_below``, ``limit``, ``own_median`` and ``change``
    (missing where they cannot be told) and the last counted result before.
    """
    if window in data.worked:
        return data.worked[window]
    order = {name: at for at, name in enumerate(_in_order(data.sittings))}
    before = [name for name in order if order[name] < order.get(window, 0)]
    past = counting(data.sittings).filter(pl.col("window").is_in(before))
    past = past.unique(["student_id", "window", "language"], keep="last", maintain_order=True)
    parts = []
    # By language, for every grade of it.
    earlier: dict[object, tuple[pl.DataFrame, pl.DataFrame | None]] = {}
    for (_, language), now in data.sittings.filter(pl.col("window") == window).group_by(
        "grade", "language", maintain_order=True
    ):
        if language not in earlier:
            mine = past.filter(pl.col("language").eq_missing(pl.lit(language, dtype=pl.String)))
            wide = mine.pivot("window", index="student_id", values="minutes") if mine.height else None
            earlier[language] = _last_counted(mine, order), wide
        last, minutes = earlier[language]
        rows = now.join(last, on="student_id", how="left", maintain_order="left")
        found = doubt(
            measured(rows, "minutes"), _earlier_minutes(rows, minutes), numbers(rows, "score"),
            measured(rows, "standard_error"), numbers(rows, "last_score"), measured(rows, "last_error"),
        )  # fmt: skip
        parts.append(
            rows.with_columns(
                pl.Series("fast_for_all", found.fast_for_all),
                pl.Series("fast_for_self", found.fast_for_self),
                pl.Series("far_below", found.far_below),
                pl.lit(found.limit, dtype=pl.Float64).alias("limit"),
                pl.Series("own_median", found.own_median).fill_nan(None),
                pl.Series("change", found.change).fill_nan(None),
            )
        )
    whole = pl.concat(parts) if parts else data.sittings.clear()
    data.worked[window] = whole
    return whole


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
    "fast_for_all", "fast_for_self", "far_below", "both", "retest",
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
