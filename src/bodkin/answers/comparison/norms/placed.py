"""Results placed by norms and cuts at one window: percentile, band, and the cuts of the student's grade."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import polars as pl

from bodkin.answers.comparison.norms.norms_and_cuts import Grades, Notes, bands_at, norms_at
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.scores.scales import percentile_rank
from bodkin.core.windows import Window
from bodkin.store.reads.table.score_table import ScoreTable


@dataclass(frozen=True, slots=True)
class Placed:
    """Results at a window in the order of their rows; NaN where not known.

    ``percentile``: 1..99 by the norms, else the file's own; ``order``: of the band; ``names``: bands by order;
    ``lines``: scores of the cuts of each one's grade, shape (results, cuts); ``norm_mean``: the norm's mean at each.
    """

    percentile: FloatArray
    order: FloatArray
    names: Mapping[int, str]
    lines: FloatArray
    norm_mean: FloatArray

    def band(self, at: int) -> str | None:
        """The band of a row."""
        return None if np.isnan(self.order[at]) else self.names.get(int(self.order[at]))


def placed(table: ScoreTable, scope: Scope, window: Window, held: pl.DataFrame) -> Placed:
    """Percentile and band of counted results of a window, by the grade and day of each; ``held``: rows of results."""
    side = pl.DataFrame({"to_score": held["score"], "to_tested_on": held["tested_on"]})
    grades, notes, score = Grades.of(held["grade"]), Notes(), held["score"].to_numpy()
    norms = norms_at(table, scope, window, grades, side, "to", notes)
    own = held["percentile"].to_numpy()
    bands = bands_at(table, scope, window, grades, score, norms, own, notes)
    ranks = percentile_rank(score, norms.mean, norms.sd)
    return Placed(np.where(np.isnan(ranks), own, ranks), bands.orders, bands.names, bands.lines, norms.mean)
