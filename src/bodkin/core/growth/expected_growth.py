"""Expected growth from a start score, and the growth seen against it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr

from bodkin.core.arrays import FloatArray, IntArray, floats, positive, same_shape, within
from bodkin.core.errors import BadInput
from bodkin.core.scores.scales import as_rank

DEFAULT_CORRELATION = 0.85
"""Correlation of scores between two windows where no growth norm gives one."""
CLEARLY = 1.645
"""Errors away from expected from which growth is clearly above or below: chance alone does that 5 times in 100."""
SAME = 1e-9
"""Points of a gain that are no difference: what differs in the last digits only is the same."""
BY_CHANCE = 0.05
"""Share of students on either side whom chance alone calls clearly above, or below, when all grew as expected."""


@dataclass(frozen=True, slots=True)
class ExpectedGrowth:
    """What a start score leads one to expect, in scale points, one entry per student.

    ``slope``: how much the expected score rises with each point of the start score.
    """

    score: FloatArray
    gain: FloatArray
    spread: FloatArray
    slope: FloatArray

    @property
    def low(self) -> FloatArray:
        """Lower end of the projected range, one spread below the expected score."""
        return self.score - self.spread

    @property
    def high(self) -> FloatArray:
        """Upper end of the projected range, one spread above the expected score."""
        return self.score + self.spread


def expected_growth(
    score: ArrayLike,
    mean_first: ArrayLike,
    sd_first: ArrayLike,
    mean_second: ArrayLike,
    sd_second: ArrayLike,
    correlation: ArrayLike = DEFAULT_CORRELATION,
) -> ExpectedGrowth:
    """Expected second score, ``mu2 + rho * (sd2 / sd1) * (x1 - mu1)``, its gain and spread.

    All in scale points and of one shape (or scalars); ``correlation`` in -1..1. The spread is
    ``sd2 * sqrt(1 - rho^2)``. NaN where anything needed is NaN.
    Raises BadInput for a spread of 0 or less and for a correlation outside -1..1.
    Source: conditional mean and standard deviation of the bivariate normal distribution, for
    example Johnson & Wichern, Applied Multivariate Statistical Analysis, result 4.6.

    >>> e = expected_growth([480.0], 500.0, 20.0, 510.0, 20.0, 0.8)
    >>> e.score.tolist(), e.gain.tolist(), [round(float(s), 6) for s in e.spread]
    ([494.0], [14.0], [12.0])
    """
    x1 = floats("score", score)
    mu1, sd1 = floats("mean_first", mean_first), positive("sd_first", sd_first)
    mu2, sd2 = floats("mean_second", mean_second), positive("sd_second", sd_second)
    rho = within("correlation", correlation, -1.0, 1.0)
    same_shape(score=x1, mean_first=mu1, sd_first=sd1, mean_second=mu2, sd_second=sd2, correlation=rho)
    expected = np.asarray(mu2 + rho * (sd2 / sd1) * (x1 - mu1), dtype=np.float64)
    spread = np.where(np.isnan(expected), np.nan, sd2 * np.sqrt(1.0 - rho**2))
    slope = np.where(np.isnan(expected), np.nan, rho * sd2 / sd1)
    return ExpectedGrowth(expected, np.asarray(expected - x1, dtype=np.float64), spread, slope)


def error_away(slope: ArrayLike, error_first: ArrayLike, error_second: ArrayLike) -> FloatArray:
    """Standard error of gain minus expected gain that the two tests bring, scale points.

    ``sqrt(s2^2 + (b * s1)^2)``: an error in the start score moves the expectation by ``slope`` (b)
    of itself, and the gain less the expectation by just that. Standard errors in scale points, above
    0; one shape (or scalars); NaN where anything is missing. Raises BadInput for an error of 0 or less.
    Source: propagation of error of a difference of independent terms, for example Lord & Novick
    (1968), Statistical Theories of Mental Test Scores, chapter 3.
    """
    b, s1, s2 = floats("slope", slope), positive("error_first", error_first), positive("error_second", error_second)
    same_shape(slope=b, error_first=s1, error_second=s2)
    return np.asarray(np.sqrt(s2**2 + (b * s1) ** 2), dtype=np.float64)


@dataclass(frozen=True, slots=True)
class GrowthSeen:
    """Growth between two results against what was expected, one entry per student.

    ``gain`` in scale points; ``distance`` is gain minus expected gain in spreads of growth;
    ``percentile`` 1..99; ``met`` 1 or 0; ``verdict`` 1 clearly above, 0 as expected, -1 clearly
    below the expectation. NaN wherever it cannot be said.
    """

    gain: FloatArray
    distance: FloatArray
    percentile: FloatArray
    met: FloatArray
    verdict: FloatArray


def growth_seen(
    first: ArrayLike,
    second: ArrayLike,
    expectation: ExpectedGrowth,
    error_first: ArrayLike = np.nan,
    error_second: ArrayLike = np.nan,
    clearly: float = CLEARLY,
) -> GrowthSeen:
    """Gain, distance from expected, growth percentile, met and verdict.

    Scores and standard errors in scale points, one shape; the second score is NaN where it is
    still to come. ``distance = (gain - expected) / spread``; growth percentile
    ``clip(floor(100 * Phi(distance) + 0.5), 1, 99)``; met when gain >= expected, unrounded but for the
    ninth decimal, since a curve fitted to results passes through some of them; the verdict compares
    gain - expected with ``clearly`` times its error (:func:`error_away`) and needs both standard errors.
    With a spread of zero (a correlation of exactly 1) there is no distance: NaN.
    Raises BadInput for a standard error of 0 or less.
    """
    x1, x2 = floats("first", first), floats("second", second)
    s1, s2 = positive("error_first", error_first), positive("error_second", error_second)
    same_shape(first=x1, second=x2, expectation=expectation.gain, error_first=s1, error_second=s2)
    gain = np.asarray(x2 - x1, dtype=np.float64)
    beyond = gain - expectation.gain
    spread = np.where(expectation.spread > 0, expectation.spread, np.nan)
    distance = np.asarray(beyond / spread, dtype=np.float64)
    error = clearly * error_away(expectation.slope, s1, s2)
    met = np.where(np.isnan(beyond), np.nan, (beyond >= -SAME).astype(np.float64))
    side = (beyond > error).astype(np.float64) - (beyond < -error)
    verdict = np.where(np.isnan(beyond + error), np.nan, side)
    return GrowthSeen(gain, distance, as_rank(100.0 * ndtr(distance)), met, verdict)


@dataclass(frozen=True, slots=True)
class GrowthSummary:
    """Growth of many students; ``n`` have both results and an expectation. None where n is 0."""

    n: int
    mean_gain: float | None
    mean_expected: float | None
    met_n: int
    met_share: float | None
    median_percentile: float | None


def summarise_growth(seen: GrowthSeen, expectation: ExpectedGrowth) -> GrowthSummary:
    """Mean gain, mean expected gain, how many met it and the median growth percentile."""
    return summarise_growth_of_each(seen, expectation, [np.arange(seen.gain.size)])[0]


def summarise_growth_of_each(
    seen: GrowthSeen, expectation: ExpectedGrowth, groups: Sequence[IntArray]
) -> list[GrowthSummary]:
    """Growth of many groups of students, each given by its students' places; a student may be in several.

    Raises BadInput for a place beyond the students. See :func:`summarise_growth`.
    """
    size = seen.gain.size
    gain, expected, met, percentile = seen.gain, expectation.gain, seen.met, seen.percentile
    counted = ~np.isnan(gain - expected)
    who = np.concatenate([*groups, np.zeros(0, dtype=np.int64)])
    if who.size and not 0 <= who.min() <= who.max() < size:
        raise BadInput(f"groups must hold places from 0 to {size - 1}")
    group = np.repeat(np.arange(len(groups)), [places.size for places in groups])[counted[who]]
    who = who[counted[who]]
    n = np.bincount(group, minlength=len(groups))
    some = np.flatnonzero(n)
    begins = (np.cumsum(n) - n)[some]
    if not some.size:
        return [GrowthSummary(0, None, None, 0, None, None) for _ in groups]
    sums = {name: np.add.reduceat(values[who], begins) for name, values in
            (("gain", gain), ("expected", expected), ("met", met))}  # fmt: skip
    # Ranks of each group in order, those that are not known last.
    ranks = percentile[who][np.lexsort((percentile[who], group))]
    ranked = n[some] - np.add.reduceat(np.isnan(ranks).astype(np.int64), begins)
    low, high = (ranks[begins + np.minimum(at, n[some] - 1)] for at in (np.maximum(ranked - 1, 0) // 2, ranked // 2))
    middles = np.where(ranked > 0, (low + high) / 2, np.nan)
    summaries = [GrowthSummary(0, None, None, 0, None, None)] * len(groups)
    rows = zip(some.tolist(), n[some].tolist(), *(sums[name].tolist() for name in sums), middles.tolist(), strict=True)
    for at, count, gained, wanted, met_n, middle in rows:
        summaries[at] = GrowthSummary(
            count, gained / count, wanted / count, int(met_n), met_n / count, None if np.isnan(middle) else middle
        )
    return summaries
