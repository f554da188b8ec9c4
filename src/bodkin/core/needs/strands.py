"""Strand profiles: where a student's strands stand above or below the whole, the norm or a target."""

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import ndtri

from bodkin.core.arrays import FloatArray, floats, positive
from bodkin.core.errors import BadInput


def strand_profile(strand: ArrayLike, error: ArrayLike, against: ArrayLike) -> FloatArray:
    """Strand score less what it is held against, in the strand's own standard errors.

    ``strand``, ``error``: shape (students, strands), scale points; ``against``: the students' own
    whole scores, shape (students,), or a norm mean or target for each strand, shape (strands,),
    or one value for all. Below -1 a strand is far below, from -1 to 0 near. NaN where anything is
    missing. Raises BadInput for errors of 0 or less, other shapes, and as many students as
    strands with a plain list to hold them against, which could mean either: give it two
    dimensions. Source: difference in units of its error, common practice.
    """
    scores, errors, line = floats("strand", strand), positive("error", error), floats("against", against)
    if scores.ndim != 2 or errors.shape not in ((), scores.shape):
        raise BadInput(f"strand must have students as rows and strands as columns, got shape {scores.shape}")
    n, strands = scores.shape
    if line.shape == (n,) and n == strands:
        raise BadInput("against could be a value a student or a strand; give it shape (n, 1) or (1, strands)")
    if line.shape == (n,):
        line = line[:, None]
    if line.shape not in ((), (strands,), (n, 1), (1, strands), (n, strands)):
        raise BadInput(f"against must have a value a student or a strand, got shape {line.shape}")
    return np.asarray((scores - line) / errors, dtype=np.float64)


FAMILY_WISE = 0.10
"""How often one strand or more of a flat profile may be called low or high by error alone."""


def strand_verdicts(
    strand: ArrayLike, error: ArrayLike, against: ArrayLike | None = None, family_wise: float = FAMILY_WISE
) -> FloatArray:
    """Which strands lie lower (-1) or higher (1) than what they are held against beyond error, else 0.

    ``strand``, ``error``: shape (students, strands), scale points; ``against``: a fixed line as in
    :func:`strand_profile`, or None for the mean of the student's own strands. With k known strands of a
    student the error of a difference from the own whole is ``sqrt(s_j^2 (1 - 2/k) + sum(s_i^2)/k^2)``, from
    a fixed line ``s_j``; the limit is two-sided at ``family_wise`` over all k strands (Bonferroni). NaN where
    anything is missing, and for an own whole of one strand. Raises BadInput as :func:`strand_profile`.
    Source: common practice in profile analysis; variance of a difference from a mean that holds the part.
    """
    scores, errors = floats("strand", strand), positive("error", error)
    if not 0 < family_wise < 1:
        raise BadInput(f"family_wise must lie between 0 and 1, got {family_wise:g}")
    if scores.ndim != 2 or errors.shape not in ((), scores.shape):
        raise BadInput(f"strand must have students as rows and strands as columns, got shape {scores.shape}")
    errors = np.where(np.isnan(scores), np.nan, np.broadcast_to(errors, scores.shape))
    scores = np.where(np.isnan(errors), np.nan, scores)
    k = np.count_nonzero(~np.isnan(scores), axis=1, keepdims=True)
    several = np.maximum(k, 1)
    # As many limits as strands, not as students.
    limit = ndtri(1.0 - family_wise / (2.0 * np.maximum(np.arange(scores.shape[1] + 1), 1)))[k]
    if against is None:
        whole = np.nansum(scores, axis=1, keepdims=True) / several
        variance = errors**2 * (1 - 2 / several) + np.nansum(errors**2, axis=1, keepdims=True) / several**2
        away = (scores - whole) / np.sqrt(np.where((k > 1) & (variance > 0), variance, np.nan))
    else:
        away = strand_profile(scores, errors, against)
    verdicts: FloatArray = (away > limit).astype(np.float64) - (away < -limit)
    verdicts[np.isnan(away)] = np.nan
    return verdicts
