"""How sure a band is: the chance of each band given a score and its error."""

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtr

from bodkin.core.arrays import FloatArray, floats, positive, same_shape
from bodkin.core.errors import BadInput


def band_chances(score: ArrayLike, error: ArrayLike, cuts: ArrayLike) -> FloatArray:
    """Chance of each band, shape (students, bands), rows adding up to 1; NaN where unknown.

    ``score``, ``error``: shape (n,), scale points; ``cuts``: rising, shape (bands - 1,).
    The true score is taken as normal about the score with its standard error. Raises BadInput
    for an error of 0 or less and cuts that do not rise.
    Source: Rudner (2001), Practical Assessment, Research & Evaluation 7(14).
    """
    x, s, lines = floats("score", score), positive("error", error), floats("cuts", cuts)
    same_shape(score=x, error=s)
    if (np.diff(lines) <= 0).any() or np.isnan(lines).any():
        raise BadInput("cuts must rise")
    below = ndtr((lines[None, :] - x[:, None]) / s[:, None])
    edges = np.hstack([np.zeros((x.size, 1)), below, np.ones((x.size, 1))])
    chances = np.diff(edges, axis=1)
    return np.where(np.isnan(x + s)[:, None], np.nan, chances)


def expected_correct(score: ArrayLike, error: ArrayLike, cuts: ArrayLike) -> float | None:
    """Expected share of students whose band by score is the band of their true score, 0..1.

    Arguments and errors as :func:`band_chances`; None where nobody has score and error.
    Source: Rudner (2001), as above.
    """
    chances = band_chances(score, error, cuts)
    chances = chances[~np.isnan(chances).any(axis=1)]
    if not chances.size:
        return None
    x, s = floats("score", score), floats("error", error)
    known = ~np.isnan(x + s)
    own = np.searchsorted(floats("cuts", cuts), x[known], side="right")
    return float(chances[np.arange(own.size), own].mean())
