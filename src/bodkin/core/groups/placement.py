"""Why a student is in a group, and what a move by hand would break and cost."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import need_distance
from bodkin.core.groups.grouping_rules import Checked, GroupingRules, Rule, checked

Why = Literal["nearest", "slot", "apart", "full", "together", "needed", "others"]


@dataclass(frozen=True, slots=True)
class Placement:
    """Where one student goes and why.

    ``distance``: from the need to the group's focus; ``second``: the next best group that the
    student could be in by time and company (None where there is none) with its distance.
    ``why``: "nearest": no focus is nearer. Otherwise the nearer group could not be had because of
    its slot, a student to be kept apart from, being full, a student to be kept together with,
    the own group needing its fewest, or because others gain more ("others").
    """

    group: int
    distance: float
    why: Why
    second: int | None
    second_distance: float | None


def why_there(student: int, place: IntArray, distance: FloatArray, rules: Checked, slots: Sequence[int]) -> Placement:
    """Where one student is and what keeps its block, all kept together with it, out of the nearest group.

    ``place``: the group of each student; ``distance``: shape (students, groups); ``slots``: the slot of each
    group, empty where times do not matter.
    """
    own = int(place[student])
    block, foes = rules.blocks[student], rules.apart[student]
    order = [int(g) for g in np.argsort(distance[student], kind="stable")]
    nearest = order[0]

    def in_class(group: int) -> bool:
        return bool(slots) and any(slots[group] in rules.blocked[one] for one in block)

    def has_apart(group: int) -> bool:
        return any(place[other] == group for other in foes)

    why: Why = "others"
    size = np.bincount(place, minlength=len(rules.most))
    if distance[student, own] <= distance[student, nearest]:
        why = "nearest"
    elif in_class(nearest):
        why = "slot"
    elif has_apart(nearest):
        why = "apart"
    elif size[nearest] + len(block) > rules.most[nearest]:
        why = "full"
    elif len(block) > 1:
        why = "together"
    elif size[own] <= rules.fewest[own]:
        why = "needed"
    second = next((g for g in order if g != own and not in_class(g) and not has_apart(g)), None)
    away = None if second is None else float(distance[student, second])
    return Placement(own, float(distance[student, own]), why, second, away)


@dataclass(frozen=True, slots=True)
class Move:
    """One student moved by hand: the rules that it breaks, and what it costs in distance (negative: a gain).

    Who is kept together with the student moves along: ``students``.
    """

    students: tuple[int, ...]
    broken: tuple[Rule, ...]
    cost: float


def check_move(
    needs: ArrayLike, foci: ArrayLike, place: ArrayLike, student: int, group: int, rules: GroupingRules,
    slots: Sequence[int] | None = None,
) -> Move:  # fmt: skip
    """What moving one student, and all kept together with it, to another group breaks and costs.

    ``place``: the group of each student; ``slots``: the slot of each group, where times matter. Only rules
    that the move itself breaks are told. Raises BadInput for a student or group that is not there, or as
    :func:`propose_groups`.
    """
    distance = need_distance(needs, foci)
    students, groups = distance.shape
    before = np.asarray(place, dtype=np.int64)
    if before.shape != (students,) or (before < 0).any() or (before >= groups).any():
        raise BadInput(f"place must name one of {groups} groups for each of {students} students")
    if not (0 <= student < students and 0 <= group < groups):
        raise BadInput(f"there is no student {student} or no group {group}")
    spelled = checked(rules, students, groups)
    block = sorted(spelled.blocks[student])
    after = before.copy()
    after[block] = group
    broken = [rule for rule in spelled.rules if _breaks(rule, after, slots) and not _breaks(rule, before, slots)]
    who = np.arange(students)
    cost = float(distance[who, after].sum() - distance[who, before].sum())
    return Move(tuple(block), tuple(broken), cost)


def _breaks(rule: Rule, place: IntArray, slots: Sequence[int] | None) -> bool:
    """Whether groups as they are break a rule."""
    size = np.bincount(place, minlength=max(rule.groups, default=0) + 1)
    if rule.kind == "most":
        return any(size[g] > rule.bound for g in rule.groups)
    if rule.kind == "fewest":
        return any(size[g] < rule.bound for g in rule.groups)
    if rule.kind in ("together", "apart"):
        one, other = rule.students
        return bool((place[one] == place[other]) == (rule.kind == "apart"))
    return rule.kind == "slots" and slots is not None and slots[int(place[rule.students[0]])] in rule.slots
