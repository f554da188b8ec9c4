"""What every answer of a step carries, and the rows of students that answers share."""

from collections.abc import Iterable
from datetime import date
from typing import Any, cast

import polars as pl
from pydantic import BaseModel, Field
from typing_extensions import TypedDict

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.explanations import row_explained
from bodkin.answers.comparison.summary_parts import Counts, LeftOut
from bodkin.answers.scope.sentence import Piece, caption
from bodkin.core.arrays import FloatArray
from bodkin.core.scores.scales import percentile_rank
from bodkin.store.reads.table.score_table import numbers_of

FEW = 10
"""With fewer students a headline counts instead of judging, and no chance is told (common practice)."""

Names = dict[str, tuple[str, str]]
"""Family and given name by district identifier."""


class StepAnswer(BaseModel):
    """An answer with its caption, whom it covers, whom it leaves out and why."""

    caption: str
    pieces: list[Piece]
    covered: int = Field(description="students the figures stand on")
    left_out: list[LeftOut]
    data_version: int
    headline: str
    lead: str
    notes: list[str]


class StudentRow(TypedDict):
    """One student's round: both results, what was expected, and what came of it.

    Scores in scale points, percentiles 1..99 with those of a standard error either way (of the projected
    range for the expectation), ``distance`` in spreads of growth; the norm's
    mean, spread and week are what the expectation was worked out from.
    """

    student_id: str
    name: str
    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]
    from_score: float | None
    to_score: float | None
    from_error: float | None
    to_error: float | None
    from_tested_on: date | None
    to_tested_on: date | None
    from_percentile: float | None
    from_percentile_low: float | None
    from_percentile_high: float | None
    to_percentile: float | None
    from_order: int | None
    to_order: int | None
    gain: float | None
    expected_score: float | None
    expected_low: float | None
    expected_high: float | None
    expected_percentile: float | None
    expected_percentile_low: float | None
    expected_percentile_high: float | None
    expected_gain: float | None
    expected_spread: float | None
    distance: float | None
    growth_percentile: float | None
    met: bool | None
    verdict: str | None
    near_cut: bool | None
    just_below: bool | None
    left_out: str | None
    from_norm_mean: float | None
    from_norm_sd: float | None
    from_week: float | None
    to_norm_mean: float | None
    to_norm_sd: float | None
    to_week: float | None
    district_mean: float | None
    goal: float | None
    goal_kind: str | None
    explained: str


_RENAMED = {"from_standard_error": "from_error", "to_standard_error": "to_error", "gain_z": "distance"}
_DROPPED = {"name", "explained"}


def display_name(names: Names, student: str) -> str:
    """Given and family name; the identifier where no name is known."""
    family, given = names.get(student, ("", ""))
    return f"{given} {family}".strip() or student


def display_names(names: Names, students: Iterable[str]) -> list[str]:
    """The same of many."""
    unknown = ("", "")
    return [f"{given} {family}".strip() or one for one in students for family, given in (names.get(one, unknown),)]


def _with_percentile_ranges(frame: pl.DataFrame) -> pl.DataFrame:
    """Students with the percentiles at both ends of the first score's and of the projection's range."""
    if "from_norm_mean" not in frame.columns:
        return frame

    def numbers(name: str) -> FloatArray:
        return numbers_of(frame[name])

    ends = {
        **{f"from_percentile_{side}": (numbers("from_score") + way * numbers("from_standard_error"), "from")
           for side, way in (("low", -1), ("high", 1))},
        **{f"expected_percentile_{side}": (numbers(f"expected_{side}"), "to") for side in ("low", "high")},
    }  # fmt: skip
    ranks = {
        name: percentile_rank(scores, numbers(f"{side}_norm_mean"), numbers(f"{side}_norm_sd"))
        for name, (scores, side) in ends.items()
    }
    return frame.with_columns(pl.Series(name, values, nan_to_null=True) for name, values in ranks.items())


def student_rows(frame: pl.DataFrame, names: Names, against: str = "norms") -> list[StudentRow]:
    """Rows of a comparison (or of students outside the windows) with their names, explained in words."""
    known = _with_percentile_ranges(frame).rename({old: new for old, new in _RENAMED.items() if old in frame.columns})
    fields = [name for name in StudentRow.__annotations__ if name not in _DROPPED]
    shown = known.select(
        [pl.col(name) if name in known.columns else pl.lit(None).alias(name) for name in fields]
    ).with_columns(
        pl.col("programs").fill_null([]), pl.col("from_order").cast(pl.Int64), pl.col("to_order").cast(pl.Int64)
    )
    rows: list[StudentRow] = []
    for row in shown.iter_rows(named=True):
        row["name"] = display_name(names, row["student_id"])
        row["explained"] = row_explained(row, against)
        # The frame's schema is ours and is checked where it is made; thousands of rows are not
        # checked a second time, value by value.
        rows.append(cast(StudentRow, row))
    return rows


def is_to_come(counts: Counts) -> bool:
    """Whether nobody has a second result yet."""
    return not counts.to and bool(counts.from_)


def covered(comparison: Comparison) -> int:
    """Students that the shares stand on: matched ones, or all with a result in either window."""
    students = comparison.students
    return int(students["matched"].sum()) if comparison.scope.paired or comparison.scope.single else students.height


def common_parts(comparison: Comparison, counts: Counts, notes: list[str], version: int) -> dict[str, Any]:
    """The parts that every step's answer has."""
    left_out = counts.left_out
    n = covered(comparison)
    if is_to_come(counts) and not comparison.scope.single:
        # Before the second window everybody with a start is looked at, and nobody is left out of it.
        n, left_out = counts.from_ or 0, []
    elif not comparison.scope.paired:
        # Over each window's own students only those without any result inside are left out.
        outside = comparison.outside.height
        left_out = [LeftOut(reason="outside the windows", n=outside)] if outside else []
    return {
        "caption": caption(comparison.pieces),
        "pieces": comparison.pieces,
        "covered": n,
        "left_out": left_out,
        "data_version": version,
        "notes": notes,
    }
