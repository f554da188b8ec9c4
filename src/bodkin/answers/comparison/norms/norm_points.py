"""A test's norms as points over the school year."""

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel

from bodkin.core.scores.norms import middle_row
from bodkin.core.windows import SEASONS

NOMINAL_WEEKS = {"fall": 4.0, "winter": 19.0, "spring": 32.0}
"""Where a season is drawn whose norms name no week."""


class NormPoint(BaseModel):
    """A norm row: ``week`` of instruction, mean and spread in scale points; ``weekless`` where none is named."""

    season: str
    week: float
    weekless: bool
    mean: float
    sd: float


def norm_points(norms: pl.DataFrame) -> list[NormPoint]:
    """The norm rows of one grade, in the order of their weeks."""
    rows = norms.select("season", "week", "mean", "sd").iter_rows()
    points = [
        NormPoint(
            season=season, week=NOMINAL_WEEKS[season] if week is None else week, weekless=week is None, mean=mean, sd=sd
        )
        for season, week, mean, sd in rows
    ]
    return sorted(points, key=lambda point: point.week)


def middle_point(season: str | None, points: Sequence[NormPoint]) -> NormPoint | None:
    """The norm row a season's cut is seen beside: its middle one, for the year-end cut that of spring."""
    own = [point for point in points if point.season == (season or SEASONS[-1])]
    return own[middle_row([point.week for point in own])] if own else None
