"""The summary of a comparison: counts, shares in bands, movement, growth, and the same by unit."""

from collections.abc import Iterator

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison import Comparison
from bodkin.answers.pairing import OUTSIDE
from bodkin.answers.scope import caption
from bodkin.core.arrays import BoolArray, FloatArray
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
        sides: dict[str, float | None] = {}
        for prefix, side in (("from", first), ("to", second)):
            sides[f"{prefix}_n"] = int(side.count[at])
            for name in ("share", "low", "high", "at_or_above"):
                sides[f"{prefix}_{name}"] = _number(getattr(side, name)[at])
        rows.append(BandRow.model_validate({"band": band, "order": at + 1, **sides}))
    return rows


def _tested(test: MovementTest, name: str, notes: list[str] | None) -> ChiSquare | None:
    if test.statistic is None or test.df is None or test.p is None:
        if notes is not None:
            notes.append(f"{name} cannot be computed: {test.reason}")
        return None
    return ChiSquare(statistic=test.statistic, df=test.df, p=test.p)


def _pick(seen: GrowthSeen, expectation: ExpectedGrowth, mask: BoolArray) -> tuple[GrowthSeen, ExpectedGrowth]:
    part = GrowthSeen(*(getattr(seen, name)[mask] for name in ("gain", "distance", "percentile", "met", "verdict")))
    return part, ExpectedGrowth(*(getattr(expectation, name)[mask] for name in ("score", "gain", "spread")))


def _figures(comparison: Comparison, mask: BoolArray, outside: int, notes: list[str] | None = None) -> Figures:
    rows = comparison.students
    matched = rows["matched"].to_numpy() & mask
    has = {side: rows[f"{side}_score"].is_not_null().to_numpy() & mask for side in ("from", "to")}
    order: dict[str, FloatArray] = {
        side: rows[f"{side}_order"].fill_null(float("nan")).to_numpy() for side in ("from", "to")
    }
    reasons = rows["unmatched"].filter(pl.Series(mask)).drop_nulls().value_counts(sort=False)
    told = dict(reasons.iter_rows())
    told[OUTSIDE] = told.get(OUTSIDE, 0) + outside
    left_out = [LeftOut(reason=reason, n=n) for reason, n in sorted(told.items()) if n]
    counts = Counts.model_validate(
        {
            "from": int(has["from"].sum()),
            "to": int(has["to"].sum()),
            "matched": int(matched.sum()),
            "left_out": left_out,
        }
    )
    bands = comparison.bands
    shown = {side: matched if comparison.scope.matched else has[side] for side in ("from", "to")}
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
        if notes is not None:
            for side in ("from", "to"):
                if lacking := int((shown[side] & np.isnan(order[side])).sum()):
                    window = getattr(comparison.scope, f"{side}_window")
                    notes.append(f"{lacking} students with a result in {window} have no band there")
    growth = summarise_growth(*_pick(comparison.seen, comparison.expectation, mask))
    return Figures(
        counts=counts,
        bands=_band_rows(bands, shares["from"], shares["to"]),
        movement=moved,
        growth=GrowthPart(
            n=growth.n,
            mean_gain=growth.mean_gain,
            mean_expected=growth.mean_expected,
            met_n=growth.met_n,
            met_share=growth.met_share,
            median_growth_percentile=growth.median_percentile,
        ),
    )


def unit_values(frame: pl.DataFrame, by: str) -> pl.Series:
    """The unit or units of each student in a breakdown, as lists; none is never dropped."""
    if by == "program":
        values = frame["programs"].fill_null([])
        return pl.Series([list(row) or ["none"] for row in values.to_list()], dtype=pl.List(pl.String))
    return pl.Series([[value if value is not None else NOT_SAID] for value in frame[by]], dtype=pl.List(pl.String))


def _units(comparison: Comparison, by: str) -> Iterator[tuple[str, BoolArray, int]]:
    inside = [set(row) for row in unit_values(comparison.students, by).to_list()]
    outside = [set(row) for row in unit_values(comparison.outside, by).to_list()]
    for value in sorted(set().union(*inside, *outside), key=grade_key):
        mask = np.fromiter((value in row for row in inside), dtype=bool, count=len(inside))
        yield value, mask, sum(value in row for row in outside)


def summarise(comparison: Comparison) -> Summary:
    """The summary of a comparison, over all its students and by unit where asked."""
    notes = list(comparison.notes)
    everyone = np.ones(comparison.students.height, dtype=bool)
    total = _figures(comparison, everyone, comparison.outside.height, notes)
    by = comparison.scope.by
    rows = [
        ByRow(value=value, **_figures(comparison, mask, outside).model_dump(by_alias=True))
        for value, mask, outside in (_units(comparison, by) if by else [])
    ]
    return Summary(caption=caption(comparison.pieces), by=rows, notes=notes, **total.model_dump(by_alias=True))
