"""Groups proposed from strand needs: who goes where, why, who is served badly, and which rules clash."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.words import signed
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.groups.foci import foci_from_needs
from bodkin.core.groups.grouping import Proposal, propose_groups
from bodkin.core.groups.grouping_rules import GroupingRules, in_words
from bodkin.core.groups.placement import Why

EFFORT = 3.0
BADLY, LEAST_BADLY = 2.0, 1.5
"""Badly served: so many times as far from the own focus as half of all are, and so many errors a strand at least."""


@dataclass(frozen=True, slots=True)
class AskedGroups:
    """What is asked for: how many groups, sizes, pairs of students, adults with slots, when who stays in class."""

    number: int
    fewest: int
    most: int
    together: Sequence[tuple[str, str]] = ()
    apart: Sequence[tuple[str, str]] = ()
    adults: Mapping[str, Sequence[str]] | None = None
    stays: Mapping[str, Sequence[str]] | None = None


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
    """A proposed group; ``focus`` names the strands its students need most, lowest first."""

    focus: str
    strands: list[float]
    slot: str | None
    adult: str | None
    students: list[ProposedPlace]


class ClashRule(BaseModel):
    """A rule of the smallest set that cannot be kept together."""

    kind: str
    words: str
    students: list[str]


class ProposalAnswer(BaseModel):
    """Groups proposed, or why there are none; ``left_out`` are students without any strand score."""

    strands: list[str]
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


def _focus(strands: Sequence[str], focus: FloatArray) -> str:
    """The strands a group needs most: the lowest, and a second one nearly as low."""
    order = np.argsort(focus)
    told = [order[0], *(at for at in order[1:2] if focus[at] < 0 and focus[at] - focus[order[0]] < 0.5)]
    return ", ".join(f"{strands[int(at)]} {signed(float(focus[at]))}" for at in told)


def _said(proposal: Proposal) -> str:
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


def proposed_groups(
    students: Sequence[str], strands: Sequence[str], needs: FloatArray, asked: AskedGroups, names: Names
) -> ProposalAnswer:
    """Propose groups; ``needs``: distances of students (rows) in strands (columns), NaN where missing.

    Raises BadInput for no students, too many groups, or rules that cannot be.
    """
    known = np.asarray(~np.isnan(needs).all(axis=1))
    placed = [student for student, keep in zip(students, known.tolist(), strict=True) if keep]
    if not placed:
        raise BadInput("students: none of them has a strand score to be placed by")
    table = needs[known]
    if asked.most * asked.number < len(placed):
        raise BadInput(f"most: {asked.number} groups of {asked.most} are too few for {len(placed)} students")
    if asked.fewest * asked.number > len(placed):
        raise BadInput(f"fewest: {len(placed)} students are too few for {asked.number} groups of {asked.fewest}")
    foci = foci_from_needs(table, asked.number, fewest=asked.fewest, most=asked.most)
    slots = list(dict.fromkeys(slot for own in (asked.adults or {}).values() for slot in own))
    proposal = propose_groups(table, foci, _rules(asked, placed, slots), EFFORT)
    found = [
        ProposedGroup(
            focus=_focus(strands, foci[at]), strands=[float(value) for value in foci[at]],
            slot=None if proposal.slots is None else slots[proposal.slots[at]],
            adult=None if proposal.adults is None else list(asked.adults or {})[proposal.adults[at]], students=[],
        )
        for at in range(asked.number)
    ] if proposal.placements else []  # fmt: skip
    usual = float(np.median([one.distance for one in proposal.placements])) if proposal.placements else 0.0
    limit = max(BADLY * usual, LEAST_BADLY * np.sqrt(len(strands)))
    for student, one in zip(placed, proposal.placements, strict=False):
        found[one.group].students.append(
            ProposedPlace(
                student_id=student, name=display_name(names, student), why=one.why, words=_WHY[one.why],
                distance=one.distance, second=one.second, badly=one.distance > limit,
            )
        )  # fmt: skip
    groups = [f"group {at + 1}" for at in range(asked.number)]
    shown = [display_name(names, student) for student in placed]
    return ProposalAnswer(
        strands=list(strands), groups=found, proven=proposal.proven, total=proposal.total, bound=proposal.bound,
        said=_said(proposal),
        clash=[
            ClashRule(kind=rule.kind, words=in_words(rule, shown, groups, slots),
                      students=[placed[at] for at in rule.students])
            for rule in proposal.clash
        ],
        left_out=[display_name(names, one) for one, keep in zip(students, known.tolist(), strict=True) if not keep],
    )  # fmt: skip
