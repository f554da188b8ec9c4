"""Mastery of a standard: from points, from a teacher's word, and what to do where there is little."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import betaincc

from bodkin.core.arrays import FloatArray, IntArray, floats
from bodkin.core.errors import BadInput

MASTERED_FROM, NEARLY_FROM, FEWEST_ITEMS = 80.0, 60.0, 3.0
HAIR = 1e-9
"""A limit is met within this much: eight tenths of 35 points are 28, whatever the last digit says."""

State = Literal["mastered", "nearly", "not yet", "thin evidence", "no evidence"]
STATES: tuple[State, ...] = ("mastered", "nearly", "not yet", "thin evidence", "no evidence")
MASTERED, NEARLY, NOT_YET, THIN, NONE = range(5)
StateArray = NDArray[np.int8]
"""Places in ``STATES``; a district has millions of them, so each is one byte."""


@dataclass(frozen=True, slots=True)
class PointMastery:
    """State of each student from points, arrays of shape (n,).

    ``codes``: places in ``STATES``; ``percent`` of the points, NaN where nothing was possible or known.
    """

    codes: IntArray
    percent: FloatArray

    @property
    def states(self) -> list[State]:
        """The states in words."""
        return [STATES[code] for code in self.codes.tolist()]


def mastery_from_points(
    won: ArrayLike,
    possible: ArrayLike,
    mastered_from: float = MASTERED_FROM,
    nearly_from: float = NEARLY_FROM,
    fewest: float = FEWEST_ITEMS,
    items: ArrayLike | None = None,
) -> PointMastery:
    """State of each student on one standard over the chosen period and sources.

    ``won``, ``possible``: points of each student, shape (n,), won <= possible; where the points won are
    not known, those points are none. ``items``: items answered or due (default: one a point). Per cent of
    points: mastered from 80, nearly from 60, below that not yet; fewer than 3 items: thin evidence; none:
    no evidence, which is not "not yet". Raises BadInput for points won below 0 or above those possible, and
    for limits out of order. Common practice; thresholds are parameters.
    """
    some, all_ = floats("won", won), floats("possible", possible)
    count = all_ if items is None else floats("items", items)
    if some.shape != all_.shape or count.shape != all_.shape or some.ndim != 1:
        raise BadInput(f"won, possible and items must be one-dimensional and alike: {some.shape}, {all_.shape}")
    if (some < 0).any() or (all_ < 0).any() or (some > all_ + HAIR).any():
        raise BadInput("won must be from 0 to the points possible")
    if not 0 <= nearly_from < mastered_from <= 100:
        raise BadInput(f"nearly_from ({nearly_from:g}) must lie below mastered_from ({mastered_from:g}), within 0..100")
    known = ~np.isnan(some + all_) & (all_ > 0)
    percent = 100.0 * some / np.where(known, all_, np.nan)
    codes = np.where(
        percent >= mastered_from - HAIR, MASTERED, np.where(percent >= nearly_from - HAIR, NEARLY, NOT_YET)
    )
    # Without a count of items there is no telling whether they are enough.
    codes = np.where(known, np.where(count >= fewest, codes, THIN), NONE).astype(np.int64)
    return PointMastery(codes, percent)


def mastery_chance(won: ArrayLike, possible: ArrayLike, limit: float = MASTERED_FROM) -> FloatArray:
    """Chance (0..1) that a student's true share of points is at or above a limit, in per cent.

    ``won``, ``possible``: points, one shape; NaN where either is missing or nothing was possible. A beta
    distribution with a uniform prior, each point a trial. Raises BadInput for points won below 0 or above
    those possible, or a limit outside 0..100. Source: Bayes' rule for a binomial share, for example Gelman
    et al. (2013), Bayesian Data Analysis, section 2.4; scipy.stats.beta is the reference.
    """
    some, all_ = floats("won", won), floats("possible", possible)
    if some.shape != all_.shape or (some < 0).any() or (some > all_ + HAIR).any():
        raise BadInput("won must be from 0 to the points possible, one a student")
    if not 0 <= limit <= 100:
        raise BadInput(f"limit must be from 0 to 100, got {limit:g}")
    known = all_ > 0
    chance = np.full(some.shape, np.nan)
    lost = np.maximum(all_[known] - some[known], 0.0)
    chance[known] = betaincc(some[known] + 1.0, lost + 1.0, limit / 100.0)
    return chance


@dataclass(frozen=True, slots=True, order=True)
class Evidence:
    """A source's word on one student and standard: the day, whether a teacher said so, the state, the line.

    ``line``: its place among what came in; of two computed words of one day the later line counts.
    """

    on: np.datetime64
    by_teacher: bool
    state: State
    line: int = 0


def counting_evidence(
    place: ArrayLike, on: ArrayLike, by_teacher: ArrayLike, line: ArrayLike, codes: ArrayLike
) -> IntArray:
    """Which pieces of evidence count, one for each student and standard: their places among the pieces.

    All of shape (pieces,): ``place`` says which student and standard, ``on`` the day as a number, NaN where
    it is not known, which is older than any day, ``by_teacher`` and ``line`` decide on one day, ``codes``
    are places in ``STATES``. The newest that says mastered, nearly or not yet counts, a teacher's own entry
    first on one day, then the later line; thin evidence counts where nothing else does, and no evidence is
    no piece. In the order of ``place``. Raises BadInput for other shapes. Common practice.
    """
    where, states = np.asarray(place, dtype=np.int64), np.asarray(codes, dtype=np.int64)
    day, teacher, order = floats("on", on), np.asarray(by_teacher, dtype=np.bool_), np.asarray(line, dtype=np.int64)
    if not where.shape == states.shape == day.shape == teacher.shape == order.shape or where.ndim != 1:
        raise BadInput("place, on, by_teacher, line and codes must be about the same pieces of evidence")
    some = np.flatnonzero(states < NONE)
    keys = (order, teacher, np.where(np.isnan(day), -np.inf, day), states != THIN, where)
    sorted_ = some[np.lexsort([key[some] for key in keys])]
    last = np.append(where[sorted_][1:] != where[sorted_][:-1], np.ones(min(sorted_.size, 1), dtype=np.bool_))
    return np.asarray(sorted_[last.astype(np.bool_)], dtype=np.int64)


def newest(evidence: list[Evidence]) -> State:
    """What counts where sources disagree, by the rule of :func:`counting_evidence`; the older stays visible."""
    found = counting_evidence(
        np.zeros(len(evidence)),
        [one.on.astype("datetime64[D]").astype(np.float64) for one in evidence],
        [one.by_teacher for one in evidence],
        [one.line for one in evidence],
        [STATES.index(one.state) for one in evidence],
    )
    return evidence[int(found[0])].state if found.size else "no evidence"
