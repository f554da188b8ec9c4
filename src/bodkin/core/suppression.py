"""Withholding small cells, and the second cells from which they could be worked out."""

from collections.abc import Collection, Iterator, Sequence

import numpy as np
from numpy.typing import ArrayLike
from scipy.linalg import null_space
from scipy.optimize import linprog

from bodkin.core.arrays import BoolArray, FloatArray, floats
from bodkin.core.errors import BadInput

DEFAULT_MINIMUM = 10
"""Fewest students a cell may show where a view leaves the classroom (common practice)."""

Sum = tuple[int, Sequence[int]]
"""A total and its parts, as positions among the cells."""


SOLVER_CELLS = 60
"""Most withheld cells for which each cell's possible range is worked out by a solver."""


def withhold(
    counts: ArrayLike,
    sums: Sequence[Sum],
    minimum: int = DEFAULT_MINIMUM,
    always_shown: Collection[int] = (),
    already_hidden: Collection[int] = (),
) -> BoolArray:
    """Which cells to withhold so that none below ``minimum`` is shown or can be worked out.

    ``counts``: shape (cells,), whole numbers of 0 or more, totals among them. ``sums``: which
    cell is the total of which others. ``always_shown``: cells known from elsewhere, which cannot
    be withheld; ``already_hidden``: cells nobody sees anyway.

    A cell below ``minimum`` is withheld; then, as long as a withheld cell has only one possible
    value given what is still shown, the smallest cell that stands in one sum with it is withheld
    too (of a total and its parts, a part first). Returns a mask, True where withheld.
    Whether a cell has one possible value is found from the sums by linear algebra and, up to
    ``SOLVER_CELLS`` withheld cells, by a solver that also knows that no count is below 0.
    Raises BadInput for a negative or missing count, a minimum below 1, or parts that do not add
    up to their total.
    Source: complementary cell suppression with a linear-programming audit, for example
    Willenborg & de Waal (2001), Elements of Statistical Disclosure Control, chapter 6.
    """
    cells = floats("counts", counts)
    if minimum < 1:
        raise BadInput(f"minimum must be 1 or more, got {minimum}")
    if np.isnan(cells).any() or (cells < 0).any():
        raise BadInput("counts must be whole numbers of 0 or more")
    for total, parts in sums:
        if cells[total] != cells[list(parts)].sum():
            raise BadInput(f"the parts of cell {total} do not add up to it")
    hidden = cells < minimum
    hidden[list(already_hidden)] = True
    hidden[list(always_shown)] = False
    fixed = frozenset(always_shown)
    members = [(total, *parts) for total, parts in sums]
    while (found := _found_out(cells, sums, members, hidden, fixed)) is not None:
        hidden[found] = True
    return hidden


def _companion(
    cell: int, cells: FloatArray, members: Sequence[Sequence[int]], hidden: BoolArray, fixed: frozenset[int]
) -> int | None:
    """The cell to withhold beside ``cell``: the smallest part in a sum with it, else a total."""
    free = [[place for place in sum_ if not hidden[place] and place not in fixed] for sum_ in members if cell in sum_]
    totals = {sum_[0] for sum_ in members}
    beside = {place for places in free for place in places}
    choice = (beside - totals) or beside
    return min(choice, key=lambda place: (cells[place], place), default=None)


def _found_out(
    cells: FloatArray,
    sums: Sequence[Sum],
    members: Sequence[Sequence[int]],
    hidden: BoolArray,
    fixed: frozenset[int],
) -> int | None:
    """The next cell to withhold because another withheld one can be worked out, or None."""
    places = [int(place) for place in np.flatnonzero(hidden)]
    company = {place: _companion(place, cells, members, hidden, fixed) for place in places}
    if all(other is None for other in company.values()):
        return None
    column = {place: at for at, place in enumerate(places)}
    equations, known = np.zeros((len(sums), len(places))), np.zeros(len(sums))
    for row, (total, parts) in enumerate(sums):
        for place, sign in [(total, -1.0), *((part, 1.0) for part in parts)]:
            if hidden[place]:
                equations[row, column[place]] += sign
            else:
                known[row] -= sign * cells[place]
    for place in _determined(equations, known, places):
        if (other := company[place]) is not None:
            return other
    return None


def _determined(equations: FloatArray, known: FloatArray, places: list[int]) -> Iterator[int]:
    """Withheld cells with only one possible value."""
    # Withheld parts that add up to 0 are all 0.
    for row, left in zip(equations, known, strict=True):
        if left == 0 and (row >= 0).all():
            yield from (places[at] for at in np.flatnonzero(row))
    free = null_space(equations) if equations.size else np.eye(len(places))
    for at, place in enumerate(places):
        if not free.size or np.abs(free[at]).max() < 1e-9:
            yield place
    if len(places) > SOLVER_CELLS:
        return
    for at, place in enumerate(places):
        aim = np.zeros(len(places))
        aim[at] = 1.0
        ends = [linprog(sign * aim, A_eq=equations, b_eq=known, bounds=(0, None)) for sign in (1.0, -1.0)]
        # Without an upper end (status 3) the cell is anything but found out.
        if all(end.status == 0 for end in ends) and -ends[1].fun - ends[0].fun < 0.5:
            yield place
