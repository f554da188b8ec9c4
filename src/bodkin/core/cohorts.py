"""Cohort means over windows with their intervals, and the gap between two groups."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtri, stdtrit

from bodkin.core.arrays import FloatArray, floats, within
from bodkin.core.errors import BadInput

FEWEST = 2
"""A mean has an interval, and a gap an effect size, from two students a group."""


@dataclass(frozen=True, slots=True)
class CohortMeans:
    """Means per window, one entry a window; NaN with nobody, ends NaN with one student."""

    n: FloatArray
    mean: FloatArray
    low: FloatArray
    high: FloatArray


def cohort_means(scores: ArrayLike, confidence: float = 0.95) -> CohortMeans:
    """Mean and t interval of each window.

    ``scores``: shape (students, windows), scale points, NaN where there is no result.
    ``confidence`` strictly between 0 and 1. Raises BadInput for another shape or confidence.
    Source: Student's t interval of a mean; scipy.stats.t.interval is the reference.
    """
    table = floats("scores", scores)
    if table.ndim != 2:
        raise BadInput(f"scores must have students as rows and windows as columns, got shape {table.shape}")
    if not 0 < confidence < 1:
        raise BadInput(f"confidence must lie between 0 and 1, got {confidence:g}")
    known = ~np.isnan(table)
    n = known.sum(axis=0).astype(np.float64)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(known, table, 0.0).sum(axis=0) / n
        squares = np.where(known, (table - mean) ** 2, 0.0).sum(axis=0)
        error = np.where(n >= FEWEST, np.sqrt(squares / (n - 1) / n), np.nan)
    half = stdtrit(np.maximum(n - 1, 1), 0.5 + confidence / 2) * error
    return CohortMeans(n, np.where(n > 0, mean, np.nan), mean - half, mean + half)


@dataclass(frozen=True, slots=True)
class Gap:
    """Difference of two groups: in scale points with its t interval, and as Hedges' g with one.

    All None with the reason where a group has fewer than two students or nobody differs.
    """

    n: tuple[int, int]
    difference: float | None = None
    low: float | None = None
    high: float | None = None
    g: float | None = None
    g_low: float | None = None
    g_high: float | None = None
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
    share = float(within("confidence", confidence, 1e-9, 1 - 1e-9))
    sizes = (int(a.size), int(b.size))
    if min(sizes) < FEWEST:
        return Gap(sizes, reason=f"each group needs at least {FEWEST} students")
    difference = float(a.mean() - b.mean())
    va, vb = float(a.var(ddof=1)), float(b.var(ddof=1))
    if va + vb == 0:
        return Gap(sizes, difference, reason="nobody differs within the groups")
    ea, eb = va / a.size, vb / b.size
    welch = (ea + eb) ** 2 / (ea**2 / (a.size - 1) + eb**2 / (b.size - 1))
    half = float(stdtrit(welch, 0.5 + share / 2)) * float(np.sqrt(ea + eb))
    total, df = a.size + b.size, a.size + b.size - 2
    pooled = np.sqrt(((a.size - 1) * va + (b.size - 1) * vb) / df)
    g = difference / float(pooled) * (1.0 - 3.0 / (4.0 * df - 1.0))
    error = float(np.sqrt(total / (a.size * b.size) + g**2 / (2 * total)))
    reach = float(ndtri(0.5 + share / 2)) * error
    return Gap(sizes, difference, difference - half, difference + half, g, g - reach, g + reach)
