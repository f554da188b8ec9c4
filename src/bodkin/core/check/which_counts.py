"""Which of several results of a student in a window counts."""

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import IntArray, floats
from bodkin.core.errors import BadInput

Rule = Literal["latest", "first", "highest"]


def which_counts(rule: Rule, day: ArrayLike, score: ArrayLike, chosen: int | None = None) -> int:
    """Position of the result that counts among one student's results in one window.

    ``day``: days as numbers, NaN for an undated result, which is older than any dated; ``score``:
    scale points, none missing; positions are the order of arrival. "latest": the last day, at a
    tie the one that came later; "first": the first day, at a tie the one that came first;
    "highest": the highest score, at a tie the later result. ``chosen`` is a choice by hand and
    wins. Raises BadInput for no results, a missing score, an unknown rule or a choice that is
    not there. Source: common practice; the rule is the assessment's.
    """
    days, scores = floats("day", day), floats("score", score)
    if not scores.size or days.shape != scores.shape or np.isnan(scores).any():
        raise BadInput("there must be at least one result, each with a score and a day or NaN")
    if chosen is not None:
        if not 0 <= chosen < scores.size:
            raise BadInput(f"result {chosen} cannot be chosen; there are {scores.size}")
        return chosen
    when = np.where(np.isnan(days), -np.inf, days)
    arrival = np.arange(scores.size)
    if rule == "latest":
        return int(np.lexsort((arrival, when))[-1])
    if rule == "first":
        return int(np.lexsort((arrival, when))[0])
    if rule == "highest":
        return int(np.lexsort((arrival, when, scores))[-1])
    raise BadInput(f'rule "{rule}" is none of latest, first, highest')


def rescore(options: ArrayLike, keys: list[set[int]], points: ArrayLike, dropped: ArrayLike) -> IntArray:
    """Points of each student on each item after keys were mended, answers accepted or items dropped.

    ``options``: option chosen, shape (students, items), -1 for no answer; ``keys``: the right
    options of each item (several where a second answer is accepted); ``points``: whole points of
    each item, 0 or more; ``dropped``: true for an item that counts for nobody. Returns new
    points, shape (students, items); the old ones are the caller's and stay.
    Raises BadInput for an item without a key that is not dropped, or shapes that do not fit.
    """
    chosen = np.asarray(options, dtype=np.int64)
    worth, out = np.asarray(points, dtype=np.int64), np.asarray(dropped, dtype=bool)
    if chosen.ndim != 2 or not chosen.shape[1] == len(keys) == worth.size == out.size:
        raise BadInput("options need a column an item, with a key, points and dropped or not for each")
    if (worth < 0).any():
        raise BadInput("points must be 0 or more")
    right = np.zeros(chosen.shape, dtype=np.int64)
    for item, key in enumerate(keys):
        if out[item]:
            continue
        if not key:
            raise BadInput(f"item {item} has no key")
        right[:, item] = np.isin(chosen[:, item], sorted(key)) * worth[item]
    return right
