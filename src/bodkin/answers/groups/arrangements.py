"""Two arrangements side by side: who moves, how near needs lie to what each group does, and adults' minutes."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.groups.measures import NeedTable, focus_words
from bodkin.answers.words import plural
from bodkin.core.arrays import FloatArray
from bodkin.core.groups.foci import need_distance


@dataclass(frozen=True, slots=True)
class ArrangedGroup:
    """A group of an arrangement; ``minutes`` of an adult a week where they are known."""

    name: str
    students: Sequence[str]
    minutes: float | None


class ArrangedRow(BaseModel):
    """A group: how many students, what they need most, and how far they lie from the group's middle on average."""

    name: str
    n: int
    focus: str
    distance: float | None
    minutes: float | None


class Side(BaseModel):
    """One arrangement. ``distance``: mean over its students, smaller: groups are more alike in need."""

    groups: list[ArrangedRow]
    students: int
    distance: float | None
    minutes: float | None


class Mover(BaseModel):
    """A student whose company changes; empty where the student is in no group there."""

    student_id: str
    name: str
    before: str | None
    after: str | None


class ArrangementsAnswer(BaseModel):
    """Two arrangements; ``said`` in one sentence."""

    measures: list[str]
    before: Side
    after: Side
    moves: list[Mover]
    same: int
    said: str


def _centre(mine: FloatArray) -> FloatArray:
    known = (~np.isnan(mine)).any(axis=0)
    centre = np.zeros(mine.shape[1])
    centre[known] = np.nanmean(mine[:, known], axis=0)
    return centre


def _side(table: NeedTable, groups: Sequence[ArrangedGroup]) -> Side:
    at = {student: row for row, student in enumerate(table.students)}
    rows: list[ArrangedRow] = []
    every: list[float] = []
    for group in groups:
        mine = table.values[[at[one] for one in group.students if one in at]]
        mine = mine[~np.isnan(mine).all(axis=1)]
        away = need_distance(mine, [_centre(mine)])[:, 0].tolist() if len(mine) else []
        every += away
        rows.append(
            ArrangedRow(
                name=group.name, n=len(group.students), focus=focus_words(table, _centre(mine)) if away else "",
                distance=float(np.mean(away)) if away else None, minutes=group.minutes,
            )
        )  # fmt: skip
    minutes = [group.minutes for group in groups]
    return Side(
        groups=rows, students=len({one for group in groups for one in group.students}),
        distance=float(np.mean(every)) if every else None,
        minutes=None if None in minutes else sum(one for one in minutes if one is not None),
    )  # fmt: skip


def _placed(groups: Sequence[ArrangedGroup], aliases: dict[str, str]) -> dict[str, str]:
    return {one: aliases.get(group.name, group.name) for group in groups for one in group.students}


def _partners(before: Sequence[ArrangedGroup], after: Sequence[ArrangedGroup]) -> dict[str, str]:
    """Each later group's name beside the earlier group that it shares most students with, each once."""
    shared = sorted(
        (
            (-len(set(late.students) & set(early.students)), late.name, early.name)
            for late in after for early in before
        ),
    )  # fmt: skip
    found: dict[str, str] = {}
    for n, late, early in shared:
        if n < 0 and late not in found and early not in found.values():
            found[late] = early
    return found


def arrangements_answer(
    table: NeedTable, before: Sequence[ArrangedGroup], after: Sequence[ArrangedGroup], names: Names
) -> ArrangementsAnswer:
    """What moves from one arrangement to another, and how near needs lie to the middle of their group in each.

    A group goes on as the one that it shares most students with, whatever it is called; who stays with it does
    not move.
    """
    partners = _partners(before, after)
    early, late = _placed(before, {}), _placed(after, {})
    moves, same = [], 0
    for student in dict.fromkeys([*early, *late]):
        was, now = early.get(student), late.get(student)
        if was is not None and now is not None and partners.get(now) == was:
            same += 1
            continue
        moves.append(Mover(student_id=student, name=display_name(names, student), before=was, after=now))
    moves.sort(key=lambda one: (names.get(one.student_id, ("", "")), one.student_id))
    sides = _side(table, before), _side(table, after)
    return ArrangementsAnswer(
        measures=table.names, before=sides[0], after=sides[1], moves=moves, same=same, said=_said(sides, len(moves))
    )


def _said(sides: tuple[Side, Side], moves: int) -> str:
    before, after = sides
    if not moves:
        return "Nobody moves."
    words = f"{plural(moves, 'student moves', 'students move')}"
    if before.distance is None or after.distance is None:
        return f"{words}."
    if np.isclose(before.distance, after.distance, rtol=0.01):
        return f"{words}; needs lie about as near to each other as before."
    nearer = "nearer to" if after.distance < before.distance else "further from"
    figures = f"{before.distance:.2f} before, {after.distance:.2f} after"
    return f"{words}; needs within a group lie {nearer} each other: {figures}."
