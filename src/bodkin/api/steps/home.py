"""Home: what stands out in the round, in every subject of the test, and what happened since one was here last."""

from datetime import UTC, datetime
from typing import Annotated

import polars as pl
from fastapi import APIRouter, Depends
from pydantic import BaseModel

from bodkin.answers.check.step import check_seen
from bodkin.answers.comparison.measures.common_tests import FIRST_LINE, latest_sittings
from bodkin.answers.home.findings import GroupSeen, unit_looks
from bodkin.answers.home.home import HomeFinding, MeasureSeen, home_answer
from bodkin.answers.home.worth_a_word import Words
from bodkin.answers.needs.item_analysis import TestAnalysis, analyse
from bodkin.answers.scope.choices import in_reach, measure_names
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.parameters import AskedScope
from bodkin.api.rights import Right, may
from bodkin.core.errors import BadInput
from bodkin.exchange.imports.imports import history
from bodkin.store.writes.undo import past_acts

router = APIRouter(prefix="/home", tags=["home"])
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
    today = context.runtime.settings.today
    check = check_seen(context.table, context.narrowed(scope), context.check_data(scope), context.names, today)
    worked = context.work_out(scope)
    comparison = worked.comparison
    standards = context.standards_seen(comparison) if scope.strand is None else None
    looks = worked.kept.once("looks of units", lambda: unit_looks(comparison))
    return MeasureSeen(comparison, check, groups, standards, _tests(context, scope), looks)


def _tests(context: Context, scope: Scope) -> list[tuple[TestAnalysis, str, str]]:
    """The common tests of the scope's subject that one's own students sat in its school year, worked out."""
    data = context.runtime.needs(context.session)
    reach = context.students_for(scope.assessment, scope.subject)
    mine = in_reach(context.table, reach).filter(pl.col("line") >= FIRST_LINE, pl.col("subject") == scope.subject)
    found = []
    for (test, window), rows in mine.group_by("assessment", "window", maintain_order=True):
        if window is None or not str(window).startswith(scope.second.school_year):
            continue
        sat = rows.select("student_id", "tested_on")
        answers = data.answers.filter(pl.col("test") == test).join(
            sat, on=["student_id", "tested_on"], how="semi", nulls_equal=True
        )
        found.append((analyse(data, str(test), among=latest_sittings(answers)), scope.subject, str(window)))
    return found


@router.get("")
def home(context: Scores, scope: AskedScope, since: datetime | None = None) -> HomeAnswer:
    """What stands out in the scope, over every subject of its test that has results at both windows."""
    scope = scope.model_copy(update={"by": None, "by2": None})
    others = [
        subject
        for assessment, subject in measure_names(in_reach(context.table, context.reach))
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
    role = context.person.role
    if may(role, Right.SETUP):
        events += [
            Since(
                at=one.at,
                said=f"{one.file} was {'undone' if one.state == 'undone' else 'imported'}.",
                path="setup",
            )
            for one in history(context.session)
            if one.at > moment
        ]
    if may(role, Right.ASK_RETEST):
        whose = None if role == "coach" else context.person.id
        events += [
            Since(at=one.at, said=f"{one.said}.", path="check")
            for one in context.known_acts(past_acts(context.session, whose))
            if one.at > moment and one.state == "done"
        ]
    return sorted(events, key=lambda one: one.at, reverse=True)[:MOST]
