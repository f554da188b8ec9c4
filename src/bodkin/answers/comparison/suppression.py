"""A summary with small cells withheld, for anything that leaves the classroom's own view."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from bodkin.answers.comparison.breakdown import unit_order, unit_places
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary import figures_of
from bodkin.answers.comparison.summary_parts import BandRow, ByRow, SetFigures, Summary
from bodkin.core.arrays import IntArray
from bodkin.core.suppression import Sum, Unsafe, withhold

Count = Callable[[SetFigures], tuple[list[int], int]]
"""Counts of a set of students in the cells of one table, and how many students there are in all."""


@dataclass(frozen=True, slots=True)
class _Layout:
    """Rows of counts that hang together: units as they are shown, and what can be worked out beside them.

    ``hidden_rows``: sets of students that nobody shows: those in just the same units, and, where a student
    may be in several, those outside each unit. ``sums``: which row adds up from which others; the rows are
    the units, then the hidden ones, then the whole.
    """

    units: int
    hidden_rows: list[SetFigures]
    sums: list[Sum]

    @property
    def whole(self) -> int:
        """The row of all students together."""
        return self.units + len(self.hidden_rows)


MOST_ROWS = 60
"""Rows of overlapping units and of what can be worked out beside them that are tried out; with more all is withheld."""


def _layout(comparison: Comparison, units: int) -> _Layout | None:
    """How the units hang together; None where too many of them overlap to try out what could be worked out."""
    places = list(unit_places(comparison).items())
    students = comparison.students.height
    held: list[list[int]] = [[] for _ in range(students)]
    # Units without any student in the rows have no places, and no cell to give away.
    for at, (_, inside) in enumerate(places):
        for student in inside.tolist():
            held[student].append(at)
    if not units:
        return _Layout(0, [], [])
    if all(len(mine) <= 1 for mine in held):
        # Everybody is in one unit: the units are the parts of the whole.
        return _Layout(units, [], [(units, range(units))])
    alike: dict[tuple[int, ...], list[int]] = {}
    for student, mine in enumerate(held):
        alike.setdefault(tuple(mine), []).append(student)
    atoms = list(alike)
    if units + len(atoms) + len(places) > MOST_ROWS:
        return None
    sets: list[IntArray] = [np.array(alike[atom], dtype=np.int64) for atom in atoms]
    everyone = np.arange(students)
    sets += [np.setdiff1d(everyone, mine) for _, mine in places]
    atom_row, rest_row = units, units + len(atoms)
    whole = rest_row + len(places)
    sums: list[Sum] = [(whole, range(atom_row, rest_row))]
    return _Layout(units, figures_of(comparison, sets), sums + [
        one
        for at, row in enumerate(_rows_of(comparison, places))
        for one in (
            (row, [atom_row + i for i, atom in enumerate(atoms) if at in atom]),
            (rest_row + at, [atom_row + i for i, atom in enumerate(atoms) if at not in atom]),
            (whole, [row, rest_row + at]),
        )
    ])  # fmt: skip


def _rows_of(comparison: Comparison, places: Sequence[tuple[tuple[str, str | None], IntArray]]) -> list[int]:
    """The row of the summary that each unit with students stands in."""
    shown = unit_order(comparison)
    return [shown.index(unit) for unit, _ in places]


def _masks(
    layout: _Layout, units: Sequence[SetFigures], whole: SetFigures, small: Sequence[bool], count: Count, minimum: int
) -> list[list[bool]]:
    """Which cells of each unit, and last of the whole, to withhold; all of the units where nothing else is safe.

    What is withheld of the whole follows from the whole alone: two exports by different units must not
    tell apart what each of them hides.
    """
    rows = [count(figures) for figures in (*units, *layout.hidden_rows, whole)]
    width = len(rows[0][0])
    of_whole = _of_whole(*rows[-1], minimum)
    if all(small):
        return [[True] * width for _ in units] + [of_whole]
    cells: list[int] = []
    sums: list[Sum] = []
    # Each row holds its cells, those of its students who are in none of them, and all its students.
    step = width + 2
    for at, (parts, total) in enumerate(rows):
        cells += [*parts, total - sum(parts), total]
        sums.append((at * step + width + 1, range(at * step, at * step + width + 1)))
    sums += [
        (total * step + at, [part * step + at for part in parts]) for total, parts in layout.sums for at in range(step)
    ]
    last = layout.whole * step
    shown = {last + at for at in range(width) if not of_whole[at]} | {last + width + 1}
    hidden = {last + at for at in range(width) if of_whole[at]}
    for at in range(layout.whole):
        if at < layout.units and not small[at]:
            shown.add(at * step + width + 1)
        else:
            hidden |= set(range(at * step, (at + 1) * step))
    rest = {at * step + width for at in range(len(rows))}
    # Nobody in none of the cells says nothing about anybody.
    harmless = {place for place in rest if not cells[place]}
    try:
        mask = withhold(cells, sums, minimum, always_shown=shown, already_hidden=hidden | rest, harmless=harmless)
    except Unsafe:
        return [[True] * width for _ in units] + [of_whole]
    return [[bool(mask[at * step + cell]) for cell in range(width)] for at in range(layout.units)] + [of_whole]


def _of_whole(parts: Sequence[int], total: int, minimum: int) -> list[bool]:
    rest, width = total - sum(parts), len(parts)
    try:
        mask = withhold(
            [*parts, rest, total], [(width + 1, range(width + 1))], minimum, always_shown={width + 1},
            already_hidden={width}, harmless=() if rest else {width},
        )  # fmt: skip
    except Unsafe:
        return [True] * width
    return [bool(hide) for hide in mask[:width]]


def _small_units(layout: _Layout, units: Sequence[SetFigures], whole: int, minimum: int) -> list[bool]:
    sizes = [figures.counts.matched or 0 for figures in (*units, *layout.hidden_rows)]
    away = range(layout.units, layout.whole)
    # Sets that hold nobody say nothing about anybody.
    empty = {at for at in away if not sizes[at]}
    try:
        mask = withhold(
            [*sizes, whole], layout.sums, minimum, always_shown={layout.whole}, already_hidden=away, harmless=empty
        )
    except Unsafe:
        return [True] * len(units)
    return [bool(hide) for hide in mask[: len(units)]]


def _without_bands(figures: SetFigures, hidden: Sequence[bool]) -> None:
    """Blank the bands withheld, and the shares at or above from which they could be found."""
    for row, hide in zip(figures.bands, hidden, strict=True):
        if hide:
            for name in BandRow.model_fields:
                if name not in ("band", "order", "withheld"):
                    setattr(row, name, None)
            row.withheld = True
    for at, row in enumerate(figures.bands):
        if any(hidden[at:]) and any(hidden[:at]):
            row.from_at_or_above = row.to_at_or_above = None


def _without_movement(figures: SetFigures, counts: bool, table: bool) -> None:
    moved = figures.movement
    if moved is None or not (counts or table):
        return
    moved.table, moved.stuart_maxwell, moved.bowker, moved.withheld = None, None, None, True
    moved.p_exact = None
    if counts:
        moved.up = moved.same = moved.down = None
        moved.net = None
    if isinstance(figures, ByRow) and counts:
        figures.compared.net_move = None


def _without_growth(figures: SetFigures, everything: bool, met: bool) -> None:
    growth = figures.growth
    if everything:
        growth.n = growth.mean_gain = growth.mean_expected = growth.median_growth_percentile = None
    if everything or met:
        growth.met_n = growth.met_share = None
        growth.withheld = True
    if isinstance(figures, ByRow):
        # A figure drawn toward the whole gives the unit's own away.
        figures.compared.met_share = None if everything or met else figures.compared.met_share
        figures.compared.mean_gain_z = None if everything else figures.compared.mean_gain_z


def _without_anything(figures: SetFigures) -> None:
    figures.withheld = True
    figures.counts.from_ = figures.counts.to = figures.counts.matched = None
    for reason in figures.counts.left_out:
        reason.n = None
    _without_bands(figures, [True] * len(figures.bands))
    _without_movement(figures, counts=True, table=True)
    _without_growth(figures, everything=True, met=True)


def _matched(figures: SetFigures) -> int:
    return figures.counts.matched or 0


def _band_counts(side: str, paired: bool) -> Count:
    def count(figures: SetFigures) -> tuple[list[int], int]:
        parts = [getattr(row, f"{side}_n") or 0 for row in figures.bands]
        return parts, _matched(figures) if paired else sum(parts)

    return count


def _moves(figures: SetFigures) -> tuple[list[int], int]:
    moved = figures.movement
    return ([moved.up or 0, moved.same or 0, moved.down or 0] if moved else [0, 0, 0]), _matched(figures)


def _met(figures: SetFigures) -> tuple[list[int], int]:
    met, n = figures.growth.met_n or 0, figures.growth.n or 0
    return [met, n - met], _matched(figures)


def _cells(figures: SetFigures) -> list[int]:
    return [cell for row in figures.movement.table or [] for cell in row] if figures.movement else []


def _loose(figures: SetFigures) -> list[int]:
    """Students without one of the two results: by window, and by reason."""
    counts = figures.counts
    sides = [(counts.from_ or 0) - _matched(figures), (counts.to or 0) - _matched(figures)]
    return sides + [reason.n or 0 for reason in counts.left_out]


def _too_few(counts: Sequence[int], minimum: int) -> bool:
    return any(0 < count < minimum for count in counts)


def _without_left_out(figures: SetFigures) -> None:
    figures.counts.from_ = figures.counts.to = None
    for reason in figures.counts.left_out:
        reason.n = None


def _suppress_left_out(safe: Summary, small: Sequence[bool], minimum: int) -> None:
    """Withhold who is left out, wherever few are: for one reason, in one unit, or in all but one unit."""
    whole = _loose(safe)
    few = [_too_few(_loose(unit), minimum) for unit in safe.by]
    others = [_too_few([whole[side] - _loose(unit)[side] for side in (0, 1)], minimum) for unit in safe.by]
    if any(few) or any(others) or any(small):
        for unit in safe.by:
            _without_left_out(unit)
    if _too_few(whole, minimum):
        _without_left_out(safe)


def _all_differ_by_few(comparison: Comparison, side: str, places: Sequence[IntArray], minimum: int) -> bool:
    """Whether shares over everybody, beside those over matched students, would tell of a few students' bands."""
    order = comparison.students[f"{side}_order"].fill_null(0.0).to_numpy().astype(np.int64)
    alone = ~comparison.students["matched"].to_numpy() & (order > 0)
    for mine in (np.arange(order.size), *places):
        if _too_few(np.bincount(order[mine][alone[mine]], minlength=1).tolist(), minimum):
            return True
    return False


def suppress_small_cells(summary: Summary, minimum: int, comparison: Comparison) -> Summary:
    """A copy of a summary in which no cell below ``minimum`` stands or can be worked out.

    ``comparison`` is what the summary was drawn from: who is in which units decides what could be worked
    out. A unit with fewer matched students is withheld as a whole. The square table is shown only where
    none of its cells, of the units also none in any unit, is too small. Where a breakdown cannot be made
    safe all of it is withheld.
    """
    safe = summary.model_copy(deep=True)
    if _matched(safe) < minimum:
        for figures in (safe, *safe.by):
            _without_anything(figures)
        # Before the second window nobody is matched; whoever has a start score is looked ahead for.
        if (summary.counts.from_ or 0) < minimum:
            safe.outlook = None
        return safe
    units: list[SetFigures] = list(safe.by)
    layout = _layout(comparison, len(units))
    small = [True] * len(units)
    if layout is None:
        layout = _Layout(len(units), [], [])
    else:
        small = _small_units(layout, units, _matched(safe), minimum)

    def masks(count: Count) -> list[list[bool]]:
        return _masks(layout, units, safe, small, count, minimum)

    paired = comparison.scope.paired
    places = list(unit_places(comparison).values())
    sides = {}
    for side in ("from", "to"):
        sides[side] = masks(_band_counts(side, paired))
        if not paired and _all_differ_by_few(comparison, side, places, minimum):
            sides[side] = [[True] * len(safe.bands) for _ in sides[side]]
    moves, met = masks(_moves), masks(_met)
    tables = any(cell < minimum for figures in (*units, *layout.hidden_rows) for cell in _cells(figures))
    table_of_whole = any(cell < minimum for cell in _cells(safe))
    _suppress_left_out(safe, small, minimum)
    for at, figures in enumerate((*units, safe)):
        if at < len(small) and small[at]:
            _without_anything(figures)
            continue
        bands = [a or b for a, b in zip(sides["from"][at], sides["to"][at], strict=True)]
        few_table = table_of_whole or (at < len(units) and tables)
        _without_movement(figures, any(moves[at]), few_table or any(bands))
        _without_growth(figures, (figures.growth.n or 0) < minimum, any(met[at]))
        _without_bands(figures, bands)
    return safe
