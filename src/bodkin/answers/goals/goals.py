"""What it takes: for each student the score that keeps pace, the one that catches up, and how usual that is."""

import math
from datetime import date
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison, compare, quoted_order
from bodkin.answers.comparison.norms.norms_and_cuts import Grades, NormsAt, Notes, bands_at, target_grades
from bodkin.answers.comparison.pairing import of_window
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.growth.expected_growth import ExpectedGrowth
from bodkin.core.growth.goals import goal, one_in
from bodkin.core.scores.scales import score_at_percentile
from bodkin.core.windows import SEASONS, Window
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of

Kind = Literal["keep pace", "catch up", "own"]
NOMINAL = {"fall": 4.0, "winter": 19.0, "spring": 32.0}
"""Weeks of instruction at which a season's test is taken to lie where no calendar says."""
A_YEAR = 36.0
"""Weeks of instruction in a school year where no calendar says (common practice)."""


class Aim(BaseModel):
    """What to reach and what it takes: a whole score, points to gain, points a week, and how usual that is.

    ``usual`` is the share of students who start here and gain as much, ``words`` the same in
    words; ``below_pace``: it asks for less than keeping pace; ``there``: the start is there already.
    """

    score: float
    points: float
    a_week: float
    usual: float
    words: str
    below_pace: bool
    there: bool


class Offer(BaseModel):
    """One student's start and possible goals; what cannot be worked out is missing, with the reason."""

    student_id: str
    name: str
    grade: str | None
    start: float
    start_error: float | None
    start_window: str
    start_percentile: float | None
    start_band: str | None
    weeks: float | None
    keep_pace: Aim | None
    catch_up: Aim | None
    why_not: str | None
    goal: float | None = Field(default=None, description="the score of the goal that stands now")


class GoalOffers(BaseModel):
    """Goals for some students of a scope, for one window to come."""

    until: str
    latest: str
    bands: list[str]
    band: int | None
    percentile: float | None
    rows: list[Offer]
    without: list[str]
    notes: list[str]


def next_target(second: Window) -> Window:
    """The window goals are set for: the coming spring after a window of the calendar."""
    spring = len(SEASONS) - 1
    return Window(second.year, spring) if second.order < spring else Window(second.year + 1, spring)


def still_to_come(table: ScoreTable, scope: Scope, today: date | None) -> bool:
    """Whether the scope's later window has no result of anybody yet, and its last day is not past.

    Without a calendar the results alone tell.
    """
    if scope.single or of_window(table, scope, scope.second).height:
        return False
    days = scope.second.days or table.calendar.windows.get(str(scope.second))
    return days is None or today is None or days[1] >= today


def _weeks(rows: pl.DataFrame, first: Window, until: Window) -> tuple[FloatArray, bool]:
    """Weeks of instruction left for each student, and whether the calendar told them."""
    weeks = numbers_of(rows["to_week"] - rows["from_week"])
    usual = NOMINAL[until.season] - NOMINAL[first.season] + A_YEAR * (until.year - first.year)
    apart = until.year > first.year
    # Weeks count from the first day of each school year.
    weeks = weeks + A_YEAR * (until.year - first.year) if apart else weeks
    return np.where(np.isnan(weeks), usual, weeks), not bool(np.isnan(weeks).any()) and not apart


def _aims(start: FloatArray, target: FloatArray, weeks: FloatArray, expectation: ExpectedGrowth) -> list[Aim | None]:
    """Goals as whole scores that reach the target; none where the target is not known."""
    whole = np.ceil(target - 1e-9)
    found = goal(start, whole, weeks, expectation)
    return [
        None
        if math.isnan(score)
        else Aim(score=score, points=points, a_week=a_week, usual=usual, words=one_in(usual), below_pace=bool(below),
                 there=points <= 0)
        for score, points, a_week, usual, below in zip(
            found.score.tolist(), found.points.tolist(), found.a_week.tolist(), found.usual.tolist(),
            found.below_pace.tolist(), strict=True,
        )
    ]  # fmt: skip


def _lowest_of_band(table: ScoreTable, scope: Scope, comparison: Comparison, band: int) -> FloatArray:
    """Lowest score of a band at the target window, by each student's grade then."""
    rows = comparison.students
    grades = target_grades(scope, Grades.of(rows["from_grade"]), Grades.of(rows["to_grade"]))
    mean, sd = (numbers_of(rows[f"to_norm_{name}"]) for name in ("mean", "sd"))
    nothing = np.full(rows.height, np.nan)
    at = bands_at(
        table, scope, scope.second, grades, np.zeros(rows.height), NormsAt(mean, sd, nothing), nothing, Notes()
    )
    return at.lines[:, band - 2] if at.lines.shape[1] >= band - 1 else nothing


def _numbers(rows: pl.DataFrame, name: str) -> FloatArray:
    return numbers_of(rows[name])


def _offered(
    table: ScoreTable, scope: Scope, comparison: Comparison, names: Names, band: int | None, percentile: float | None
) -> list[Offer]:
    rows = comparison.students
    start, weeks = _numbers(rows, "from_score"), _weeks(rows, scope.first, scope.second)[0]
    expectation = comparison.expectation
    if percentile is not None:
        target = score_at_percentile(
            np.full(rows.height, percentile), _numbers(rows, "to_norm_mean"), _numbers(rows, "to_norm_sd")
        )
    elif band is not None:
        target = _lowest_of_band(table, scope, comparison, band)
    else:
        target = np.full(rows.height, np.nan)
    keep, catch = _aims(start, expectation.score, weeks, expectation), _aims(start, target, weeks, expectation)
    return [
        Offer(
            student_id=row["student_id"], name=display_name(names, row["student_id"]), grade=row["from_grade"],
            start=row["from_score"], start_error=row["from_standard_error"], start_window=scope.first.label,
            start_percentile=row["from_percentile"], start_band=row["from_band"], weeks=left, keep_pace=one,
            catch_up=other, why_not=None if one and other else "no norm or cut to work a goal out from",
        )
        for row, left, one, other in zip(rows.iter_rows(named=True), weeks.tolist(), keep, catch, strict=True)
        if row["from_score"] is not None
    ]  # fmt: skip


def goal_offers(
    table: ScoreTable, scope: Scope, students: frozenset[str], names: Names, *, until: Window | None = None,
    band: int | None = None, percentile: float | None = None, today: date | None = None,
) -> GoalOffers:  # fmt: skip
    """What it takes for some students of a scope, from the latest result of its windows to a window to come.

    Where the scope's later window is still to come by ``today``, goals are set for that window; else for
    the spring after it, or for ``until``.

    ``band`` (its order) or ``percentile`` (1..99) says what catching up means; without either it
    is the band whose share people quote. Raises BadInput for a target that is not after the start.
    """
    coming = still_to_come(table, scope, today)
    target = until or (scope.second if coming else next_target(scope.second))
    latest = scope.first if coming else scope.second
    if target <= latest:
        raise BadInput(f"until: {target.label} does not come after {latest.label}")
    left, rows, notes, bands = set(students), [], [], []
    plain = {"by": None, "by2": None, "matched": False, "between": (), "follow": "students", "cuts": scope.cuts}
    for start in dict.fromkeys((latest, scope.first)):
        if not left:
            break
        ahead = Scope.model_validate(
            {**scope.model_dump(), **plain, "students": frozenset(left), "all_but": False, "group": (),
             "from_window": str(start), "to_window": str(target), "grade": (), "school": (), "section": (),
             "teacher": (), "program": (), "field": (),
             # The district has no mean yet for a window to come.
             "against": "local" if scope.against == "local" else "norms"}
        )  # fmt: skip
        comparison = compare(table, ahead)
        bands = comparison.bands
        wanted = band if band is not None or percentile is not None or len(bands) < 2 else quoted_order(len(bands))
        found = _offered(table, ahead, comparison, names, wanted, percentile)
        rows += found
        left -= {one.student_id for one in found}
        notes += [note for note in comparison.notes if note not in notes]
    used = band if band is not None or percentile is not None or len(bands) < 2 else quoted_order(len(bands))
    return GoalOffers(
        until=str(target), latest=latest.label, bands=bands, band=used, percentile=percentile, notes=notes,
        rows=sorted(rows, key=lambda one: (one.start, one.student_id)),
        without=sorted(display_name(names, student) for student in left),
    )  # fmt: skip


def own_aims(offers: GoalOffers, points: float) -> list[tuple[str, float]]:
    """The score of a goal of one's own, so many points above each start."""
    if not points > 0:
        raise BadInput("points: a goal must gain more than 0 points")
    return [(one.student_id, one.start + points) for one in offers.rows]


def chosen_scores(offers: GoalOffers, kind: Kind, points: float | None) -> list[tuple[str, float]]:
    """Each student's score to reach for a kind of goal; students without one are left out."""
    if kind == "own":
        if points is None:
            raise BadInput("points: say how many points to gain")
        return own_aims(offers, points)
    aims = [(one.student_id, one.keep_pace if kind == "keep pace" else one.catch_up) for one in offers.rows]
    return [(student, aim.score) for student, aim in aims if aim is not None and not aim.there]
