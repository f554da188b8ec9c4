"""Growth: did they grow as much as could be expected?"""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.explanations import growth_explained
from bodkin.answers.comparison.step_answer import (
    FEW,
    Names,
    StepAnswer,
    StudentRow,
    common_parts,
    display_names,
    is_to_come,
    student_rows,
)
from bodkin.answers.comparison.summary_parts import GrowthPart, Summary
from bodkin.answers.growth.outlook import outlook_answer
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import plural, points
from bodkin.core.growth.expected_growth import BY_CHANCE, CLEARLY
from bodkin.core.growth.goals import growth_target
from bodkin.core.scores.shares import wilson_interval

Sort = Literal["name", "percentile", "from", "to", "gain", "distance", "verdict", "goal"]
EVEN_POINTS = 1.0
"""Mean changes of less than a scale point are called even in a headline."""
PAGE = 100
"""Rows that come with the answer; further ones are asked for as they are scrolled to."""


class FieldDots(BaseModel):
    """Students as dots, in the order of distance from expected: district identifier, start
    percentile, distance (to three decimals, for drawing), band order at the second window."""

    ids: list[str]
    percentile: list[float]
    distance: list[float]
    order: list[int | None]


class GrowthRows(BaseModel):
    """A page of the students' rows; ``n`` is how many there are in all, ``with_goal`` of them with a goal."""

    n: int
    with_goal: int
    start: int
    rows: list[StudentRow]


class GrowthTargetSeen(BaseModel):
    """A target share (0..1) and whether these students reached it."""

    share: float
    reached: bool | None


class GrowthAnswer(StepAnswer):
    """Growth against expectation, student by student.

    ``judged_n``: students with a verdict; chance alone calls ``by_chance`` of them clearly above, and
    as many clearly below. ``belt``: how far from expected, in spreads of growth, the verdict usually
    needs: within it a distance could be test error. ``kept_pace_low`` met it and are still in the lower bands.
    ``lanes_from``, ``lanes_to``: the scale points that all lanes span. ``rows`` are the first of ``n``.
    """

    from_label: str
    to_label: str
    growth: GrowthPart
    clearly_above: int
    clearly_below: int
    judged_n: int
    by_chance: float
    weeks: float | None
    belt: float | None
    still_to_come: bool
    kept_pace_low: int
    aside: str
    bands: list[str]
    lanes_from: float
    lanes_to: float
    n: int
    with_goal: int
    dots: FieldDots
    met_low: float | None
    met_high: float | None
    target: GrowthTargetSeen | None
    summer: bool
    against: str
    explained: dict[str, str]
    rows: list[StudentRow]


def _belt(students: pl.DataFrame) -> float | None:
    belt = students.select((CLEARLY * pl.col("error_away") / pl.col("expected_spread")).median()).item()
    return None if belt is None or not np.isfinite(belt) else float(belt)


def _weeks(students: pl.DataFrame, still_to_come: bool) -> float | None:
    """Weeks of instruction between the tests, or to the middle of the window to come, on average."""
    whom = pl.col("from_score").is_not_null() if still_to_come else pl.col("matched")
    apart = (pl.col("to_week") - pl.col("from_week")).filter(whom)
    weeks = students.select(apart.mean()).item()
    return None if weeks is None else float(weeks)


def summer_words(change: float, expected: float) -> str:
    """What the summer did to the mean, and whether that was to be expected; a point either way is even."""
    way = "fell" if change <= -EVEN_POINTS else "rose" if change >= EVEN_POINTS else "stayed where they were"
    apart = change - expected
    against_expected = "about as expected" if abs(apart) < EVEN_POINTS else "more than expected"
    if abs(apart) >= EVEN_POINTS and (apart > 0) != (change > 0):
        against_expected = "less than expected"
    return f"Scores {way} over the summer, {against_expected}" if way[0] != "s" else f"Scores {way} over the summer"


def _headline(scope: Scope, growth: GrowthPart, still_to_come: bool, covered: int) -> str:
    if scope.single:
        return "Growth needs two windows"
    if scope.follow == "grade":
        return "Growth follows students, not grades"
    if over_summer(scope) and growth.n:
        return summer_words(growth.mean_gain or 0.0, growth.mean_expected or 0.0)
    if still_to_come and covered:
        return "What to expect of the next window"
    if not growth.n:
        return "Growth cannot be judged here"
    if growth.n < FEW:
        return f"{growth.met_n} of {plural(growth.n, 'student')} grew as much as expected"
    share = growth.met_share or 0.0
    if share < 0.45:
        return "Fewer than half grew as much as expected"
    if share <= 0.55:
        return "About half grew as much as expected"
    return "More than half grew as much as expected"


def _where(students: pl.DataFrame) -> str:
    """Where the shortfall lies, if it lies mostly with higher or lower starters."""
    short = students.select("met", "from_percentile").filter(~pl.col("met") & pl.col("from_percentile").is_not_null())
    if short.height < 6:
        return ""
    upper = short.select((pl.col("from_percentile") > 50).mean()).item()
    if upper >= 0.6:
        return " Most of the shortfall is among students who started in the upper half."
    if upper <= 0.4:
        return " Most of the shortfall is among students who started in the lower half."
    return ""


def over_summer(scope: Scope) -> bool:
    """Whether the windows are a spring and the fall after it."""
    first, second = scope.first, scope.second
    return second.year == first.year + 1 and (first.season, second.season) == ("spring", "fall")


def _lead(comparison: Comparison, growth: GrowthPart, weeks: float | None, still_to_come: bool) -> str:
    scope = comparison.scope
    if scope.single or scope.follow == "grade":
        return "Choose an earlier window beside this one, and the same students at both, in the sentence above."
    if still_to_come:
        first = comparison.students["from_score"].count()
        season = scope.second.word
        ahead = f"; about {weeks:.0f} weeks of instruction lie ahead" if weeks is not None else ""
        return (
            f"{plural(first, 'student')} with a start score; nobody has a {season} result yet{ahead}. "
            "The ticks show the projected score of each start."
        )
    if not growth.n:
        return "Nobody has both results and a norm to judge them by; the notes below say what is missing."
    span = f" over {weeks:.1f} weeks of instruction" if weeks is not None else ""
    if over_summer(scope):
        change, expected = growth.mean_gain or 0.0, growth.mean_expected or 0.0
        return (
            f"From spring to fall the mean score of {plural(growth.n, 'student')} changed by {points(change)}; "
            f"{points(expected)} was expected. {growth.met_n:,} of {growth.n:,} kept their expected score or better."
            f"{_where(comparison.students)}"
        )
    return f"{growth.met_n:,} of {growth.n:,} met their expected growth{span}.{_where(comparison.students)}"


_NEEDED = (
    "student_id", "from_score", "to_score", "from_standard_error", "to_standard_error", "expected_high",
    "expected_spread", "error_away", "from_percentile", "gain_z", "to_order",
)  # fmt: skip


def growth_students(comparison: Comparison, still_to_come: bool) -> pl.DataFrame:
    """What the figures need of the students of the step: with both results, or a start where the second is to come."""
    students = comparison.students.select("matched", *_NEEDED)
    return students if still_to_come else students.filter("matched")


def _domain(students: pl.DataFrame) -> tuple[float, float]:
    """The score scale that all lanes share: from the lowest to the highest, whiskers included."""
    first_error = pl.when(pl.col("to_score").is_null()).then(pl.col("from_standard_error")).otherwise(0.0)
    errors = {"from": first_error.fill_null(0.0), "to": pl.col("to_standard_error").fill_null(0.0)}
    ends = [pl.col(f"{side}_score") + sign * error for side, error in errors.items() for sign in (-1, 1)]
    scores = students.select(
        pl.min_horizontal(*ends).min().alias("low"),
        pl.max_horizontal(*ends, pl.col("expected_high")).max().alias("high"),
    ).row(0)
    if scores[0] is None or scores[1] is None:
        return 0.0, 1.0
    room = max((scores[1] - scores[0]) * 0.02, 1.0)
    return scores[0] - room, scores[1] + room


def _dots(students: pl.DataFrame) -> FieldDots:
    drawn = students.select("student_id", "from_percentile", "gain_z", "to_order").drop_nulls(
        ["gain_z", "from_percentile"]
    )
    drawn = drawn.sort("gain_z", maintain_order=True)
    return FieldDots.model_construct(
        ids=drawn["student_id"].to_list(),
        percentile=drawn["from_percentile"].to_list(),
        distance=drawn["gain_z"].round(3).to_list(),
        order=drawn["to_order"].cast(pl.Int64).to_list(),
    )


_COLUMN = {
    "percentile": "from_percentile", "from": "from_score", "distance": "gain_z", "verdict": "verdict", "goal": "goal",
}  # fmt: skip


_SORTED = (
    "from_percentile", "from_score", "gain_z", "verdict", "to_score", "expected_score", "gain", "expected_gain",
)  # fmt: skip
"""What rows are put in order by, beside names and goals."""


def _order(students: pl.DataFrame, sort: Sort, down: bool, names: Names) -> pl.Series:
    """Where the students stand in an order; those without a value come last, ties by identifier.

    ``students`` come in the order of identifiers, which a steady sort keeps among equals.
    """
    if sort == "name":
        sort_names = [name.lower() for name in display_names(names, students["student_id"])]
        values = pl.DataFrame({"by": pl.Series(sort_names, dtype=pl.String)})
    elif sort in ("to", "gain"):
        seen, expected = {"to": ("to_score", "expected_score"), "gain": ("gain", "expected_gain")}[sort]
        values = students.select(by=pl.coalesce(seen, expected))
    else:
        values = students.select(by=_COLUMN[sort])
    told_order = values.with_row_index("place").sort("by", descending=down, nulls_last=True, maintain_order=True)
    return told_order["place"]


def growth_rows(
    comparison: Comparison, summary: Summary, names: Names, *, sort: Sort = "distance", down: bool = False,
    start: int = 0, count: int = PAGE, goals: Mapping[str, tuple[float, str]] = MappingProxyType({}),
    district: Mapping[str, float] = MappingProxyType({}),
) -> GrowthRows:  # fmt: skip
    """A page of the students' rows, the furthest below expected first unless sorted otherwise.

    ``goals``: score and kind of each student's goal; ``district``: mean score at the second
    window of the district's students by grade.
    """
    shown = pl.lit(value=True) if is_to_come(summary.counts) else pl.col("matched")
    # Only what an order goes by is looked at for everybody, the whole row for those of the page.
    students = comparison.students.select("student_id", "matched", *_SORTED).with_row_index("row").filter(shown)
    held = pl.DataFrame(
        [(student, *goal) for student, goal in goals.items()],
        schema={"student_id": pl.String, "goal": pl.Float64, "goal_kind": pl.String}, orient="row",
    )  # fmt: skip
    if sort == "goal":
        students = students.join(held, on="student_id", how="left", maintain_order="left")
    chosen = students["row"].gather(_order(students, sort, down, names).slice(start, count))
    page = comparison.students[chosen].join(held, on="student_id", how="left", maintain_order="left")
    grade = pl.coalesce("to_grade", "from_grade")
    mean = grade.replace_strict(dict(district), default=None, return_dtype=pl.Float64) if district else pl.lit(None)
    rows = student_rows(page.with_columns(district_mean=mean), names, comparison.scope.against)
    held_n = int(students["student_id"].is_in(held["student_id"].implode()).sum()) if goals else 0
    return GrowthRows.model_construct(n=students.height, with_goal=held_n, start=start, rows=rows)


def _met_range(growth: GrowthPart) -> tuple[float | None, float | None]:
    if not growth.n or growth.met_n is None:
        return None, None
    low, high = wilson_interval([growth.met_n], [growth.n])
    return float(low[0]), float(high[0])


def _target(comparison: Comparison, share: float | None) -> GrowthTargetSeen | None:
    if share is None:
        return None
    return GrowthTargetSeen(share=share, reached=growth_target(comparison.seen.met, share).reached)


def growth_answer(
    comparison: Comparison, summary: Summary, first: GrowthRows, version: int, target: float | None = None
) -> GrowthAnswer:
    """The Growth step for a comparison; ``first`` are the first rows of :func:`growth_rows`."""
    students = comparison.students
    still_to_come = is_to_come(summary.counts)
    shown = growth_students(comparison, still_to_come)
    weeks = _weeks(students, still_to_come)
    low = int((students["met"] & (students["to_order"] < quoted_order(len(comparison.bands)))).sum())
    parts = common_parts(comparison, summary.counts, summary.notes, version)
    # Growth is over students with both results, whatever the shares of Compare stand on.
    parts["covered"], parts["left_out"] = shown.height, summary.counts.left_out
    aside = ""
    if low and len(comparison.bands) > 1:
        below = " or ".join(comparison.bands[: quoted_order(len(comparison.bands)) - 1])
        aside = (
            f"Meeting expected growth keeps the same standing: {plural(low, 'student')} who met expected growth "
            f"{'is' if low == 1 else 'are'} still in {below}."
        )
    least, most = _met_range(summary.growth)
    lanes = _domain(shown)
    ahead = outlook_answer(comparison, summary, None)
    return GrowthAnswer.model_construct(
        **parts,
        headline=ahead.headline or _headline(comparison.scope, summary.growth, still_to_come, shown.height),
        lead=f"{ahead.lead} {_lead(comparison, summary.growth, weeks, still_to_come)}".strip(),
        from_label=comparison.scope.first.label,
        to_label=comparison.scope.second.label,
        growth=summary.growth,
        clearly_above=int((students["verdict"] == "clearly_above").sum()),
        clearly_below=int((students["verdict"] == "clearly_below").sum()),
        judged_n=students["verdict"].count(),
        by_chance=BY_CHANCE * students["verdict"].count(),
        weeks=weeks,
        belt=_belt(shown),
        still_to_come=still_to_come,
        kept_pace_low=low,
        aside=aside,
        bands=comparison.bands,
        lanes_from=lanes[0],
        lanes_to=lanes[1],
        n=first.n,
        with_goal=first.with_goal,
        met_low=least,
        met_high=most,
        target=_target(comparison, target),
        summer=over_summer(comparison.scope),
        against=comparison.scope.against,
        explained=growth_explained(comparison, summary, least, most),
        dots=_dots(shown),
        rows=first.rows,
    )
