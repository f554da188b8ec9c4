"""Groups proposed from needs: who goes where, why, who is served badly, and which rules clash."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.groups.measures import NeedTable, focus_words, given_foci
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import foci_from_needs, need_distance
from bodkin.core.groups.grouping_rules import GroupingRules, Rule, in_words
from bodkin.core.groups.placement import Why, check_move

if TYPE_CHECKING:
    # A start need not wait for the solver: it is read where groups are proposed.
    from bodkin.core.groups.grouping import Proposal, Search

EFFORT = 3.0
BADLY, LEAST_BADLY = 2.0, 1.5
"""Badly served: so many times as far from the own focus as half of all are, and so many errors a strand at least."""


@dataclass(frozen=True, slots=True)
class AskedGroups:
    """What is asked for: how many groups, sizes, pairs of students, adults with slots, when who stays in class.

    ``foci``: the measure that each group is for, where foci are given; their number is the number of groups.
    """

    number: int
    fewest: int
    most: int
    together: Sequence[tuple[str, str]] = ()
    apart: Sequence[tuple[str, str]] = ()
    adults: Mapping[str, Sequence[str]] | None = None
    stays: Mapping[str, Sequence[str]] | None = None
    foci: Sequence[str] = ()

    @property
    def groups(self) -> int:
        """How many groups are wanted."""
        return len(self.foci) or self.number


class ProposedPlace(BaseModel):
    """Where a student goes, why, and what the next best group would be."""

    student_id: str
    name: str
    why: Why
    words: str
    distance: float
    second: int | None
    badly: bool = Field(description="far from every focus")


class ProposedGroup(BaseModel):
    """A proposed group; ``focus`` names what its students need most, ``centre`` is its place by measure."""

    focus: str
    centre: list[float]
    slot: str | None
    adult: str | None
    students: list[ProposedPlace]


class ClashRule(BaseModel):
    """A rule of the smallest set that cannot be kept together."""

    kind: str
    words: str
    students: list[str]


class MoveAnswer(BaseModel):
    """One student moved by hand in a proposal: who moves along, what it costs, and which rules it breaks.

    ``cost``: how much further needs lie from foci in all (negative: nearer); ``distance``: the student's own then.
    """

    students: list[str]
    cost: float
    distance: float
    broken: list[str]


class ProposalAnswer(BaseModel):
    """Groups proposed, or why there are none; ``left_out`` are students of whom no measure is known."""

    measures: list[str]
    groups: list[ProposedGroup]
    proven: bool
    total: float | None
    bound: float | None
    said: str
    clash: list[ClashRule]
    left_out: list[str]


_WHY: dict[Why, str] = {
    "nearest": "nearest to the own need", "slot": "stays in class when the nearer group meets",
    "apart": "kept apart from somebody in the nearer group", "full": "the nearer group is full",
    "together": "kept together with somebody", "needed": "this group needs its fewest students",
    "others": "others gain more by it",
}  # fmt: skip


def _said(proposal: "Proposal") -> str:
    if not proposal.placements:
        return "These rules cannot be kept together." if proposal.clash else "No groups were found in time."
    if proposal.proven or not proposal.total:
        return "Proven best: no other arrangement lies nearer to these foci."
    away = 100 * (proposal.total - (proposal.bound or 0.0)) / proposal.total
    return f"At most {away:.0f} % from the best."


def _rules(asked: AskedGroups, students: Sequence[str], slots: Sequence[str]) -> GroupingRules:
    at = {student: place for place, student in enumerate(students)}
    when = {slot: place for place, slot in enumerate(slots)}

    def pairs(given: Sequence[tuple[str, str]]) -> list[tuple[int, int]]:
        # A pair with somebody who has no score is about nobody who is placed here.
        return [(at[one], at[other]) for one, other in given if one in at and other in at]

    adults = None if not asked.adults else [[when[slot] for slot in own] for own in asked.adults.values()]
    stays = [[when[slot] for slot in (asked.stays or {}).get(one, ()) if slot in when] for one in students]
    return GroupingRules(
        asked.fewest, asked.most, pairs(asked.together), pairs(asked.apart), adults, stays if adults else []
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Grouping:
    """Groups that are asked for, checked and ready to be searched."""

    table: NeedTable
    left_out: list[str]
    asked: AskedGroups
    foci: FloatArray
    slots: list[str]
    rules: GroupingRules

    def search(self, names: Names, search: "Search | None" = None) -> ProposalAnswer:
        """The best groups that are found; ``search`` follows and may stop the work."""
        from bodkin.core.groups.grouping import propose_groups

        return self.answer(propose_groups(self.table.values, self.foci, self.rules, EFFORT, search), names)

    def following(self, names: Names, better: Callable[[ProposalAnswer], None]) -> "Search":
        """A search that hands on each better proposal."""
        from bodkin.core.groups.grouping import Search

        return Search(lambda proposal: better(self.answer(proposal, names)))

    def answer(self, proposal: "Proposal", names: Names) -> ProposalAnswer:
        """A proposal in words."""
        placed, asked, slots = self.table.students, self.asked, self.slots
        adults = list(asked.adults or {})
        found = [
            ProposedGroup(
                focus=focus_words(self.table, self.foci[at]), centre=[float(value) for value in self.foci[at]],
                slot=None if proposal.slots is None else slots[proposal.slots[at]],
                adult=None if proposal.adults is None else adults[proposal.adults[at]], students=[],
            )
            for at in range(asked.groups)
        ] if proposal.placements else []  # fmt: skip
        usual = float(np.median([one.distance for one in proposal.placements])) if proposal.placements else 0.0
        limit = max(BADLY * usual, LEAST_BADLY * np.sqrt(len(self.table.names)))
        for student, one in zip(placed, proposal.placements, strict=False):
            found[one.group].students.append(
                ProposedPlace(
                    student_id=student, name=display_name(names, student), why=one.why, words=_WHY[one.why],
                    distance=one.distance, second=one.second, badly=one.distance > limit,
                )
            )  # fmt: skip
        return ProposalAnswer(
            measures=self.table.names, groups=found, proven=proposal.proven, total=proposal.total,
            bound=proposal.bound, said=_said(proposal),
            clash=[
                ClashRule(kind=rule.kind, words=self._words(rule, names), students=[placed[at] for at in rule.students])
                for rule in proposal.clash
            ],
            left_out=[display_name(names, one) for one in self.left_out],
        )  # fmt: skip

    def _words(self, rule: Rule, names: Names) -> str:
        shown = [display_name(names, student) for student in self.table.students]
        return in_words(rule, shown, [f"group {at + 1}" for at in range(self.asked.groups)], self.slots)

    def move(
        self, place: Sequence[int], slots: Sequence[str | None], student: str, group: int, names: Names
    ) -> MoveAnswer:
        """What moving one student by hand breaks and costs; ``place``: each student's group, ``slots`` each group's.

        Raises BadInput for a student or group that is not there.
        """
        if student not in self.table.students:
            raise BadInput("student_id: this student is not among those placed")
        met = [self.slots.index(slot) if slot in self.slots else -1 for slot in slots]
        move = check_move(
            self.table.values, self.foci, place, self.table.students.index(student), group, self.rules,
            met if self.slots and min(met) >= 0 else None,
        )  # fmt: skip
        own = self.table.values[self.table.students.index(student)]
        nearer = need_distance([own], self.foci)[0]
        return MoveAnswer(
            students=[self.table.students[at] for at in move.students], cost=move.cost, distance=float(nearer[group]),
            broken=[self._words(rule, names) for rule in move.broken],
        )  # fmt: skip


def asked_grouping(table: NeedTable, asked: AskedGroups) -> Grouping:
    """What is asked for, checked. Raises BadInput for no students, sizes or rules that cannot be, unknown foci."""
    known = table.known
    if not known.students:
        raise BadInput("students: nothing is known of any of them to be placed by")
    n = len(known.students)
    if asked.most * asked.groups < n:
        raise BadInput(f"most: {asked.groups} groups of {asked.most} are too few for {n} students")
    if asked.fewest * asked.groups > n:
        raise BadInput(f"fewest: {n} students are too few for {asked.groups} groups of {asked.fewest}")
    if asked.foci:
        foci = given_foci(known, asked.foci)
    else:
        foci = foci_from_needs(known.values, asked.number, fewest=asked.fewest, most=asked.most)
    slots = list(dict.fromkeys(slot for own in (asked.adults or {}).values() for slot in own))
    placed = set(known.students)
    left_out = [one for one in table.students if one not in placed]
    return Grouping(known, left_out, asked, foci, slots, _rules(asked, known.students, slots))
