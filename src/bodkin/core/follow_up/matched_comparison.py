"""Did the help work: students in a group against similar students who were not."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import stdtr, stdtrit

from bodkin.core.arrays import FloatArray, IntArray, floats
from bodkin.core.errors import BadInput

CALIPER = 0.2
"""Furthest apart two start scores of a pair may lie, in spreads of the start score within the stratum."""

FEWEST_PAIRS = 10
HAIR = 1e-9
"""Start scores closer than this lie at one place."""
CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class MatchedComparison:
    """Pairs of positions (group, comparison), shape (pairs, 2), and what they come to.

    ``difference``: mean difference of the pairs in distance from expected, members less others, with its
    95 % paired t interval and its two-sided chance ``p``; ``g``: Hedges' g of the two samples with its
    interval. ``balance_before``, ``balance_after``: standardised difference of the start scores, members
    less others, over all and over the pairs. None where it cannot be told. ``few`` marks fewer than ten
    pairs: "too few to tell".
    """

    pairs: IntArray
    unmatched: int
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    g: float | None
    g_low: float | None
    g_high: float | None
    balance_before: float | None
    balance_after: float | None
    few: bool


def standardised_difference(first: ArrayLike, second: ArrayLike) -> float | None:
    """Difference of two means over their pooled standard deviation (n - 1); None without a spread.

    ``first``, ``second``: known values of two groups, any unit. Raises BadInput for a missing or infinite value.
    Source: Cohen (1988), Statistical Power Analysis, chapter 2; as the balance of a matching Austin (2009),
    Statistics in Medicine 28, 3083-3107.
    """
    one, other = floats("first", first), floats("second", second)
    if np.isnan(one).any() or np.isnan(other).any():
        raise BadInput("first and second must hold known values only")
    freedom = one.size + other.size - 2
    if not one.size or not other.size or freedom < 1:
        return None
    squares = ((one - one.mean()) ** 2).sum() + ((other - other.mean()) ** 2).sum()
    return float((one.mean() - other.mean()) / np.sqrt(squares / freedom)) if squares > 0 else None


def _hedges(one: FloatArray, other: FloatArray) -> tuple[float | None, float | None, float | None]:
    d = standardised_difference(one, other)
    if d is None:
        return None, None, None
    n1, n2 = one.size, other.size
    g = d * (1 - 3 / (4 * (n1 + n2 - 2) - 1))
    half = 1.96 * float(np.sqrt((n1 + n2) / (n1 * n2) + g**2 / (2 * (n1 + n2))))
    return g, g - half, g + half


def _paired(difference: FloatArray) -> tuple[float | None, float | None, float | None, float | None]:
    n = difference.size
    if not n:
        return None, None, None, None
    mean = float(difference.mean())
    if n < 2:
        return mean, None, None, None
    error = float(difference.std(ddof=1) / np.sqrt(n))
    half = float(stdtrit(n - 1, 0.5 + CONFIDENCE / 2)) * error
    p = 2.0 * float(stdtr(n - 1, -abs(mean) / error)) if error > 0 else None
    return mean, mean - half, mean + half, p


def _pairs(x: FloatArray, wanted: IntArray, others: IntArray, reach: float) -> list[tuple[int, int]]:
    """Pairs within one stratum: who has the fewest candidates first, the nearest free one each."""
    order = others[np.lexsort((others, x[others]))]
    scores = x[order]
    low = np.searchsorted(scores, x[wanted] - reach - HAIR, side="left")
    high = np.searchsorted(scores, x[wanted] + reach + HAIR, side="right")
    # Candidates only become fewer as others are taken; the first count decides who goes first.
    turn = np.lexsort((wanted, high - low))
    free = np.ones(order.size, dtype=np.bool_)
    pairs = []
    for at in turn:
        inside = np.flatnonzero(free[low[at] : high[at]]) + low[at]
        if inside.size:
            away = np.abs(scores[inside] - x[wanted[at]])
            nearest = inside[away <= away.min() + HAIR]
            taken = int(nearest[np.argmin(order[nearest])])
            free[taken] = False
            pairs.append((int(wanted[at]), int(order[taken])))
    return pairs


def matched_comparison(
    distance: ArrayLike, start: ArrayLike, in_group: ArrayLike, strata: ArrayLike, caliper: float = CALIPER
) -> MatchedComparison:
    """Difference in distance from expected between a group and matched students outside it.

    ``distance``: distance from expected (spreads of growth); ``start``: start scores, scale
    points; ``in_group``: 1 for members, 0 for others, NaN where it is not known; ``strata``: a label a
    student, alike for students of one grade and program; all of shape (n,). Each member, hardest to match
    first (fewest candidates), gets the nearest free student of the same stratum within ``caliper`` spreads
    of the start score, each used once; ties go to the earlier position. The spread is that of all students
    of the stratum who count (n - 1). Students without distance, start or membership do not count.
    Raises BadInput for other shapes, memberships that are neither 1 nor 0, or a caliper of 0 or less.
    Source: nearest-neighbour matching within calipers without replacement, Rosenbaum & Rubin (1985), The
    American Statistician 39, 33-38; paired t interval; Hedges (1981), J. Educational Statistics 6, 107-128.
    """
    z, x, member, labels = (
        floats("distance", distance),
        floats("start", start),
        floats("in_group", in_group),
        np.asarray(strata),
    )
    if not z.shape == x.shape == member.shape == labels.shape or z.ndim != 1:
        raise BadInput("distance, start, in_group and strata must be one-dimensional and alike")
    if caliper <= 0:
        raise BadInput(f"caliper must be above 0, got {caliper:g}")
    if not np.isin(member[~np.isnan(member)], (0.0, 1.0)).all():
        raise BadInput("in_group must be 1 or 0")
    known = ~np.isnan(z + x + member)
    pairs: list[tuple[int, int]] = []
    for label in np.unique(labels[known]):
        mine = np.flatnonzero(known & (labels == label))
        wanted, others = mine[member[mine] == 1.0], mine[member[mine] == 0.0]
        if wanted.size and others.size:
            pairs += _pairs(x, wanted, others, caliper * float(x[mine].std(ddof=1)))
    table = np.array(sorted(pairs), dtype=np.int64).reshape(-1, 2)
    ours, theirs = table[:, 0], table[:, 1]
    members, rest = known & (member == 1.0), known & (member == 0.0)
    difference, low, high, p = _paired(z[ours] - z[theirs])
    g, g_low, g_high = _hedges(z[ours], z[theirs])
    return MatchedComparison(
        table, int(members.sum()) - len(pairs), difference, low, high, p, g, g_low, g_high,
        standardised_difference(x[members], x[rest]), standardised_difference(x[ours], x[theirs]),
        len(pairs) < FEWEST_PAIRS,
    )  # fmt: skip
