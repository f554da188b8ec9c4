"""Local growth percentiles: among one's own students who started alike, how many grew less."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray, floats
from bodkin.core.errors import BadInput

FEWEST = 200
"""Students with every score that a district's own growth percentiles need."""

QUANTILES = (np.arange(100) + 0.5) / 100
"""0.005, 0.015 ... 0.995: the fitted quantiles."""

MIDDLE = slice(49, 51)
"""The two quantiles on either side of the median."""

INNER_KNOTS = (20, 40, 60, 80)
"""Percentiles of the earlier score at which the pieces of the spline meet."""

DEGREE = 3
MARGIN = 0.1
"""The boundary knots lie this share of the range beyond the lowest and the highest earlier score."""


@dataclass(frozen=True, slots=True)
class GrowthCurves:
    """Fitted quantiles of the later score over the earlier scores.

    ``knots``: for each earlier score its knots with the boundary ones; ``lowest``, ``highest``:
    ends of each earlier score met; ``coefficients``: shape (columns of the spline, 100). Without
    coefficients ``reason`` says why. ``n``: students with every score.
    """

    n: int
    knots: tuple[FloatArray, ...] = ()
    lowest: FloatArray | None = None
    highest: FloatArray | None = None
    coefficients: FloatArray | None = None
    reason: str | None = None


@dataclass(frozen=True, slots=True)
class LocalGrowth:
    """Growth percentile (1..99) of each student, NaN where a score is missing or nothing could be fitted.

    ``beyond`` marks students whose earlier score lies outside those the curves were fitted on; the
    curve of the nearest end stands for them. ``reason`` says why there is nothing.
    """

    percentile: FloatArray
    beyond: BoolArray
    n: int
    reason: str | None = None


def _earlier(scores: ArrayLike) -> FloatArray:
    """Earlier scores as columns, shape (students, scores)."""
    table = floats("earlier", scores)
    if table.ndim == 1:
        table = table[:, np.newaxis]
    if table.ndim != 2 or not table.shape[1]:
        raise BadInput(f"earlier must be one score a student, or students as rows; got shape {table.shape}")
    return table


def _knots(x: FloatArray) -> FloatArray:
    """Knots of one earlier score; percentiles that fall together, or on an end, give one knot or none."""
    low, high = float(x.min()), float(x.max())
    inner = np.unique(np.percentile(x, INNER_KNOTS))
    inner = inner[(inner > low) & (inner < high)]
    beyond = MARGIN * (high - low) or 1.0
    return np.concatenate([[low - beyond] * (DEGREE + 1), inner, [high + beyond] * (DEGREE + 1)])


def _design(table: FloatArray, knots: Sequence[FloatArray]) -> FloatArray:
    """Columns of the splines of all earlier scores; of each but the first without its first column."""
    parts = []
    for position, own in enumerate(knots):
        columns = scipy.interpolate.BSpline.design_matrix(table[:, position], own, DEGREE).toarray()
        parts.append(columns if position == 0 else columns[:, 1:])
    return np.hstack(parts)


def median_slope(curves: GrowthCurves, earlier: ArrayLike) -> FloatArray:
    """How steeply the middle curve rises at each student's latest earlier score, points a point, shape (n,).

    ``earlier`` as :func:`growth_curves`; of several earlier scores the last column is the latest.
    Beyond the scores met the slope at the nearest end stands. NaN for a missing score, or without
    curves. The derivative of a B-spline: de Boor (1978), A Practical Guide to Splines, chapter 10.
    """
    table = _earlier(earlier)
    slope = np.full(table.shape[0], np.nan)
    if curves.coefficients is None:
        return slope
    known = ~np.isnan(table).any(axis=1)
    if not known.any():
        return slope
    held = np.clip(table[known], curves.lowest, curves.highest)
    # Curves may cross: at each score those that stand in the middle there are the ones that count.
    middle = np.argsort(_design(held, curves.knots) @ curves.coefficients, axis=1)[:, MIDDLE]
    own = curves.knots[-1]
    size = own.size - DEGREE - 1
    of_last = curves.coefficients[-(size - (len(curves.knots) > 1)) :]
    if len(curves.knots) > 1:
        of_last = np.vstack([np.zeros(of_last.shape[1]), of_last])
    rises = scipy.interpolate.BSpline(own, of_last, DEGREE).derivative()(held[:, -1])
    slope[known] = np.take_along_axis(rises, middle, axis=1).mean(axis=1)
    return slope


def _solve(basis: FloatArray, y: FloatArray, wanted: FloatArray) -> FloatArray:
    """Coefficients b of the quantile line, from the dual: max y'a, basis'a = wanted, 0 <= a <= 1."""
    found = scipy.optimize.linprog(
        -y, A_eq=basis.T, b_eq=wanted, bounds=(0, 1), method="highs-ds", options={"presolve": False}
    )
    if not found.success:
        raise ArithmeticError(f"a growth quantile could not be fitted: {found.message}")
    return -np.asarray(found.eqlin.marginals, dtype=np.float64)


def _next_quantile(basis: FloatArray, y: FloatArray, tau: float, near: FloatArray, band: int) -> FloatArray:
    """Coefficients at ``tau``, starting from those of a quantile close by.

    Students far above or below the line close by stay on their side of it, so each side enters as
    one sum; whoever turns out to have changed sides enters in person and the rest is solved anew.
    Source: Portnoy & Koenker (1997), Statistical Science 12, 279-300 (section 5, preprocessing).
    """
    n = y.size
    wanted = (1 - tau) * basis.sum(axis=0)
    rest = y - basis @ near
    middle = min(n - 1, int(tau * n))
    shift = np.partition(rest, middle)[middle]
    # The line can move further where few students hold it: distance counts in units of that.
    reach = np.abs(rest - shift) / np.sqrt((basis**2).sum(axis=1))
    in_person = np.zeros(n, dtype=bool)
    in_person[np.argpartition(reach, min(n - 1, 2 * band))[: 2 * band]] = True
    above = rest > shift
    while True:
        high, low = above & ~in_person, ~above & ~in_person
        small = np.vstack([basis[in_person], basis[high].sum(axis=0), basis[low].sum(axis=0)])
        values = np.concatenate([y[in_person], [y[high].sum(), y[low].sum()]])
        b = _solve(small, values, wanted)
        side = y - basis @ b
        wrong = (high & (side < 0)) | (low & (side > 0))
        if not wrong.any():
            return b
        in_person |= wrong


def growth_curves(earlier: ArrayLike, later: ArrayLike) -> GrowthCurves:
    """Quantile curves of the later score over a cubic B-spline of the earlier score or scores.

    ``earlier``: scale points, shape (n,) or (n, scores); ``later``: shape (n,); students with a
    missing score do not count. Inner knots at the 20th, 40th, 60th and 80th percentiles. Fewer
    than 200 students: no curves, with the reason. Raises BadInput for other shapes or infinities.
    Source: quantile regression, Koenker & Bassett (1978), Econometrica 46, 33-50; on B-splines
    of earlier scores, Betebenner (2009), Educational Measurement: Issues and Practice 28(4), 42-51.
    """
    table, y = _earlier(earlier), floats("later", later)
    if y.shape != table.shape[:1]:
        raise BadInput(f"earlier and later must be about the same students: {table.shape}, {y.shape}")
    known = ~np.isnan(y + table.sum(axis=1))
    table, y = table[known], y[known]
    if y.size < FEWEST:
        reason = f"local growth percentiles need {FEWEST} students with every score, there are {y.size}"
        return GrowthCurves(y.size, reason=reason)
    knots = tuple(_knots(column) for column in table.T)
    # An orthonormal basis of the same curves keeps the solver exact and drops columns that say nothing new.
    left, size, right = np.linalg.svd(_design(table, knots), full_matrices=False)
    kept = size > size[0] * 1e-10
    basis, back = left[:, kept] * np.sqrt(y.size), (right[kept].T / size[kept]) * np.sqrt(y.size)
    centre, scale = float(y.mean()), float(y.std()) or 1.0
    z = (y - centre) / scale
    fitted = np.empty((basis.shape[1], QUANTILES.size))
    start = np.linalg.lstsq(basis, z, rcond=None)[0]
    band = max(basis.shape[1] * 10, int(0.015 * y.size))
    first = QUANTILES.size // 2
    for walk in (range(first, QUANTILES.size), range(first - 1, -1, -1)):
        near = start if walk.start == first else fitted[:, first]
        for position in walk:
            near = fitted[:, position] = _next_quantile(basis, z, float(QUANTILES[position]), near, band)
    constant = np.linalg.lstsq(basis, np.ones(y.size), rcond=None)[0]
    coefficients = back @ (fitted * scale + centre * constant[:, np.newaxis])
    return GrowthCurves(y.size, knots, table.min(axis=0), table.max(axis=0), coefficients)


def expected_quantiles(curves: GrowthCurves, earlier: ArrayLike) -> FloatArray:
    """Later score at each of the 100 quantiles for each student, shape (n, 100), rising along a row.

    Curves that cross are put in order. NaN for a student with a missing earlier score, or where
    there are no curves. Raises BadInput for another number of earlier scores.
    Source: sorting crossed quantiles, Chernozhukov, Fernandez-Val & Galichon (2010), Econometrica 78.
    """
    table = _earlier(earlier)
    quantiles = np.full((table.shape[0], QUANTILES.size), np.nan)
    if curves.coefficients is None:
        return quantiles
    if table.shape[1] != len(curves.knots):
        raise BadInput(f"the curves rest on {len(curves.knots)} earlier scores, got {table.shape[1]}")
    known = ~np.isnan(table).any(axis=1)
    if not known.any():
        return quantiles
    held = np.clip(table[known], curves.lowest, curves.highest)
    quantiles[known] = np.sort(_design(held, curves.knots) @ curves.coefficients, axis=1)
    return quantiles


def local_growth_percentile(curves: GrowthCurves, earlier: ArrayLike, later: ArrayLike) -> LocalGrowth:
    """Growth percentile: how many of the 100 fitted quantiles lie below the later score, held to 1..99.

    A quantile that passes through the score itself counts half, as equal scores do in any
    percentile rank: each fitted curve passes through some students' scores by construction, and
    counting it whole would rank those students, and so everybody, too high. Shapes as
    :func:`growth_curves`; the students may be others than those of the curves. Raises BadInput
    for other shapes. Source: Betebenner (2009); mid-rank convention.
    """
    table, y = _earlier(earlier), floats("later", later)
    if y.shape != table.shape[:1]:
        raise BadInput(f"earlier and later must be about the same students: {table.shape}, {y.shape}")
    quantiles = expected_quantiles(curves, table)
    # Curves pass exactly through some scores; the last digits of the fit must not decide there.
    hair = 1e-9 * np.maximum(1.0, np.abs(y))[:, np.newaxis]
    away = quantiles - y[:, np.newaxis]
    below, equal = (away < -hair).sum(axis=1), (np.abs(away) <= hair).sum(axis=1)
    count = np.floor(below + equal / 2 + 0.5)
    percentile = np.where(np.isnan(y + quantiles[:, 0]), np.nan, np.clip(count, 1, 99))
    outside = np.zeros(table.shape, dtype=bool)
    if curves.lowest is not None and curves.highest is not None:
        outside = (table < curves.lowest) | (table > curves.highest)
    return LocalGrowth(percentile, np.asarray(outside.any(axis=1)), curves.n, curves.reason)
