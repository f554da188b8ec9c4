"""Units beside the whole: how far each stands from it, drawn in by its size, and whether beyond chance."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary_parts import ByRow, Compared, UnitFigure
from bodkin.answers.words import listed
from bodkin.core.arrays import IntArray
from bodkin.core.compare.units import UnitsCompared, compare_means, compare_net_moves, compare_shares, moments_of_each
from bodkin.core.growth.expected_growth import GrowthSummary


def _unit_figures(found: UnitsCompared, at: IntArray) -> list[UnitFigure | None]:
    columns = (one[at] for one in (found.raw, found.low, found.high, found.estimate, found.different))
    return [
        None
        if math.isnan(raw)
        else UnitFigure(
            raw=raw,
            low=None if math.isnan(low) else low,
            high=None if math.isnan(high) else high,
            estimate=estimate,
            different=different,
        )
        for raw, low, high, estimate, different in zip(*(column.tolist() for column in columns), strict=True)
    ]


@dataclass(frozen=True, slots=True)
class UnitsBeside:
    """Every unit beside the whole by three figures; a figure is None where there is nobody to compare by it."""

    net_move: UnitsCompared | None
    met_share: UnitsCompared | None
    mean_gain_z: UnitsCompared | None

    def of(self, at: IntArray) -> list[Compared]:
        """Some of the units, given by their places."""
        nothing: list[UnitFigure | None] = [None] * at.size
        figures = (
            nothing if one is None else _unit_figures(one, at)
            for one in (self.net_move, self.met_share, self.mean_gain_z)
        )
        return [
            Compared(net_move=one, met_share=two, mean_gain_z=three) for one, two, three in zip(*figures, strict=True)
        ]


def compared_to_whole(
    comparison: Comparison,
    ways: tuple[IntArray, IntArray, IntArray] | None,
    growth: Sequence[GrowthSummary],
    units: Sequence[IntArray],
) -> UnitsBeside:
    """Each unit beside the whole, which is the first of ``ways`` and ``growth``.

    ``ways``: how many moved up, moved down, and were followed; None without bands. ``units``: their students' places.
    """
    moved = met = away = None
    if ways is not None and units:
        up, down, n = ways
        moved = compare_net_moves(up[1:], down[1:], n[1:], (int(up[0]), int(down[0]), int(n[0])))
    whole, *parts = growth
    if whole.n and units:
        met = compare_shares([one.met_n for one in parts], [one.n for one in parts], (whole.met_n, whole.n))
    distance = comparison.seen.distance
    known = ~np.isnan(distance)
    if known.any() and units:
        everybody = distance[known]
        whole_spread = float(everybody.std(ddof=1)) if everybody.size > 1 else 0.0
        away = compare_means(*moments_of_each(distance, units), (everybody.size, float(everybody.mean()), whole_spread))
    return UnitsBeside(moved, met, away)


_WORD = {"section": "class"}
"""What a unit of a breakdown is called where that is not its own name."""


Said = tuple[str, float, bool]
"""A unit's name, its own figure, and whether it differs from the rest beyond chance."""


def figures_said(rows: Sequence[ByRow], figure: str) -> list[Said]:
    """What is known of the units by one of the figures of :class:`Compared`."""
    known = [(named(row.value, row.value2), getattr(row.compared, figure)) for row in rows]
    return [(name, one.raw, one.different) for name, one in known if one is not None]


def beyond_chance(by: str, known: Sequence[Said], whole: float | None, ways: tuple[str, str]) -> str:
    """Which units differ from the rest beyond chance, in a sentence; empty where nothing can be compared.

    ``whole``: the figure of all students; ``ways``: what a lower and a higher unit did, in words.
    """
    if len(known) < 2 or whole is None:
        return ""
    different = sorted((raw, name) for name, raw, sure in known if sure)
    lower, higher = ([name for raw, name in different if (raw < whole) == below] for below in (True, False))
    apart = (lower, higher)
    word = _WORD.get(by, by if by in ("school", "grade", "teacher", "language", "program", "group") else "group")
    said = [f"{listed(names)} {way}" for names, way in zip(apart, ways, strict=True) if names]
    if not said:
        return f"No {word} differs from the rest by more than could be chance."
    rest = len(known) - sum(len(names) for names in apart)
    others = f" The other {rest} could be chance." if rest > 1 else ""
    return f"Beyond chance: {'; '.join(said)}.{others}"


def named(value: str, value2: str | None) -> str:
    """A unit's name; of two breakdowns crossed, both."""
    return value if value2 is None else f"{value}, {value2}"
