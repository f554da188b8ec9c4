"""Did the help work: students in a group against similar students who were not."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import IntArray, floats
from bodkin.core.errors import BadInput
from bodkin.core.scores.gap import Gap, gap

CALIPER = 0.2
"""Furthest apart two start scores of a pair may lie, in spreads of the start score."""

FEWEST_PAIRS = 10


@dataclass(frozen=True, slots=True)
class MatchedComparison:
    """Pairs of positions (group, comparison), shape (pairs, 2), and the gap between them.

    ``few`` marks fewer than ten pairs: the figure is shown as "too few to tell".
    """

    pairs: IntArray
    unmatched: int
    gap: Gap
    few: bool


def matched_comparison(
    distance: ArrayLike, start: ArrayLike, in_group: ArrayLike, strata: ArrayLike, caliper: float = CALIPER
) -> MatchedComparison:
    """Difference in distance from expected between a group and matched students outside it.

    ``distance``: distance from expected (spreads of growth); ``start``: start scores, scale
    points; ``in_group``: true for members; ``strata``: a label a student, alike for students of
    one grade and program; all of shape (n,). Each member, hardest to match first (fewest
    candidates), gets the nearest free student of the same stratum within ``caliper`` spreads of
    the start score, each used once; ties go to the earlier position. Students without distance
    or start do not count. Raises BadInput for other shapes or a caliper of 0 or less.
    Source: nearest-neighbour matching within calipers without replacement, Rosenbaum & Rubin
    (1985), The American Statistician 39, 33-38; Hedges' g as in :func:`gap`.
    """
    z, x = floats("distance", distance), floats("start", start)
    members, labels = np.asarray(in_group, dtype=bool), np.asarray(strata)
    if not z.shape == x.shape == members.shape == labels.shape or z.ndim != 1:
        raise BadInput("distance, start, in_group and strata must be one-dimensional and alike")
    if caliper <= 0:
        raise BadInput(f"caliper must be above 0, got {caliper:g}")
    known = ~np.isnan(z + x)
    reach = caliper * float(x[known].std(ddof=1)) if known.sum() > 1 else 0.0
    free = known & ~members
    wanted = np.flatnonzero(known & members)

    def candidates(one: int) -> IntArray:
        near = free & (labels == labels[one]) & (np.abs(x - x[one]) <= reach)
        return np.flatnonzero(near)

    order = sorted(wanted.tolist(), key=lambda one: (candidates(one).size, one))
    pairs = []
    for one in order:
        found = candidates(one)
        if found.size:
            other = int(found[np.argmin(np.abs(x[found] - x[one]))])
            free[other] = False
            pairs.append((one, other))
    table = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    difference = gap(z[table[:, 0]], z[table[:, 1]])
    return MatchedComparison(table, len(order) - len(pairs), difference, len(pairs) < FEWEST_PAIRS)
