"""Cohort means over windows with their intervals."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import stdtrit

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput

FEWEST = 2
"""A mean has an interval from two students on."""


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
