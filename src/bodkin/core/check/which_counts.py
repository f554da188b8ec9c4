"""Which of several results of a student in a window counts."""

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import floats
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
