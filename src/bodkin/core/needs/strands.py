"""Strand profiles: where a student's strands stand above or below the whole, the norm or a target."""

import numpy as np
from numpy.typing import ArrayLike

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
