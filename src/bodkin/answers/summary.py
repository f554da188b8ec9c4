"""The summary of a comparison: counts, shares in bands, movement, growth, and the same by unit."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison import Comparison
from bodkin.answers.pairing import OUTSIDE
from bodkin.answers.scope import caption
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.expected_growth import ExpectedGrowth, GrowthSeen, summarise_growth
from bodkin.core.movement import MovementTest, bowker, movement, stuart_maxwell
from bodkin.core.shares import BandShares, band_shares
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


class Summary(Figures):
    """The whole answer, as ``summary.json`` has it."""

    caption: str
    by: list[ByRow]
    notes: list[str]


NOT_SAID = "not said"
"""The value of a breakdown for students whose result does not tell it."""


def _number(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _band_rows(names: list[str], first: BandShares, second: BandShares) -> list[BandRow]:
    rows = []
    for at, band in enumerate(names):
        sides: dict[str, Any] = {}
        for prefix, side in (("from", first), ("to", second)):
            sides[f"{prefix}_n"] = int(side.count[at])
            for name in ("share", "low", "high", "at_or_above"):
                sides[f"{prefix}_{name}"] = _number(getattr(side, name)[at])
        rows.append(BandRow.model_construct(**{"band": band, "order": at + 1, **sides}))
    return rows


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

    def part(self, places: IntArray) -> "_Students":
        """The students at these places."""
        growth = (getattr(self.seen, name)[places] for name in GrowthSeen.__slots__)
        expected = (getattr(self.expectation, name)[places] for name in ExpectedGrowth.__slots__)
        return _Students(
            self.matched[places],
            {side: values[places] for side, values in self.has.items()},
            {side: values[places] for side, values in self.order.items()},
            self.reason[places],
            self.reasons,
            GrowthSeen(*growth),
            ExpectedGrowth(*expected),
        )


def _students(comparison: Comparison) -> _Students:
    rows = comparison.students
    reasons = rows["unmatched"].drop_nulls().unique().sort().to_list()
    index = {reason: at for at, reason in enumerate(reasons)}
    return _Students(
        rows["matched"].to_numpy(),
        {side: rows[f"{side}_score"].is_not_null().to_numpy() for side in ("from", "to")},
        {side: rows[f"{side}_order"].fill_null(float("nan")).to_numpy() for side in ("from", "to")},
        np.array([index.get(reason, -1) for reason in rows["unmatched"]], dtype=np.int64),
        reasons,
        comparison.seen,
        comparison.expectation,
    )


def _counts(students: _Students, outside: int) -> Counts:
    told = dict.fromkeys(students.reasons, 0)
    for at, n in zip(*np.unique(students.reason[students.reason >= 0], return_counts=True), strict=True):
        told[students.reasons[at]] = int(n)
    told[OUTSIDE] = told.get(OUTSIDE, 0) + outside
    return Counts.model_construct(
        from_=int(students.has["from"].sum()),
        to=int(students.has["to"].sum()),
        matched=int(students.matched.sum()),
        left_out=[LeftOut(reason=reason, n=n) for reason, n in sorted(told.items()) if n],
    )


def _figures(
    comparison: Comparison, students: _Students, outside: int, notes: list[str] | None = None
) -> dict[str, Any]:
    """The parts of Figures for some students; ``notes`` takes what could not be computed."""
    bands, matched, order = comparison.bands, students.matched, students.order
    shown = {side: matched if comparison.scope.matched else students.has[side] for side in ("from", "to")}
    shares = {side: band_shares(order[side][shown[side]], len(bands)) for side in ("from", "to")}
    moved = None
    if bands:
        moves = movement(order["from"][matched], order["to"][matched], len(bands))
        moved = MovementPart(
            bands=bands,
            table=moves.table.tolist(),
            up=moves.up,
            same=moves.same,
            down=moves.down,
            net=moves.net,
            stuart_maxwell=_tested(stuart_maxwell(moves.table), "Stuart-Maxwell", notes),
            bowker=_tested(bowker(moves.table), "Bowker", notes),
        )
        for side in ("from", "to"):
            if notes is None:
                break
            if lacking := int((shown[side] & np.isnan(order[side])).sum()):
                window = getattr(comparison.scope, f"{side}_window")
                notes.append(f"{lacking} students with a result in {window} have no band there")
    growth = summarise_growth(students.seen, students.expectation)
    return {
        "counts": _counts(students, outside),
        "bands": _band_rows(bands, shares["from"], shares["to"]),
        "movement": moved,
        "growth": GrowthPart(
            n=growth.n,
            mean_gain=growth.mean_gain,
            mean_expected=growth.mean_expected,
            met_n=growth.met_n,
            met_share=growth.met_share,
            median_growth_percentile=growth.median_percentile,
        ),
    }


def unit_values(frame: pl.DataFrame, by: str) -> list[list[str]]:
    """The unit or units of each student in a breakdown; nobody is without one."""
    if by == "program":
        return [row or ["none"] for row in frame["programs"].to_list()]
    return [[value if value is not None else NOT_SAID] for value in frame[by].to_list()]


def _places(rows: list[list[str]]) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    for place, values in enumerate(rows):
        for value in values:
            found.setdefault(value, []).append(place)
    return found


def _by_unit(comparison: Comparison, students: _Students, by: str) -> Iterator[ByRow]:
    inside = _places(unit_values(comparison.students, by))
    outside = _places(unit_values(comparison.outside, by))
    for value in sorted({*inside, *outside}, key=grade_key):
        part = students.part(np.array(inside.get(value, []), dtype=np.int64))
        yield ByRow.model_construct(value=value, **_figures(comparison, part, len(outside.get(value, []))))


def summarise(comparison: Comparison) -> Summary:
    """The summary of a comparison, over all its students and by unit where asked."""
    notes = list(comparison.notes)
    students = _students(comparison)
    total = _figures(comparison, students, comparison.outside.height, notes)
    by = comparison.scope.by
    return Summary.model_construct(
        caption=caption(comparison.pieces),
        by=list(_by_unit(comparison, students, by)) if by else [],
        notes=notes,
        **total,
    )
