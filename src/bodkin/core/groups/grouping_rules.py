"""The rules that groups must keep: sizes, who belongs together or apart, who can teach and be taught when."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from bodkin.core.errors import BadInput

RuleKind = Literal["most", "fewest", "together", "apart", "adults", "slots"]


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule that a grouping may clash with.

    ``students``, ``groups``: positions it is about; ``bound``: the size of a size rule;
    ``slots``: those a student cannot be taken out of class.
    """

    kind: RuleKind
    students: tuple[int, ...] = ()
    groups: tuple[int, ...] = ()
    bound: int = 0
    slots: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class GroupingRules:
    """Sizes of each group, pairs of students, slots of each adult, slots each student must stay in class.

    ``fewest``, ``most``: one number for all groups or one a group. ``together``, ``apart``: pairs
    of student positions. ``adults``: for each adult the slots (0, 1, 2 ...) this adult can teach;
    None where times do not matter. ``blocked``: for each student the slots this student cannot be
    taken out of class, other groups of the student included; empty where none is known.
    """

    fewest: int | Sequence[int]
    most: int | Sequence[int]
    together: Sequence[tuple[int, int]] = ()
    apart: Sequence[tuple[int, int]] = ()
    adults: Sequence[Collection[int]] | None = None
    blocked: Sequence[Collection[int]] = ()


@dataclass(frozen=True, slots=True)
class Checked:
    """The rules spelled out for n students and g groups, and the list of those that can clash."""

    fewest: list[int]
    most: list[int]
    slots: int
    free_adults: list[int]
    blocked: list[frozenset[int]]
    rules: list[Rule] = field(default_factory=list)


def _sizes(name: str, sizes: int | Sequence[int], groups: int) -> list[int]:
    every = np.broadcast_to(sizes, groups).tolist() if np.ndim(sizes) == 0 else list(np.asarray(sizes))
    if len(every) != groups:
        raise BadInput(f"{name} must be one size or one a group: {groups} groups, {len(every)} sizes")
    for size in every:
        if size != int(size) or size < 0:
            raise BadInput(f"{name} must be a whole number of students, got {size}")
    return [int(size) for size in every]


def _pairs(name: str, pairs: Sequence[tuple[int, int]], students: int) -> list[tuple[int, int]]:
    found = set()
    for pair in pairs:
        one, other = sorted(int(position) for position in pair)
        if one == other or one < 0 or other >= students:
            raise BadInput(f"{name} must name two students from 0 to {students - 1}, got {tuple(pair)}")
        found.add((one, other))
    return sorted(found)


def _slots(name: str, slots: Sequence[Collection[int]]) -> list[frozenset[int]]:
    for own in slots:
        if any(slot != int(slot) or slot < 0 for slot in own):
            raise BadInput(f"{name} must hold slots numbered from 0, got {sorted(own)}")
    return [frozenset(int(slot) for slot in own) for own in slots]


def checked(rules: GroupingRules, students: int, groups: int) -> Checked:
    """The rules for this many students and groups, each in the one order that everything follows.

    Raises BadInput naming the rule for a size, a pair or a slot that cannot be.
    """
    fewest, most = _sizes("fewest", rules.fewest, groups), _sizes("most", rules.most, groups)
    for position, (low, high) in enumerate(zip(fewest, most, strict=True)):
        if low > high:
            raise BadInput(f"group {position} should hold at least {low} and at most {high} students")
    blocked = _slots("blocked", rules.blocked) or [frozenset()] * students
    if len(blocked) != students:
        raise BadInput(f"blocked must hold the slots of each student: {students} students, {len(blocked)} entries")
    adults = [] if rules.adults is None else _slots("adults", rules.adults)
    slots = 1 + max((slot for own in adults for slot in own), default=-1)
    found: list[Rule] = []
    for kind, sizes in (("most", most), ("fewest", fewest)):
        for bound in sorted(set(sizes)):
            named = tuple(group for group, size in enumerate(sizes) if size == bound)
            found.append(Rule("most" if kind == "most" else "fewest", groups=named, bound=bound))
    found += [Rule("together", students=pair) for pair in _pairs("together", rules.together, students)]
    found += [Rule("apart", students=pair) for pair in _pairs("apart", rules.apart, students)]
    if rules.adults is not None:
        found.append(Rule("adults"))
        found += [Rule("slots", (student,), slots=tuple(sorted(own))) for student, own in enumerate(blocked) if own]
    free = [sum(slot in own for own in adults) for slot in range(slots)]
    return Checked(fewest, most, slots, free, blocked, found)


def in_words(rule: Rule, students: Sequence[str], groups: Sequence[str], slots: Sequence[str]) -> str:
    """A rule as a sentence, with the names of students, groups and slots (by position).

    Raises BadInput where a position has no name.
    """
    try:
        who = [students[position] for position in rule.students]
        where = [groups[position] for position in rule.groups]
        # A slot that no adult teaches may have no name; it cannot clash, so it is not told.
        when = [slots[slot] for slot in rule.slots if slot < len(slots)]
    except IndexError:
        raise BadInput(f"there is no name for every student or group of {rule}") from None
    named = "every group" if len(where) == len(groups) else ", ".join(where)
    return {
        "most": f"at most {rule.bound} students in {named}",
        "fewest": f"at least {rule.bound} students in {named}",
        "together": f"{' and '.join(who)} together",
        "apart": f"{' and '.join(who)} apart",
        "adults": "each group needs an adult who is free in its slot",
        "slots": f"{''.join(who)} stays in class in {', '.join(when)}",
    }[rule.kind]
