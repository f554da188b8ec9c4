"""The board: who is in which group, who is in none yet, and what counts for placing them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import isnan
from typing import Any

import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, StepAnswer, display_name
from bodkin.answers.words import plural, signed
from bodkin.core.arrays import FloatArray


class BoardCard(BaseModel):
    """A student as the board shows it: the latest score, and the part of the test furthest below its line."""

    student_id: str
    name: str
    grade: str | None
    section: str | None
    score: float | None
    order: int | None
    percentile: float | None
    need: str | None
    groups: list[int]


class BoardColumn(BaseModel):
    """A group with its members in reach; ``reasons``: why a student is in it, where that was kept.

    ``minutes``: planned a week, empty where not known.
    """

    id: int
    name: str
    focus: str
    tier: int | None
    adult: str | None
    slots: list[str]
    fewest: int | None
    most: int | None
    may_change: bool
    members: list[str]
    minutes: float | None = None
    reasons: dict[str, str] = {}


MOST_STUDENTS = 300
"""Students that are placed at once: no more of those in no group are listed."""


class BoardAnswer(StepAnswer):
    """The board; ``free`` are the sentence's students who are in no group of it, ``free_n`` how many there are."""

    bands: list[str]
    cards: list[BoardCard]
    free: list[str] = Field(description="the lowest first, 300 at the most")
    free_n: int
    columns: list[BoardColumn]


@dataclass(frozen=True, slots=True)
class Need:
    """The strand in which a student stands furthest below the line, and how far, in errors."""

    strand: str
    distance: float

    @property
    def words(self) -> str:
        """Such as ``Vocabulary −1.8``."""
        return f"{self.strand} {signed(self.distance)}"


@dataclass(frozen=True, slots=True)
class LowestStrands:
    """The strand in which each of some students stands lowest.

    ``place``: each student's row of ``distance``, shape (students, strands), in errors, NaN where not known.
    """

    strands: Sequence[str]
    place: Mapping[str, int]
    distance: FloatArray

    def of(self, student: str) -> Need | None:
        """What counts for a student; None where nothing is known."""
        at = self.place.get(student)
        if at is None:
            return None
        # By hand: of a handful of numbers, for a thousand students, numpy's own ways take ten times as long.
        known = [(value, place) for place, value in enumerate(self.distance[at].tolist()) if not isnan(value)]
        if not known:
            return None
        distance, lowest = min(known)
        return Need(self.strands[lowest], distance)


_ABOUT = ("grade", "section", "score", "order", "percentile")
_NOTHING: dict[str, Any] = dict.fromkeys(_ABOUT)


def _about(comparison: Comparison) -> pl.DataFrame:
    """Grade, class, latest score, band and percentile of each student of a comparison."""
    side = "to" if comparison.students["to_score"].count() else "from"
    return comparison.students.select(
        "student_id", "grade", "section", score=f"{side}_score", order=pl.col(f"{side}_order").cast(pl.Int64),
        percentile=f"{side}_percentile",
    )  # fmt: skip


def _lowest(students: Sequence[str], about: pl.DataFrame, names: Names, n: int) -> list[str]:
    """The ``n`` lowest students, by score and then by name; those without a score come last."""
    scores = pl.DataFrame({"student_id": students}, schema={"student_id": pl.String}).join(
        about.select("student_id", "score"), on="student_id", how="left", maintain_order="left"
    )
    ranked = scores.sort("score", nulls_last=True, maintain_order=True)
    if ranked.height > n and (last := ranked["score"][n - 1]) is not None:
        # Those beside the last one who fits may have its score: the name decides among them.
        ranked = ranked.filter(pl.col("score") <= last)
    named = [(score is None, score or 0.0, display_name(names, one), one) for one, score in ranked.iter_rows()]
    return [one for *_, one in sorted(named, key=lambda row: row[:3])][:n]


def board_answer(
    comparison: Comparison, students: Sequence[str], columns: Sequence[BoardColumn], names: Names,
    needs: Sequence[LowestStrands], parts: dict[str, Any], others: Comparison | None = None,
) -> BoardAnswer:  # fmt: skip
    """The board of a scope's students and some groups.

    ``needs``: what counts for each student, the first that knows the student; ``others``: the same measure over the
    students of the groups, who need not be in the scope.
    """
    held: dict[str, list[int]] = {}
    for column in columns:
        for student in column.members:
            held.setdefault(student, []).append(column.id)
    about = _about(comparison)
    if others is not None:
        # A student of both is as in the scope.
        about = pl.concat([about, _about(others)]).unique("student_id", keep="first", maintain_order=True)
    every_free = [student for student in students if student not in held]
    free = _lowest(every_free, about, names, MOST_STUDENTS)
    everyone = [*free, *held]
    shown = _lowest(everyone, about, names, len(everyone))
    rows = about.filter(pl.col("student_id").is_in(shown))
    known = dict(zip(rows["student_id"].to_list(), rows.select(_ABOUT).iter_rows(named=True), strict=True))

    def card(student: str) -> BoardCard:
        need = next((need for one in needs if (need := one.of(student))), None)
        return BoardCard(
            student_id=student, name=display_name(names, student), **known.get(student, _NOTHING),
            need=need.words if need else None, groups=list(held.get(student, ())),
        )  # fmt: skip

    order = {student: at for at, student in enumerate(shown)}
    placed = [
        column.model_copy(update={"members": sorted(column.members, key=order.__getitem__)}) for column in columns
    ]
    inside = len(held)
    headline = f"{plural(len(every_free), 'student')} in no group yet" if free else "Everybody here is in a group"
    lead = f"{plural(len(columns), 'group')} with {plural(inside, 'student')}, the lowest score first."
    return BoardAnswer.model_construct(
        **{**parts, "covered": len(students)}, headline=headline, lead=lead, bands=comparison.bands,
        cards=[card(one) for one in shown], free=free, free_n=len(every_free), columns=placed,
    )  # fmt: skip
