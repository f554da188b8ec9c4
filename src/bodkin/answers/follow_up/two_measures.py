"""Two measures at once, such as rate and understanding: where students stand by both, and who moved since before."""

from collections.abc import Sequence

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.step_answer import Names, display_name
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

MIDDLE = 50.0
"""The percentile that counts as reached where a measure has no bands (common practice: the norm's middle)."""

STANDINGS = ("neither", "second only", "first only", "both")
"""Names of the standings in the order of their codes, 0 to 3."""
ORDER = (BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER)


class TwoStudent(BaseModel):
    """A student's place on both measures now and, where known, before; percentiles 1..99."""

    student_id: str
    name: str
    first: float | None
    second: float | None
    standing: str
    before: str | None
    moved: str | None = Field(description="gained, lost or crossed; empty where nothing changed or before is not known")


class StandingGroup(BaseModel):
    """The students of one standing; ``came``: how many were in each other one before."""

    standing: str
    words: str
    n: int
    came: dict[str, int]
    students: list[TwoStudent]


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
        return frame[f"{name}_{when}"].cast(pl.Float64).fill_null(float("nan")).to_numpy()

    return two_dimensions(column("first"), 0.5, column("second"), 0.5)


def _moved(before: float, now: float) -> str | None:
    if np.isnan(before) or before == now:
        return None
    reached, given_up = int(now) & ~int(before), int(before) & ~int(now)
    return "crossed" if reached and given_up else "gained" if reached else "lost"


def two_measures_answer(first: Comparison, second: Comparison, titles: tuple[str, str], names: Names) -> TwoAnswer:
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
    students = both.filter(pl.Series(known))
    told: dict[float, list[TwoStudent]] = {code: [] for code in ORDER}
    came: dict[float, dict[str, int]] = {code: {} for code in ORDER}
    rows = zip(students.select("student_id", "first", "second").iter_rows(), now[known], before[known], strict=True)
    for (student, one, other), code, earlier in rows:
        was = None if np.isnan(earlier) else STANDINGS[int(earlier)]
        if was is not None and earlier != code:
            came[code][was] = came[code].get(was, 0) + 1
        told[code].append(
            TwoStudent(
                student_id=student, name=display_name(names, student), first=one, second=other,
                standing=STANDINGS[int(code)], before=was, moved=_moved(earlier, code),
            )
        )  # fmt: skip
    words = {
        BOTH: "reached in both", FIRST_ONLY: f"in {titles[0]} only", SECOND_ONLY: f"in {titles[1]} only",
        NEITHER: "in neither",
    }  # fmt: skip
    groups = [
        StandingGroup(
                      standing=STANDINGS[int(code)], words=words[code], n=len(told[code]), came=came[code],
                      students=sorted(told[code], key=lambda one: (one.moved is None, one.name)))
        for code in ORDER
    ]  # fmt: skip
    covered = int(known.sum())
    return TwoAnswer.model_construct(
        caption=caption(first.pieces), first_measure=titles[0], second_measure=titles[1],
        first_reached=reached_words(first), second_reached=reached_words(second),
        headline=_headline(groups, covered, titles), lead=_lead(move.gained, move.lost, move.crossed, covered),
        covered=covered, left_out=both.height - covered, gained=move.gained, lost=move.lost, crossed=move.crossed,
        same=move.same, standings=groups,
    )  # fmt: skip


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
