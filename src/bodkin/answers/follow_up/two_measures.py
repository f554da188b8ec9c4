"""Two measures at once, such as rate and understanding: where students stand by both, and who moved since before."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, get_args

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.step_answer import Names, display_names
from bodkin.answers.scope.sentence import caption
from bodkin.answers.words import plural
from bodkin.core.arrays import FloatArray
from bodkin.core.follow_up.two_dimensions import (
    BOTH,
    FIRST_ONLY,
    NEITHER,
    SECOND_ONLY,
    standing_move,
    two_dimensions,
)
from bodkin.store.reads.table.score_table import numbers_of

MIDDLE = 50.0
"""The percentile that counts as reached where a measure has no bands (common practice: the norm's middle)."""

Standing = Literal["neither", "second only", "first only", "both"]
STANDINGS: tuple[Standing, ...] = get_args(Standing)
"""Names of the standings in the order of their codes, 0 to 3."""
ORDER = (BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER)


class TwoStudent(BaseModel):
    """A student's place on both measures now and, where known, before; percentiles 1..99."""

    student_id: str
    name: str
    first: float | None
    second: float | None
    standing: Standing
    before: Standing | None
    moved: str | None = Field(description="gained, lost or crossed; empty where nothing changed or before is not known")


class TwoLines(BaseModel):
    """The lines of students, each drawn once for however many: percentiles 1..99 on both measures, and the move.

    Lists of one length, an entry a line: tens of thousands are a quarter of the weight that way.
    """

    first: list[float]
    second: list[float]
    moved: list[str | None]


class StandingGroup(BaseModel):
    """The students of one standing; ``came``: how many were in each other one before."""

    standing: Standing
    words: str
    n: int
    came: dict[Standing, int]
    lines: TwoLines


class TwoAnswer(BaseModel):
    """Students by two measures, and the move between the two windows."""

    caption: str
    first_measure: str
    second_measure: str
    first_reached: str
    second_reached: str
    headline: str
    lead: str
    covered: int
    left_out: int = Field(description="students without a result in one of the two measures")
    gained: int
    lost: int
    crossed: int
    same: int
    standings: list[StandingGroup]


def _reached(comparison: Comparison, side: str) -> pl.Expr:
    """1 where the benchmark is reached, 0 where not, null where that is not known."""
    bands = len(comparison.bands)
    if bands:
        return (pl.col(f"{side}_order") >= quoted_order(bands)).cast(pl.Float64)
    return (pl.col(f"{side}_percentile") >= MIDDLE).cast(pl.Float64)


def reached_words(comparison: Comparison) -> str:
    """What counts as reached in a measure."""
    bands = comparison.bands
    return f"{bands[quoted_order(len(bands)) - 1]} or above" if bands else "the norm's middle or above"


def _side(comparison: Comparison, name: str) -> pl.DataFrame:
    return comparison.students.select(
        "student_id", _reached(comparison, "from").alias(f"{name}_before"),
        _reached(comparison, "to").alias(f"{name}_now"), pl.col("to_percentile").alias(name),
    )  # fmt: skip


def _standing(frame: pl.DataFrame, when: str) -> FloatArray:
    def column(name: str) -> FloatArray:
        return numbers_of(frame[f"{name}_{when}"])

    return two_dimensions(column("first"), 0.5, column("second"), 0.5)


@dataclass(frozen=True, slots=True)
class TwoFound:
    """Two measures as they were found: what is told of all, and a row for each student.

    ``rows``: the columns of TwoStudent without the name, and ``place``, by standing and who moved first.
    """

    whole: TwoAnswer
    rows: pl.DataFrame
    names: Names = field(repr=False)

    def named(self, standing: Standing | None = None, before: Standing | None = None) -> list[TwoStudent]:
        """The students of a standing, or those of it who had another one before; who moved first, then by name."""
        rows = self.rows
        for name, wanted in (("standing", standing), ("before", before)):
            if wanted is not None:
                rows = rows.filter(pl.col(name) == wanted)
        # Tens of thousands are put in order by name only where they are shown.
        known = pl.Series("name", display_names(self.names, rows["student_id"].to_list()), dtype=pl.String)
        rows = rows.with_columns(known).sort("place", pl.col("moved").is_null(), "name", "student_id")
        return [TwoStudent(**row) for row in rows.select(list(TwoStudent.model_fields)).to_dicts()]


def _moved(before: pl.Expr, now: pl.Expr) -> pl.Expr:
    """gained, lost or crossed from one code of a standing to another, null where nothing changed or one is unknown."""
    reached, given_up = now & ~before, before & ~now
    return (
        pl.when((reached > 0) & (given_up > 0)).then(pl.lit("crossed"))
        .when(reached > 0).then(pl.lit("gained")).when(given_up > 0).then(pl.lit("lost"))
    )  # fmt: skip


def _codes(standings: FloatArray) -> pl.Series:
    """Codes of standings, null where none is known."""
    return pl.Series(standings, nan_to_null=True).cast(pl.Int64)


def _rows(students: pl.DataFrame, before: FloatArray, now: FloatArray) -> pl.DataFrame:
    """A row for each student, by standing, those who moved first."""
    words = dict(enumerate(STANDINGS))
    frame = students.select("student_id", "first", "second").with_columns(
        _codes(now).alias("now"), _codes(before).alias("then"),
    ).with_columns(
        pl.col("now").replace_strict(words, return_dtype=pl.String).alias("standing"),
        pl.col("then").replace_strict(words, return_dtype=pl.String).alias("before"),
        _moved(pl.col("then"), pl.col("now")).alias("moved"),
        pl.col("now").replace_strict({int(code): at for at, code in enumerate(ORDER)}).alias("place"),
    )  # fmt: skip
    columns = [name for name in TwoStudent.model_fields if name != "name"]
    return frame.sort("place", pl.col("moved").is_null(), maintain_order=True).select(*columns, "place")


def _group(rows: pl.DataFrame, standing: Standing, words: str) -> StandingGroup:
    own = rows.filter(pl.col("standing") == standing)
    changed = own.filter(pl.col("before").is_not_null() & (pl.col("before") != standing))
    came = changed.group_by("before").len().sort("len", "before", descending=[True, False])
    lines = own.select(list(TwoLines.model_fields)).drop_nulls(["first", "second"]).unique(maintain_order=True)
    return StandingGroup(
        standing=standing, words=words, n=own.height, came=dict(came.iter_rows()),
        lines=TwoLines(**lines.to_dict(as_series=False)),
    )  # fmt: skip


def two_measures(first: Comparison, second: Comparison, titles: tuple[str, str], names: Names) -> TwoFound:
    """Students by two measures at the later window, and the move since the earlier one.

    Both comparisons are over the same students; the benchmark of each measure is that of the grade and season, as
    in Compare, or the norm's middle where it has no bands.
    """
    both = _side(first, "first").join(
        _side(second, "second"), on="student_id", how="full", coalesce=True, maintain_order="left_right"
    )
    now, before = _standing(both, "now"), _standing(both, "before")
    known = ~np.isnan(now)
    move = standing_move(before[known], now[known])
    rows = _rows(both.filter(pl.Series(known)), before[known], now[known])
    words = {
        BOTH: "reached in both", FIRST_ONLY: f"in {titles[0]} only", SECOND_ONLY: f"in {titles[1]} only",
        NEITHER: "in neither",
    }  # fmt: skip
    groups = [_group(rows, STANDINGS[int(code)], words[code]) for code in ORDER]
    covered = int(known.sum())
    whole = TwoAnswer(
        caption=caption(first.pieces), first_measure=titles[0], second_measure=titles[1],
        first_reached=reached_words(first), second_reached=reached_words(second),
        headline=_headline(groups, covered, titles), lead=_lead(move.gained, move.lost, move.crossed, covered),
        covered=covered, left_out=both.height - covered, gained=move.gained, lost=move.lost, crossed=move.crossed,
        same=move.same, standings=groups,
    )  # fmt: skip
    return TwoFound(whole, rows, names)


def _headline(groups: Sequence[StandingGroup], covered: int, titles: tuple[str, str]) -> str:
    if not covered:
        return "Nobody has results in both measures"
    n = {group.standing: group.n for group in groups}
    ahead, behind = (0, 1) if n["first only"] >= n["second only"] else (1, 0)
    only = max(n["first only"], n["second only"])
    if not only:
        return f"{n['both']:,} of {plural(covered, 'student')} reached the benchmark in both measures"
    verb = "has" if only == 1 else "have"
    return f"{plural(only, 'student')} {verb} reached {titles[ahead]} and not {titles[behind]}"


def _lead(gained: int, lost: int, crossed: int, covered: int) -> str:
    if not covered:
        return "Choose other measures, other windows or other students."
    if not gained + lost + crossed:
        return "Nobody's standing changed since the earlier window, as far as both are known."
    parts = [f"{gained:,} gained a measure", f"{lost:,} lost one"]
    if crossed:
        parts.append(f"{crossed:,} gained one and lost the other")
    return f"Since the earlier window {', '.join(parts)}."
