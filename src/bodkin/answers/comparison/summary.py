"""The summary of a comparison: counts, shares in bands, movement, growth, and the same by unit."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.comparison.compared import compared_to_whole
from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.norms.outlook import Outlook, outlook
from bodkin.answers.comparison.pairing import OUTSIDE
from bodkin.answers.comparison.summary_parts import (
    BandRow,
    ByRow,
    ChiSquare,
    Counts,
    Figures,
    GrowthPart,
    LeftOut,
    MovementPart,
    Summary,
)
from bodkin.answers.scope.sentence import caption
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.compare.movement import (
    FEW_MOVERS,
    Movement,
    MovementTest,
    bowker_of_each,
    movement_exact_of_each,
    movement_of_each,
    stuart_maxwell_of_each,
)
from bodkin.core.growth.expected_growth import GrowthSummary, summarise_growth_of_each
from bodkin.core.scores.shares import BandShares, shares_of_counts
from bodkin.core.windows import grade_key

_NOBODY: IntArray = np.array([], dtype=np.int64)
NOT_SAID = "not said"
"""The value of a breakdown for students whose result does not tell it."""


def _known(values: FloatArray) -> list[list[float | None]]:
    """Numbers as lists, None for what is not there."""
    told = values.astype(object)
    told[np.isnan(values)] = None
    found: list[list[float | None]] = told.tolist()
    return found


def _band_rows(names: list[str], sides: dict[str, BandShares]) -> list[list[BandRow]]:
    """The bands of each unit."""
    columns: dict[str, list[list[Any]]] = {}
    for prefix, side in sides.items():
        columns[f"{prefix}_n"] = side.count.tolist()
        for name in ("share", "low", "high", "at_or_above"):
            columns[f"{prefix}_{name}"] = _known(getattr(side, name))
    orders = range(1, len(names) + 1)
    return [
        [
            BandRow(band=band, order=order, **dict(zip(columns, values, strict=True)))
            for band, order, *values in zip(names, orders, *of_unit, strict=True)
        ]
        for of_unit in zip(*columns.values(), strict=True)
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


def _indices(reasons: pl.Series, index: dict[str, int]) -> IntArray:
    """The place of each reason, -1 for none."""
    found = np.full(reasons.len(), -1, dtype=np.int64)
    # Most students have none.
    some = reasons.is_not_null().to_numpy()
    if some.any():
        found[some] = reasons.drop_nulls().replace_strict(index, return_dtype=pl.Int64).to_numpy()
    return found


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
    )


@dataclass(frozen=True, slots=True)
class _Tally:
    """Students of each unit counted, arrays with one row a unit."""

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

    def count(cell: IntArray, shape: tuple[int, ...]) -> IntArray:
        cells = int(np.prod(shape))
        return np.bincount(unit * cells + cell[place], minlength=units * cells).reshape(units, *shape)

    # One number a student for all that is counted: both bands (0 for none), and where there is a result.
    order = {side: np.nan_to_num(values, nan=0.0).astype(np.int64) for side, values in students.order.items()}
    shape = (bands + 1, bands + 1, 2, 2, 2)
    marks = (order["from"], order["to"], students.has["from"], students.has["to"], students.matched)
    held = count(np.ravel_multi_index(tuple(mark.astype(np.int64) for mark in marks), shape), shape)
    matched = held[..., 1].sum(axis=(3, 4))
    sides, without, has = {}, {}, {}
    for side, other, axis in (("from", 2, 3), ("to", 1, 4)):
        mine = held.take(1, axis)
        has[side] = mine.sum(axis=(1, 2, 3, 4))
        shown = matched if comparison.scope.paired else mine.sum(axis=(3, 4))
        by_band = shown.sum(axis=other)
        without[side], sides[side] = by_band[:, 0], shares_of_counts(by_band[:, 1:])
    reasons = np.zeros((units, max(1, len(students.reasons))), dtype=np.int64)
    if students.reasons:
        # The last place holds those who are not left out.
        kinds = len(students.reasons)
        reasons = count(np.where(students.reason < 0, kinds, students.reason), (kinds + 1,))[:, :kinds]
    return _Tally(sides, has, matched.sum(axis=(1, 2)), without, matched[:, 1:, 1:], reasons)


def _counts(students: _Students, tally: _Tally, unit: int, outside: int) -> Counts:
    by_reason = dict(zip(students.reasons, tally.reasons[unit].tolist(), strict=False))
    by_reason[OUTSIDE] = by_reason.get(OUTSIDE, 0) + outside
    return Counts.model_construct(
        from_=int(tally.has["from"][unit]),
        to=int(tally.has["to"][unit]),
        matched=int(tally.matched[unit]),
        left_out=[LeftOut(reason=reason, n=n) for reason, n in sorted(by_reason.items()) if n],
    )


def counts_of(comparison: Comparison) -> Counts:
    """How many students have a result at each window, both, or are left out; what the summary counts of all."""
    rows = comparison.students
    left_out = dict(rows["unmatched"].drop_nulls().value_counts().iter_rows())
    left_out[OUTSIDE] = left_out.get(OUTSIDE, 0) + comparison.outside.height
    return Counts.model_construct(
        from_=rows.height - rows["from_score"].null_count(),
        to=rows.height - rows["to_score"].null_count(),
        matched=int(rows["matched"].sum()),
        left_out=[LeftOut(reason=reason, n=n) for reason, n in sorted(left_out.items()) if n],
    )


def _growth(growth: GrowthSummary) -> GrowthPart:
    return GrowthPart(
        n=growth.n,
        mean_gain=growth.mean_gain,
        mean_expected=growth.mean_expected,
        met_n=growth.met_n,
        met_share=growth.met_share,
        median_growth_percentile=growth.median_percentile,
    )


def _moved(tally: _Tally, bands: list[str]) -> list[tuple[Movement, MovementTest, MovementTest, float | None]]:
    """The movement of each unit, with both tests of it, and the exact one where few moved."""
    if not bands:
        return []
    moves = movement_of_each(tally.table)
    few = [at for at, one in enumerate(moves) if one.up + one.down < FEW_MOVERS]
    exact = dict(zip(few, movement_exact_of_each(tally.table[few]), strict=True))
    tests = (stuart_maxwell_of_each(tally.table), bowker_of_each(tally.table))
    return list(zip(moves, *tests, map(exact.get, range(len(moves))), strict=True))


def _figures(
    comparison: Comparison, units: list[IntArray], outside: list[int], notes: list[str]
) -> list[dict[str, Any]]:
    """The parts of Figures for each unit, given by its students' places and how many are outside.

    ``notes`` takes what could not be computed for the first, who are all students.
    """
    bands, scope = comparison.bands, comparison.scope
    students = _students(comparison)
    tally = _tally(comparison, students, units)
    moved = _moved(tally, bands)
    growth = summarise_growth_of_each(comparison.seen, comparison.expectation, units)
    rows = _band_rows(bands, tally.sides)
    figures = []
    for at, loose in enumerate(outside):
        aside = notes if at == 0 else None
        part = None
        if moved:
            moves, margins, symmetry, p_exact = moved[at]
            part = MovementPart(
                bands=bands,
                table=moves.table.tolist(),
                up=moves.up,
                same=moves.same,
                down=moves.down,
                net=moves.net,
                stuart_maxwell=_tested(margins, "Stuart-Maxwell", aside),
                bowker=_tested(symmetry, "Bowker", aside),
                p_exact=p_exact,
            )
        figures.append(
            {
                "counts": _counts(students, tally, at, loose),
                "bands": rows[at],
                "movement": part,
                "growth": _growth(growth[at]),
            }
        )
    for side, window in (("from", scope.first), ("to", scope.second)):
        if bands and (lacking := int(tally.without_band[side][0])):
            notes.append(f"{lacking:,} students with a result in {window.label} have no band there")
    return figures


LISTS = ("program", "group")
"""Breakdowns in which a student may be in several units."""


def unit_values(frame: pl.DataFrame, by: str) -> pl.Series:
    """The units of each student in a breakdown, as lists; nobody is without one."""
    if by in LISTS:
        units = frame["programs" if by == "program" else by].fill_null([])
        return units.to_frame("units").select(
            pl.when(pl.col("units").list.len() > 0).then(pl.col("units")).otherwise(pl.lit(["none"]))
        )["units"]
    return frame.select(pl.concat_list(pl.col(by).fill_null(NOT_SAID)).alias("units"))["units"]


Unit = tuple[str, str | None]
"""A value of the breakdown, and one of the second breakdown where there is one."""


def _one_by_one(frame: pl.DataFrame, by: str, name: str) -> pl.DataFrame:
    """A row for each student and unit, with the student's place in the frame."""
    if by in LISTS:
        return pl.DataFrame({name: unit_values(frame, by), "place": np.arange(frame.height)}).explode(name)
    return pl.DataFrame({name: frame[by].fill_null(NOT_SAID), "place": np.arange(frame.height)})


def _places(frame: pl.DataFrame, by: str, by2: str | None) -> dict[Unit, IntArray]:
    """Where in the frame the students of each unit stand."""
    if not frame.height:
        return {}
    units = _one_by_one(frame, by, "first")
    if by2 is None:
        units = units.with_columns(second=pl.lit(None, dtype=pl.String))
    else:
        second = _one_by_one(frame, by2, "second")
        if by in LISTS:
            units = units.join(second, on="place", maintain_order="left")
        else:
            # One unit a student: it stands at the student's place.
            units = second.with_columns(first=units["first"].gather(second["place"]))
    grouped = units.group_by("first", "second").agg(pl.col("place"))
    columns = (grouped["first"], grouped["second"], grouped["place"])
    return {(first, second): places.to_numpy() for first, second, places in zip(*columns, strict=True)}


def unit_places(comparison: Comparison) -> dict[Unit, IntArray]:
    """Where in ``students`` those of each unit of the breakdown stand; empty without a breakdown."""
    scope = comparison.scope
    return _places(comparison.students, scope.by, scope.by2) if scope.by else {}


def unit_order(comparison: Comparison) -> list[Unit]:
    """The units of the breakdown in the order of the summary, those of students left out among them."""
    scope = comparison.scope
    outside = _places(comparison.outside, scope.by, scope.by2) if scope.by else {}
    return _in_order(unit_places(comparison), outside)


def _in_order(inside: Iterable[Unit], outside: Iterable[Unit]) -> list[Unit]:
    return sorted({*inside, *outside}, key=lambda unit: (grade_key(unit[0]), grade_key(unit[1] or "")))


def figures_of(comparison: Comparison, units: list[IntArray]) -> list[Figures]:
    """The figures of any sets of students, each given by its students' places."""
    return [Figures.model_construct(**parts) for parts in _figures(comparison, units, [0] * len(units), [])]


def _outlook(comparison: Comparison) -> Outlook | None:
    if comparison.chances is None or not comparison.bands:
        return None
    order = quoted_order(len(comparison.bands))
    return outlook(str(comparison.scope.second), comparison.bands, comparison.chances, order)


def summarise(comparison: Comparison) -> Summary:
    """The summary of a comparison, over all its students and by unit where asked."""
    notes, scope = list(comparison.notes), comparison.scope
    inside = unit_places(comparison)
    outside = _places(comparison.outside, scope.by, scope.by2) if scope.by else {}
    units = _in_order(inside, outside)
    places = [inside.get(unit, _NOBODY) for unit in units]
    figures = _figures(
        comparison,
        [np.arange(comparison.students.height), *places],
        [comparison.outside.height, *(outside.get(unit, _NOBODY).size for unit in units)],
        notes,
    )
    compared = compared_to_whole(comparison, figures, places)
    total, *by_unit = figures
    return Summary.model_construct(
        caption=caption(comparison.pieces),
        by=[
            ByRow(value=unit[0], value2=unit[1], compared=beside, **own)
            for unit, own, beside in zip(units, by_unit, compared, strict=True)
        ],
        outlook=_outlook(comparison),
        notes=notes,
        **total,
    )
