"""Where a student stands among one's own: mid-rank percentiles, fifths, and a class in five numbers."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput


def local_percentile(score: ArrayLike) -> FloatArray:
    """Mid-rank percentile among the given students: share below plus half the share equal, 0..100.

    ``score``: shape (n,), any unit; NaN has none and does not count. Ties share one percentile.
    Raises BadInput for another shape. Source: mid-rank definition,
    scipy.stats.percentileofscore(kind="mean") is the reference.

    >>> local_percentile([10.0, 20.0, 20.0, 30.0]).tolist()
    [12.5, 50.0, 50.0, 87.5]
    """
    x = floats("score", score)
    if x.ndim != 1:
        raise BadInput(f"score must be one-dimensional, got shape {x.shape}")
    known = ~np.isnan(x)
    percentiles = np.full(x.shape, np.nan)
    if known.any():
        # Scores are points, so few are met: each is ranked once.
        met, n = np.unique(x[known], return_counts=True)
        ranked = 100.0 * (np.cumsum(n) - n + n / 2) / int(n.sum())
        percentiles[known] = ranked[np.searchsorted(met, x[known])]
    return percentiles


def fifth(score: ArrayLike) -> FloatArray:
    """Fifth of each student by local percentile, 1 the lowest; ties stay together.

    Shape and errors as :func:`local_percentile`. Common practice: the lowest fifth of one's own
    students, where no cut fits.
    """
    return np.minimum(np.floor(local_percentile(score) / 20.0) + 1.0, 5.0)


def lowest_fifth(score: ArrayLike) -> FloatArray:
    """1 for students whose :func:`fifth` is the lowest, 0 for others, NaN without a score.

    Shape as :func:`local_percentile`. Raises BadInput for another shape.
    """
    x = floats("score", score)
    if x.ndim != 1:
        raise BadInput(f"score must be one-dimensional, got shape {x.shape}")
    known = x[~np.isnan(x)]
    if not known.size:
        return np.full(x.shape, np.nan)
    # Whoever lies below the score at a fifth of the way is in it; those who have just that score stay together.
    line = np.partition(known, known.size // 5)[known.size // 5]
    below, equal = int((known < line).sum()), int((known == line).sum())
    in_it = x <= line if 100.0 * (below + equal / 2) / known.size < 20.0 else x < line
    return np.where(np.isnan(x), np.nan, in_it.astype(np.float64))


@dataclass(frozen=True, slots=True)
class ClassSummary:
    """A class in five numbers, scale points; None where nobody has a score."""

    n: int
    mean: float | None
    median: float | None
    lowest: float | None
    highest: float | None


def class_summary(score: ArrayLike) -> ClassSummary:
    """Number, mean, median, lowest and highest of the known scores. Source: definitions."""
    x = floats("score", score)
    x = x[~np.isnan(x)]
    if not x.size:
        return ClassSummary(0, None, None, None, None)
    return ClassSummary(x.size, float(x.mean()), float(np.median(x)), float(x.min()), float(x.max()))
