"""Who has mastered which standard, by what evidence: points of common tests, and what people entered."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import polars as pl

from bodkin.answers.needs.item_analysis import latest_sittings
from bodkin.core.arrays import IntArray
from bodkin.core.needs.mastery import (
    FEWEST_ITEMS,
    MASTERED_FROM,
    NEARLY_FROM,
    NONE,
    STATES,
    counting_evidence,
    mastery_from_points,
)
from bodkin.store.reads.needs_data import NeedsData

POINTS = "points"
"""The source of evidence that was worked out from answers."""


@dataclass(frozen=True, slots=True)
class Limits:
    """From which per cent of points a standard is mastered or nearly, and by how many items at least."""

    mastered_from: float = MASTERED_FROM
    nearly_from: float = NEARLY_FROM
    fewest: float = FEWEST_ITEMS


PLACE = ("student_id", "standard")

EVIDENCE = pl.Schema(
    {
        "student_id": pl.String(), "standard": pl.String(), "code": pl.Int64(), "percent": pl.Float64(),
        "won": pl.Float64(), "possible": pl.Float64(), "on": pl.Date(), "source": pl.String(), "by": pl.String(),
        "note": pl.String(), "entry": pl.Boolean(), "line": pl.Int64(), "items": pl.Int64(),
    }
)  # fmt: skip
"""One row a piece of evidence; ``code`` is a place in ``STATES``, ``entry`` tells entries from points."""


def item_points(data: NeedsData, counted: pl.DataFrame) -> pl.DataFrame:
    """Points of each student on each item that counts of the tests sat.

    Columns: student_id, test, item, tested_on, won, possible, standards. An item without an answer
    wins nothing; points that were given stand before the key; dropped items are left out.
    """
    sat = counted.group_by("student_id", "test", maintain_order=True).agg(pl.col("tested_on").first())
    live = data.items.filter(~pl.col("dropped")).select("test", "item", "keys", "standards", possible="points")
    answered = counted.select("student_id", "test", "item", "option", "points")
    right = pl.col("keys").list.contains(pl.col("option")).fill_null(value=False)
    return (
        sat.join(live, on="test", how="inner", maintain_order="left_right")
        .join(answered, on=["student_id", "test", "item"], how="left", maintain_order="left")
        .with_columns(won=pl.coalesce("points", right.cast(pl.Float64) * pl.col("possible")))
        .select("student_id", "test", "item", "tested_on", "won", "possible", "standards")
    )


def _from_points(data: NeedsData, counted: pl.DataFrame, limits: Limits) -> pl.DataFrame:
    """Evidence from points, one row a student and standard that items asked about."""
    each = item_points(data, counted).explode("standards").rename({"standards": "standard"})
    sums = (
        each.filter(pl.col("standard").is_not_null())
        .unique(["student_id", "test", "item", "standard"], keep="first", maintain_order=True)
        .group_by(PLACE, maintain_order=True)
        .agg(pl.col("won").sum(), pl.col("possible").sum(), pl.len().alias("items"), pl.col("tested_on").max())
    )
    state = mastery_from_points(
        np.minimum(sums["won"].to_numpy(), sums["possible"].to_numpy()), sums["possible"].to_numpy(),
        limits.mastered_from, limits.nearly_from, limits.fewest, sums["items"].to_numpy(),
    )  # fmt: skip
    return sums.with_columns(
        code=pl.Series(state.codes), percent=pl.Series(state.percent), on="tested_on", source=pl.lit(POINTS),
        by=pl.lit(None, dtype=pl.String), note=pl.lit(None, dtype=pl.String), entry=pl.lit(value=False),
        line=pl.lit(-1, dtype=pl.Int64), items=pl.col("items").cast(pl.Int64),
    ).select(list(EVIDENCE))  # fmt: skip


def _from_entries(entries: pl.DataFrame, first: date | None, last: date | None) -> pl.DataFrame:
    if first is not None:
        entries = entries.filter(pl.col("on") >= first)
    if last is not None:
        entries = entries.filter(pl.col("on") <= last)
    codes = {state: code for code, state in enumerate(STATES)}
    nothing = dict.fromkeys(("percent", "won", "possible"), pl.lit(None, dtype=pl.Float64))
    return (
        entries.filter(pl.col("state").is_not_null())
        .with_columns(
            code=pl.col("state").replace_strict(codes, return_dtype=pl.Int64), entry=pl.lit(value=True),
            items=pl.lit(None, dtype=pl.Int64), **nothing,
        )
        .select(list(EVIDENCE))
    )  # fmt: skip


def pieces_of_evidence(
    data: NeedsData,
    limits: Limits | None = None,
    first: date | None = None,
    last: date | None = None,
    sources: Collection[str] = (),
) -> pl.DataFrame:
    """Every piece of evidence within a period; ``sources`` keeps some, ``points`` among them.

    Raises BadInput for limits out of order.
    """  # fmt: skip
    parts = []
    if not sources or POINTS in sources:
        parts.append(_from_points(data, latest_sittings(data.answers, first, last), limits or Limits()))
    entries = data.entries
    if sources:
        entries = entries.filter(pl.col("source").is_in(list(sources)))
    parts.append(_from_entries(entries, first, last))
    return pl.concat(parts)


def what_counts(pieces: pl.DataFrame) -> pl.DataFrame:
    """The piece that counts for each student and standard, and how many others there are (``other``)."""
    places = pieces.select(PLACE).unique(maintain_order=True).with_row_index("place")
    ranked = pieces.join(places, on=PLACE, how="left", maintain_order="left")
    day = ranked["on"].cast(pl.Int32).cast(pl.Float64).fill_null(float("nan")).to_numpy()
    counting = counting_evidence(
        ranked["place"].to_numpy(), day, ranked["entry"].to_numpy(), ranked["line"].to_numpy(),
        ranked["code"].to_numpy(),
    )  # fmt: skip
    others = ranked.group_by("place").agg((pl.len().cast(pl.Int64) - 1).alias("other"))
    return ranked[counting].join(others, on="place", how="left", maintain_order="left").drop("place")


@dataclass(frozen=True, slots=True)
class Mastery:
    """The state of every student on every standard.

    ``codes``: places in ``STATES``, shape (students, standards); ``counting`` the evidence that counts,
    one row where there is any, with ``other``; ``points`` the evidence from points, whatever counts.
    """

    students: list[str]
    standards: list[str]
    codes: IntArray
    counting: pl.DataFrame
    points: pl.DataFrame


def mastery(
    data: NeedsData, students: Sequence[str], pieces: pl.DataFrame, standards: Sequence[str] | None = None
) -> Mastery:
    """Who has mastered what, for some students and standards (all of them where none are named)."""
    columns = data.standards["standard"].to_list() if standards is None else list(standards)
    who = pl.DataFrame({"student_id": list(students)}, schema={"student_id": pl.String}).with_row_index("who")
    where = pl.DataFrame({"standard": columns}, schema={"standard": pl.String}).with_row_index("where")
    pieces = pieces.filter(pl.col("student_id").is_in(who["student_id"].implode()))
    counting = what_counts(pieces)
    codes = np.full((len(students), len(columns)), NONE, dtype=np.int64)
    placed = counting.join(who, on="student_id", how="inner").join(where, on="standard", how="inner")
    codes[placed["who"].to_numpy(), placed["where"].to_numpy()] = placed["code"].to_numpy()
    return Mastery(list(students), columns, codes, counting, pieces.filter(~pl.col("entry")))
