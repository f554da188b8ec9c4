"""Help given over a period: minutes and sessions by student, group, adult and school."""

from datetime import timedelta
from typing import Annotated

from fastapi import Depends, Response

from bodkin.answers.comparison.exports import Table
from bodkin.answers.follow_up.given import By, GivenAnswer, given_answer
from bodkin.answers.follow_up.progress import school_days, weeks_of_instruction
from bodkin.api.context import Context, need
from bodkin.api.following.groups import help_groups
from bodkin.api.following.periods import AskedPeriod, PeriodAsked, days_of
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.policy.rights import Right

router = Part(prefix="/follow-up/given", tags=["follow-up"])
Team = Annotated[Context, Depends(need(Right.TEAM))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]

AHEAD = timedelta(days=400)
"""How far ahead a day is looked for on which missing minutes are made up."""


def _given(context: Context, asked: PeriodAsked, by: By) -> GivenAnswer:
    today, calendar = context.today, context.table.calendar
    first, last = days_of(context, asked)
    begun = [group.first_day for group in context.running_groups]
    first, last = first or min(begun, default=today), min(last or today, today)
    if last < first:
        raise BadInput("last: a period cannot end before it starts")
    weeks = weeks_of_instruction(calendar)
    to_come = school_days(calendar, today + timedelta(days=1), today + AHEAD)
    return given_answer(
        help_groups(context, first, last, context.groups()), by, (first, last), weeks, to_come, context.names
    )


@router.get("")
def given(context: Team, period: AskedPeriod, by: By = "student") -> GivenAnswer:
    """Help given over a period (since the running groups began, where none is named), most missing first."""
    return _given(context, period, by)


HEADER = [
    "key", "value", "minutes", "planned", "share", "required", "short", "sessions", "not_held", "attended", "held",
    "made_up",
]  # fmt: skip


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def given_file(form: Form, context: Export, period: AskedPeriod, by: By = "student") -> Response:
    """Help given over a period as a spreadsheet."""
    answer, reach = _given(context, period, by), context.export_reach
    rows = [
        [getattr(one, name) for name in HEADER]
        for one in answer.rows
        if by != "student" or reach is None or one.key in reach
    ]
    header = ["student_id" if by == "student" else "key", *HEADER[1:]]
    return export_file(context, Table(header, rows, f"Help given by {by}"), f"help-given-{by}", form)
