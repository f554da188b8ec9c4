"""Trend and aim line of weekly results, and the rule for the next step."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import scipy
from numpy.typing import ArrayLike
from scipy.special import stdtrit

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput

FEWEST_FOR_RULE, FEWEST_WEEKS, IN_A_ROW = 6, 3.0, 4
"""Points and weeks that the rule needs, and consecutive points it looks at (common practice)."""

SURE = 0.95
"""A change is confirmed only where chance alone would go so far in fewer than 5 of 100."""

FEWEST_FOR_TREND = 3
BASELINE_POINTS = 3


@dataclass(frozen=True, slots=True)
class Trend:
    """Least squares and Theil-Sen lines; all None with the reason where there are too few points.

    Slopes in score units a week; ``error`` is the standard error of the least squares slope;
    ``few`` marks a trend from fewer than six points, possible but weak.
    """

    n: int
    slope: float | None = None
    intercept: float | None = None
    error: float | None = None
    robust_slope: float | None = None
    few: bool = False
    reason: str | None = None


def _points(week: ArrayLike, score: ArrayLike) -> tuple[FloatArray, FloatArray]:
    weeks, scores = floats("week", week), floats("score", score)
    if weeks.shape != scores.shape or weeks.ndim != 1:
        raise BadInput(f"week and score must be one-dimensional and alike: {weeks.shape}, {scores.shape}")
    known = ~np.isnan(weeks + scores)
    order = np.argsort(weeks[known], kind="stable")
    return weeks[known][order], scores[known][order]


def trend(week: ArrayLike, score: ArrayLike) -> Trend:
    """Trend of scores over weeks, from three points on different days.

    ``week``: weeks, any origin; ``score``: same shape; pairs with a missing value do not count.
    Raises BadInput for other shapes. Source: ordinary least squares (scipy.stats.linregress is
    the reference) and Theil-Sen (scipy.stats.theilslopes).
    """
    weeks, scores = _points(week, score)
    line = _least_squares(weeks, scores)
    if line.slope is None:
        return line
    return replace(line, robust_slope=float(scipy.stats.theilslopes(scores, weeks).slope))


def _least_squares(weeks: FloatArray, scores: FloatArray) -> Trend:
    """The trend without its robust slope, which the rule does not need."""
    if weeks.size < FEWEST_FOR_TREND or np.unique(weeks).size < FEWEST_FOR_TREND:
        return Trend(weeks.size, reason=f"a trend needs results on at least {FEWEST_FOR_TREND} different days")
    x = weeks - weeks.mean()
    slope = float(x @ scores / (x @ x))
    intercept = float(scores.mean() - slope * weeks.mean())
    rest = scores - intercept - slope * weeks
    error = float(np.sqrt(rest @ rest / (weeks.size - 2) / (x @ x)))
    return Trend(weeks.size, slope, intercept, error, few=weeks.size < FEWEST_FOR_RULE)


@dataclass(frozen=True, slots=True)
class AimLine:
    """From the baseline at its week to the goal at its week."""

    start_week: float
    start: float
    goal_week: float
    goal: float

    @property
    def slope(self) -> float:
        """Score units a week that the aim line rises."""
        return (self.goal - self.start) / (self.goal_week - self.start_week)

    def at(self, week: ArrayLike) -> FloatArray:
        """Height of the aim line at each week."""
        return np.asarray(self.start + self.slope * (floats("week", week) - self.start_week))


def aim_line(week: ArrayLike, score: ArrayLike, goal_week: float, goal: float) -> AimLine:
    """The aim line: from the median of the first three results, at their middle week, to the goal.

    Raises BadInput with fewer than three results, or a goal that does not come after them.
    Common practice in progress monitoring.
    """
    weeks, scores = _points(week, score)
    if weeks.size < BASELINE_POINTS:
        raise BadInput(f"an aim line needs a baseline of {BASELINE_POINTS} results, got {weeks.size}")
    start = float(np.median(weeks[:BASELINE_POINTS]))
    if goal_week <= weeks[BASELINE_POINTS - 1]:
        raise BadInput("goal_week must come after the baseline")
    return AimLine(start, float(np.median(scores[:BASELINE_POINTS])), float(goal_week), float(goal))


Act = Literal["change", "raise", "stay", "none"]


@dataclass(frozen=True, slots=True)
class NextStep:
    """What the rule says: change the help, raise the goal, stay; or no rule, with the reason.

    ``confirmed``: whether "change" or "raise" stands beyond chance and was the word at the result before
    too; None for the others. Unconfirmed: look again next week.
    """

    act: Act
    reason: str
    confirmed: bool | None = None


def _rule(weeks: FloatArray, scores: FloatArray, aim: AimLine) -> NextStep:
    """The word of the rule on the results so far, whatever came before."""
    days = np.unique(weeks)
    span = float(days[-1] - days[0]) if days.size else 0.0
    if days.size < FEWEST_FOR_RULE or span < FEWEST_WEEKS:
        needed = f"the rule needs results on {FEWEST_FOR_RULE} days over {FEWEST_WEEKS:g} weeks"
        return NextStep("none", f"{needed}; there are {days.size} over {span:.1f}")
    away = (scores - aim.at(weeks))[-IN_A_ROW:]
    if (away < 0).all():
        return NextStep("change", f"the last {IN_A_ROW} results lie below the aim line")
    if (away > 0).all():
        return NextStep("raise", f"the last {IN_A_ROW} results lie above the aim line")
    line = _least_squares(weeks, scores)
    if line.slope is None or line.error is None:
        return NextStep("none", line.reason or "there is no trend")
    if line.slope < aim.slope - line.error:
        return NextStep("change", "the trend is flatter than the aim line by more than its error")
    if line.slope > aim.slope + line.error:
        return NextStep("raise", "the trend is steeper than the aim line by more than its error")
    return NextStep("stay", "the trend follows the aim line within its error")


def _beyond_chance(weeks: FloatArray, scores: FloatArray, aim: AimLine, act: Act, sure: float, baseline: int) -> bool:
    """Whether the mean of the last four lies off the aim line by more than the scatter about the trend explains."""
    line = _least_squares(weeks, scores)
    if line.slope is None or line.intercept is None or weeks.size < baseline + IN_A_ROW:
        return False
    rest = scores - line.intercept - line.slope * weeks
    freedom = weeks.size - 2
    scatter = float(np.sqrt(rest @ rest / freedom))
    away = float((scores - aim.at(weeks))[-IN_A_ROW:].mean())
    limit = float(stdtrit(freedom, sure)) * scatter / float(np.sqrt(IN_A_ROW))
    return away < -limit if act == "change" else away > limit


def next_step(
    week: ArrayLike,
    score: ArrayLike,
    aim: AimLine,
    *,
    lower_is_better: bool = False,
    few_is_no_rule: bool = False,
    sure: float = SURE,
    baseline: int = BASELINE_POINTS,
) -> NextStep:
    """The four-point rule, then trend against aim line, and whether that is confirmed.

    Needs results on six days over three weeks; results after the goal's week do not count. The last four
    all below the aim line: change; all above: raise the goal. Otherwise the slope of the trend is compared
    with the aim line's: more than one standard error flatter: change; steeper: raise; else stay. A result
    on the aim line is neither below nor above. Confirmed: the same word at the result before, four results
    or more after the baseline, and the mean of the last four off the aim line by more than t(``sure``, n - 2)
    standard errors of that mean, from the scatter about the trend. ``lower_is_better`` turns scores and aim
    round; ``baseline``: how many of the results the aim line starts from; ``few_is_no_rule``: results of
    adaptive tests, which give a trend and no rule. ``week`` and
    ``score`` hold the results since the last decision. Raises BadInput for other shapes.
    Source: four-point rule, common practice in progress monitoring; t test of a mean.
    """
    weeks, scores = _points(week, score)
    if few_is_no_rule:
        return NextStep("none", "results of adaptive tests are too few for a rule")
    inside = weeks <= aim.goal_week
    weeks, scores = weeks[inside], scores[inside]
    if lower_is_better:
        scores, aim = -scores, AimLine(aim.start_week, -aim.start, aim.goal_week, -aim.goal)
    said = _rule(weeks, scores, aim)
    if said.act not in ("change", "raise"):
        return said
    before = _rule(weeks[:-1], scores[:-1], aim)
    confirmed = before.act == said.act and _beyond_chance(weeks, scores, aim, said.act, sure, baseline)
    return NextStep(said.act, said.reason, confirmed)
