"""The gap between two groups: difference with its interval, and effect size."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr, ndtri, stdtr, stdtrit

from bodkin.core.arrays import FloatArray, floats, within
from bodkin.core.errors import BadInput

FEWEST = 2
"""A gap has an effect size from two students a group on."""


@dataclass(frozen=True, slots=True)
class Gap:
    """Difference of two groups: in scale points with its t interval, and as Hedges' g with one.

    ``p``: two-sided chance of so large a difference where there is none (Welch's t test).
    All None with the reason where a group has fewer than two students or nobody differs.
    """

    n: tuple[int, int]
    difference: float | None = None
    low: float | None = None
    high: float | None = None
    g: float | None = None
    g_low: float | None = None
    g_high: float | None = None
    p: float | None = None
    reason: str | None = None


def gap(first: ArrayLike, second: ArrayLike, confidence: float = 0.95) -> Gap:
    """First group less second: difference of means (Welch interval) and Hedges' g.

    ``first``, ``second``: scores of two groups of different students, scale points. g is the
    difference in pooled standard deviations times the small-sample factor ``1 - 3/(4 df - 1)``,
    df = n1 + n2 - 2; its interval uses ``se = sqrt((n1+n2)/(n1 n2) + g^2/(2 (n1+n2)))``.
    Raises BadInput for a confidence outside 0..1.
    Source: Hedges (1981), J. Educational Statistics 6, 107-128; Welch (1947), Biometrika 34, 28-35;
    the error of g as in Hedges & Olkin (1985), chapter 5.
    """
    a, b = (values[~np.isnan(values)] for values in (floats("first", first), floats("second", second)))
    return gap_of_moments(_moments(a), _moments(b), confidence)


def _moments(values: FloatArray) -> tuple[int, float, float]:
    many = values.size >= FEWEST
    return int(values.size), float(values.mean()) if many else np.nan, float(values.var(ddof=1)) if many else np.nan


def gap_of_moments(first: tuple[int, float, float], second: tuple[int, float, float], confidence: float = 0.95) -> Gap:
    """The same from size, mean and variance (n - 1) of each group, where those are known already.

    Raises BadInput for a confidence outside 0..1 or a variance below 0. Source: :func:`gap`.
    """
    share = float(within("confidence", confidence, 1e-9, 1 - 1e-9))
    (n, _, va), (m, _, vb) = first, second
    if min(n, m) < FEWEST:
        return Gap((n, m), reason=f"each group needs at least {FEWEST} students")
    if min(va, vb) < 0:
        raise BadInput(f"a variance must be 0 or more, got {min(va, vb):g}")
    difference, p = (float(one) for one in difference_of_moments(first, second))
    if math.isnan(p):
        return Gap((n, m), difference, reason="nobody differs within the groups")
    half = float(stdtrit(_welch(n, va, m, vb), 0.5 + share / 2)) * math.sqrt(va / n + vb / m)
    total, df = n + m, n + m - 2
    pooled = math.sqrt(((n - 1) * va + (m - 1) * vb) / df)
    g = difference / pooled * (1.0 - 3.0 / (4.0 * df - 1.0))
    error = math.sqrt(total / (n * m) + g**2 / (2 * total))
    reach = float(ndtri(0.5 + share / 2)) * error
    return Gap((n, m), difference, difference - half, difference + half, g, g - reach, g + reach, p)


def _welch(n: Any, va: Any, m: Any, vb: Any) -> Any:
    ea, eb = va / n, vb / m
    return (ea + eb) ** 2 / (ea**2 / (n - 1) + eb**2 / (m - 1))


Moments = tuple[ArrayLike, ArrayLike, ArrayLike]
"""Size, mean and variance (n - 1) of a group, or of many groups."""


def difference_of_moments(first: Moments, second: Moments) -> tuple[FloatArray, FloatArray]:
    """The difference of two means and Welch's two-sided p alone, of one pair of groups or of many.

    Size, mean and variance (n - 1) of each; the answers have the shape of these. p is NaN where nobody differs
    within the groups. Raises BadInput for groups of fewer than two or a variance below 0. Source: :func:`gap`.
    """
    n, mean, va = (np.asarray(one, dtype=np.float64) for one in first)
    m, other, vb = (np.asarray(one, dtype=np.float64) for one in second)
    if not np.all((np.minimum(n, m) >= FEWEST) & (np.minimum(va, vb) >= 0)):
        raise BadInput(f"each group needs {FEWEST} students and a variance of 0 or more, got {first} and {second}")
    difference = np.asarray(mean - other)
    # Where nobody differs 0 is divided by 0.
    with np.errstate(invalid="ignore", divide="ignore"):
        error = np.sqrt(va / n + vb / m)
        p = 2.0 * stdtr(_welch(n, va, m, vb), -np.abs(difference) / error)
    return difference, np.where(error > 0, p, np.nan)


@dataclass(frozen=True, slots=True)
class ShareGap:
    """How far shares lie apart: ``size`` as a difference of arcsines, and how often chance brings as much."""

    size: FloatArray
    p: FloatArray


def gap_of_shares(count: tuple[ArrayLike, ArrayLike], n: tuple[ArrayLike, ArrayLike]) -> ShareGap:
    """The first share less the second, of one pair or of many: Cohen's h, and the two-sided p of the pooled test.

    ``count`` of ``n`` students each; the answers have the shape of these. Without anything between the shares p
    is 1. Raises BadInput for counts outside 0..n or no students. Source: Cohen (1988), Statistical Power
    Analysis, chapter 6; the pooled z test of two proportions; statsmodels proportion_effectsize and
    proportions_ztest are the references.
    """
    (some, others), (n1, n2) = (tuple(np.asarray(one, dtype=np.float64) for one in pair) for pair in (count, n))
    if not all(np.all((size >= 1) & (held >= 0) & (held <= size)) for held, size in ((some, n1), (others, n2))):
        raise BadInput(f"count must be from 0 to n, n at least 1, got {count} of {n}")
    first, second = some / n1, others / n2
    pooled = (some + others) / (n1 + n2)
    spread = np.sqrt(pooled * (1 - pooled) * (1 / n1 + 1 / n2))
    apart = np.divide(np.abs(first - second), spread, out=np.zeros_like(spread), where=spread > 0)
    return ShareGap(2 * np.arcsin(np.sqrt(first)) - 2 * np.arcsin(np.sqrt(second)), 2 * ndtr(-apart))
