"""Proposals: groups asked for, followed while they are searched, moved by hand, compared, and taken over."""

import asyncio
from collections.abc import AsyncIterator, Sequence
from datetime import date
from typing import Annotated

import numpy as np
from fastapi import Depends
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison.step_answer import Names
from bodkin.answers.groups.arrangements import ArrangedGroup, ArrangementsAnswer, arrangements_answer
from bodkin.answers.groups.board import MOST_STUDENTS
from bodkin.answers.groups.measures import (
    MOST_STANDARDS,
    Kind,
    NeedPart,
    NeedTable,
    need_table,
    needs_from_standards,
)
from bodkin.answers.groups.proposal import AskedGroups, Grouping, MoveAnswer, ProposalAnswer, asked_grouping
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope, Key, OneLine
from bodkin.api.routing import Part
from bodkin.api.steps.groups.board import ActKept, Id, strands_of
from bodkin.api.steps.groups.made import Slot, Students, check_days, may_change
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.policy.rights import Right
from bodkin.store.reads.table.score_table import numbers_of
from bodkin.store.writes import groups as kept
from bodkin.store.writes.undo import note

router = Part(prefix="/board", tags=["groups"])
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
MOST_GROUPS = 40
LOOKS = 0.2
"""Seconds between two looks at a search."""


class By(BaseModel):
    """Something to group by: the strands of the sentence's test, standards by their codes, or its score."""

    model_config = ConfigDict(extra="forbid")

    kind: Kind = "strands"
    standards: list[Id] = Field(default=[], max_length=MOST_STANDARDS)


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
    number: int = Field(default=4, ge=1, le=MOST_GROUPS)
    by: list[By] = Field(default=[By()], min_length=1, max_length=3, description="what students are grouped by")
    foci: list[OneLine] = Field(default=[], max_length=MOST_GROUPS, description="the measure each group is for")
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
    reasons: dict[Id, OneLine] = Field(default={}, max_length=MOST_STUDENTS, description="why a student is in it")


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


class MoveAsked(BaseModel):
    """A student to be moved by hand in a proposal that was asked for; ``groups`` as they are now."""

    model_config = ConfigDict(extra="forbid")

    asked: ProposalAsked
    groups: Annotated[list[Students], Field(min_length=1, max_length=MOST_GROUPS)]
    slots: list[Slot | None] = Field(default=[], max_length=MOST_GROUPS)
    student_id: Id
    target: int = Field(ge=0, lt=MOST_GROUPS)


class Arranged(BaseModel):
    """A group of an arrangement."""

    model_config = ConfigDict(extra="forbid")

    name: OneLine
    students: Students
    minutes: float | None = Field(default=None, ge=0, le=3000)


class ArrangementsAsked(BaseModel):
    """Two arrangements to look at side by side."""

    model_config = ConfigDict(extra="forbid")

    by: list[By] = Field(default=[By()], min_length=1, max_length=3)
    before: list[Arranged] = Field(max_length=MOST_GROUPS)
    after: list[Arranged] = Field(max_length=MOST_GROUPS)


class ProposalLine(BaseModel):
    """One line of a search: the best so far, or the last word."""

    final: bool
    proposal: ProposalAnswer


def _part(context: Context, scope: Scope, by: By) -> NeedPart:
    """One thing to group by, of the scope's students in reach."""
    comparison, _ = context.of_students(scope)
    if by.kind == "strands":
        students, strands, scores = strands_of(context, scope, comparison)
        if scores is None:
            raise BadInput("this test has no strand scores; choose one that has them, or group by something else")
        return NeedPart("strands", strands, students, scores.distance)
    if by.kind == "score":
        side = "to" if comparison.students["to_score"].count() else "from"
        scores_of = numbers_of(comparison.students[f"{side}_score"])
        students = comparison.students["student_id"].to_list()
        return NeedPart("score", [f"{scope.assessment} score"], students, scores_of[:, None])
    seen = context.standards_seen(comparison)
    at = {standard: place for place, standard in enumerate(seen.mastery.standards)}
    if strange := [one for one in by.standards if one not in at]:
        raise BadInput(f'by: there is no standard "{strange[0]}" here')
    if not by.standards:
        raise BadInput("by: name the standards to group by")
    codes = np.asarray(seen.mastery.codes)[:, [at[one] for one in by.standards]]
    return NeedPart("standards", by.standards, seen.students["student_id"].to_list(), needs_from_standards(codes))


def _table(context: Context, scope: Scope, students: Sequence[str], by: Sequence[By]) -> NeedTable:
    """The needs of some students of the reader's. Raises NotFound for one out of reach."""
    for one in students:
        context.check_student(one)
    # Those who were asked about, whatever the sentence narrows to.
    own = scope.over(frozenset(students)).model_copy(update={"matched": False})
    return need_table(list(dict.fromkeys(students)), [_part(context, own, one) for one in by])


def _grouping(context: Context, scope: Scope, body: ProposalAsked) -> Grouping:
    asked = AskedGroups(
        body.number, body.fewest, body.most, body.together, body.apart,
        {one.adult: one.slots for one in body.adults} or None, {one.student_id: one.slots for one in body.stays},
        body.foci,
    )  # fmt: skip
    return asked_grouping(_table(context, scope, body.students, body.by), asked)


def _line(proposal: ProposalAnswer, *, final: bool) -> bytes:
    return ProposalLine(final=final, proposal=proposal).model_dump_json().encode() + b"\n"


async def _followed(grouping: Grouping, names: Names) -> AsyncIterator[bytes]:
    """The best so far, whenever it is better, and at last the last word. Who hangs up stops the search."""
    loop, found = asyncio.get_running_loop(), asyncio.Queue[ProposalAnswer]()

    def hand_on(better: ProposalAnswer) -> None:
        loop.call_soon_threadsafe(found.put_nowait, better)

    search = grouping.following(names, hand_on)
    work = loop.run_in_executor(None, grouping.search, names, search)
    try:
        while not work.done():
            try:
                better = await asyncio.wait_for(found.get(), LOOKS)
            except TimeoutError:
                continue
            while not found.empty():
                better = found.get_nowait()
            yield _line(better, final=False)
        yield _line(await work, final=True)
    finally:
        search.stop()


@router.post(
    "/proposals", response_class=StreamingResponse,
    responses={200: {"model": ProposalLine, "description": "A line of JSON for each better proposal."}},
)  # fmt: skip
async def propose(body: ProposalAsked, context: Make, scope: AskedScope) -> StreamingResponse:
    """Groups proposed from needs; nothing is kept. Lines of JSON, one for each better proposal, the last is final."""
    grouping = await asyncio.to_thread(_grouping, context, scope, body)
    return StreamingResponse(_followed(grouping, context.names), media_type="application/x-ndjson")


@router.post("/proposals/moves")
def move_in_proposal(body: MoveAsked, context: Make, scope: AskedScope) -> MoveAnswer:
    """What moving one student of a proposal by hand breaks and costs; nothing is kept."""
    grouping = _grouping(context, scope, body.asked)
    held = {student: at for at, group in enumerate(body.groups) for student in group}
    if body.target >= len(body.groups) or len(body.groups) != grouping.asked.groups:
        raise BadInput("target: there is no such group in this proposal")
    if missing := [one for one in grouping.table.students if one not in held]:
        raise BadInput(f"groups: {context.name_of(missing[0])} is in none of them")
    place = [held[one] for one in grouping.table.students]
    slots = body.slots or [None] * len(body.groups)
    return grouping.move(place, slots, body.student_id, body.target, context.names)


@router.post("/compared")
def compared(body: ArrangementsAsked, context: Make, scope: AskedScope) -> ArrangementsAnswer:
    """Two arrangements side by side: who moves, how near needs lie in each, adults' minutes."""
    before, after = (
        [ArrangedGroup(one.name, one.students, one.minutes) for one in side] for side in (body.before, body.after)
    )
    students = [student for group in (*before, *after) for student in group.students]
    return arrangements_answer(_table(context, scope, students, body.by), before, after, context.names)


@router.post("/accepted")
def accept(body: Accepted, context: Make) -> ActKept:
    """Take a proposal over: all its groups are made and the others end, or nothing changes."""
    check_days(body.first_day, body.last_day)
    for group in body.groups:
        for one in group.students:
            context.check_student(one)
    today = context.today
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
            about = {
                "name": group.name, "focus": group.focus, "adult_id": group.adult_id, "first_day": body.first_day,
                "last_day": body.last_day, "slots": group.slot, "fewest": body.fewest, "most": body.most,
            }  # fmt: skip
            key, before = kept.make(session, about, measure, context.person.id)
            changes += before + kept.add_members(session, key, group.students, today, group.reasons)
        return ActKept(id=note(session, "group", context.person.id, now(), said, changes), said=said)
