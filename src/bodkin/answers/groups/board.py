"""The board: who is in which group, who is in none yet, and what counts for placing them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from heapq import nsmallest
from typing import Any

import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, StepAnswer, display_name
from bodkin.answers.words import plural, signed


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


_ABOUT = ("grade", "section", "score", "order", "percentile")
_NOTHING: dict[str, Any] = dict.fromkeys(_ABOUT)


def _known(comparison: Comparison) -> dict[str, dict[str, Any]]:
    """Grade, class, latest score, band and percentile of each student of a comparison."""
    side = "to" if comparison.students["to_score"].count() else "from"
    rows = comparison.students.select(
        "student_id", "grade", "section", score=f"{side}_score", order=pl.col(f"{side}_order").cast(pl.Int64),
        percentile=f"{side}_percentile",
    )  # fmt: skip
    about = rows.select(_ABOUT).iter_rows(named=True)
    return dict(zip(rows["student_id"].to_list(), about, strict=True))


def _card(
    student: str, known: Mapping[str, dict[str, Any]], names: Names, needs: Mapping[str, Need],
    held: Mapping[str, Sequence[int]],
) -> BoardCard:  # fmt: skip
    need = needs.get(student)
    return BoardCard(
        student_id=student, name=display_name(names, student), **known.get(student, _NOTHING),
        need=need.words if need else None, groups=list(held.get(student, ())),
    )  # fmt: skip


def board_answer(
    comparison: Comparison, students: Sequence[str], columns: Sequence[BoardColumn], names: Names,
    needs: Mapping[str, Need], parts: dict[str, Any], others: Comparison | None = None,
) -> BoardAnswer:  # fmt: skip
    """The board of a scope's students and some groups.

    ``needs``: what counts for each student where it is known; ``others``: the same measure over the students of
    the groups, who need not be in the scope.
    """
    held: dict[str, list[int]] = {}
    for column in columns:
        for student in column.members:
            held.setdefault(student, []).append(column.id)
    known = (_known(others) if others is not None else {}) | _known(comparison)

    def lowest_first(student: str) -> tuple[bool, float, str]:
        score = known.get(student, _NOTHING)["score"]
        return score is None, score or 0.0, display_name(names, student)

    every_free = [student for student in students if student not in held]
    free = nsmallest(MOST_STUDENTS, every_free, key=lowest_first)
    shown = sorted([*free, *held], key=lowest_first)
    cards = [_card(student, known, names, needs, held) for student in shown]
    order = {student: at for at, student in enumerate(shown)}
    placed = [
        column.model_copy(update={"members": sorted(column.members, key=order.__getitem__)}) for column in columns
    ]
    inside = len(held)
    headline = f"{plural(len(every_free), 'student')} in no group yet" if free else "Everybody here is in a group"
    lead = f"{plural(len(columns), 'group')} with {plural(inside, 'student')}, the lowest score first."
    return BoardAnswer.model_construct(
        **{**parts, "covered": len(students)}, headline=headline, lead=lead, bands=comparison.bands, cards=cards,
        free=free, free_n=len(every_free), columns=placed,
    )  # fmt: skip
