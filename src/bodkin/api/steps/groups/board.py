"""The board of groups: moving students, proposing groups from strand needs, taking a proposal over."""

from datetime import date
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.norms.norms_and_cuts import Notes
from bodkin.answers.groups.board import BoardAnswer, BoardColumn, LowestStrands, board_answer
from bodkin.answers.groups.week import planned_minutes
from bodkin.answers.needs.strand_scores import StrandScores
from bodkin.answers.needs.strands import worked_strands
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope, Key
from bodkin.api.responses import answered
from bodkin.api.routing import Part
from bodkin.api.steps.groups.made import may_change
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.policy.rights import Right
from bodkin.store.writes import groups as kept
from bodkin.store.writes.undo import note

router = Part(prefix="/board", tags=["groups"])
See = Annotated[Context, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
MOST_GROUPS, MOST_STUDENTS = 40, 300
Id = Annotated[str, StringConstraints(max_length=64)]


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


def strands_of(
    context: Context, scope: Scope, comparison: Comparison
) -> tuple[list[str], list[str], StrandScores | None]:
    """Students of the scope, strands of its test, and the strand scores of each."""
    own = context.strands(scope)
    worked = worked_strands(comparison, own.names, context.table, own.table, None, Notes(), of_points=own.of_points)
    return worked.students["student_id"].to_list(), own.names, worked.now


def _needs(context: Context, scope: Scope, comparison: Comparison) -> tuple[list[str], list[LowestStrands]]:
    """Students of the scope, and the strand in which each stands lowest, where strands are known."""
    students, strands, scores = strands_of(context, scope, comparison)
    if scores is None:
        return students, []
    return students, [LowestStrands(strands, dict(zip(students, range(len(students)), strict=True)), scores.distance)]


@router.get("", response_model=BoardAnswer)
def board(context: See, scope: AskedScope, on: date | None = None) -> Response:
    """Who is in which group, and which of the scope's students are in none yet; ``on``: as it was on that day."""
    return context.unless_known(lambda: _board(context, scope, on))


def _board(context: Context, scope: Scope, on: date | None) -> Response:
    comparison, parts = context.of_students(scope)
    students, needs = _needs(context, scope, comparison)
    today = context.today
    columns = [
        BoardColumn(
            id=group.id, name=group.name, focus=group.focus, tier=group.tier, adult=group.adult,
            slots=list(group.slots), fewest=group.fewest, most=group.most,
            may_change=on is None and may_change(context, group), members=sorted(group.members),
            minutes=planned_minutes(group.slots, group.minutes, group.times_a_week),
            reasons={student: group.reasons[student] for student in group.members if student in group.reasons},
        )
        for group in context.groups(on)
        if on is not None or group.last_day >= today
    ]  # fmt: skip
    others = None
    if members := frozenset(student for column in columns for student in column.members):
        others, _ = context.of_students(scope.over(members).model_copy(update={"matched": False}))
        needs += _needs(context, scope, others)[1]
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
        changes = kept.move_member(session, body.student_id, body.source, body.target, context.today)
        return ActKept(id=note(session, "group", context.person.id, now(), said, changes), said=said)
