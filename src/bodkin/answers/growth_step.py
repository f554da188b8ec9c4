"""Growth: did they grow as much as could be expected?"""

import numpy as np
import polars as pl

from bodkin.answers.compare_step import FEW, quoted_order
from bodkin.answers.comparison import Comparison
from bodkin.answers.steps import Names, StepAnswer, StudentRow, common_parts, plural, student_rows
from bodkin.answers.summary import GrowthPart, Summary


class GrowthAnswer(StepAnswer):
    """Growth against expectation, student by student.

    ``belt`` is the usual error of a gain in spreads of growth: within it a distance from
    expected is no more than test error. ``kept_pace_low`` met it and are still in the lower bands.
    """

    from_label: str
    to_label: str
    growth: GrowthPart
    clearly_above: int
    clearly_below: int
    weeks: float | None
    belt: float | None
    still_to_come: bool
    kept_pace_low: int
    aside: str
    bands: list[str]
    rows: list[StudentRow]


def _belt(students: pl.DataFrame) -> float | None:
    error = (pl.col("from_standard_error") ** 2 + pl.col("to_standard_error") ** 2).sqrt()
    belt = students.select((error / pl.col("expected_spread")).median()).item()
    return None if belt is None or not np.isfinite(belt) else float(belt)


def _weeks(students: pl.DataFrame) -> float | None:
    weeks = students.filter("matched").select((pl.col("to_week") - pl.col("from_week")).mean()).item()
    return None if weeks is None else float(weeks)


def _headline(growth: GrowthPart, still_to_come: bool, covered: int) -> str:
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
    short = students.filter(pl.col("met").not_() & pl.col("from_percentile").is_not_null())
    if short.height < 6:
        return ""
    upper = short.select((pl.col("from_percentile") > 50).mean()).item()
    if upper >= 0.6:
        return " Most of the shortfall is among students who started in the upper half."
    if upper <= 0.4:
        return " Most of the shortfall is among students who started in the lower half."
    return ""


def _lead(comparison: Comparison, growth: GrowthPart, weeks: float | None, still_to_come: bool) -> str:
    if still_to_come:
        first = comparison.students["from_score"].count()
        season = comparison.scope.second.season
        return (
            f"{plural(first, 'student')} with a start score; nobody has a {season} result yet. "
            "The ticks show the score each start leads one to expect."
        )
    if not growth.n:
        return "Nobody has both results and a norm to judge them by; the notes below say what is missing."
    span = f" over {weeks:.1f} weeks of instruction" if weeks is not None else ""
    return f"{growth.met_n} of {growth.n} met their expected growth{span}.{_where(comparison.students)}"


def growth_answer(comparison: Comparison, summary: Summary, names: Names, version: int) -> GrowthAnswer:
    """The Growth step for a comparison; rows begin with the furthest below expected."""
    students = comparison.students
    still_to_come = not summary.counts.to and bool(summary.counts.from_)
    shown = students if still_to_come else students.filter("matched")
    weeks = _weeks(students)
    low = students.filter(pl.col("met") & (pl.col("to_order") < quoted_order(len(comparison.bands))))
    parts = common_parts(comparison, summary, version)
    # Growth is over students with both results, whatever the shares of Compare stand on.
    parts["covered"], parts["left_out"] = shown.height, summary.counts.left_out
    aside = ""
    if low.height and len(comparison.bands) > 1:
        below = " or ".join(comparison.bands[: quoted_order(len(comparison.bands)) - 1])
        aside = (
            f"Keeping pace only keeps the place: {plural(low.height, 'student')} who met expected growth "
            f"{'is' if low.height == 1 else 'are'} still in {below}."
        )
    return GrowthAnswer.model_construct(
        **parts,
        headline=_headline(summary.growth, still_to_come, shown.height),
        lead=_lead(comparison, summary.growth, weeks, still_to_come),
        from_label=str(comparison.scope.first),
        to_label=str(comparison.scope.second),
        growth=summary.growth,
        clearly_above=int((students["verdict"] == "clearly_above").sum()),
        clearly_below=int((students["verdict"] == "clearly_below").sum()),
        weeks=weeks,
        belt=_belt(shown),
        still_to_come=still_to_come,
        kept_pace_low=low.height,
        aside=aside,
        bands=comparison.bands,
        rows=student_rows(shown.sort(["gain_z", "student_id"], nulls_last=True), names),
    )
