"""The units of a breakdown in Compare: some of them in the order asked for, and what is said of all."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
import polars as pl

from bodkin.answers.comparison.compared import Said, figures_said, named
from bodkin.answers.comparison.comparison import quoted_order
from bodkin.answers.comparison.summary import Counted
from bodkin.answers.comparison.summary_parts import ByRow
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import in_natural_order
from bodkin.core.arrays import FloatArray, IntArray

UnitColumn = Literal["value", "n", "before", "after", "up", "down", "net", "beside"]
"""What units can be sorted by: the name, the students, the quoted share at both windows, how they moved, and how that
stands beside the whole, drawn in by what a unit's size earns."""
COLUMNS = tuple(name for name in get_args(UnitColumn) if name != "value")
TIES = 1e-6
"""Of units drawn in to the same figure the one whose own is higher stands higher."""


@dataclass(frozen=True, slots=True)
class Order:
    """A column to sort by, None for the order of schools and grades; and how many to show, None for all."""

    column: UnitColumn | None = None
    down: bool = False
    count: int | None = None


@dataclass(frozen=True, slots=True)
class UnitsSeen:
    """Some rows of a breakdown, and of all ``n`` units: what is known of their net moves.

    ``reach``: how far from the whole a scale must go to hold every unit's dot, and whiskers of the usual length.
    """

    rows: list[ByRow]
    n: int
    known: list[Said]
    reach: float | None


def _followed(scope: Scope) -> bool:
    return not scope.single and scope.follow != "grade"


def _places(columns: dict[str, Sequence[object] | FloatArray | IntArray], names: list[str], order: Order) -> IntArray:
    """The places of the units to show; those without a value last either way."""
    if order.column is None:
        return np.arange(len(names))[: order.count]
    # Names may repeat: two schools can have a class of one name.
    key = columns[order.column] if order.column != "value" else list(map(in_natural_order(names).get, names))
    frame = pl.DataFrame({"key": pl.Series(key, dtype=pl.Float64, strict=False, nan_to_null=True)}).with_row_index("at")
    found = frame.sort("key", descending=order.down, nulls_last=True, maintain_order=True)["at"]
    return found.head(len(names) if order.count is None else order.count).to_numpy().astype(np.int64)


def _reach(middle: float, dots: FloatArray, halves: FloatArray) -> float | None:
    if not dots.size:
        return None
    usual = float(np.sort(halves)[halves.size // 2])
    return float(np.abs(dots - middle).max()) + usual


def counted_units(counted: Counted, scope: Scope, bands: int, order: Order) -> UnitsSeen:
    """The units of a comparison as it was counted; rows are made of those that are shown only."""
    names = [named(*unit) for unit in counted.units]
    ways, moved = counted.ways, counted.beside.net_move
    columns: dict[str, Sequence[object] | FloatArray | IntArray] = dict.fromkeys(COLUMNS, [None] * len(names))
    columns["n"] = counted.students["matched" if _followed(scope) else "to"]
    if bands > 1:
        quoted = quoted_order(bands)
        columns |= {"before": counted.at_or_above("from", quoted), "after": counted.at_or_above("to", quoted)}
    if ways is not None:
        columns |= {"up": ways[0], "down": ways[1]}
    known: list[Said] = []
    reach = None
    if moved is not None:
        columns |= {"net": moved.raw, "beside": moved.estimate + moved.raw * TIES}
        there = np.flatnonzero(~np.isnan(moved.raw))
        raw, sure = moved.raw[there].tolist(), moved.different[there].tolist()
        known = [(names[at], *one) for at, one in zip(there.tolist(), zip(raw, sure, strict=True), strict=True)]
        dots = np.where(moved.different, moved.raw, moved.estimate)[there]
        half = np.nan_to_num((moved.high - moved.low)[there] / 2, nan=0.0)
        reach = _reach(moved.whole, dots, half)
    return UnitsSeen(counted.rows(_places(columns, names, order)), len(names), known, reach)


def units_of(rows: Sequence[ByRow], scope: Scope, bands: int, order: Order, whole: float | None) -> UnitsSeen:
    """The same of rows that are there, such as those of which small cells are withheld."""
    quoted = quoted_order(bands) if bands > 1 else 0
    names = [named(row.value, row.value2) for row in rows]
    moves = [row.compared.net_move for row in rows]
    columns: dict[str, Sequence[object] | FloatArray | IntArray] = {
        "n": [row.counts.matched if _followed(scope) else row.counts.to for row in rows],
        "up": [row.movement.up if row.movement else None for row in rows],
        "down": [row.movement.down if row.movement else None for row in rows],
        "net": [None if one is None else one.raw for one in moves],
        "beside": [None if one is None else one.estimate + one.raw * TIES for one in moves],
        **{
            name: [getattr(row.bands[quoted - 1], share) if quoted and row.bands else None for row in rows]
            for name, share in (("before", "from_at_or_above"), ("after", "to_at_or_above"))
        },
    }
    there = [one for one in moves if one is not None]
    dots = np.array([one.raw if one.different else one.estimate for one in there])
    halves = np.array(
        [0.0 if one.high is None or one.low is None else (one.high - one.low) / 2 for one in there], dtype=np.float64
    )
    shown = [rows[at] for at in _places(columns, names, order).tolist()]
    return UnitsSeen(shown, len(rows), figures_said(rows, "net_move"), _reach(whole or 0.0, dots, halves))
