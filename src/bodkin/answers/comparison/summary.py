"""The summary of a comparison: counts, shares in bands, movement, growth, and the same by unit."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.comparison.breakdown import NOBODY, Unit, unit_places, units_in_order, units_outside
from bodkin.answers.comparison.compared import UnitsBeside, compared_to_whole
from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.norms.outlook import Outlook, outlook
from bodkin.answers.comparison.pairing import OUTSIDE
from bodkin.answers.comparison.summary_parts import (
    BandRow,
    ByRow,
    ChiSquare,
    Counts,
    GrowthPart,
    LeftOut,
    MovementPart,
    SetFigures,
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
from bodkin.store.reads.table.score_table import numbers_of


def _known(values: FloatArray) -> list[list[float | None]]:
    """Numbers as lists, None for what is not there."""
    told = values.astype(object)
    told[np.isnan(values)] = None
    found: list[list[float | None]] = told.tolist()
    return found


def _band_rows(names: list[str], sides: dict[str, BandShares], at: IntArray) -> list[list[BandRow]]:
    """The bands of some of the sets."""
    columns: dict[str, list[list[Any]]] = {}
    for prefix, side in sides.items():
        columns[f"{prefix}_n"] = side.count[at].tolist()
        for name in ("share", "low", "high", "at_or_above"):
            columns[f"{prefix}_{name}"] = _known(getattr(side, name)[at])
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
        {side: numbers_of(rows[f"{side}_order"]) for side in ("from", "to")},
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
    place = np.concatenate([*at, NOBODY])
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


@dataclass(frozen=True, slots=True)
class _Sets:
    """Sets of students counted, one row a set; ``outside``: how many of each are outside the comparison."""

    comparison: Comparison
    students: _Students
    tally: _Tally
    growth: list[GrowthSummary]
    outside: list[int]

    def ways(self) -> tuple[IntArray, IntArray, IntArray] | None:
        """How many of each set moved up, moved down, and were followed; None without bands."""
        if not self.comparison.bands:
            return None
        table = self.tally.table
        return np.triu(table, 1).sum(axis=(1, 2)), np.tril(table, -1).sum(axis=(1, 2)), table.sum(axis=(1, 2))


def _sets(comparison: Comparison, places: list[IntArray], outside: list[int]) -> _Sets:
    students = _students(comparison)
    growth = summarise_growth_of_each(comparison.seen, comparison.expectation, places)
    return _Sets(comparison, students, _tally(comparison, students, places), growth, outside)


def _counts(sets: _Sets, unit: int) -> Counts:
    tally = sets.tally
    by_reason = dict(zip(sets.students.reasons, tally.reasons[unit].tolist(), strict=False))
    by_reason[OUTSIDE] = by_reason.get(OUTSIDE, 0) + sets.outside[unit]
    return Counts.model_construct(
        from_=int(tally.has["from"][unit]),
        to=int(tally.has["to"][unit]),
        matched=int(tally.matched[unit]),
        left_out=[LeftOut(reason=reason, n=n) for reason, n in sorted(by_reason.items()) if n],
    )


def _moved(table: IntArray) -> Iterable[tuple[Movement, MovementTest, MovementTest, float | None]]:
    """The movement of each table, with both tests of it, and the exact one where few moved."""
    moves = movement_of_each(table)
    few = [at for at, one in enumerate(moves) if one.up + one.down < FEW_MOVERS]
    exact = dict(zip(few, movement_exact_of_each(table[few]), strict=True))
    tests = (stuart_maxwell_of_each(table), bowker_of_each(table))
    return zip(moves, *tests, map(exact.get, range(len(moves))), strict=True)


def _movements(sets: _Sets, at: IntArray, notes: list[str]) -> list[MovementPart | None]:
    bands = sets.comparison.bands
    if not bands:
        return [None] * at.size
    return [
        MovementPart(
            bands=bands,
            table=moves.table.tolist(),
            up=moves.up,
            same=moves.same,
            down=moves.down,
            net=moves.net,
            stuart_maxwell=_tested(margins, "Stuart-Maxwell", None if one else notes),
            bowker=_tested(symmetry, "Bowker", None if one else notes),
            p_exact=p_exact,
        )
        for one, (moves, margins, symmetry, p_exact) in zip(at.tolist(), _moved(sets.tally.table[at]), strict=True)
    ]


def _figures(sets: _Sets, at: IntArray, notes: list[str]) -> list[dict[str, Any]]:
    """The parts of Figures of some of the sets; ``notes`` takes what could not be computed for the first of all."""
    rows = _band_rows(sets.comparison.bands, sets.tally.sides, at)
    moved = _movements(sets, at, notes)
    return [
        {"counts": _counts(sets, one), "bands": bands, "movement": movement, "growth": _growth(sets.growth[one])}
        for one, bands, movement in zip(at.tolist(), rows, moved, strict=True)
    ]


def figures_of(comparison: Comparison, units: list[IntArray]) -> list[SetFigures]:
    """The figures of any sets of students, each given by its students' places."""
    sets = _sets(comparison, units, [0] * len(units))
    return [SetFigures.model_construct(**parts) for parts in _figures(sets, np.arange(len(units)), [])]


def _outlook(comparison: Comparison) -> Outlook | None:
    if comparison.chances is None or not comparison.bands:
        return None
    order = quoted_order(len(comparison.bands))
    return outlook(str(comparison.scope.second), comparison.bands, comparison.chances, order)


@dataclass(frozen=True, slots=True)
class Counted:
    """A comparison counted, over all its students and by unit; the figures of a unit are made when they are asked for.

    ``units``: in the order of the summary; ``beside``: each of them beside the whole.
    """

    units: list[Unit]
    beside: UnitsBeside
    _sets: _Sets

    @property
    def students(self) -> dict[str, IntArray]:
        """How many students of each unit are in both windows (``matched``), in the first, in the second."""
        tally = self._sets.tally
        return {"matched": tally.matched[1:], **{side: n[1:] for side, n in tally.has.items()}}

    @property
    def ways(self) -> tuple[IntArray, IntArray, IntArray] | None:
        """How many of each unit moved up, moved down, and were followed; None without bands."""
        ways = self._sets.ways()
        return None if ways is None else (ways[0][1:], ways[1][1:], ways[2][1:])

    def at_or_above(self, side: str, order: int) -> FloatArray:
        """The share of each unit at or above a band, NaN where nobody is."""
        return self._sets.tally.sides[side].at_or_above[1:, order - 1]

    def rows(self, at: IntArray) -> list[ByRow]:
        """Some of the units, given by their places."""
        figures = zip(at.tolist(), _figures(self._sets, at + 1, []), self.beside.of(at), strict=True)
        return [
            ByRow(value=self.units[one][0], value2=self.units[one][1], compared=beside, **own)
            for one, own, beside in figures
        ]

    def summary(self, at: IntArray | None = None) -> Summary:
        """The summary with every unit, or with some given by their places."""
        comparison = self._sets.comparison
        bands, scope, notes = comparison.bands, comparison.scope, list(comparison.notes)
        (total,) = _figures(self._sets, np.array([0]), notes)
        for side, window in (("from", scope.first), ("to", scope.second)):
            if bands and (lacking := int(self._sets.tally.without_band[side][0])):
                notes.append(f"{lacking:,} students with a result in {window.label} have no band there")
        return Summary.model_construct(
            caption=caption(comparison.pieces),
            by=self.rows(np.arange(len(self.units)) if at is None else at),
            outlook=_outlook(comparison),
            notes=notes,
            **total,
        )


def counted(comparison: Comparison) -> Counted:
    """A comparison counted, over all its students and by unit where asked."""
    inside = unit_places(comparison)
    outside = units_outside(comparison)
    units = units_in_order(inside, outside)
    places = [inside.get(unit, NOBODY) for unit in units]
    sets = _sets(
        comparison,
        [np.arange(comparison.students.height), *places],
        [comparison.outside.height, *(outside.get(unit, NOBODY).size for unit in units)],
    )
    return Counted(units, compared_to_whole(comparison, sets.ways(), sets.growth, places), sets)


def summarise(comparison: Comparison) -> Summary:
    """The summary of a comparison, over all its students and by unit where asked."""
    return counted(comparison).summary()
