"""Items of a test: how hard, how well they tell students apart, and what looks wrong with them."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats, positive, within
from bodkin.core.errors import BadInput

FEWEST, FEWEST_SURE = 10, 30
"""Below the first only counts are told, below the second it is said that students are few."""

GROUP_SHARE = 0.27
TOP_SHARE = 1 / 3
SHARED_MISTAKE, OF_THE_WRONG, OPTIONS_FOR_SHARED = 0.30, 0.5, 3
"""A shared mistake: share of all who chose it, share of those who were wrong, options the item must have."""
MORE_FOR_THE_WRONG = 2.0
"""Students of the top third by whom a wrong option must lead all keys before the key is doubted."""
DOES_NOT_TELL = 0.10

NO_ANSWER = -1
"""Option of a student who did not answer."""


@dataclass(frozen=True, slots=True)
class ItemFigures:
    """Figures of the items, one entry an item; NaN with fewer than ten students or no spread.

    ``difficulty`` is the share of points won, ``discrimination`` the corrected item-total
    correlation, ``upper_lower`` the share of points of the upper less the lower 27 per cent by the
    score on the other items; students tied at a border count in equal parts.
    ``alpha`` is Cronbach's alpha (KR-20 where points are 0 or 1), None where there is none.
    """

    n: int
    difficulty: FloatArray
    discrimination: FloatArray
    upper_lower: FloatArray
    alpha: float | None
    few: bool
    reason: str | None = None


def _points(points: ArrayLike) -> FloatArray:
    table = within("points", points, 0.0, 1.0)
    if table.ndim != 2 or np.isnan(table).any():
        raise BadInput("points must have students as rows and items as columns, none missing")
    return table


def points_won(
    options: ArrayLike, keys: Sequence[Collection[int]], worth: ArrayLike, given: ArrayLike = np.nan
) -> FloatArray:
    """Points of each student on each item, shape (students, items), by the keys as they stand now.

    ``options``: option chosen, shape (students, items), NO_ANSWER for none; ``keys``: the right options of
    each item, several where a second answer is accepted; ``worth``: points of each item, above 0;
    ``given``: points that a person gave (part credit), which stand before the key, NaN where none did.
    No answer wins nothing. After a key is mended this gives the new points; the old ones are the caller's.
    Raises BadInput for an item without a key, given points below 0 or above the item's, or other shapes.
    Source: definition of a score by key.
    """
    chosen, full, other = np.asarray(options, dtype=np.int64), positive("worth", worth), floats("given", given)
    if chosen.ndim != 2 or not chosen.shape[1] == len(keys) == full.size or other.shape not in ((), chosen.shape):
        raise BadInput("options need a column an item, with a key and points for each")
    for item, key in enumerate(keys):
        if not key:
            raise BadInput(f"item {item} has no key")
    if (other < 0).any() or (other > full + 1e-9).any():
        raise BadInput("given points must be from 0 to the item's points")
    right = np.column_stack([_is_key(chosen[:, item], key) for item, key in enumerate(keys)]) if keys else chosen
    return np.where(np.isnan(other), right * full, other)


def _is_key(chosen: IntArray, keys: Collection[int]) -> BoolArray:
    """Who chose a key, looked up by the option's place; the last place is that of no answer."""
    known = np.zeros(max(int(chosen.max(initial=0)), *keys) + 2, dtype=np.bool_)
    known[sorted(keys)] = True
    return known[np.maximum(chosen, NO_ANSWER)]


def end_weights(score: ArrayLike, size: int) -> tuple[FloatArray, FloatArray]:
    """How much each student counts in the top and in the bottom ``size`` by a score, 0..1, adding up to ``size`` each.

    Students tied at a border share the places left in equal parts. ``score``: shape (n,); NaN counts
    nowhere. All count whole where there are not more than ``size``. Raises BadInput for a size below 1.
    """
    values = floats("score", score)
    if size < 1:
        raise BadInput(f"size must be 1 or more, got {size}")
    # Scores are sums of shares of points: what differs in the last digits only is tied.
    rounded = np.round(values, 9)
    known = rounded[~np.isnan(rounded)]
    if known.size <= size:
        whole = (~np.isnan(rounded)).astype(np.float64)
        return whole, whole.copy()
    last, first = known.size - size, size - 1
    ordered = np.partition(known, sorted({last, first}))
    above, below = rounded > ordered[last], rounded < ordered[first]
    return _with_part(above, rounded == ordered[last], size), _with_part(below, rounded == ordered[first], size)


def _with_part(beyond: BoolArray, tied: BoolArray, size: int) -> FloatArray:
    """Whole beyond the border, and those tied at it the equal part of what is left."""
    part = (size - np.count_nonzero(beyond)) / np.count_nonzero(tied)
    return beyond + tied * part


def scores_on_others(points: ArrayLike, worth: ArrayLike = 1.0) -> FloatArray:
    """Each student's points on all items but one, shape (students, items), in points.

    ``points``: shape (students, items), share of each item's points won, 0..1; ``worth``: points of each
    item, shape (items,), above 0, or one for all. Raises BadInput for other shapes, missing values, or
    points out of range. Source: definition.
    """
    table, full = _points(points), positive("worth", worth)
    if full.shape not in ((), (table.shape[1],)):
        raise BadInput(f"worth must have one value an item, got shape {full.shape}")
    won = table * full
    return np.asarray(won.sum(axis=1)[:, None] - won, dtype=np.float64)


def item_figures(points: ArrayLike, worth: ArrayLike = 1.0) -> ItemFigures:
    """Difficulty, discrimination and reliability.

    ``points``: shape (students, items), share of each item's points won, 0..1; an item not
    answered counts 0. ``worth``: points of each item, shape (items,), by which the score on the other
    items is made up for the upper and lower groups; discrimination and alpha take each item alike.
    Raises BadInput for other shapes, missing values or points outside 0..1.
    Source: classical item analysis; Kelley (1939), J. Educational Psychology 30, 17-24 (27 %);
    Cronbach (1951), Psychometrika 16, 297-334.
    """
    table = _points(points)
    others = scores_on_others(table, worth)
    n, items = table.shape
    if n < FEWEST:
        nothing = np.full(items, np.nan)
        reason = f"fewer than {FEWEST} students: counts only"
        return ItemFigures(n, nothing, nothing, nothing, None, few=True, reason=reason)
    total = table.sum(axis=1)
    rest = total[:, None] - table
    a, b = table - table.mean(axis=0), rest - rest.mean(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        discrimination = (a * b).sum(axis=0) / np.sqrt((a**2).sum(axis=0) * (b**2).sum(axis=0))
    size = max(1, int(np.floor(GROUP_SHARE * n + 0.5)))
    ends = (end_weights(others[:, at], size) for at in range(items))
    upper_lower = np.array([(top - bottom) @ table[:, at] / size for at, (top, bottom) in enumerate(ends)])
    spread = float(total.var(ddof=1))
    alpha = None
    if items > 1 and spread > 0:
        alpha = items / (items - 1) * (1.0 - float(table.var(axis=0, ddof=1).sum()) / spread)
    return ItemFigures(n, table.mean(axis=0), discrimination, upper_lower, alpha, n < FEWEST_SURE)


@dataclass(frozen=True, slots=True)
class ItemFlags:
    """What looks wrong with one item, and how often each option was chosen (by place).

    ``top`` and ``bottom``: by how many of the top and bottom third, fractions where students are tied.
    """

    chosen: IntArray
    top: FloatArray
    bottom: FloatArray
    check_the_key: bool
    shared_mistake: int | None
    does_not_tell: bool
    nobody_wrong: bool
    nobody_right: bool


def item_flags(
    options: ArrayLike, keys: set[int], count: int, rest: ArrayLike, discrimination: float, points: ArrayLike = np.nan
) -> ItemFlags:
    """Flags of one item.

    ``options``: option chosen by each student, 0..count-1 or NO_ANSWER; ``keys``: the right ones;
    ``rest``: each student's score on the other items, NaN where it is not known, which puts nobody in a
    third; ``discrimination`` of the item; ``points``: share of its points won (0..1), where that is more
    than the key tells. "Check the key": a wrong option chosen by more of the top third than all keys
    together, by two students or more, whose choosers score higher on the other items than those who
    chose a key; never where nobody chose a key. "Shared mistake": the first wrong option chosen by at
    least 30 % and by at least half of all who were wrong, on an item of three options or more. "Does not
    tell apart": discrimination below 0.10 with 30 students or more. With fewer than ten students only
    the counts and nobody right or wrong. Not answered is never a wrong option.
    Raises BadInput for an item without a key, options outside 0..count-1, or other shapes.
    Source: classical distractor analysis, common practice; thresholds are parameters of practice.
    """
    chosen = np.asarray(options, dtype=np.int64)
    if not keys:
        raise BadInput("the item has no key")
    if (chosen < NO_ANSWER).any() or (chosen >= count).any() or max(keys) >= count:
        raise BadInput(f"options must be from 0 to {count - 1}, or {NO_ANSWER} for no answer")
    scores, won = floats("rest", rest), within("points", points, 0.0, 1.0)
    if scores.shape != chosen.shape or won.shape not in ((), chosen.shape):
        raise BadInput(f"options and rest must be about the same students: {chosen.shape}, {scores.shape}")
    n = chosen.size
    counts = np.bincount(chosen[chosen >= 0], minlength=count).astype(np.int64)
    right = _is_key(chosen, keys)
    won = np.where(np.isnan(won), right.astype(np.float64), won)
    full = won >= 1.0 - 1e-9
    alone, nobody = bool(n) and bool(full.all()), bool(n) and not bool(full.any())
    size = max(1, int(np.floor(TOP_SHARE * n + 0.5)))
    # The first place is that of no answer.
    top, bottom = (
        np.asarray(np.bincount(chosen - NO_ANSWER, weights=weight, minlength=count + 1)[1:], dtype=np.float64)
        for weight in end_weights(scores, size)
    )
    if n < FEWEST:
        return ItemFlags(
            counts, top, bottom, check_the_key=False, shared_mistake=None, does_not_tell=False, nobody_wrong=alone,
            nobody_right=nobody,
        )  # fmt: skip
    wrong = [option for option in range(count) if option not in keys]
    all_wrong = int(counts[wrong].sum())
    shared = None
    if count >= OPTIONS_FOR_SHARED and wrong:
        worst = max(wrong, key=lambda option: (counts[option], -option))
        if counts[worst] and counts[worst] >= SHARED_MISTAKE * n and counts[worst] >= OF_THE_WRONG * all_wrong:
            shared = worst
    by_keys = top[sorted(keys)].sum()
    mean_of_key = _mean(scores[right])
    check = any(
        top[option] >= by_keys + MORE_FOR_THE_WRONG - 1e-9 and _mean(scores[chosen == option]) > mean_of_key
        for option in wrong
    )
    dull = n >= FEWEST_SURE and discrimination < DOES_NOT_TELL
    return ItemFlags(counts, top, bottom, check, shared, dull, alone, nobody)


def _mean(scores: FloatArray) -> float:
    """Mean of the known scores, NaN where there are none: nothing is higher or lower than that."""
    known = scores[~np.isnan(scores)]
    return float(known.mean()) if known.size else float("nan")
