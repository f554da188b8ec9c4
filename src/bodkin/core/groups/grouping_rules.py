"""The rules that groups must keep: sizes, who belongs together or apart, who can teach and be taught when."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from itertools import islice
from typing import Literal

import networkx as nx
import numpy as np

from bodkin.core.errors import BadInput

CLIQUES = 10_000
"""Most sets of students kept apart that are looked at; a class has far fewer."""
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
    ``week``: most groups an adult carries, one number for all or one an adult; ``in_a_row``: most groups
    in slots that follow one another; None for no limit. ``own_sizes``: positions of groups with sizes of
    their own, each a rule of its own; the other groups' sizes are one rule. Empty: groups of one size share it.
    """

    fewest: int | Sequence[int]
    most: int | Sequence[int]
    together: Sequence[tuple[int, int]] = ()
    apart: Sequence[tuple[int, int]] = ()
    adults: Sequence[Collection[int]] | None = None
    blocked: Sequence[Collection[int]] = ()
    week: int | Sequence[int] | None = None
    in_a_row: int | None = None
    own_sizes: Collection[int] = ()


@dataclass(frozen=True, slots=True)
class Checked:
    """The rules spelled out for n students and g groups, and the list of those that can clash.

    ``blocks``: for each student all that must stay together with it, itself included; ``apart``: those from
    whom somebody of the block must be kept apart.
    """

    fewest: list[int]
    most: list[int]
    slots: int
    free_adults: list[int]
    blocked: list[frozenset[int]]
    rules: list[Rule] = field(default_factory=list)
    adults: list[frozenset[int]] = field(default_factory=list)
    week: list[int] | None = None
    in_a_row: int | None = None
    blocks: list[frozenset[int]] = field(default_factory=list)
    apart: list[frozenset[int]] = field(default_factory=list)

    @property
    def loads(self) -> bool:
        """Whether an adult's load is limited, so that it matters who leads which group."""
        return self.week is not None or self.in_a_row is not None


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
        own = sorted(rules.own_sizes)
        shared = [group for group in range(groups) if group not in rules.own_sizes]
        for bound in sorted({sizes[group] for group in shared}):
            named = tuple(group for group in shared if sizes[group] == bound)
            found.append(Rule("most" if kind == "most" else "fewest", groups=named, bound=bound))
        found += [Rule("most" if kind == "most" else "fewest", groups=(one,), bound=sizes[one]) for one in own]
    found += [Rule("together", students=pair) for pair in _pairs("together", rules.together, students)]
    found += [Rule("apart", students=pair) for pair in _pairs("apart", rules.apart, students)]
    if rules.adults is not None:
        found.append(Rule("adults"))
        found += [Rule("slots", (student,), slots=tuple(sorted(own))) for student, own in enumerate(blocked) if own]
    free = [sum(slot in own for own in adults) for slot in range(slots)]
    week = None if rules.week is None else _sizes("week", rules.week, len(adults))
    if rules.in_a_row is not None and rules.in_a_row < 1:
        raise BadInput(f"in_a_row must be 1 or more, got {rules.in_a_row}")
    blocks = _blocks(students, rules.together)
    foes: list[set[int]] = [set() for _ in range(students)]
    for one, other in _pairs("apart", rules.apart, students):
        for friend in blocks[one]:
            foes[friend].add(other)
        for friend in blocks[other]:
            foes[friend].add(one)
    return Checked(
        fewest,
        most,
        slots,
        free,
        blocked,
        found,
        adults,
        week,
        rules.in_a_row,
        blocks,
        [frozenset(own) for own in foes],
    )


def _blocks(students: int, together: Sequence[tuple[int, int]]) -> list[frozenset[int]]:
    """For each student everybody that pairs kept together tie to it, itself included."""
    graph: nx.Graph[int] = nx.Graph()
    graph.add_nodes_from(range(students))
    graph.add_edges_from((int(one), int(other)) for one, other in together)
    found: list[frozenset[int]] = [frozenset()] * students
    for block in nx.connected_components(graph):
        for student in block:
            found[student] = frozenset(block)
    return found


def too_many_apart(rules: Checked, groups: int) -> Rule | None:
    """More students who must all be kept apart from one another than there are groups, or None.

    The largest such set, the first by its students of several; those kept together with them take part.
    """
    graph: nx.Graph[int] = nx.Graph()
    graph.add_edges_from(rule.students for rule in rules.rules if rule.kind == "apart")
    # A clique of more than so many needs as many neighbours for each of its students.
    core = nx.k_core(graph, groups)
    found = [tuple(sorted(clique)) for clique in islice(nx.find_cliques(core), CLIQUES) if len(clique) > groups]
    if not found:
        return None
    return Rule("apart", students=min(found, key=lambda clique: (-len(clique), clique)), bound=groups)


def always_in_class(rules: Checked) -> Rule | None:
    """The rule of the first student who must stay in class in every slot of every adult, or None."""
    taught = frozenset(slot for own in rules.adults for slot in own)
    if not taught:
        return None
    return next((rule for rule in rules.rules if rule.kind == "slots" and taught <= set(rule.slots)), None)


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
        "apart": (
            f"{' and '.join(who)} apart"
            if len(who) == 2
            else f"these {len(who)} cannot all be apart in {rule.bound} groups: {', '.join(who)}"
        ),
        "adults": "each group needs an adult who is free in its slot",
        "slots": f"{''.join(who)} stays in class in {', '.join(when)}",
    }[rule.kind]
