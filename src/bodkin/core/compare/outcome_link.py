"""From the interim test to the outcome test: linked scores, chances of a level, how accurate it was."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import ArrayLike
from scipy.special import expit

from bodkin.core.arrays import FloatArray, floats, within
from bodkin.core.errors import BadInput

FEWEST = 50
"""Students with both results that a link or a curve needs; fewer are refused with the reason."""
FEWEST_EACH_SIDE = 10
"""Students on either side of a level that a curve needs."""
HAIR = 1e-12
RESAMPLES, SEED = 200, 1014
"""Samples drawn anew, from a fixed seed, for the error of a link."""


def _pairs(interim: ArrayLike, outcome: ArrayLike) -> tuple[FloatArray, FloatArray]:
    x, y = floats("interim", interim), floats("outcome", outcome)
    if x.shape != y.shape or x.ndim != 1:
        raise BadInput(f"interim and outcome must be one-dimensional and alike: {x.shape}, {y.shape}")
    known = ~np.isnan(x + y)
    return x[known], y[known]


@dataclass(frozen=True, slots=True)
class Link:
    """Equipercentile link: interim scores met (rising), the outcome score each stands for, and its error.

    ``error``: standard error of each linked score, outcome units.
    """

    n: int
    interim: FloatArray
    outcome: FloatArray
    error: FloatArray
    reason: str | None = None

    def at(self, score: ArrayLike) -> FloatArray:
        """Outcome score for interim scores, linear between those met; NaN beyond them."""
        x = floats("score", score)
        if not self.interim.size:
            return np.full(x.shape, np.nan)
        return np.asarray(np.interp(x, self.interim, self.outcome, left=np.nan, right=np.nan))


def share_below(scores: ArrayLike, at: ArrayLike, unit: float = 1.0) -> FloatArray:
    """Share of scores below each point when every score is spread evenly over half a unit either side, 0..1.

    ``scores``: shape (n,), none missing; ``at``: any shape, same unit. The percentile rank made
    continuous by a uniform kernel. Raises BadInput for a missing score or a unit of 0 or less.
    Source: Kolen & Brennan (2014), Test Equating, Scaling, and Linking, section 2.4.
    """
    values, points = np.sort(floats("scores", scores)), floats("at", at)
    if np.isnan(values).any() or not values.size or unit <= 0:
        raise BadInput("scores must be known and unit above 0")
    knots, shares = _curve(values, unit)
    return np.asarray(np.interp(points, knots, shares), dtype=np.float64)


def _curve(ordered: FloatArray, unit: float) -> tuple[FloatArray, FloatArray]:
    """Corners of the continuous share below: the ends of every score's spread, and the share at each."""
    knots = np.unique(np.concatenate([ordered - unit / 2, ordered + unit / 2]))
    # A score counts at a corner by as much of its spread as lies below it.
    low = np.searchsorted(ordered, knots - unit / 2, side="right")
    high = np.searchsorted(ordered, knots + unit / 2, side="left")
    part = np.concatenate([[0.0], np.cumsum(ordered)])
    inside = high - low
    share = low + (inside * (knots + unit / 2) - (part[high] - part[low])) / unit
    return knots, share / ordered.size


def score_at_share(scores: ArrayLike, share: ArrayLike, unit: float = 1.0) -> FloatArray:
    """The score below which each share of the scores lies, continuous as :func:`share_below`.

    Where no score lies over a stretch, the upper end of the stretch stands, as the source has it.
    ``share``: 0..1, any shape. Raises BadInput as :func:`share_below`, and for shares outside 0..1.
    Source: Kolen & Brennan (2014), equation 2.18.
    """
    values, wanted = np.sort(floats("scores", scores)), within("share", share, 0.0, 1.0)
    if np.isnan(values).any() or not values.size or unit <= 0:
        raise BadInput("scores must be known and unit above 0")
    knots, shares = _curve(values, unit)
    after = np.clip(np.searchsorted(shares, wanted + HAIR, side="right"), 1, knots.size - 1)
    before = after - 1
    rise = shares[after] - shares[before]
    part = np.where(rise > 0, (wanted - shares[before]) / np.where(rise > 0, rise, 1.0), 0.0)
    return np.asarray(knots[before] + np.clip(part, 0.0, 1.0) * (knots[after] - knots[before]), dtype=np.float64)


def equipercentile(interim: ArrayLike, outcome: ArrayLike, unit: float = 1.0) -> Link:
    """The outcome score with the same percentile rank among students who have both, and its error.

    Shapes (n,), any units; pairs with a missing value do not count. Percentile ranks are made continuous
    by a uniform kernel of half a ``unit`` either side. The error is the spread of the link over samples of
    the students drawn anew, from a fixed seed. Fewer than 50: an empty link with the reason.
    Raises BadInput for other shapes.
    Source: Kolen & Brennan (2014), Test Equating, Scaling, and Linking, chapters 2 and 7 (bootstrap).
    """
    x, y = _pairs(interim, outcome)
    if x.size < FEWEST:
        nothing = np.array([])
        reason = f"a link needs {FEWEST} students with both, there are {x.size}"
        return Link(x.size, nothing, nothing, nothing, reason)
    scores = np.unique(x)
    draw = np.random.default_rng(SEED)
    samples = []
    for _ in range(RESAMPLES):
        who = draw.integers(0, x.size, x.size)
        samples.append(score_at_share(y[who], share_below(x[who], scores, unit), unit))
    linked = score_at_share(y, share_below(x, scores, unit), unit)
    return Link(x.size, scores, linked, np.std(samples, axis=0, ddof=1))


@dataclass(frozen=True, slots=True)
class LevelCurve:
    """Logistic curve for the chance of a level or higher; coefficients None with the reason."""

    n: int
    intercept: float | None = None
    slope: float | None = None
    reason: str | None = None

    def chance(self, score: ArrayLike) -> FloatArray:
        """Chance (0..1) of the level or higher at each interim score."""
        x = floats("score", score)
        if self.intercept is None or self.slope is None:
            return np.full(x.shape, np.nan)
        return np.asarray(expit(self.intercept + self.slope * x))


def level_curve(interim: ArrayLike, reached: ArrayLike) -> LevelCurve:
    """Maximum likelihood logistic regression of reaching a level (1 or 0) on the interim score.

    Fewer than 50 pairs, fewer than 10 on either side of the level, scores that tell perfectly, or a curve
    that falls with the score: refused with the reason. Raises BadInput for other shapes or values of
    ``reached`` that are not 0 or 1.
    Source: logistic regression; statsmodels.Logit is the reference.
    """
    x, y = _pairs(interim, reached)
    if ((y != 0) & (y != 1)).any():
        raise BadInput("reached must be 0 or 1")
    if x.size < FEWEST:
        return LevelCurve(x.size, reason=f"a curve needs {FEWEST} students with both, there are {x.size}")
    sides = int((y == 1).sum()), int((y == 0).sum())
    if not min(sides):
        return LevelCurve(x.size, reason="everybody is on one side of the level")
    if min(sides) < FEWEST_EACH_SIDE:
        few = f"a curve needs {FEWEST_EACH_SIDE} students on either side of the level, there are {min(sides)} on one"
        return LevelCurve(x.size, reason=few)
    if x.min() == x.max():
        return LevelCurve(x.size, reason="everybody has the same score; a curve has no slope")
    if x[y == 1].min() >= x[y == 0].max() or x[y == 0].min() >= x[y == 1].max():
        return LevelCurve(x.size, reason="the scores tell the level perfectly; a curve has no slope")
    middle, spread = x.mean(), x.std()
    z = (x - middle) / spread

    def loss(b: FloatArray) -> tuple[float, FloatArray]:
        line = b[0] + b[1] * z
        rest = expit(line) - y
        return float(np.logaddexp(0.0, line).sum() - y @ line), np.array([rest.sum(), rest @ z])

    found = scipy.optimize.minimize(loss, np.zeros(2), jac=True, method="BFGS", options={"gtol": 1e-9})
    slope = float(found.x[1] / spread)
    if slope <= 0:
        return LevelCurve(x.size, reason="the chance of the level falls as the score rises")
    return LevelCurve(x.size, float(found.x[0] - slope * middle), slope)


@dataclass(frozen=True, slots=True)
class PredictionAccuracy:
    """How well a cut on the interim test predicted who would fall short; None for 0/0."""

    n: int
    sensitivity: float | None
    specificity: float | None
    positive_value: float | None
    negative_value: float | None
    base_rate: float | None
    area: float | None


def prediction_accuracy(interim: ArrayLike, fell_short: ArrayLike, cut: float) -> PredictionAccuracy:
    """Accuracy of "below the cut" as a warning that a student falls short of the outcome.

    ``fell_short``: 1 for students below the wanted level on the outcome test, else 0.
    Sensitivity: share of those who fell short that were warned; specificity: share of the others
    not warned; positive and negative predictive value; base rate: share who fell short; area:
    chance that one who fell short had the lower interim score (ties half).
    Raises BadInput for other shapes. Source: definitions; scikit-learn is the reference.
    """
    x, short = _pairs(interim, fell_short)
    warned, fell = x < cut, short == 1

    def share(part: int, whole: int) -> float | None:
        return part / whole if whole else None

    both = int((warned & fell).sum())
    neither = int((~warned & ~fell).sum())
    area = None
    if fell.any() and not fell.all():
        ranks = scipy.stats.rankdata(-x)
        n1, n0 = int(fell.sum()), int((~fell).sum())
        area = float((ranks[fell].sum() - n1 * (n1 + 1) / 2) / (n1 * n0))
    return PredictionAccuracy(
        x.size,
        share(both, int(fell.sum())),
        share(neither, int((~fell).sum())),
        share(both, int(warned.sum())),
        share(neither, int((~warned).sum())),
        share(int(fell.sum()), x.size),
        area,
    )
