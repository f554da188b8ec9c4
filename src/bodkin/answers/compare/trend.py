"""Many windows: how a cohort's mean and standing went, with subgroups laid over it."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel

from bodkin.answers.compare.over_windows import OverWindows, over_windows
from bodkin.answers.compare.trend_withheld import lines_shown, shares_shown
from bodkin.answers.comparison.breakdown import unit_values
from bodkin.answers.comparison.comparison import Members, quoted_order, with_units
from bodkin.answers.comparison.norms.norms_and_cuts import Grades, Notes, bands_at, norms_at
from bodkin.answers.scope.scope import BY, FIELD, Scope
from bodkin.answers.scope.sentence import Piece, caption
from bodkin.answers.words import percent, plural, signed
from bodkin.core.arrays import BoolArray, FloatArray
from bodkin.core.compare.cohorts import cohort_means
from bodkin.core.errors import BadInput
from bodkin.core.growth.goals import STEADY_WINDOWS, steady
from bodkin.core.scores.gap import gap
from bodkin.core.scores.local_rank import class_summary
from bodkin.core.scores.shares import wilson_interval
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of

MOST_OVER = 4


class TrendPoint(BaseModel):
    """One line at one window: n, mean with its 95 % ends, median, lowest, highest, share at or above.

    The share is of the ``known_n`` whose band is known. ``withheld``: too few students to show, or too few beside
    them; then ``n`` and all figures are empty.
    The gap is the line's mean less that of all others, with its 95 % ends and as Hedges' g;
    ``gap_reason`` says why there is none.
    """

    n: int | None
    mean: float | None
    low: float | None
    high: float | None
    median: float | None
    lowest: float | None
    highest: float | None
    known_n: int | None
    above_n: int | None
    above: float | None
    above_low: float | None
    above_high: float | None
    gap: float | None = None
    gap_low: float | None = None
    gap_high: float | None = None
    g: float | None = None
    gap_reason: str | None = None
    withheld: bool = False


class TrendLine(BaseModel):
    """The cohort, or a subgroup laid over it; ``over`` is how it was asked for."""

    name: str
    over: str | None
    points: list[TrendPoint]


class TrendAnswer(BaseModel):
    """Means and shares over the windows; ``steady`` were at the quoted band or above three windows in a row."""

    caption: str
    pieces: list[Piece]
    headline: str
    lead: str
    windows: list[str]
    labels: list[str]
    bands: list[str]
    quoted: str | None
    same_students: bool
    n: int
    steady: int | None
    lines: list[TrendLine]
    notes: list[str]
    data_version: int


def _number(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def read_over(text: str) -> tuple[str, str]:
    """A subgroup as the address names it: ``program: Multilingual learner``, ``field:sex: female``."""
    for by in BY:
        if text.startswith(f"{by}: "):
            return by, text.removeprefix(f"{by}: ")
    if text.startswith(FIELD) and ": " in text:
        by, _, value = text.partition(": ")
        return by, value
    raise BadInput(f'over: "{text}" is not a subgroup; write it like "program: Multilingual learner"')


def _orders(table: ScoreTable, scope: Scope, over: OverWindows, notes: Notes) -> tuple[FloatArray, list[str]]:
    """Band order of every result by the cuts of its own window and grade, and the bands' names."""
    orders = np.full(over.rows.height, np.nan)
    names: dict[int, str] = {}
    for at, window in enumerate(scope.windows):
        here = over.window(at)
        part = over.rows[here]
        side = part.rename({"score": "to_score", "tested_on": "to_tested_on"})
        grades = Grades.of(part["own_grade"])
        score = part["score"].to_numpy()
        norms = norms_at(table, scope, window, grades, side, "to", notes)
        own = numbers_of(part["percentile"])
        found = bands_at(table, scope, window, grades, score, norms, own, notes)
        orders[here] = found.orders
        names |= found.names
    return orders, [names[order] for order in sorted(names)]


def _points(
    over: OverWindows, orders: FloatArray, mine: BoolArray, quoted: int | None, *, beside: bool
) -> list[TrendPoint]:
    scores = over.rows["score"].to_numpy()
    found = []
    for place in range(over.bounds.size - 1):
        here = over.window(place)
        chosen, score = mine[here], scores[here]
        values = score[chosen]
        means, middle = cohort_means(values[:, None]), class_summary(values)
        point: dict[str, Any] = {"n": int(chosen.sum()), "above_n": None, "above": None}
        known = orders[here][chosen]
        known = known[~np.isnan(known)]
        point["known_n"] = int(known.size)
        low = high = np.array([np.nan])
        if quoted is not None and known.size:
            count = int((known >= quoted).sum())
            low, high = wilson_interval([count], [known.size])
            point |= {"above_n": count, "above": count / known.size}
        if beside:
            apart = gap(values, score[~chosen])
            point |= {
                "gap": apart.difference, "gap_low": apart.low, "gap_high": apart.high, "g": apart.g,
                "gap_reason": apart.reason,
            }  # fmt: skip
        found.append(
            TrendPoint(
                **point, mean=_number(means.mean[0]), low=_number(means.low[0]), high=_number(means.high[0]),
                median=middle.median, lowest=middle.lowest, highest=middle.highest, above_low=_number(low[0]),
                above_high=_number(high[0]),
            )
        )  # fmt: skip
    return found


def _steady(over: OverWindows, orders: FloatArray, quoted: int | None) -> int | None:
    """Students at the quoted band or above in each of the last three windows and not falling."""
    windows = over.bounds.size - 1
    if windows < STEADY_WINDOWS or quoted is None:
        return None
    number = over.number[over.rows["who"].to_numpy()]
    table = np.full((over.n, windows), np.nan)
    for at in range(windows):
        here = over.window(at)
        table[number[here], at] = orders[here]
    held = steady(table) == 1
    return int((held & (table[:, -1] >= quoted)).sum())


def _inside(over: OverWindows, table: ScoreTable, scope: Scope, text: str, members: Members) -> BoolArray:
    """Which rows are of students of a subgroup."""
    by, value = read_over(text)
    students = with_units(over.students, table, scope.model_copy(update={"by": by, "by2": None}), members)
    return over.rows_of(unit_values(students, by).list.contains(value).to_numpy())


def students_at(table: ScoreTable, scope: Scope, place: int, text: str | None, members: Members) -> frozenset[str]:
    """Students whom a point of the trend stands on; ``text``: of a subgroup laid over it."""
    over = over_windows(table, scope)
    here = over.window(place)
    who = over.rows["who"][here]
    if text:
        who = who.filter(_inside(over, table, scope, text, members)[here])
    return frozenset(over.students["student_id"][who])


WITHHELD = TrendPoint(
    n=None, mean=None, low=None, high=None, median=None, lowest=None, highest=None, known_n=None, above_n=None,
    above=None, above_low=None, above_high=None, withheld=True,
)  # fmt: skip
_OF_FEW = dict.fromkeys(("median", "lowest", "highest"))
"""Scores of one student each."""
_OF_SHARE = dict.fromkeys(("known_n", "above_n", "above", "above_low", "above_high"))


def _withhold(
    lines: list[TrendLine], masks: Sequence[BoolArray], over: OverWindows, orders: FloatArray, quoted: int | None,
    minimum: int,
) -> list[TrendLine]:  # fmt: skip
    """Lines without the figures of few students, window by window."""
    known, above = ~np.isnan(orders), orders >= (quoted or 0)
    points: list[list[TrendPoint]] = [[] for _ in lines]
    for place in range(len(lines[0].points)):
        here = over.window(place)
        inside = [mask[here] for mask in masks]
        shown = lines_shown(inside, minimum)
        told = shares_shown(inside, shown, above[here], known[here], minimum)
        for line, is_shown, has_share, kept in zip(lines, shown, told, points, strict=True):
            hidden = _OF_FEW if has_share else {**_OF_FEW, **_OF_SHARE}
            kept.append(line.points[place].model_copy(update=hidden) if is_shown else WITHHELD)
    return [line.model_copy(update={"points": kept}) for line, kept in zip(lines, points, strict=True)]


def trend_answer(
    table: ScoreTable, scope: Scope, pieces: list[Piece], over: Sequence[str], members: Members, version: int,
    withhold: int | None = None,
) -> TrendAnswer:  # fmt: skip
    """The trend over all windows of a scope; ``withhold``: figures of fewer students are withheld.

    Raises BadInput for more than four subgroups or one that is none.
    """
    if len(over) > MOST_OVER:
        raise BadInput(f"over: at most {MOST_OVER} subgroups can be laid over")
    notes = Notes()
    results = over_windows(table, scope)
    orders, bands = _orders(table, scope, results, notes)
    quoted = quoted_order(len(bands)) if len(bands) > 1 else None
    everyone = np.ones(results.rows.height, dtype=bool)
    lines = [TrendLine(name="All", over=None, points=_points(results, orders, everyone, quoted, beside=False))]
    masks = [everyone]
    for text in over:
        by, value = read_over(text)
        mine = _inside(results, table, scope, text, members)
        masks.append(mine)
        points = _points(results, orders, mine, quoted, beside=True)
        lines.append(TrendLine(name=f"grade {value}" if by == "grade" else value, over=text, points=points))
    n = results.n
    band = bands[quoted - 1] if quoted else None
    held = _steady(results, orders, quoted)
    if withhold is not None:
        lines = _withhold(lines, masks, results, orders, quoted, withhold)
        if held is not None and not withhold <= held <= n - withhold:
            held = None
    return TrendAnswer(
        caption=caption(pieces), pieces=pieces, headline=_headline(lines, n), lead=_lead(lines, band, scope, n),
        windows=[str(window) for window in scope.windows], labels=[window.label for window in scope.windows],
        bands=bands, quoted=band, same_students=scope.paired, n=n, steady=held, lines=lines,
        notes=notes.reasons, data_version=version,
    )  # fmt: skip


def _all_withheld(lines: list[TrendLine]) -> bool:
    """Whether there are students, and too few at every window to show anything of them."""
    points = lines[0].points
    return any(point.withheld for point in points) and all(point.withheld or not point.n for point in points)


def _headline(lines: list[TrendLine], n: int) -> str:
    known = [point for point in lines[0].points if point.mean is not None]
    if _all_withheld(lines):
        return "Too few students to show"
    if len(known) < 2:
        return "No results for this choice" if not n else "Results in one of these windows only"
    change = (known[-1].mean or 0.0) - (known[0].mean or 0.0)
    way = "rose" if change > 0 else "fell" if change < 0 else "did not move"
    size = f" by {abs(change):.1f} points" if change else ""
    return f"The mean {way}{size} over {plural(len(known), 'window')}"


def _lead(lines: list[TrendLine], band: str | None, scope: Scope, n: int) -> str:
    if _all_withheld(lines):
        return ""
    sentences = []
    if scope.follow == "grade":
        sentences.append("Each window has its own students of the grade.")
    elif scope.paired:
        sentences.append(f"The same {plural(n, 'student')} at every window.")
    else:
        sentences.append(f"{plural(n, 'student')}; each window counts those with a result in it.")
    shares = [(scope.windows[at], point.above) for at, point in enumerate(lines[0].points) if point.above is not None]
    if band and len(shares) > 1:
        sentences.append(
            f"{percent(shares[-1][1])} are at {band} or above in {shares[-1][0].label}"
            f" ({percent(shares[0][1])} in {shares[0][0].label})."
        )
    for line in lines[1:]:
        last = line.points[-1]
        if last.gap is not None and last.gap_low is not None and last.gap_high is not None:
            sure = "" if last.gap_low > 0 or last.gap_high < 0 else "; that could be chance"
            way = "above" if last.gap > 0 else "below"
            ends = sorted((abs(last.gap_low), abs(last.gap_high))) if not sure else (last.gap_low, last.gap_high)
            span = " to ".join(signed(end) if sure else f"{end:.1f}" for end in ends)
            sentences.append(
                f"{line.name}: {abs(last.gap):.1f} points {way} all others in the last window ({span}{sure})."
            )
    return " ".join(sentences)
