"""Cut sets: ordered bands, each with its lowest score or percentile."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats, positive, same_shape
from bodkin.core.errors import BadInput, CutFault

CutKind = Literal["score", "percentile"]


@dataclass(frozen=True, slots=True)
class CutRow:
    """One row of a cut set as it was given; both minima are None for the lowest band."""

    order: int
    band: str
    min_score: float | None = None
    min_percentile: float | None = None


@dataclass(frozen=True, slots=True)
class CutSet:
    """Bands from the lowest up, and the cuts between them (one fewer than bands).

    ``kind`` says whether the cuts are scale points or norm percentiles.
    """

    bands: tuple[str, ...]
    cuts: tuple[float, ...]
    kind: CutKind


def cut_set(rows: Sequence[CutRow]) -> CutSet:
    """A checked cut set from its rows in any order.

    Raises CutFault, with the position of the row at fault, for: no rows, an order that is
    missing or stands twice, a lowest band with a minimum (scores below it would be in no band),
    a higher band without one, minima of two kinds, two bands with one minimum (an overlap) and
    minima that do not rise with the order.
    """
    if not rows:
        raise CutFault("a cut set needs at least one band", 0)
    places = sorted(range(len(rows)), key=lambda place: rows[place].order)
    kind: CutKind = "score"
    cuts: list[float] = []
    names: set[str] = set()
    for step, place in enumerate(places):
        row, wanted = rows[place], step + 1
        if row.order < wanted:
            raise CutFault(f"order {row.order} stands twice or is below 1", place)
        if row.order > wanted:
            raise CutFault(f"a gap: band order {wanted} is missing before order {row.order}", place)
        if row.band in names:
            raise CutFault(f'band "{row.band}" stands twice', place)
        names.add(row.band)
        if row.min_score is not None and row.min_percentile is not None:
            raise CutFault("give min_score or min_percentile, not both", place)
        low = row.min_score if row.min_score is not None else row.min_percentile
        if step == 0:
            if low is not None:
                raise CutFault("a gap: the lowest band must have no minimum, or scores below it are in no band", place)
            continue
        if low is None:
            raise CutFault(f'band "{row.band}" has no minimum; only the lowest band may have none', place)
        this: CutKind = "score" if row.min_score is not None else "percentile"
        if step == 1:
            kind = this
        elif this != kind:
            raise CutFault("a cut set cannot mix min_score and min_percentile", place)
        if this == "percentile" and not 0 < low < 100:
            raise CutFault(f"min_percentile must lie between 0 and 100, got {low:g}", place)
        if cuts and low == cuts[-1]:
            raise CutFault(f'an overlap: band "{row.band}" has the same minimum as the band below it', place)
        if cuts and low < cuts[-1]:
            raise CutFault(f'unordered cuts: band "{row.band}" begins below the band under it', place)
        cuts.append(low)
    return CutSet(tuple(rows[place].band for place in places), tuple(cuts), kind)


def band_orders(values: ArrayLike, cuts: ArrayLike) -> FloatArray:
    """Order of the band of each value, 1 for the lowest; NaN for a missing value.

    ``values``: shape (n,). ``cuts`` share its unit (scale points or unrounded percentiles) and
    rise: shape (k,), or (n, k) where each student has cuts of their own, NaN for a cut fewer.
    A value equal to a cut belongs to the upper band. Raises BadInput where the shapes do not fit.

    >>> band_orders([499.0, 500.0, float("nan")], [500.0]).tolist()
    [1.0, 2.0, nan]
    """
    known, lines = floats("values", values), floats("cuts", cuts)
    if lines.ndim == 1:
        orders = np.searchsorted(lines, known, side="right") + 1.0
    else:
        if known.ndim != 1 or lines.ndim != 2 or len(lines) != len(known):
            raise BadInput(f"cuts must have a row for each value, got shapes {known.shape} and {lines.shape}")
        orders = np.ones(known.shape)
        for line in lines.T:
            orders += known >= line
    return np.where(np.isnan(known), np.nan, orders)


def near_cut(score: ArrayLike, error: ArrayLike, cuts: ArrayLike) -> FloatArray:
    """1 where a score lies within one standard error of any cut, on either side, else 0.

    ``score``, ``error``: shape (n,), scale points. ``cuts``: shape (k,), or (n, k) where each
    student has cuts of their own. NaN where score or error is missing, or where there is no cut.
    Raises BadInput for a standard error of 0 or less.
    """
    x, s, lines = floats("score", score), positive("error", error), floats("cuts", cuts)
    same_shape(score=x, error=s)
    nearest = np.full(x.shape, np.inf)
    for line in np.broadcast_to(lines, (x.size, lines.shape[-1])).T:
        nearest = np.fmin(nearest, np.abs(x - line))
    known = ~np.isnan(x) & ~np.isnan(s) & np.isfinite(nearest)
    return np.where(known, (nearest <= s).astype(np.float64), np.nan)
