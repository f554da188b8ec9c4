"""What is expected of each unit of a breakdown at a window to come, from the chances of its students."""

import numpy as np
from pydantic import BaseModel

from bodkin.answers.comparison.breakdown import unit_order, unit_places
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary_parts import UnitFigure
from bodkin.core.arrays import FloatArray
from bodkin.core.growth.outlook import count_range


class UnitOutlook(BaseModel):
    """A unit: its students whose chance is known, the share expected (0..1), and the central 80 % of it."""

    value: str
    n: int
    figure: UnitFigure


class UnitOutlooks(BaseModel):
    """Units by the share expected, the lowest first; ``whole``: the share expected of everybody; of what ``band``."""

    by: str
    band: str
    whole: float | None
    rows: list[UnitOutlook]


def unit_outlooks(comparison: Comparison, chances: FloatArray, band: str) -> UnitOutlooks:
    """The outlook of every unit of a comparison's breakdown.

    ``chances``: of each of the comparison's students in their order, 0..1, NaN where unknown. A unit's range is the
    central 80 % of the exact distribution of its count; nothing is said of chance between units, since these are
    no results yet.
    """
    places, rows = unit_places(comparison), []
    for unit in unit_order(comparison):
        found = count_range(chances[places[unit]]) if unit in places else None
        if found is not None:
            share = found.expected / found.n
            figure = UnitFigure(
                raw=share, low=found.low / found.n, high=found.high / found.n, estimate=share, different=False
            )
            rows.append(UnitOutlook(value=unit[0], n=found.n, figure=figure))
    known = chances[~np.isnan(chances)]
    return UnitOutlooks(
        by=comparison.scope.by or "", band=band, whole=float(known.mean()) if known.size else None,
        rows=sorted(rows, key=lambda row: row.figure.raw),
    )  # fmt: skip
