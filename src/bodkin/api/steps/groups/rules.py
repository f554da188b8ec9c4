"""What groups' rules say after a window, adults' weeks, and the minutes that a tier requires."""

from datetime import date
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison.exports import Table
from bodkin.answers.groups.membership import MembershipAnswer, membership_answer
from bodkin.answers.groups.week import WeekAnswer, WeekGroup, week_answer
from bodkin.api.context import Context, need, now
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.store.writes import groups as kept
from bodkin.store.writes.undo import note

router = Part(prefix="/board", tags=["groups"])
See = Annotated[Context, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
Setup = Annotated[Context, Depends(need(Right.SETUP))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


class Required(BaseModel):
    """Minutes of help a week that a tier requires; none takes the rule away."""

    model_config = ConfigDict(extra="forbid")

    tier: int = Field(ge=1, le=9)
    minutes: float | None = Field(gt=0, le=3000)


class RequiredKept(BaseModel):
    """A rule that was kept; its key undoes it, empty where nothing changed."""

    id: int | None
    said: str


@router.get("/rules")
def rules(context: Make) -> MembershipAnswer:
    """Who has met the exit rule of a group, and who meets an entry rule and is in no such group."""
    return membership_answer(context.membership(), context.names)


@router.get("/rules.{form}", response_class=Response, responses=TABLE_FILES)
def rules_file(form: Form, context: Export) -> Response:
    """What the rules say as a spreadsheet, a row a group and student."""
    reach = context.export_reach
    rows = [
        [check.name, said, one.student_id, one.name]
        for check in membership_answer(context.membership(), context.names).groups
        for said, students in (("meets the exit rule", check.leaves), ("waits for a place", check.waits),
                               ("no result for the exit rule yet", check.unknown))
        for one in students
        if reach is None or one.student_id in reach
    ]  # fmt: skip
    return export_file(context, Table(["group", "rule", "student_id", "name"], rows), "rules", form)


@router.get("/week")
def week(context: See) -> WeekAnswer:
    """Every adult's week over running groups: places left, double bookings, minutes against what is required."""
    groups = [
        WeekGroup(
            group.id, group.name, tuple(name for name in (group.adult, group.second_adult) if name), group.slots,
            len(group.members), group.most if group.whole else None, group.tier, group.times_a_week, group.minutes,
        )
        for group in context.running_groups
    ]  # fmt: skip
    return week_answer(groups, kept.required_minutes(context.session))


@router.put("/required-minutes")
def require(body: Required, context: Setup) -> RequiredKept:
    """Set the minutes of help a week that a tier requires, or drop the rule."""
    said = (
        f"Tier {body.tier} requires {body.minutes:g} minutes a week" if body.minutes else f"Tier {body.tier}: no rule"
    )
    with context.runtime.store.writing(scores=False) as session:
        changes = kept.require_minutes(session, body.tier, body.minutes)
        act = note(session, "group", context.person.id, now(), said, changes) if changes else None
    return RequiredKept(id=act, said=said)


@router.get("/week.{form}", response_class=Response, responses=TABLE_FILES)
def week_file(form: Form, context: Export) -> Response:
    """Adults' weeks as a spreadsheet, a row a meeting."""
    found = week(context)
    rows = [
        [adult.adult, one.name, one.slot, one.n, one.left, "yes" if one.twice else "no"]
        for adult in found.adults
        for one in adult.meetings
    ]
    header = ["adult", "group", "slot", "students", "places_left", "double_booked"]
    return export_file(context, Table(header, rows), "week", form)


@router.get("/members.{form}", response_class=Response, responses=TABLE_FILES)
def members_file(form: Form, context: Export, on: date | None = None) -> Response:
    """Who is in which group, today or as it was on a day, a row a student and group."""
    reach = context.export_reach
    header = ["group", "focus", "tier", "adult", "second_adult", "slots", "student_id", "name"]
    rows = [
        [group.name, group.focus, group.tier, group.adult, group.second_adult, "; ".join(group.slots), student,
         context.name_of(student)]
        for group in (context.running_groups if on is None else context.groups(on))
        for student in sorted(group.members if reach is None else group.members & reach)
    ]  # fmt: skip
    return export_file(context, Table(header, rows), "groups", form)
