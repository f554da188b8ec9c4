"""The board of groups: moving students, proposing groups from strand needs, taking a proposal over."""

from collections.abc import Mapping
from datetime import date
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.norms.norms_and_cuts import Notes
from bodkin.answers.groups.board import BoardAnswer, BoardColumn, Need, board_answer
from bodkin.answers.groups.proposal import AskedGroups, ProposalAnswer, proposed_groups
from bodkin.answers.needs.strands import StrandScores, worked_strands
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope, Key, OneLine
from bodkin.api.responses import answered
from bodkin.api.rights import Right
from bodkin.api.steps.groups.made import Students, may_change
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.store.writes import groups as kept
from bodkin.store.writes.undo import note

router = APIRouter(prefix="/board", tags=["groups"])
See = Annotated[Context, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
MOST_GROUPS, MOST_STUDENTS = 40, 300
Id = Annotated[str, StringConstraints(max_length=64)]
Slot = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60, pattern=r"^[^;]*$")]


class Moved(BaseModel):
    """A student moved: out of a group, into one, or both."""

    model_config = ConfigDict(extra="forbid")

    student_id: Id
    source: Key | None = None
    target: Key | None = None


class ActKept(BaseModel):
    """An act that was kept; its key undoes it."""

    id: int
    said: str


class AdultSlots(BaseModel):
    """An adult and the slots this adult can teach."""

    model_config = ConfigDict(extra="forbid")

    adult: OneLine
    slots: list[Slot] = Field(min_length=1, max_length=40)


class Stays(BaseModel):
    """When a student must stay in class."""

    model_config = ConfigDict(extra="forbid")

    student_id: Id
    slots: list[Slot] = Field(max_length=40)


class ProposalAsked(BaseModel):
    """What groups are asked for."""

    model_config = ConfigDict(extra="forbid")

    students: Annotated[list[Id], Field(min_length=1, max_length=MOST_STUDENTS)]
    number: int = Field(ge=1, le=MOST_GROUPS)
    fewest: int = Field(default=0, ge=0, le=MOST_STUDENTS)
    most: int = Field(ge=1, le=MOST_STUDENTS)
    together: list[tuple[Id, Id]] = Field(default=[], max_length=200)
    apart: list[tuple[Id, Id]] = Field(default=[], max_length=200)
    adults: list[AdultSlots] = Field(default=[], max_length=40)
    stays: list[Stays] = Field(default=[], max_length=MOST_STUDENTS)


class AcceptedGroup(BaseModel):
    """A group of a proposal to make."""

    model_config = ConfigDict(extra="forbid")

    name: OneLine
    focus: OneLine
    adult_id: Key | None = None
    slot: Slot | None = None
    students: Annotated[Students, Field(min_length=1)]


class Accepted(BaseModel):
    """A proposal to take over: its groups are made, and others end, all at once or not at all."""

    model_config = ConfigDict(extra="forbid")

    groups: list[AcceptedGroup] = Field(min_length=1, max_length=MOST_GROUPS)
    fewest: int | None = Field(default=None, ge=0, le=MOST_STUDENTS)
    most: int | None = Field(default=None, ge=1, le=MOST_STUDENTS)
    assessment: str | None = None
    subject: str | None = None
    first_day: date
    last_day: date
    instead_of: list[Key] = Field(default=[], max_length=MOST_GROUPS)


def _strands(
    context: Context, scope: Scope, comparison: Comparison
) -> tuple[list[str], list[str], StrandScores | None]:
    """Students of the scope, strands of its test, and the strand scores of each."""
    own = context.strands(scope)
    worked = worked_strands(comparison, own.names, context.table, own.table, None, Notes(), of_points=own.of_points)
    return worked.students["student_id"].to_list(), own.names, worked.now


def _needs(students: list[str], strands: list[str], scores: StrandScores | None) -> Mapping[str, Need]:
    """The strand in which each student stands lowest."""
    if scores is None:
        return {}
    distance = scores.distance
    known = np.asarray(~np.isnan(distance).all(axis=1))
    lowest = np.where(known, np.nanargmin(np.where(known[:, None], distance, 0.0), axis=1), 0)
    return {
        student: Need(strands[int(lowest[at])], float(distance[at, lowest[at]]))
        for at, student in enumerate(students)
        if known[at]
    }


def _of_students(scope: Scope, students: frozenset[str]) -> Scope:
    """The scope's measure and windows over some students, whatever else it narrows to."""
    lists = dict.fromkeys(("grade", "school", "section", "teacher", "program", "field", "group"), ())
    return scope.model_copy(
        update={**lists, "students": students, "all_but": False, "matched": False, "language": None}
    )


@router.get("", response_model=BoardAnswer)
def board(context: See, scope: AskedScope) -> Response:
    """Who is in which group, and which of the scope's students are in none yet."""
    comparison, parts = context.of_students(scope)
    students, strands, scores = _strands(context, scope, comparison)
    today = context.runtime.settings.today
    columns = [
        BoardColumn(
            id=group.id, name=group.name, focus=group.focus, tier=group.tier, adult=group.adult,
            slots=list(group.slots), fewest=group.fewest, most=group.most, may_change=may_change(context, group),
            members=sorted(group.members),
        )
        for group in context.groups()
        if group.last_day >= today
    ]  # fmt: skip
    needs = dict(_needs(students, strands, scores))
    others = None
    if members := frozenset(student for column in columns for student in column.members):
        others, _ = context.of_students(_of_students(scope, members))
        needs = dict(_needs(*_strands(context, scope, others))) | needs
    return answered(board_answer(comparison, students, columns, context.names, needs, parts, others))


@router.post("/moves")
def move(body: Moved, context: Make) -> ActKept:
    """Move a student between groups, into one or out of one; refused where somebody moved the student meanwhile."""
    context.check_student(body.student_id)
    if body.source == body.target:
        raise BadInput("target: the student is there already")
    named = {}
    for key in (body.source, body.target):
        if key is not None:
            group = context.group(key)
            if not may_change(context, group):
                raise NotAllowed("Only who made this group or leads it can change it.")
            named[key] = group.name
    name = context.name_of(body.student_id)
    where = f"to {named[body.target]}" if body.target is not None else f"out of {named[body.source or 0]}"
    said = f"{name} moved {where}"
    with context.runtime.store.writing(scores=False) as session:
        changes = kept.move_member(session, body.student_id, body.source, body.target, context.runtime.settings.today)
        return ActKept(id=note(session, "group", context.person.id, now(), said, changes), said=said)


@router.post("/proposals")
def propose(body: ProposalAsked, context: Make, scope: AskedScope) -> ProposalAnswer:
    """Groups proposed from the strands of the scope's test; nothing is kept."""
    for one in body.students:
        context.check_student(one)
    comparison, _ = context.of_students(scope.model_copy(update={"matched": False}))
    students, strands, scores = _strands(context, scope, comparison)
    if scores is None:
        raise BadInput("this test has no strand scores; choose one that has them")
    at = {student: place for place, student in enumerate(students)}
    wanted = list(dict.fromkeys(body.students))
    needs: FloatArray = np.full((len(wanted), len(strands)), np.nan)
    for row, student in enumerate(wanted):
        if student in at:
            needs[row] = scores.distance[at[student]]
    asked = AskedGroups(
        body.number, body.fewest, body.most, body.together, body.apart,
        {one.adult: one.slots for one in body.adults} or None, {one.student_id: one.slots for one in body.stays},
    )  # fmt: skip
    return proposed_groups(wanted, strands, needs, asked, context.names)


@router.post("/accepted")
def accept(body: Accepted, context: Make) -> ActKept:
    """Take a proposal over: all its groups are made and the others end, or nothing changes."""
    if body.last_day < body.first_day:
        raise BadInput("last_day: a group cannot end before it starts")
    for group in body.groups:
        for one in group.students:
            context.check_student(one)
    today = context.runtime.settings.today
    ending = [context.group(key) for key in body.instead_of]
    for old in ending:
        if not may_change(context, old):
            raise NotAllowed("Only who made this group or leads it can end it.")
    measure = (body.assessment, body.subject) if body.assessment and body.subject else None
    count = f"{len(body.groups)} group{'' if len(body.groups) == 1 else 's'}"
    said = f"{count} made from a proposal"
    with context.runtime.store.writing(scores=False) as session:
        changes = []
        for old in ending:
            changes += kept.remove_members(session, old.id, sorted(old.members), today)
            changes += kept.change(session, old.id, {"last_day": today})
        for group in body.groups:
            key, before = kept.make(
                session, name=group.name, focus=group.focus, measure=measure, adult_id=group.adult_id,
                first_day=body.first_day, last_day=body.last_day, made_by_id=context.person.id, slots=group.slot,
                fewest=body.fewest, most=body.most,
            )  # fmt: skip
            changes += before + kept.add_members(session, key, group.students, today, None)
        return ActKept(id=note(session, "group", context.person.id, now(), said, changes), said=said)
