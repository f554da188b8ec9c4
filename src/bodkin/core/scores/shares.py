"""Shares of students in each band, with their intervals."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtri

from bodkin.core.arrays import FloatArray, IntArray, floats
from bodkin.core.errors import BadInput


def wilson_interval(count: ArrayLike, n: ArrayLike, confidence: float = 0.95) -> tuple[FloatArray, FloatArray]:
    """Wilson score interval of a share, low and high end in 0..1; NaN where ``n`` is 0.

    ``count`` and ``n``: whole numbers of one shape, 0 <= count <= n. ``confidence`` in 0..1.
    Raises BadInput for a count outside 0..n or a confidence outside 0..1.
    Source: Wilson (1927), J. American Statistical Association 22, 209-212.
    """
    k, total = np.broadcast_arrays(floats("count", count), floats("n", n))
    if not 0 < confidence < 1:
        raise BadInput(f"confidence must lie between 0 and 1, got {confidence:g}")
    if (k < 0).any() or (k > total).any():
        raise BadInput("count must be from 0 to n")
    z = float(ndtri(0.5 + confidence / 2))
    size = np.where(total > 0, total, np.nan)
    p = k / size
    middle = (p + z**2 / (2 * size)) / (1 + z**2 / size)
    half = z / (1 + z**2 / size) * np.sqrt(p * (1 - p) / size + z**2 / (4 * size**2))
    # At the ends the interval touches 0 or 1 exactly; rounding must not carry it beyond.
    return np.where(k == 0, p, middle - half), np.where(k == total, p, middle + half)


@dataclass(frozen=True, slots=True)
class BandShares:
    """Students per band, from the lowest band up; arrays have one entry per band.

    ``share``, ``low``, ``high`` and ``at_or_above`` are fractions, NaN where ``n`` is 0.
    """

    n: int
    count: IntArray
    share: FloatArray
    low: FloatArray
    high: FloatArray
    at_or_above: FloatArray


def band_shares(orders: ArrayLike, bands: int, confidence: float = 0.95) -> BandShares:
    """Count and share of each band, its Wilson interval, and the share at or above it.

    ``orders``: band order of each student, 1..bands; NaN (no band) is left out of ``n``.
    Raises BadInput for an order outside 1..bands.
    """
    known = floats("orders", orders)
    known = known[~np.isnan(known)]
    if known.size and (known.min() < 1 or known.max() > bands):
        raise BadInput(f"a band order must be from 1 to {bands}")
    return shares_of_counts(np.bincount(known.astype(np.int64) - 1, minlength=bands), confidence)


def shares_of_counts(count: ArrayLike, confidence: float = 0.95) -> BandShares:
    """The shares of bands from how many students are in each, the lowest band first.

    ``count``: shape (bands,), or (units, bands) for many units at once; ``n`` is then that of all.
    Raises BadInput for a negative count.
    """
    held = np.asarray(count, dtype=np.int64)
    whole = held.sum(axis=-1, keepdims=True)
    low, high = wilson_interval(held, np.broadcast_to(whole, held.shape), confidence)
    above = np.cumsum(held[..., ::-1], axis=-1)[..., ::-1]
    size = np.where(whole > 0, whole, np.nan)
    return BandShares(int(whole.sum()), held, held / size, low, high, above / size)
