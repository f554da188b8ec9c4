"""Follow-up: a group's students week by week, what the rule says, the help received; sessions and results entered."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.follow_up.given import shares_given
from bodkin.answers.follow_up.group import FollowUpAnswer
from bodkin.answers.follow_up.standings import decisions_due
from bodkin.answers.follow_up.weekly import Wild, wild_results
from bodkin.answers.words import plural
from bodkin.api.context import Context, need, now
from bodkin.api.following.groups import DECISIONS_HIDDEN, all_standings, followed
from bodkin.api.following.periods import AskedPeriod, days_of
from bodkin.api.parameters import Key, OneLine
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotFound
from bodkin.core.windows import day_words
from bodkin.policy.rights import Right
from bodkin.store.writes.follow_up.weekly import keep_results, keep_session
from bodkin.store.writes.groups import GroupRecord
from bodkin.store.writes.undo import note

router = Part(prefix="/follow-up", tags=["follow-up"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
Enter = Annotated[Context, Depends(need(Right.ENTER))]
Reason = Annotated[str, StringConstraints(strip_whitespace=True, max_length=255)]


class GroupLine(BaseModel):
    """A running group in one line."""

    id: int
    name: str
    focus: str
    adult: str | None
    n: int
    headline: str
    lead: str
    given: float | None = Field(description="minutes received by planned, over its students")
    attended: float | None = Field(description="sessions attended by held")
    due: int | None = Field(description="students who need a decision now; null where the role does not see that")


class SessionEntered(BaseModel):
    """A session of a group: how long it lasted, or why it was not held; ``away`` did not come."""

    model_config = ConfigDict(extra="forbid")

    day: date
    minutes: float = Field(ge=0, le=600, description="0: it was not held")
    away: list[Annotated[str, StringConstraints(max_length=64)]] = Field(default=[], max_length=300)
    note: Reason | None = None


class ResultsEntered(BaseModel):
    """One-minute results of a group on a day; ``sure``: those that are far from usual are meant so."""

    model_config = ConfigDict(extra="forbid")

    assessment: OneLine
    subject: OneLine
    day: date
    scores: dict[Annotated[str, StringConstraints(max_length=64)], Annotated[float, Field(ge=0, le=1000)]] = Field(
        min_length=1, max_length=300
    )
    sure: bool = False


class ResultsKept(BaseModel):
    """Results that were kept, with the key that undoes them; or those that are far from usual, and nothing kept."""

    id: int | None
    said: str
    wild: list[Wild]


class SessionKept(BaseModel):
    """A session that was kept; its key undoes it."""

    id: int
    said: str


@router.get("/groups")
def groups(context: Scores) -> list[GroupLine]:
    """The running groups that the person may know of, each with what is due."""
    standing = {one.id: one for one in all_standings(context)}
    decides, found = context.may(Right.TEAM), []
    for group in context.running_groups:
        own = standing[group.id]
        found.append(
            GroupLine(id=group.id, name=group.name, focus=group.focus, adult=group.adult, n=len(group.members),
                      headline=own.headline if decides else DECISIONS_HIDDEN, lead=own.lead,
                      due=sum(decisions_due(own.students)) if decides else None,
                      **shares_given([one.given for one in own.students]))
        )  # fmt: skip
    return found


OVERVIEW = ["group", "focus", "adult", "students", "due", "headline", "minutes_given", "attended"]


@router.get("/groups.{form}", response_class=Response, responses=TABLE_FILES)
def groups_file(form: Form, context: Export) -> Response:
    """The running groups as a spreadsheet; it names no student."""
    rows = [
        [one.name, one.focus, one.adult, one.n, one.due, one.headline, one.given, one.attended]
        for one in groups(context)
    ]
    return export_file(context, Table(OVERVIEW, rows, "Running groups"), "groups-followed", form)


@router.get("/groups/{group_id}")
def group(
    group_id: Key, context: Scores, period: AskedPeriod, assessment: str | None = None, subject: str | None = None
) -> FollowUpAnswer:
    """A group's students over a period (since the help began, where none is named), who needs a decision first."""
    measure = (assessment, subject) if assessment is not None and subject is not None else None
    return followed(context, context.group(group_id), *days_of(context, period), measure)


def _rows(answer: FollowUpAnswer) -> Sequence[list[object]]:
    return [
        [one.student_id, one.name, one.n, one.last_score, one.aim_now, one.goal, one.by, one.slope, one.slope_error,
         one.projected, one.act, one.confirmed, one.said, one.given.minutes, one.given.planned, one.given.attended,
         one.given.held, one.given.required]
        for one in answer.students
    ]  # fmt: skip


HEADER = [
    "student_id", "name", "n", "last_score", "aim_now", "goal", "by", "slope", "slope_error", "projected", "act",
    "confirmed", "says", "minutes", "planned_minutes", "attended", "held", "required_minutes",
]  # fmt: skip


@router.get("/groups/{group_id}/students.{form}", response_class=Response, responses=TABLE_FILES)
def group_file(
    group_id: Key, form: Form, context: Export, period: AskedPeriod, assessment: str | None = None,
    subject: str | None = None,
) -> Response:  # fmt: skip
    """A group's students over a period as a spreadsheet."""
    answer = group(group_id, context, period, assessment, subject)
    reach = context.export_reach
    rows = [row for row in _rows(answer) if reach is None or row[0] in reach]
    return export_file(context, Table(HEADER, rows), answer.name, form)


def _check_day(context: Context, group: GroupRecord, day: date) -> None:
    """Raise BadInput for a day to come, or before the group began."""
    today = context.today
    if not group.first_day <= day <= today:
        raise BadInput(f"day: choose a day from {day_words(group.first_day)} to {day_words(today)}")


@router.post("/groups/{group_id}/sessions")
def enter_session(group_id: Key, body: SessionEntered, context: Enter) -> SessionKept:
    """Keep a session of a group for everybody in it, or that it was not held; a day that is there is entered anew."""
    found = context.group(group_id)
    _check_day(context, found, body.day)
    if body.minutes == 0 and not body.note:
        raise BadInput("note: say why the session was not held")
    away = set(body.away)
    if away - found.members:
        raise NotFound("There is no such student.")
    there = {one: 0.0 if one in away or body.minutes == 0 else body.minutes for one in found.members}
    came = len(there) - len(away)
    said = f"Session of {found.name} on {day_words(body.day)} "
    said += f"kept: {came} of {len(there)} came, {body.minutes:g} minutes" if body.minutes else "kept as not held"
    with context.runtime.store.writing(scores=False) as session:
        changes = keep_session(session, group_id, body.day, body.minutes, body.note or None, there)
        act = note(session, "session", context.person.id, now(), said, changes)
    return SessionKept(id=act, said=said)


@router.post("/groups/{group_id}/results")
def enter_results(group_id: Key, body: ResultsEntered, context: Enter) -> ResultsKept:
    """Keep the one-minute results of a group; what is far from usual is asked about first, and nothing is kept."""
    found = context.group(group_id)
    _check_day(context, found, body.day)
    if set(body.scores) - found.members:
        raise NotFound("There is no such student.")
    measure = (body.assessment, body.subject)
    wild = [] if body.sure else wild_results(context.table, measure, body.day, body.scores, context.names)
    if wild:
        return ResultsKept(id=None, said="", wild=wild)
    n = len(body.scores)
    said = f"{plural(n, 'result')} in {body.assessment} on {day_words(body.day)} kept for {found.name}"
    with context.runtime.store.writing(scores=True) as session:
        changes = keep_results(session, measure, body.day, body.scores)
        act = note(session, "session", context.person.id, now(), said, changes, scores=True)
    return ResultsKept(id=act, said=said, wild=[])
