"""The summary of a comparison: counts, shares in bands, movement, growth, and the same by unit."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison import Comparison
from bodkin.answers.pairing import OUTSIDE
from bodkin.answers.sentence import caption
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.expected_growth import ExpectedGrowth, GrowthSeen, summarise_growth
from bodkin.core.movement import MovementTest, bowker, movement_of_table, stuart_maxwell
from bodkin.core.shares import BandShares, shares_of_counts
from bodkin.core.windows import grade_key


class _Answer(BaseModel):
    model_config = ConfigDict(populate_by_name=True)


class LeftOut(_Answer):
    """How many students are left out for one reason."""

    reason: str
    n: int | None


class Counts(_Answer):
    """Students with a result at each window before matching, with both, and left out."""

    from_: int | None = Field(alias="from")
    to: int | None
    matched: int | None
    left_out: list[LeftOut]


class BandRow(_Answer):
    """One band at both windows: counts, shares with Wilson 95 % ends, share at or above."""

    band: str
    order: int
    from_n: int | None
    from_share: float | None
    from_low: float | None
    from_high: float | None
    to_n: int | None
    to_share: float | None
    to_low: float | None
    to_high: float | None
    from_at_or_above: float | None
    to_at_or_above: float | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class ChiSquare(_Answer):
    """A chi-square test of movement."""

    statistic: float
    df: int
    p: float


class MovementPart(_Answer):
    """Matched students by band before (rows) and after (columns)."""

    bands: list[str]
    table: list[list[int]] | None
    up: int | None
    same: int | None
    down: int | None
    net: float | None
    stuart_maxwell: ChiSquare | None
    bowker: ChiSquare | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class GrowthPart(_Answer):
    """Growth of the students with both results and an expectation."""

    n: int | None
    mean_gain: float | None
    mean_expected: float | None
    met_n: int | None
    met_share: float | None
    median_growth_percentile: float | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class Figures(_Answer):
    """The figures of a set of students."""

    counts: Counts
    bands: list[BandRow]
    movement: MovementPart | None
    growth: GrowthPart
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class ByRow(Figures):
    """The figures of one unit of a breakdown."""

    value: str
    value2: str | None = Field(default=None, exclude_if=lambda value: value is None)


class Summary(Figures):
    """The whole answer, as ``summary.json`` has it."""

    caption: str
    by: list[ByRow]
    notes: list[str]


_NOBODY: IntArray = np.array([], dtype=np.int64)
NOT_SAID = "not said"
"""The value of a breakdown for students whose result does not tell it."""


def _number(value: float) -> float | None:
    return None if math.isnan(value) else value


def _band_rows(names: list[str], sides: dict[str, BandShares], unit: int) -> list[BandRow]:
    columns: dict[str, list[Any]] = {}
    for prefix, side in sides.items():
        columns[f"{prefix}_n"] = side.count[unit].tolist()
        for name in ("share", "low", "high", "at_or_above"):
            columns[f"{prefix}_{name}"] = [_number(value) for value in getattr(side, name)[unit].tolist()]
    rows = zip(*columns.values(), strict=True)
    return [
        BandRow.model_construct(**{"band": band, "order": at, **dict(zip(columns, values, strict=True))})
        for at, (band, values) in enumerate(zip(names, rows, strict=True), start=1)
    ]


def _tested(test: MovementTest, name: str, notes: list[str] | None) -> ChiSquare | None:
    if test.statistic is None or test.df is None or test.p is None:
        if notes is not None:
            notes.append(f"{name} cannot be computed: {test.reason}")
        return None
    return ChiSquare(statistic=test.statistic, df=test.df, p=test.p)


@dataclass(frozen=True, slots=True)
class _Students:
    """The students of a comparison as arrays, made once for the whole and all its units.

    ``reason`` is an index into ``reasons``, -1 for a student who is not left out.
    """

    matched: BoolArray
    has: dict[str, BoolArray]
    order: dict[str, FloatArray]
    reason: IntArray
    reasons: list[str]
    seen: GrowthSeen
    expectation: ExpectedGrowth


def _indices(told: pl.Series, index: dict[str, int]) -> IntArray:
    """The place of each reason, -1 for none."""
    if not index:
        return np.full(told.len(), -1, dtype=np.int64)
    return told.replace_strict(index, default=-1, return_dtype=pl.Int64).fill_null(-1).to_numpy()


def _students(comparison: Comparison) -> _Students:
    rows = comparison.students
    reasons = rows["unmatched"].drop_nulls().unique().sort().to_list()
    index = {reason: at for at, reason in enumerate(reasons)}
    return _Students(
        rows["matched"].to_numpy(),
        {side: rows[f"{side}_score"].is_not_null().to_numpy() for side in ("from", "to")},
        {side: rows[f"{side}_order"].fill_null(float("nan")).to_numpy() for side in ("from", "to")},
        _indices(rows["unmatched"], index),
        reasons,
        comparison.seen,
        comparison.expectation,
    )


@dataclass(frozen=True, slots=True)
class _Tally:
    """Students of each unit counted, arrays with one row a unit; ``at`` are the places of its students."""

    at: list[IntArray]
    sides: dict[str, BandShares]
    has: dict[str, IntArray]
    matched: IntArray
    without_band: dict[str, IntArray]
    table: IntArray
    reasons: IntArray


def _tally(comparison: Comparison, students: _Students, at: list[IntArray]) -> _Tally:
    """Everything of all units that is counted, in one go."""
    units, bands = len(at), len(comparison.bands)
    place = np.concatenate([*at, _NOBODY])
    unit = np.repeat(np.arange(units), [one.size for one in at])

    def count(which: BoolArray, cell: IntArray | None = None, cells: int = 1) -> IntArray:
        chosen = which[place]
        index = unit[chosen] * cells + (cell[place][chosen] if cell is not None else 0)
        return np.bincount(index, minlength=units * cells).reshape(units, cells)

    matched, sides, without = students.matched, {}, {}
    order = {side: np.nan_to_num(values, nan=0.0).astype(np.int64) for side, values in students.order.items()}
    for side in ("from", "to"):
        shown = matched if comparison.scope.paired else students.has[side]
        sides[side] = shares_of_counts(count(shown & (order[side] > 0), order[side] - 1, bands))
        without[side] = count(shown & (order[side] == 0))[:, 0]
    moving = matched & (order["from"] > 0) & (order["to"] > 0)
    table = count(moving, (order["from"] - 1) * bands + order["to"] - 1, bands * bands)
    return _Tally(
        at,
        sides,
        {side: count(has)[:, 0] for side, has in students.has.items()},
        count(matched)[:, 0],
        without,
        table.reshape(units, bands, bands),
        count(students.reason >= 0, students.reason, max(1, len(students.reasons))),
    )


def _counts(students: _Students, tally: _Tally, unit: int, outside: int) -> Counts:
    told = dict(zip(students.reasons, tally.reasons[unit].tolist(), strict=False))
    told[OUTSIDE] = told.get(OUTSIDE, 0) + outside
    return Counts.model_construct(
        from_=int(tally.has["from"][unit]),
        to=int(tally.has["to"][unit]),
        matched=int(tally.matched[unit]),
        left_out=[LeftOut(reason=reason, n=n) for reason, n in sorted(told.items()) if n],
    )


def _growth(students: _Students, places: IntArray) -> GrowthPart:
    growth = summarise_growth(
        GrowthSeen(*(getattr(students.seen, name)[places] for name in GrowthSeen.__slots__)),
        ExpectedGrowth(*(getattr(students.expectation, name)[places] for name in ExpectedGrowth.__slots__)),
    )
    return GrowthPart.model_construct(
        n=growth.n,
        mean_gain=growth.mean_gain,
        mean_expected=growth.mean_expected,
        met_n=growth.met_n,
        met_share=growth.met_share,
        median_growth_percentile=growth.median_percentile,
    )


def _figures(
    comparison: Comparison, students: _Students, tally: _Tally, unit: int, outside: int, notes: list[str] | None = None
) -> dict[str, Any]:
    """The parts of Figures for one unit; ``notes`` takes what could not be computed."""
    bands, moved = comparison.bands, None
    if bands:
        moves = movement_of_table(tally.table[unit])
        moved = MovementPart.model_construct(
            bands=bands,
            table=moves.table.tolist(),
            up=moves.up,
            same=moves.same,
            down=moves.down,
            net=moves.net,
            stuart_maxwell=_tested(stuart_maxwell(moves.table), "Stuart-Maxwell", notes),
            bowker=_tested(bowker(moves.table), "Bowker", notes),
        )
        for side, window in (("from", comparison.scope.first), ("to", comparison.scope.second)):
            if notes is not None and (lacking := int(tally.without_band[side][unit])):
                notes.append(f"{lacking} students with a result in {window.label} have no band there")
    return {
        "counts": _counts(students, tally, unit, outside),
        "bands": _band_rows(bands, tally.sides, unit),
        "movement": moved,
        "growth": _growth(students, tally.at[unit]),
    }


def unit_values(frame: pl.DataFrame, by: str) -> pl.Series:
    """The units of each student in a breakdown, as lists; nobody is without one."""
    if by in ("program", "group"):
        units = frame["programs" if by == "program" else by].fill_null([])
        return units.to_frame("units").select(
            pl.when(pl.col("units").list.len() > 0).then(pl.col("units")).otherwise(pl.lit(["none"]))
        )["units"]
    return frame.select(pl.concat_list(pl.col(by).fill_null(NOT_SAID)).alias("units"))["units"]


Unit = tuple[str, str | None]
"""A value of the breakdown, and one of the second breakdown where there is one."""


def _places(frame: pl.DataFrame, by: str, by2: str | None) -> dict[Unit, IntArray]:
    """Where in the frame the students of each unit stand."""
    units = pl.DataFrame({"first": unit_values(frame, by), "place": np.arange(frame.height)}).explode("first")
    if by2 is None:
        units = units.with_columns(second=pl.lit(None, dtype=pl.String))
    else:
        seconds = pl.DataFrame({"second": unit_values(frame, by2), "place": np.arange(frame.height)}).explode("second")
        units = units.join(seconds, on="place", maintain_order="left")
    told = units.group_by("first", "second").agg(pl.col("place"))
    return {(first, second): np.sort(places.to_numpy()) for first, second, places in _rows(told)}


def _rows(told: pl.DataFrame) -> Iterator[tuple[str, str | None, pl.Series]]:
    yield from zip(told["first"], told["second"], told["place"], strict=True)


def _by_unit(comparison: Comparison, students: _Students, by: str, by2: str | None) -> Iterator[ByRow]:
    inside = _places(comparison.students, by, by2)
    outside = _places(comparison.outside, by, by2)
    units = sorted({*inside, *outside}, key=lambda unit: (grade_key(unit[0]), grade_key(unit[1] or "")))
    tally = _tally(comparison, students, [inside.get(unit, _NOBODY) for unit in units])
    for at, unit in enumerate(units):
        figures = _figures(comparison, students, tally, at, outside.get(unit, _NOBODY).size)
        yield ByRow.model_construct(value=unit[0], value2=unit[1], **figures)


def summarise(comparison: Comparison) -> Summary:
    """The summary of a comparison, over all its students and by unit where asked."""
    notes = list(comparison.notes)
    students = _students(comparison)
    everyone = _tally(comparison, students, [np.arange(comparison.students.height)])
    total = _figures(comparison, students, everyone, 0, comparison.outside.height, notes)
    scope = comparison.scope
    return Summary.model_construct(
        caption=caption(comparison.pieces),
        by=list(_by_unit(comparison, students, scope.by, scope.by2)) if scope.by else [],
        notes=notes,
        **total,
    )
