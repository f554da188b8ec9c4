"""Standing by two measures at once, such as rate and understanding, and the move between two dates."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, IntArray, floats, same_shape
from bodkin.core.errors import BadInput

BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER = 3.0, 2.0, 1.0, 0.0


def two_dimensions(first: ArrayLike, first_cut: float, second: ArrayLike, second_cut: float) -> FloatArray:
    """Standing by two cuts: BOTH, FIRST_ONLY, SECOND_ONLY or NEITHER; NaN where one is missing.

    A value equal to its cut counts as reached; against a missing cut there is no standing.
    Raises BadInput for two shapes.
    """
    a, b = floats("first", first), floats("second", second)
    same_shape(first=a, second=b)
    standing = 2.0 * (a >= first_cut) + (b >= second_cut)
    return np.where(np.isnan(a + b + first_cut + second_cut), np.nan, standing)


@dataclass(frozen=True, slots=True)
class StandingMove:
    """Students by standing before (rows) and after (columns), each NEITHER, SECOND_ONLY, FIRST_ONLY, BOTH.

    ``gained``: reached a cut they were short of and lost none; ``lost``: the other way round;
    ``crossed``: gained one and lost the other; ``same``: neither. ``left_out``: a standing is missing.
    """

    table: IntArray
    gained: int
    lost: int
    crossed: int
    same: int
    left_out: int


def standing_move(before: ArrayLike, after: ArrayLike) -> StandingMove:
    """The move of the same students between two dates, from their standings at each.

    Shapes (n,), values of :func:`two_dimensions`. Raises BadInput for other shapes or values.
    """
    a, b = floats("before", before), floats("after", after)
    if a.shape != b.shape or a.ndim != 1:
        raise BadInput(f"before and after must be one-dimensional and alike: {a.shape}, {b.shape}")
    for name, standing in (("before", a), ("after", b)):
        wrong = ~np.isin(standing, [BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER]) & ~np.isnan(standing)
        if wrong.any():
            raise BadInput(f"{name} must hold standings from 0 to 3, got {standing[wrong][0]:g}")
    known = ~np.isnan(a + b)
    table = np.zeros((4, 4), dtype=np.int64)
    np.add.at(table, (a[known].astype(int), b[known].astype(int)), 1)
    row, column = np.indices(table.shape)
    reached, given_up = (column & ~row) > 0, (row & ~column) > 0
    return StandingMove(
        table,
        int(table[reached & ~given_up].sum()),
        int(table[given_up & ~reached].sum()),
        int(table[reached & given_up].sum()),
        int(table.trace()),
        int((~known).sum()),
    )
