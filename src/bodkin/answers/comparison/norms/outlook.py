"""Chances at a window still to come: of each student for each band, and of the count of those above a cut."""

import numpy as np
from pydantic import BaseModel

from bodkin.answers.comparison.norms.norms_and_cuts import Grades, NormsAt, Notes, bands_at
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.growth.expected_growth import ExpectedGrowth
from bodkin.core.growth.outlook import band_chances_to_come, chances_at_or_above, count_range
from bodkin.store.reads.table.score_table import ScoreTable


class OutlookBand(BaseModel):
    """A band at the window to come: how many students are expected in it, with the central 80 % range."""

    band: str
    expected_n: float
    low: int
    high: int


class OutlookShare(BaseModel):
    """The share expected at a band or above (0..1), with the central 80 % range of it."""

    band: str
    expected_share: float
    low: float
    high: float


class Outlook(BaseModel):
    """Where students will stand at the window to come if they grow as expected."""

    window: str
    bands: list[OutlookBand]
    at_or_above: OutlookShare


def chances_at(
    table: ScoreTable, scope: Scope, expectation: ExpectedGrowth, grades: Grades, target: NormsAt
) -> FloatArray:
    """Chance of each student at or above each cut of the second window, shape (students, cuts).

    ``grades``: those the students are due in; ``target``: the norms beside them, which percentile cuts go by.
    """
    nothing = np.full(expectation.score.shape, np.nan)
    cuts = bands_at(table, scope, scope.second, grades, expectation.score, target, nothing, Notes()).lines
    chances = chances_at_or_above(expectation.score, expectation.spread, cuts)
    # A grade with fewer bands than others has no cut for the highest ones: nobody there can reach them.
    fewer = np.isnan(cuts) & ~np.isnan(chances[:, :1])
    return np.where(fewer, 0.0, chances)


def outlook(window: str, bands: list[str], chances: FloatArray, quoted: int) -> Outlook | None:
    """The outlook of students whose chances at or above each cut are known; None where nobody's are.

    ``chances``: shape (students, cuts), of which the first ``len(bands) - 1`` count; ``quoted``: order of the
    band whose share at or above is told.
    """
    above = chances[:, : len(bands) - 1]
    known = above[~np.isnan(above).any(axis=1)]
    if len(bands) < 2 or not len(known):
        return None
    rows = []
    for band, chance in zip(bands, band_chances_to_come(known).T, strict=True):
        found = count_range(chance)
        if found is not None:
            rows.append(OutlookBand(band=band, expected_n=found.expected, low=found.low, high=found.high))
    whole = count_range(known[:, quoted - 2])
    if whole is None:
        return None
    share = OutlookShare(
        band=bands[quoted - 1], expected_share=whole.expected / whole.n, low=whole.low / whole.n,
        high=whole.high / whole.n,
    )  # fmt: skip
    return Outlook(window=window, bands=rows, at_or_above=share)
