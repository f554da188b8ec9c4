"""Units beside the whole: how far each stands from it, drawn in by its size, and whether beyond chance."""

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary_parts import ByRow, Compared, UnitFigure
from bodkin.answers.words import listed
from bodkin.core.arrays import IntArray
from bodkin.core.compare.units import UnitsCompared, compare_means, compare_net_moves, compare_shares, moments_of_each


def _unit_figures(found: UnitsCompared) -> list[UnitFigure | None]:
    columns = (found.raw, found.low, found.high, found.estimate, found.different)
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


def compared_to_whole(
    comparison: Comparison, figures: Sequence[Mapping[str, Any]], units: Sequence[IntArray]
) -> list[Compared]:
    """Each unit beside the whole, which is the first of the figures."""
    total, *parts = figures
    nothing: list[UnitFigure | None] = [None] * len(units)
    moved = nothing
    if total["movement"] is not None and units:
        up, down, same = ([getattr(part["movement"], way) for part in figures] for way in ("up", "down", "same"))
        n = [sum(ways) for ways in zip(up, down, same, strict=True)]
        moved = _unit_figures(compare_net_moves(up[1:], down[1:], n[1:], (up[0], down[0], n[0])))
    met = nothing
    whole = total["growth"]
    if whole.n and units:
        count, size = ([getattr(part["growth"], name) for part in parts] for name in ("met_n", "n"))
        met = _unit_figures(compare_shares(count, size, (whole.met_n, whole.n)))
    distance = comparison.seen.distance
    known = ~np.isnan(distance)
    away = nothing
    if known.any() and units:
        everybody = distance[known]
        whole_spread = float(everybody.std(ddof=1)) if everybody.size > 1 else 0.0
        away = _unit_figures(
            compare_means(*moments_of_each(distance, units), (everybody.size, float(everybody.mean()), whole_spread))
        )
    return [
        Compared(net_move=one, met_share=two, mean_gain_z=three)
        for one, two, three in zip(moved, met, away, strict=True)
    ]


_WORD = {"section": "class"}
"""What a unit of a breakdown is called where that is not its own name."""


def beyond_chance(by: str, rows: Sequence[ByRow], figure: str, whole: float | None, ways: tuple[str, str]) -> str:
    """Which units differ from the rest beyond chance, in a sentence; empty where nothing can be compared.

    ``figure``: one of :class:`Compared`, and ``whole`` that of all students; ``ways``: what a lower and a
    higher unit did, in words.
    """
    known = [(named(row), one) for row in rows if (one := getattr(row.compared, figure)) is not None]
    if len(known) < 2 or whole is None:
        return ""
    different = sorted((one.raw, name) for name, one in known if one.different)
    lower, higher = ([name for raw, name in different if (raw < whole) == below] for below in (True, False))
    apart = (lower, higher)
    word = _WORD.get(by, by if by in ("school", "grade", "teacher", "language", "program", "group") else "group")
    said = [f"{listed(names)} {way}" for names, way in zip(apart, ways, strict=True) if names]
    if not said:
        return f"No {word} differs from the rest by more than could be chance."
    rest = len(known) - sum(len(names) for names in apart)
    others = f" The other {rest} could be chance." if rest > 1 else ""
    return f"Beyond chance: {'; '.join(said)}.{others}"


def named(row: ByRow) -> str:
    """A unit's name; of two breakdowns crossed, both."""
    return row.value if row.value2 is None else f"{row.value}, {row.value2}"
