"""A summary with small cells withheld, for anything that leaves the classroom's own view."""

from collections.abc import Callable, Sequence

from bodkin.answers.comparison.summary import BandRow, ByRow, Figures, Summary
from bodkin.core.suppression import Sum, withhold


def _hidden(
    units: Sequence[Sequence[int]], totals: Sequence[int] | None, minimum: int, unseen: Sequence[int] | None = None
) -> list[list[bool]]:
    """Which cells of each unit, and of the whole where given, to withhold.

    The cells of a unit add up to the unit's own total, which is shown; where ``totals`` are
    given, each cell adds up to its total across the units, ``unseen`` being the cells of the
    units that are withheld as a whole, taken together.
    """
    rows = [*units, *([unseen] if unseen is not None else []), *([totals] if totals is not None else [])]
    width = len(rows[0]) if rows else 0
    cells: list[int] = []
    sums: list[Sum] = []
    for row in rows:
        start = len(cells)
        cells += [*row, sum(row)]
        sums.append((start + width, range(start, start + width)))
    if totals is not None:
        last = (len(rows) - 1) * (width + 1)
        for at in range(width):
            parts = [unit * (width + 1) + at for unit in range(len(rows) - 1)]
            if sum(cells[part] for part in parts) == cells[last + at]:
                sums.append((last + at, parts))
    # A unit's own total is known from its counts: it is shown, and never counts as too small.
    shown = set(range(width, len(cells), width + 1))
    away = range(len(units) * (width + 1), len(units) * (width + 1) + width) if unseen is not None else ()
    mask = withhold(cells, sums, minimum, always_shown=shown, already_hidden=away)
    return [[bool(mask[unit * (width + 1) + at]) for at in range(width)] for unit in range(len(rows))]


def _without_bands(figures: Figures, hidden: Sequence[bool]) -> None:
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


def _without_movement(figures: Figures, counts: bool, table: bool) -> None:
    moved = figures.movement
    if moved is None or not (counts or table):
        return
    moved.table, moved.stuart_maxwell, moved.bowker, moved.withheld = None, None, None, True
    if counts:
        moved.up = moved.same = moved.down = None
        moved.net = None


def _without_growth(figures: Figures, everything: bool, met: bool) -> None:
    growth = figures.growth
    if everything:
        growth.n = growth.mean_gain = growth.mean_expected = growth.median_growth_percentile = None
    if everything or met:
        growth.met_n = growth.met_share = None
        growth.withheld = True


def _without_anything(figures: Figures) -> None:
    figures.withheld = True
    figures.counts.from_ = figures.counts.to = figures.counts.matched = None
    for reason in figures.counts.left_out:
        reason.n = None
    _without_bands(figures, [True] * len(figures.bands))
    _without_movement(figures, counts=True, table=True)
    _without_growth(figures, everything=True, met=True)


def _small_units(rows: list[ByRow], whole: int, minimum: int, exclusive: bool) -> list[bool]:
    sizes = [row.counts.matched or 0 for row in rows]
    sums: list[Sum] = [(len(rows), range(len(rows)))] if exclusive and sum(sizes) == whole else []
    mask = withhold([*sizes, whole], sums, minimum, always_shown={len(rows)})
    return [bool(hide) for hide in mask[: len(rows)]]


def _moves(figures: Figures) -> list[int]:
    moved = figures.movement
    return [moved.up or 0, moved.same or 0, moved.down or 0] if moved else [0, 0, 0]


def _met(figures: Figures) -> list[int]:
    return [figures.growth.met_n or 0, (figures.growth.n or 0) - (figures.growth.met_n or 0)]


def _cells(figures: Figures) -> list[int]:
    return [cell for row in figures.movement.table or [] for cell in row] if figures.movement else []


def suppress_small_cells(summary: Summary, minimum: int, *, exclusive: bool) -> Summary:
    """A copy of a summary in which no cell below ``minimum`` stands or can be worked out.

    ``exclusive``: every student is in one unit of the breakdown only, so units add up to the
    whole. A unit with fewer matched students is withheld as a whole. The square table is shown
    only where none of its cells, here or in any unit, is too small.
    """
    safe = summary.model_copy(deep=True)
    whole = safe.counts.matched or 0
    if whole < minimum:
        for figures in (safe, *safe.by):
            _without_anything(figures)
        return safe
    small = _small_units(safe.by, whole, minimum, exclusive)
    units: list[Figures] = list(safe.by)
    everything = [*units, safe]

    def masks(counts: Callable[[Figures], list[int]]) -> list[list[bool]]:
        if not exclusive or not units:
            return [_hidden([counts(figures)], None, minimum)[0] for figures in everything]
        kept = [counts(figures) for figures, hide in zip(units, small, strict=True) if not hide]
        away = [counts(figures) for figures, hide in zip(units, small, strict=True) if hide]
        unseen = [sum(column) for column in zip(*away, strict=True)] if away else None
        found = _hidden(kept, counts(safe), minimum, unseen)
        shown = iter(found[: len(kept)])
        return [[] if hide else next(shown) for hide in small] + [found[-1]]

    first = masks(lambda figures: [row.from_n or 0 for row in figures.bands])
    second = masks(lambda figures: [row.to_n or 0 for row in figures.bands])
    moves, met = masks(_moves), masks(_met)
    tables = any(cell < minimum for figures in everything for cell in _cells(figures))
    for at, figures in enumerate(everything):
        if at < len(small) and small[at]:
            _without_anything(figures)
            continue
        growth_n = figures.growth.n or 0
        _without_movement(figures, any(moves[at]), tables or any(first[at]) or any(second[at]))
        _without_growth(figures, growth_n < minimum, any(met[at]))
        _without_bands(figures, [a or b for a, b in zip(first[at], second[at], strict=True)])
    return safe
