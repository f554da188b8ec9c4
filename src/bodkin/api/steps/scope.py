"""The scope line and the rail: what can be looked at, and one live line per step."""

from dataclasses import replace
from datetime import date, datetime, time
from typing import Annotated

from fastapi import Depends, Query, Response
from pydantic import BaseModel

from bodkin.answers.check.step import CheckLine, check_line
from bodkin.answers.comparison.step_answer import common_parts
from bodkin.answers.comparison.summary_parts import LeftOut
from bodkin.answers.home.needs_findings import NeedsLine, needs_line
from bodkin.answers.home.rail import FollowLine, GroupsLine, RailStep, rail
from bodkin.answers.scope.choices import Choices, FirstScope, choices, first_scope
from bodkin.answers.scope.sentence import Piece
from bodkin.api.context import Context, need, now
from bodkin.api.following.groups import decisions
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import answered
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.store.database import versions
from bodkin.store.reads.table.load import strand_names
from bodkin.store.writes.pages import students_with_pages

router = Part(prefix="/scope", tags=["scope"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]


class GroupChoice(BaseModel):
    """A group as a filter."""

    id: int
    name: str
    n: int


class ScopeChoices(Choices):
    """Everything a scope can be made of for this person."""

    group: list[GroupChoice]


class First(BaseModel):
    """The scope a person meets first; empty where there are no results in reach."""

    scope: FirstScope | None


WORKING = CheckLine(line="…", finding="Looking at every sitting …")
"""The line of Check while it is worked out."""
WORKING_NEEDS = NeedsLine(line="…", finding="Looking at what is held …")


class Rail(BaseModel):
    """The scope's sentence, whom it covers, and the seven steps with their live lines."""

    steps: list[RailStep]
    pieces: list[Piece]
    covered: int
    left_out: list[LeftOut]
    data_version: int


@router.get("/choices", response_model=ScopeChoices)
def scope_choices(
    context: Scores,
    assessment: str | None = None,
    subject: str | None = None,
    year: Annotated[list[str] | None, Query()] = None,
) -> Response:
    """What can be chosen for a measure in the school years looked at."""
    measure = (assessment, subject) if assessment is not None and subject is not None else None
    return context.unless_known(lambda: answered(_choices(context, measure, year or [])))


def _choices(context: Context, measure: tuple[str, str] | None, years: list[str]) -> ScopeChoices:
    answer = choices(context.table, context.reach, measure, years, context.today)
    strands = strand_names(context.session)
    common = set(context.runtime.needs(context.session).items["test"].unique())
    for one in answer.measures:
        one.strands = strands.get((one.assessment, one.subject), [])
        one.common = one.assessment in common
    groups = [GroupChoice(id=g.id, name=g.name, n=len(g.members)) for g in context.groups()]
    return ScopeChoices(**answer.model_dump(), group=groups)


@router.get("/first")
def first(context: Scores) -> First:
    """The scope this person meets first."""
    return First(scope=first_scope(context.table, context.reach, context.today))


SEEN_WITH = {"follow-up": Right.TEAM, "share": Right.PAGES}
"""Steps whose line says nothing without a right: that nobody needs a decision would be another statement."""


@router.get("/rail")
def live_lines(context: Scores, scope: AskedScope, quick: bool = False) -> Rail:
    """The rail for a scope; ``quick`` leaves the lines that look at every sitting open."""
    today = context.today
    groups = GroupsLine(len(context.running_groups), "")
    hidden = [path for path, right in SEEN_WITH.items() if not context.may(right)]
    worked = context.work_out(scope.model_copy(update={"by": None}))
    parts = common_parts(worked.comparison, worked.summary.counts, worked.summary.notes, versions(context.session)[0])
    wanted = {name: parts[name] for name in Rail.model_fields if name in parts}
    check, needs, follow = WORKING, WORKING_NEEDS, None
    if not quick:
        check = check_line(context.table, context.narrowed(scope), context.check_data(scope), context.names, today)
        needs = needs_line(context.standards_seen(worked.comparison), None)
        groups = replace(groups, rules=context.membership().line)
        follow = FollowLine(*due) if (due := decisions(context)) is not None else None
    begun = context.table.calendar.windows.get(scope.to_window)
    # The log has the day of the clock, which in the demo lies before the day that is taken for today.
    since = datetime.combine(min(begun[0], now().date()) if begun else date.min, time())
    made = students_with_pages(context.session, since)
    mine = len(made & set(worked.comparison.students["student_id"].to_list())) if made else 0
    return Rail(steps=rail(worked.summary, groups, check, needs, follow, mine, hidden), **wanted)


@router.get("/rail/without-scope")
def quiet_lines(context: Scores) -> Rail:
    """The rail where there are no results yet."""
    version = versions(context.session)[0]
    return Rail(
        steps=rail(None, GroupsLine(0, ""), follow=FollowLine(0, 0, 0)),
        pieces=[],
        covered=0,
        left_out=[],
        data_version=version,
    )
