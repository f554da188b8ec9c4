"""Items of a test: how hard, how well they tell students apart, and what looks wrong with them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, IntArray, floats, within
from bodkin.core.errors import BadInput

FEWEST, FEWEST_SURE = 10, 30
"""Below the first only counts are told, below the second it is said that students are few."""

GROUP_SHARE = 0.27
TOP_SHARE = 1 / 3
SHARED_MISTAKE = 0.30
DOES_NOT_TELL = 0.10

NO_ANSWER = -1
"""Option of a student who did not answer."""


@dataclass(frozen=True, slots=True)
class ItemFigures:
    """Figures of the items, one entry an item; NaN with fewer than ten students or no spread.

    ``difficulty`` is the share of points won, ``discrimination`` the corrected item-total
    correlation, ``upper_lower`` the share of points of the upper less the lower 27 per cent.
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


def item_figures(points: ArrayLike) -> ItemFigures:
    """Difficulty, discrimination and reliability.

    ``points``: shape (students, items), share of each item's points won, 0..1; an item not
    answered counts 0. Raises BadInput for other shapes, missing values or points outside 0..1.
    Source: classical item analysis; Kelley (1939), J. Educational Psychology 30, 17-24 (27 %);
    Cronbach (1951), Psychometrika 16, 297-334.
    """
    table = _points(points)
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
    order = np.argsort(total, kind="stable")
    upper_lower = table[order[-size:]].mean(axis=0) - table[order[:size]].mean(axis=0)
    spread = float(total.var(ddof=1))
    alpha = None
    if items > 1 and spread > 0:
        alpha = items / (items - 1) * (1.0 - float(table.var(axis=0, ddof=1).sum()) / spread)
    return ItemFigures(n, table.mean(axis=0), discrimination, upper_lower, alpha, n < FEWEST_SURE)


@dataclass(frozen=True, slots=True)
class ItemFlags:
    """What looks wrong with one item, and how often each option was chosen (by place)."""

    chosen: IntArray
    check_the_key: bool
    shared_mistake: int | None
    does_not_tell: bool
    nobody_wrong: bool
    nobody_right: bool


def item_flags(options: ArrayLike, keys: set[int], count: int, total: ArrayLike, discrimination: float) -> ItemFlags:
    """Flags of one item.

    ``options``: option chosen by each student, 0..count-1 or NO_ANSWER; ``keys``: the right ones;
    ``total``: each student's score on the whole test; ``discrimination`` of the item. "Check the
    key": a wrong option chosen more often than all keys together by the top third. "Shared
    mistake": the wrong option chosen by at least 30 %. "Does not tell apart": discrimination
    below 0.10. With fewer than ten students only the counts and nobody right or wrong.
    Raises BadInput for an item without a key or options outside 0..count-1.
    Source: classical distractor analysis, common practice; thresholds are parameters of practice.
    """
    chosen = np.asarray(options, dtype=np.int64)
    if not keys:
        raise BadInput("the item has no key")
    if (chosen < NO_ANSWER).any() or (chosen >= count).any() or max(keys) >= count:
        raise BadInput(f"options must be from 0 to {count - 1}, or {NO_ANSWER} for no answer")
    scores = floats("total", total)
    counts = np.bincount(chosen[chosen >= 0], minlength=count).astype(np.int64)
    wrong = [option for option in range(count) if option not in keys]
    right = int(counts[sorted(keys)].sum())
    alone = chosen.size == right and chosen.size > 0
    if chosen.size < FEWEST:
        return ItemFlags(
            counts,
            check_the_key=False,
            shared_mistake=None,
            does_not_tell=False,
            nobody_wrong=alone,
            nobody_right=right == 0,
        )
    size = max(1, int(np.floor(TOP_SHARE * chosen.size + 0.5)))
    top = chosen[np.argsort(scores, kind="stable")[-size:]]
    by_top = np.bincount(top[top >= 0], minlength=count)
    worst = max(wrong, key=lambda option: counts[option], default=None)
    shared = worst if worst is not None and counts[worst] >= SHARED_MISTAKE * chosen.size else None
    check = any(by_top[option] > by_top[sorted(keys)].sum() for option in wrong)
    return ItemFlags(counts, check, shared, bool(discrimination < DOES_NOT_TELL), alone, right == 0)
