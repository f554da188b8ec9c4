"""Percentile ranks and changes beyond error on a test's own scale."""

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr, ndtri

from bodkin.core.arrays import FloatArray, floats, positive, same_shape, within


def percent_below(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Unrounded normal percentile ``100 * Phi((x - mu) / sd)``, 0..100.

    ``score``, ``mean``, ``sd``: scale points, one shape (or scalars); NaN where any is NaN.
    Raises BadInput for a spread of 0 or less. Source: standard normal distribution.
    """
    x, mu, spread = floats("score", score), floats("mean", mean), positive("sd", sd)
    same_shape(score=x, mean=mu, sd=spread)
    return np.asarray(100.0 * ndtr((x - mu) / spread), dtype=np.float64)


def as_rank(percent: ArrayLike) -> FloatArray:
    """A percentile rank from an unrounded percentage: halves round up, kept within 1..99."""
    return np.clip(np.floor(floats("percent", percent) + 0.5), 1.0, 99.0)


def percentile_rank(score: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """Percentile rank in a norm group, ``clip(floor(100 * Phi(z) + 0.5), 1, 99)``.

    Shapes, units and errors as :func:`percent_below`. Source: standard psychometric definition.

    >>> percentile_rank([500.0, 519.6], 500.0, 20.0).tolist()
    [50.0, 84.0]
    """
    return as_rank(percent_below(score, mean, sd))


def score_at_percentile(percentile: ArrayLike, mean: ArrayLike, sd: ArrayLike) -> FloatArray:
    """The score below which ``percentile`` per cent of the norm group lie, in scale points.

    ``percentile`` lies strictly between 0 and 100. Raises BadInput otherwise, and for a spread
    of 0 or less. Source: inverse of :func:`percent_below`.
    """
    share = within("percentile", percentile, 1e-9, 100.0 - 1e-9)
    mu, spread = floats("mean", mean), positive("sd", sd)
    same_shape(percentile=share, mean=mu, sd=spread)
    return np.asarray(mu + spread * ndtri(share / 100.0), dtype=np.float64)


def reliable_change(first: ArrayLike, second: ArrayLike, error_first: ArrayLike, error_second: ArrayLike) -> FloatArray:
    """Change in units of its own error, ``(x2 - x1) / sqrt(s1^2 + s2^2)``.

    Scores and standard errors in scale points, one shape. Beyond +-1.96 a change is larger than
    the error of the two tests explains. Raises BadInput for a standard error of 0 or less.
    Source: Jacobson & Truax (1991), J. Consulting and Clinical Psychology 59, 12-19.
    """
    x1, x2 = floats("first", first), floats("second", second)
    s1, s2 = positive("error_first", error_first), positive("error_second", error_second)
    same_shape(first=x1, second=x2, error_first=s1, error_second=s2)
    return np.asarray((x2 - x1) / np.sqrt(s1**2 + s2**2), dtype=np.float64)
