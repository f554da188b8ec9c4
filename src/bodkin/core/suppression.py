"""Withholding small cells, and the second cells from which they could be worked out."""

from collections.abc import Collection, Sequence
from itertools import count

import numpy as np
import scipy
from numpy.typing import ArrayLike
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats
from bodkin.core.errors import BadInput

DEFAULT_MINIMUM = 10
"""Fewest students a cell may show where a view leaves the classroom (common practice)."""

Sum = tuple[int, Sequence[int]]
"""A total and its parts, as positions among the cells."""

ONE_BY_ONE = 40
"""Up to so many withheld cells the next one is chosen anew each time; with more, one for each sum at a time."""
TURNS = 25
"""After so many rounds of choosing more cells, all that can be withheld is."""
LOOKS = 60
"""Other tables that are looked for over all cells at once, before the rest is tried cell by cell."""
SECONDS = 5.0
"""Longest search for another table; a cell for which none was found counts as found out."""


class Unsafe(Exception):
    """No choice of cells keeps a small one from being worked out: what they belong to must be withheld whole."""


def withhold(
    counts: ArrayLike,
    sums: Sequence[Sum],
    minimum: int = DEFAULT_MINIMUM,
    always_shown: Collection[int] = (),
    already_hidden: Collection[int] = (),
    harmless: Collection[int] = (),
) -> BoolArray:
    """Which cells to withhold so that none below ``minimum`` is shown or can be worked out.

    ``counts``: shape (cells,), whole numbers of 0 or more, totals among them. ``sums``: which
    cell is the total of which others. ``always_shown``: cells known from elsewhere, which cannot
    be withheld; ``already_hidden``: cells nobody sees anyway, such as those in a total and in none of its
    parts; they must not be worked out either. ``harmless``: cells that may be known however small.

    A cell below ``minimum`` is withheld; then, as long as a small one has only one possible value given
    what is still shown, the smallest cell that stands in one sum with it is withheld too (of a total and
    its parts, a part first). A value is possible when whole numbers of 0 or more fit all sums with it.
    Returns a mask, True where withheld; nothing that is withheld by it can be worked out.
    Raises Unsafe where a small cell can be worked out from cells that cannot be withheld, and BadInput for
    a negative or missing count, a minimum below 1, or parts that do not add up to their total.
    Source: complementary cell suppression with an audit by integer programming, for example
    Willenborg & de Waal (2001), Elements of Statistical Disclosure Control, chapter 6.
    """
    cells = floats("counts", counts)
    if minimum < 1:
        raise BadInput(f"minimum must be 1 or more, got {minimum}")
    if np.isnan(cells).any() or (cells < 0).any() or (cells != np.floor(cells)).any():
        raise BadInput("counts must be whole numbers of 0 or more")
    for total, parts in sums:
        if cells[total] != cells[list(parts)].sum():
            raise BadInput(f"the parts of cell {total} do not add up to it")
    secret = cells < minimum
    secret[list(always_shown)] = False
    secret[list(harmless)] = False
    hidden = secret.copy()
    hidden[list(already_hidden)] = True
    fixed = frozenset(always_shown)
    members = [(int(total), *(int(part) for part in parts)) for total, parts in sums]
    for turn in count():
        found = _found_out(cells, members, hidden, secret)
        if not found.size:
            break
        more: dict[tuple[int, ...], int] = {}
        many = int(hidden.sum()) > ONE_BY_ONE
        for place in found.tolist():
            sum_, other = _companion(place, cells, members, hidden, fixed, short=many)
            if other is not None:
                more.setdefault(sum_, other)
                if not many:
                    break
        if turn >= TURNS:
            # So tangled a table is not worth more looks: all that can be withheld is.
            more |= {(place,): place for sum_ in members for place in sum_ if not hidden[place] and place not in fixed}
        if not more:
            # Nothing beside them is left: what stands further off may still give them away.
            left = [place for sum_ in members for place in sum_ if not hidden[place] and place not in fixed]
            if not left:
                raise Unsafe("a small cell can be worked out from cells that are shown in any case")
            more[()] = min(left, key=lambda place: (cells[place], place))
        hidden[list(more.values())] = True
    # A large cell withheld for company that follows from the others all the same is shown: that tells nothing new.
    company = hidden & ~secret
    company[list(already_hidden)] = False
    if company.any():
        hidden[_found_out(cells, members, hidden, company)] = False
    return hidden


def _companion(
    cell: int, cells: FloatArray, members: Sequence[tuple[int, ...]], hidden: BoolArray, fixed: frozenset[int], *,
    short: bool,
) -> tuple[tuple[int, ...], int | None]:  # fmt: skip
    """The cell to withhold beside ``cell``, and its sum: the smallest part in a sum with it, else a total.

    ``short``: in the shortest of the sums that have one, so that many cells find company of their own at once.
    """
    totals = {sum_[0] for sum_ in members}
    mine = [sum_ for sum_ in members if cell in sum_]
    free = [sum_ for sum_ in mine if any(not hidden[place] and place not in fixed for place in sum_)]
    if short and free:
        free = [min(free, key=len)]
    beside = {place: sum_ for sum_ in free for place in sum_ if not hidden[place] and place not in fixed}
    choice = (set(beside) - totals) or set(beside)
    other = min(choice, key=lambda place: (cells[place], place), default=None)
    return (beside[other] if other is not None else (), other)


def _found_out(cells: FloatArray, members: Sequence[tuple[int, ...]], hidden: BoolArray, secret: BoolArray) -> IntArray:
    """Secret cells with only one possible value given what is shown."""
    places = np.flatnonzero(hidden)
    column = {int(place): at for at, place in enumerate(places)}
    rows, columns, signs = [], [], []
    used = 0
    for total, *parts in members:
        held = [(column[place], sign) for place, sign in ((total, -1.0), *((part, 1.0) for part in parts))
                if hidden[place]]  # fmt: skip
        if held:
            rows += [used] * len(held)
            columns += [at for at, _ in held]
            signs += [sign for _, sign in held]
            used += 1
    if not used:
        return np.array([], dtype=np.int64)
    equations = csr_array((signs, (rows, columns)), shape=(used, places.size))
    equations.sum_duplicates()
    # Cells that no sum ties to one another are looked at apart.
    _, group = connected_components(abs(equations).T @ abs(equations), directed=False)
    tied = np.asarray(abs(equations).sum(axis=0)).ravel() > 0
    found = [
        places[mine][_determined(equations[:, mine], cells[places[mine]], secret[places[mine]])]
        for mine in (np.flatnonzero((group == one) & tied) for one in np.unique(group[tied]))
        if secret[places[mine]].any()
    ]
    return np.sort(np.concatenate([*found, np.array([], dtype=np.int64)]))


def _told_at_once(equations: csr_array, truth: FloatArray) -> BoolArray:
    """Cells that the sums give away one after another: the last unknown one of a sum, and zeros that add up to zero."""
    known = np.zeros(truth.size, dtype=bool)
    while True:
        unknown = (~known).astype(float)
        signs, size = equations @ unknown, abs(equations) @ unknown
        left = equations @ (truth * unknown)
        told = (size == 1) | ((size > 0) & (abs(signs) == size) & (left == 0))
        more = ~known & (abs(equations).T @ told.astype(float) > 0)
        if not more.any():
            return known
        known |= more


def _exchanged(equations: csr_array, truth: FloatArray) -> BoolArray:
    """Cells that stand in just the sums of another: one may be one more and the other one less, and no sum shows it.

    Of a part and a total that stand in the same sums, both may be one more.
    """
    columns = equations.tocsc()
    alike: dict[tuple[bytes, bytes], list[int]] = {}
    for place in range(truth.size):
        mine = slice(columns.indptr[place], columns.indptr[place + 1])
        alike.setdefault((columns.indices[mine].tobytes(), columns.data[mine].tobytes()), []).append(place)
    free = np.zeros(truth.size, dtype=bool)
    for (rows, signs), places in alike.items():
        turned = (-np.frombuffer(signs, columns.data.dtype)).tobytes()
        if (rows, turned) in alike or (len(places) > 1 and truth[places].sum() > 0):
            free[places] = True
    return free


def _determined(equations: csr_array, truth: FloatArray, secret: BoolArray) -> IntArray:
    """Secret cells that are the same in every table of whole numbers that fits the equations."""
    # Most tables are told by the plain cases; a search costs milliseconds even where it is of two cells.
    known = _told_at_once(equations, truth)
    unknown = np.flatnonzero(~known)
    left, counts = equations[:, unknown], truth[unknown]
    sought = secret[unknown] & ~_exchanged(left, counts)
    if sought.any():
        known[unknown[_searched(left, counts, sought)]] = True
    return np.flatnonzero(secret & known)


def _searched(equations: csr_array, truth: FloatArray, secret: BoolArray) -> IntArray:
    """Secret cells for which no other table that fits the equations is found by integer programming."""
    equations = equations[np.flatnonzero(np.asarray(abs(equations).sum(axis=1)).ravel())]
    known = np.asarray(equations @ truth).ravel()
    fits = scipy.optimize.LinearConstraint(equations, known, known)
    bounds = scipy.optimize.Bounds(0, 2 * float(truth.sum()) + 10)
    open_ = secret.copy()

    def look(aim: FloatArray) -> None:
        other = scipy.optimize.milp(aim, constraints=fits, bounds=bounds, integrality=np.ones(truth.size),
                     options={"time_limit": SECONDS})  # fmt: skip
        if other.x is not None:
            open_[np.abs(other.x - truth) > 0.5] = False

    draw = np.random.default_rng(0)
    for turn in range(LOOKS):
        before = int(open_.sum())
        if before <= 2:
            break
        # A cell of 0 can only be more in another table; one in four is sought at a time, since they share totals.
        way = np.where((truth == 0) | (turn % 2 == 0), -1.0, 1.0) * draw.uniform(0.5, 1.5, truth.size)
        look(np.where(open_ & (draw.random(truth.size) < 0.25 + 0.75 * (turn < 2)), way, 0.0))
        if turn > 4 and int(open_.sum()) == before:
            break
    for place in np.flatnonzero(open_):
        for sign in (1.0, -1.0):
            if open_[place]:
                aim = np.zeros(truth.size)
                aim[place] = sign
                look(aim)
    return np.flatnonzero(open_)
