"""Home: what stands out in the round, in every subject of the test, and what happened since one was here last."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel

from bodkin.answers.check.step import check_seen
from bodkin.answers.home.findings import GroupSeen, group_looks, unit_looks
from bodkin.answers.home.home import HomeFinding, MeasureSeen, home_answer
from bodkin.answers.home.sat_tests import SatTest, sat_tests
from bodkin.answers.home.worth_a_word import Words
from bodkin.answers.scope.choices import measures_met
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import answered
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.exchange.imports.imports import history
from bodkin.policy.rights import Right
from bodkin.store.writes.undo import past_acts

router = Part(prefix="/home", tags=["home"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]

MOST = 8


class Since(BaseModel):
    """Something that happened since."""

    at: datetime
    said: str
    path: str


class HomeAnswer(BaseModel):
    """What to look at first, what to be glad about, and what happened since the last visit."""

    worth_a_look: list[HomeFinding]
    celebrate: list[HomeFinding]
    words: Words
    since: list[Since]


def _seen(context: Context, scope: Scope) -> MeasureSeen:
    """A measure of the scope, with what Check found in it and its groups."""
    groups = [
        GroupSeen(group.id, group.name, group.members)
        for group in context.groups()
        if (group.assessment, group.subject) == (scope.assessment, scope.subject)
    ]
    today = context.today
    check = check_seen(context.table, context.narrowed(scope), context.check_data(scope), context.names, today)
    worked = context.work_out(scope)
    comparison = worked.comparison
    standards = context.standards_seen(comparison) if scope.strand is None else None
    looks = worked.kept.once("looks of units", lambda: unit_looks(comparison))
    helped = worked.kept.once(("looks of groups", *groups), lambda: group_looks(comparison, groups))
    return MeasureSeen(comparison, check, [*looks, *helped], standards, _tests(context, scope))


def _tests(context: Context, scope: Scope) -> list[SatTest]:
    """The common tests of the scope's subject that one's own students sat in its school year, worked out."""
    data, table = context.runtime.needs(context.session), context.table
    reach = context.students_for(scope.assessment, scope.subject)
    year = scope.second.school_year
    if not context.may(Right.EVERY_MEASURE):
        return sat_tests(table, data, scope.subject, year, reach)
    # The same for every view of the subject, so found once for all who reach the same students, and again only
    # once the rows of a common test change.
    marks = tuple(table.mark_of(test, scope.subject) for test in data.items["test"].unique(maintain_order=True))
    key = ("tests sat", scope.subject, year, marks, reach)
    return data.worked.once(key, lambda: sat_tests(table, data, scope.subject, year, reach))


@router.get("", response_model=HomeAnswer)
def home(context: Scores, scope: AskedScope, since: datetime | None = None) -> Response:
    """What stands out in the scope, over every subject of its test that has results at both windows."""
    return context.unless_known(lambda: answered(_home(context, scope, since)))


def _home(context: Context, scope: Scope, since: datetime | None) -> HomeAnswer:
    scope = scope.model_copy(update={"by": None, "by2": None})
    others = [
        subject
        for assessment, subject in measures_met(context.table, context.reach)
        if assessment == scope.assessment and subject != scope.subject
    ]
    subjects = [scope, *(scope.model_copy(update={"subject": one, "strand": None}) for one in others)]
    seen = home_answer([_seen(context, one) for one in subjects], context.names)
    return HomeAnswer(
        worth_a_look=seen.worth_a_look, celebrate=seen.celebrate, words=seen.words, since=_since(context, since)
    )


_TAKEN = {"done": "", "undone": " and undone"}


def _since(context: Context, since: datetime | None) -> list[Since]:
    """Imports and decisions since a moment, the latest first; imports for those who may set up."""
    if since is None:
        return []
    try:
        moment = since.astimezone(UTC).replace(tzinfo=None) if since.tzinfo else since
    except OverflowError:
        raise BadInput("since: this moment is beyond the calendar") from None
    events: list[Since] = []
    if context.may(Right.SETUP):
        events += [
            Since(
                at=one.at,
                said=f"{one.file} was {'undone' if one.state == 'undone' else 'imported'}.",
                path="setup",
            )
            for one in history(context.session)
            if one.at > moment
        ]
    if context.may(Right.ASK_RETEST):
        whose = None if context.may(Right.UNDO_OF_OTHERS) else context.person.id
        events += [
            Since(at=one.at, said=f"{one.said}.", path="check")
            for one in context.known_acts(past_acts(context.session, whose))
            if one.at > moment and one.state == "done"
        ]
    return sorted(events, key=lambda one: one.at, reverse=True)[:MOST]
