"""Units compared fairly: intervals, estimates drawn toward the whole, and which differ beyond chance."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import ArrayLike
from scipy.special import betaln, gammaln, ndtr, ndtri, stdtrit

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats
from bodkin.core.errors import BadInput
from bodkin.core.scores.shares import wilson_interval

FALSE_DISCOVERY_RATE = 0.05
"""Share of the units called different that may be so by chance alone."""
CONFIDENCE = 0.95
STIFFEST = 1e6
"""Students that a prior share may be worth at most; more says the same."""
LOOKS = 100
"""Most steps in which an end of an interval is closed in on; a dozen are enough nearly always."""
CLOSE = 1e-11
"""An end is found when the statistic is so close to its line, or so little is left of the way."""
EXACT_CELLS = 4_000
"""Most pairs of up and down counts for which the chance of a net move is added up one by one."""


@dataclass(frozen=True, slots=True)
class UnitsCompared:
    """Units beside the whole that they are parts of, arrays with one entry a unit.

    ``raw`` is the unit's own figure, ``low`` and ``high`` its 95 % interval, ``estimate`` the figure
    drawn toward the whole by as much as the unit's size and the spread of the units leave to chance.
    ``p``: how often as many students drawn by lot from the whole lie as far from it or farther.
    ``different``: so beyond chance, with the false discovery rate over all units held. NaN where there
    is nobody; ``low``, ``high`` and ``p`` are NaN too where one student cannot tell.
    """

    whole: float
    raw: FloatArray
    low: FloatArray
    high: FloatArray
    estimate: FloatArray
    p: FloatArray
    different: BoolArray


def false_discoveries(p: ArrayLike, rate: float = FALSE_DISCOVERY_RATE) -> BoolArray:
    """Which of many tests stand when at most ``rate`` of those that stand may be chance.

    ``p``: shape (tests,), 0..1, NaN for no test: it does not stand and does not count. Raises BadInput
    for a chance outside 0..1 or a rate outside 0..1.
    Source: Benjamini & Hochberg (1995), J. Royal Statistical Society B 57, 289-300.
    """
    chance = floats("p", p)
    known = ~np.isnan(chance)
    if ((chance[known] < 0) | (chance[known] > 1)).any():
        raise BadInput("p must be from 0 to 1")
    if not 0 < rate < 1:
        raise BadInput(f"rate must lie between 0 and 1, got {rate:g}")
    standing = np.zeros(chance.shape, dtype=np.bool_)
    if not known.any():
        return standing
    ordered = np.sort(chance[known])
    held = np.flatnonzero(ordered <= rate * np.arange(1, ordered.size + 1) / ordered.size)
    if held.size:
        standing[known] = chance[known] <= ordered[held[-1]]
    return standing


def _sizes(name: str, values: ArrayLike) -> FloatArray:
    counts = floats(name, values)
    if np.isnan(counts).any() or (counts < 0).any() or (counts != np.floor(counts)).any():
        raise BadInput(f"{name} must hold whole numbers of 0 or more")
    return counts


def moments_of_each(values: ArrayLike, units: Sequence[IntArray]) -> tuple[FloatArray, FloatArray, FloatArray]:
    """How many students of each unit have a value, its mean and standard deviation (n - 1) among them.

    ``values``: shape (students,), NaN where missing; ``units``: the places of each unit's students. The mean
    is NaN where there are none, the standard deviation where there is one or none.
    Raises BadInput for a place beyond the students.
    """
    all_values = floats("values", values)
    place = np.concatenate([*units, np.array([], dtype=np.int64)])
    if place.size and not 0 <= place.min() <= place.max() < all_values.size:
        raise BadInput(f"units must hold places from 0 to {all_values.size - 1}")
    unit = np.repeat(np.arange(len(units)), [places.size for places in units])
    mine = all_values[place]
    known = ~np.isnan(mine)
    unit, mine = unit[known], mine[known]
    n = np.bincount(unit, minlength=len(units)).astype(np.float64)
    mean = np.bincount(unit, mine, len(units)) / np.where(n > 0, n, np.nan)
    squares = np.bincount(unit, (mine - mean[unit]) ** 2, len(units))
    return n, mean, np.sqrt(squares / np.where(n > 1, n - 1, np.nan))


def between_units(effect: ArrayLike, variance: ArrayLike) -> float:
    """Variance between units beyond what chance within them brings, 0 or more.

    ``effect``: the units' figures; ``variance``: the sampling variance of each, above 0. Units with NaN
    do not count; 0 with fewer than two. Solves ``sum((y - m)^2 / (v + t)) = k - 1`` for t, m the mean
    weighted by ``1 / (v + t)``. Raises BadInput for a variance of 0 or less.
    Source: Paule & Mandel (1982), J. Research of the National Bureau of Standards 87, 377-385.
    """
    y, v = floats("effect", effect), floats("variance", variance)
    known = ~np.isnan(y + v)
    y, v = y[known], v[known]
    if (v <= 0).any():
        raise BadInput("variance must be above 0")
    if y.size < 2:
        return 0.0

    def excess(t: float) -> float:
        weight = 1.0 / (v + t)
        return float((weight * (y - np.average(y, weights=weight)) ** 2).sum() - (y.size - 1))

    if excess(0.0) <= 0:
        return 0.0
    high = float(y.var() + v.max()) + 1e-12
    while excess(high) > 0:
        high *= 2
    # In its own unit, so that the last digits are found however small the figures are.
    return high * float(scipy.optimize.brentq(lambda share: excess(share * high), 0.0, 1.0, xtol=1e-15, rtol=1e-14))


def _lot(distance: FloatArray, n: FloatArray, spread: float, size: int) -> FloatArray:
    """Two-sided chance that the mean of n students drawn by lot from all lies as far from theirs."""
    with np.errstate(divide="ignore", invalid="ignore"):
        error = np.where(n < size, spread * np.sqrt((1 - n / size) / n), np.nan)
        z = np.where(error > 0, distance / error, np.nan)
    return floats("p", 2 * ndtr(-np.abs(z)))


def compare_means(n: ArrayLike, mean: ArrayLike, sd: ArrayLike, whole: tuple[int, float, float]) -> UnitsCompared:
    """Units by the mean of a figure of their students, beside the mean of all.

    ``n``, ``mean``, ``sd``: students, mean and standard deviation (n - 1) of each unit, NaN where there
    are none; ``whole``: the same three of all students together, who may be in several units. Interval:
    t with the unit's own spread. Estimate: ``whole + (mean - whole) * t2 / (t2 + s2 / n)``, ``s2`` the
    spread within units, ``t2`` that between them (:func:`between_units`). Chance: the unit against the
    same number drawn by lot. Raises BadInput for counts that are none.
    Source: Morris (1983), J. American Statistical Association 78, 47-55; the chance of a mean drawn
    without replacement, Cochran (1977), Sampling Techniques, chapter 2.
    """
    size, middle, spread_of_all = whole
    count, y, own = _sizes("n", n), floats("mean", mean), floats("sd", sd)
    y = np.where(count > 0, y, np.nan)
    several = (count > 1) & ~np.isnan(own)
    freedom = (count[several] - 1).sum()
    within = float(((count[several] - 1) * own[several] ** 2).sum() / freedom) if freedom else np.nan
    with np.errstate(divide="ignore", invalid="ignore"):
        half = np.where(several, stdtrit(np.maximum(count - 1, 1), 0.5 + CONFIDENCE / 2) * own / np.sqrt(count), np.nan)
        variance = np.where(count > 0, within / count, np.nan)
    if within > 0:
        between = between_units(y, variance)
        estimate = middle + (y - middle) * between / (between + variance)
    else:
        estimate = y.copy()
    p = np.where(count > 1, _lot(y - middle, count, spread_of_all, size), np.nan)
    return UnitsCompared(middle, y, y - half, y + half, estimate, p, false_discoveries(p))


def prior_strength(count: ArrayLike, n: ArrayLike, share: float) -> float:
    """How many students the whole's share is worth for each unit, when units differ as these do.

    ``count`` of ``n`` in each unit; ``share`` of the whole, between 0 and 1. The most likely ``m`` of
    ``Beta(m * share, m * (1 - share))`` for the units' true shares; ``STIFFEST`` where they differ no
    more than chance. Source: beta-binomial likelihood, for example Griffiths (1973), Biometrics 29, 637-648.
    """
    k, total = _sizes("count", count), _sizes("n", n)
    used = total > 0
    k, total = k[used], total[used]

    def unlikely(log_strength: ArrayLike) -> FloatArray:
        strength = np.exp(np.asarray(log_strength))[..., None]
        a, b = strength * share, strength * (1 - share)
        found: FloatArray = -(betaln(k + a, total - k + b) - betaln(a, b)).sum(axis=-1)
        return found

    # The likelihood may be flat at the far end: begin with a coarse look over the whole range.
    looks = np.linspace(np.log(0.05), np.log(STIFFEST), 60)
    best = int(np.argmin(unlikely(looks)))
    ends = looks[max(0, best - 1)], looks[min(looks.size - 1, best + 1)]
    found = scipy.optimize.minimize_scalar(unlikely, bounds=ends, method="bounded", options={"xatol": 1e-7})
    return float(np.exp(found.x))


def _alike(n: FloatArray, size: int) -> Iterator[tuple[int, IntArray]]:
    """Each number of students drawn, fewer than all, with the units of which so many are drawn."""
    for drawn in np.unique(n[(n > 0) & (n < size)]):
        yield int(drawn), np.flatnonzero(n == drawn)


@lru_cache(maxsize=4)
def _log_factorials(size: int) -> FloatArray:
    logs = floats("factorials", gammaln(np.arange(size + 1) + 1.0))
    logs.flags.writeable = False
    return logs


def _fisher(count: FloatArray, n: FloatArray, of_all: int, size: int) -> FloatArray:
    """Two-sided chance of each unit's count among n drawn by lot from ``size`` of whom ``of_all`` count."""
    p = np.full(n.shape, np.nan)
    # Logarithms of all factorials once, and each number drawn once: units look them up.
    factorial = _log_factorials(size)
    rest = size - of_all
    for drawn, mine in _alike(n, size):
        low, high = max(0, drawn - rest), min(drawn, of_all)
        log = -(
            factorial[low : high + 1] + factorial[of_all - high : of_all - low + 1][::-1]
            + factorial[drawn - high : drawn - low + 1][::-1] + factorial[rest - drawn + low : rest - drawn + high + 1]
        )  # fmt: skip
        weight = np.exp(log - log.max())
        here = weight[count[mine].astype(np.int64) - low]
        # Equally likely counts differ in their last digits only.
        as_far = np.where(weight <= here[:, None] * (1 + 1e-9), weight, 0.0).sum(axis=1)
        p[mine] = np.minimum(as_far / weight.sum(), 1.0)
    return p


def compare_shares(count: ArrayLike, n: ArrayLike, whole: tuple[int, int]) -> UnitsCompared:
    """Units by the share of their students of whom something holds, beside the share of all.

    ``count`` of ``n`` in each unit; ``whole``: the same two of all students together, who may be in
    several units. Interval: Wilson. Estimate: ``(count + m * share) / (n + m)``, m as
    :func:`prior_strength`. Chance: Fisher's exact test of the unit against all others.
    Raises BadInput for a count above its n or for counts that are none.
    Source: empirical Bayes for shares, for example Casella (1985), American Statistician 39, 83-87;
    Fisher (1935), J. Royal Statistical Society 98, 39-54.
    """
    k, total = _sizes("count", count), _sizes("n", n)
    low, high = wilson_interval(k, total, CONFIDENCE)
    of_all, size = whole
    if not 0 <= of_all <= size or (total > size).any() or (k > of_all).any():
        raise BadInput("the whole must hold every unit")
    with np.errstate(invalid="ignore"):
        raw = np.where(total > 0, k / np.where(total > 0, total, 1), np.nan)
    share = of_all / size if size else np.nan
    estimate = raw.copy()
    if 0 < share < 1:
        m = prior_strength(k, total, share)
        estimate = np.where(total > 0, (k + m * share) / (total + m), np.nan)
    p = np.where(total > 1, _fisher(k, total, of_all, size), np.nan)
    return UnitsCompared(share, raw, low, high, estimate, p, false_discoveries(p))


def net_move_interval(
    up: ArrayLike, down: ArrayLike, n: ArrayLike, confidence: float = CONFIDENCE
) -> tuple[FloatArray, FloatArray]:
    """Interval of a net move, ``(up - down) / n``, in -1..1; NaN where ``n`` is 0.

    The score interval of a difference of paired shares: every net move d for which
    ``|up - down - n d| <= z sqrt(n (2 q + d (1 - d)))``, q being the most likely share that moved down
    given d. Raises BadInput for counts that do not fit together.
    Source: Tango (1998), Statistics in Medicine 17, 891-908.
    """
    b, c, size = np.broadcast_arrays(_sizes("up", up), _sizes("down", down), _sizes("n", n))
    if (b + c > size).any():
        raise BadInput("up and down together cannot exceed n")
    z = float(ndtri(0.5 + confidence / 2))
    total = np.where(size > 0, size, np.nan)

    def away(d: FloatArray) -> FloatArray:
        lead = -b - c + (2 * total - b + c) * d
        last = -c * d * (1 - d)
        q = (np.sqrt(np.maximum(lead**2 - 8 * total * last, 0)) - lead) / (4 * total)
        variance = np.maximum(total * (2 * q + d * (1 - d)), 0)
        gap = b - c - total * d
        return np.where(
            np.abs(gap) < 1e-12 * total, 0.0, np.where(variance > 0, gap / np.sqrt(variance), np.sign(gap) * np.inf)
        )

    raw = (b - c) / total
    # Both ends at once: the statistic falls as the net move supposed rises, from above z to below -z.
    way = np.array([1.0, -1.0]).reshape(2, *([1] * raw.ndim))
    inner = np.broadcast_to(raw, (2, *raw.shape)).astype(np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        return _ends(lambda d: way * away(d) - z, inner, np.broadcast_to(-way, inner.shape).astype(np.float64))


def _ends(
    beyond: Callable[[FloatArray], FloatArray], inner: FloatArray, outer: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Where a statistic that is below 0 at ``inner`` comes to 0 on the way to ``outer``, of both ends.

    A line through both sides tells where to look next; a side that stays twice counts half the second time,
    and where the line is of no use the middle is looked at. Source: Illinois method, Dowell & Jarratt
    (1971), BIT 11, 168-174.
    """
    at_inner, at_outer = beyond(inner), beyond(outer)
    stayed = np.zeros(inner.shape)
    for _ in range(LOOKS):
        share = at_inner / (at_inner - at_outer)
        share = np.where((share > 0) & (share < 1), share, 0.5)
        looked = inner + share * (outer - inner)
        found = beyond(looked)
        within = found <= 0
        at_inner, at_outer = (
            np.where(within, found, np.where(stayed < 0, at_inner / 2, at_inner)),
            np.where(within, np.where(stayed > 0, at_outer / 2, at_outer), found),
        )
        inner, outer = np.where(within, looked, inner), np.where(within, outer, looked)
        stayed = np.where(within, 1.0, -1.0)
        if not (np.minimum(np.abs(found), np.abs(outer - inner)) > CLOSE).any():
            break
    return inner[0], inner[1]


def _nets_by_lot(net: FloatArray, n: FloatArray, of_all: tuple[int, int, int]) -> FloatArray:
    """Two-sided chance of each net move as far from the whole's among n drawn by lot, added up one by one.

    ``net``: up less down; ``of_all``: up, down and all students of the whole. NaN for units too large for it.
    """
    ups, downs, size = of_all
    p = np.full(n.shape, np.nan)
    factorial = _log_factorials(size)
    for drawn, mine in _alike(n, size):
        most_up, most_down = min(drawn, ups), min(drawn, downs)
        if drawn < 2 or (most_up + 1) * (most_down + 1) > EXACT_CELLS:
            continue
        b, c = np.arange(most_up + 1)[:, None], np.arange(most_down + 1)[None, :]
        stay = drawn - b - c
        others = size - ups - downs - stay
        fits = (stay >= 0) & (others >= 0)
        log = -(factorial[b] + factorial[ups - b] + factorial[c] + factorial[downs - c])
        log = np.where(fits, log - factorial[np.where(fits, stay, 0)] - factorial[np.where(fits, others, 0)], -np.inf)
        weight = np.bincount((b - c + most_down).ravel(), np.exp(log - log.max()).ravel())
        expected = drawn * (ups - downs) / size
        away = np.abs(np.arange(-most_down, most_up + 1) - expected)
        as_far = np.where(away >= np.abs(net[mine] - expected)[:, None] - 1e-9, weight, 0.0).sum(axis=1)
        p[mine] = np.minimum(as_far / weight.sum(), 1.0)
    return p


def compare_net_moves(up: ArrayLike, down: ArrayLike, n: ArrayLike, whole: tuple[int, int, int]) -> UnitsCompared:
    """Units by the net move of their students, beside that of all.

    ``up``, ``down`` of ``n`` matched students in each unit; ``whole``: the same three of all together.
    Interval: :func:`net_move_interval`. Estimate as :func:`compare_means`. Chance: as many students
    drawn by lot, added up exactly for a small unit, by the normal curve for a large one.
    Raises BadInput for counts that do not fit together.
    """
    b, c, size = _sizes("up", up), _sizes("down", down), _sizes("n", n)
    ups, downs, everybody = whole
    if (b > ups).any() or (c > downs).any() or (size > everybody).any() or ups + downs > everybody:
        raise BadInput("the whole must hold every unit")
    low, high = net_move_interval(b, c, size)
    with np.errstate(invalid="ignore", divide="ignore"):
        raw = np.where(size > 0, (b - c) / np.where(size > 0, size, 1), np.nan)
        sd = np.sqrt(np.maximum(b + c - size * raw**2, 0) / np.where(size > 1, size - 1, np.nan))
    middle = (ups - downs) / everybody if everybody else np.nan
    spread = float(np.sqrt((ups + downs - everybody * middle**2) / (everybody - 1))) if everybody > 1 else np.nan
    by_means = compare_means(size, raw, sd, (everybody, middle, spread))
    exact = _nets_by_lot(b - c, size, whole)
    p = np.where(np.isnan(exact), by_means.p, exact)
    return UnitsCompared(middle, raw, low, high, by_means.estimate, p, false_discoveries(p))
