"""From the interim test to the outcome test: linked scores, chances of a level, how accurate it was."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.optimize import minimize
from scipy.special import expit
from scipy.stats import rankdata

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput

FEWEST = 30
"""Students with both results that a link needs; fewer are refused with the reason."""


def _pairs(interim: ArrayLike, outcome: ArrayLike) -> tuple[FloatArray, FloatArray]:
    x, y = floats("interim", interim), floats("outcome", outcome)
    if x.shape != y.shape or x.ndim != 1:
        raise BadInput(f"interim and outcome must be one-dimensional and alike: {x.shape}, {y.shape}")
    known = ~np.isnan(x + y)
    return x[known], y[known]


@dataclass(frozen=True, slots=True)
class Link:
    """Equipercentile link: interim scores met (rising) and the outcome score each stands for."""

    n: int
    interim: FloatArray
    outcome: FloatArray
    reason: str | None = None

    def at(self, score: ArrayLike) -> FloatArray:
        """Outcome score for interim scores, linear between those met; NaN beyond them."""
        x = floats("score", score)
        if not self.interim.size:
            return np.full(x.shape, np.nan)
        return np.asarray(np.interp(x, self.interim, self.outcome, left=np.nan, right=np.nan))


def equipercentile(interim: ArrayLike, outcome: ArrayLike) -> Link:
    """The outcome score with the same mid-rank percentile among students who have both.

    Shapes (n,), any units; pairs with a missing value do not count. Fewer than 30: an empty link
    with the reason. Raises BadInput for other shapes.
    Source: Kolen & Brennan (2014), Test Equating, Scaling, and Linking, chapter 2.
    """
    x, y = _pairs(interim, outcome)
    if x.size < FEWEST:
        return Link(x.size, np.array([]), np.array([]), f"a link needs {FEWEST} students with both, there are {x.size}")
    scores = np.unique(x)
    ranks = np.array([(x < score).mean() + (x == score).mean() / 2 for score in scores])
    ordered = np.sort(y)
    own = (rankdata(ordered, method="average") - 0.5) / ordered.size
    values, first = np.unique(ordered, return_index=True)
    return Link(x.size, scores, np.interp(ranks, own[first], values))


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

    Fewer than 30 pairs, everybody or nobody reached it, or scores that tell perfectly: refused
    with the reason. Raises BadInput for other shapes or values of ``reached`` that are not 0 or 1.
    Source: logistic regression; statsmodels.Logit is the reference.
    """
    x, y = _pairs(interim, reached)
    if ((y != 0) & (y != 1)).any():
        raise BadInput("reached must be 0 or 1")
    if x.size < FEWEST:
        return LevelCurve(x.size, reason=f"a curve needs {FEWEST} students with both, there are {x.size}")
    if y.min() == y.max():
        return LevelCurve(x.size, reason="everybody is on one side of the level")
    if x[y == 1].min() >= x[y == 0].max() or x[y == 0].min() >= x[y == 1].max():
        return LevelCurve(x.size, reason="the scores tell the level perfectly; a curve has no slope")
    middle, spread = x.mean(), x.std()
    z = (x - middle) / spread

    def loss(b: FloatArray) -> tuple[float, FloatArray]:
        line = b[0] + b[1] * z
        rest = expit(line) - y
        return float(np.logaddexp(0.0, line).sum() - y @ line), np.array([rest.sum(), rest @ z])

    found = minimize(loss, np.zeros(2), jac=True, method="BFGS", options={"gtol": 1e-9})
    slope = float(found.x[1] / spread)
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
        ranks = rankdata(-x)
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
