"""Home: what stands out in the round, in every subject of the test, and what happened since one was here last."""

from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from bodkin.answers.check.step import check_seen
from bodkin.answers.home.findings import Finding, GroupSeen, findings, measure_word
from bodkin.answers.home.worth_a_word import Words, together, worth_a_word
from bodkin.answers.scope.choices import in_reach, measures
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.parameters import AskedScope
from bodkin.api.rights import Right, may
from bodkin.exchange.imports.imports import history
from bodkin.store.writes.undo import past_acts

router = APIRouter(prefix="/home", tags=["home"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]

MOST = 8
FEWEST_LANGUAGE = 6
"""Students who did better in another language that are worth a sentence."""


class HomeFinding(Finding):
    """A finding with the measure it is about."""

    assessment: str
    subject: str
    measure: str


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


def _of_measure(context: Context, scope: Scope) -> tuple[list[HomeFinding], Words]:
    """What stands out in a measure, and who is worth a word."""
    comparison = context.work_out(scope).comparison
    groups = [
        GroupSeen(group.id, group.name, group.members)
        for group in context.groups()
        if (group.assessment, group.subject) == (scope.assessment, scope.subject)
    ]
    about: dict[str, Any] = {
        "assessment": scope.assessment,
        "subject": scope.subject,
        "measure": measure_word(comparison),
    }
    found = [HomeFinding(**dict(one), **about) for one in findings(comparison, groups)]
    today = context.runtime.settings.today
    check = check_seen(context.table, context.narrowed(scope), context.check_data(scope), context.names, today)
    for rushed in check.rushed[:2]:
        found.insert(
            0,
            HomeFinding(
                step="check", kind="fell", size=-rushed.fast / rushed.tested, n=rushed.fast,
                sentence=f"Class {rushed.section} hurried: {rushed.fast} of {rushed.tested} tests were too fast to"
                " believe.",
                detail=f"{rushed.school or 'No school'}, {check.window}.",
                scope={"section": [rushed.section], "school": [rushed.school] if rushed.school else []}, **about,
            ),
        )  # fmt: skip
    language = [one for one in check.languages if one.need == "language"]
    if len(language) >= FEWEST_LANGUAGE:
        found.append(
            HomeFinding(
                step="check", kind="fell", size=-len(language) / len(check.languages), n=len(language),
                sentence=f"{len(language)} of {len(check.languages)} students did better in {language[0].home} than in"
                " English by more than test error.",
                detail="There the need is one of language, not of skill.", scope={}, **about,
            )
        )  # fmt: skip
    apart = [one for one in check.doubts if one.both and one.section not in {r.section for r in check.rushed}]
    for one in apart[:2]:
        family, given = context.names.get(one.student_id, ("", ""))
        found.insert(
            0,
            HomeFinding(
                step="check", kind="fell", size=one.change or 0.0, n=1,
                sentence=f"{given} {family}: {one.score:.0f} after {one.last_score:.0f} is hard to believe.",
                detail=f"{one.why}.", scope={"student": [one.student_id]}, **about,
            ),
        )  # fmt: skip
    doubted = [one.student_id for one in check.doubts if one.both]
    return found, worth_a_word(comparison, context.names, doubted)


@router.get("")
def home(context: Scores, scope: AskedScope, since: datetime | None = None) -> HomeAnswer:
    """What stands out in the scope, over every subject of its test that has results at both windows."""
    scope = scope.model_copy(update={"by": None, "by2": None})
    others = [
        one.subject
        for one in measures(in_reach(context.table, context.reach))
        if one.assessment == scope.assessment and one.subject != scope.subject
    ]
    subjects = [scope, *(scope.model_copy(update={"subject": one, "strand": None}) for one in others)]
    each = [_of_measure(context, one) for one in subjects]
    found_all = [finding for found, _ in each for finding in found]
    order = {"check": 0, "compare": 1, "growth": 2, "groups": 3}
    fell = sorted((one for one in found_all if one.kind == "fell"), key=lambda one: (order[one.step], one.size))
    grew = sorted((one for one in found_all if one.kind == "grew"), key=lambda one: -one.size)
    words = together([words for _, words in each])
    return HomeAnswer(worth_a_look=fell[:MOST], celebrate=grew[:4], words=words, since=_since(context, since))


_TAKEN = {"done": "", "undone": " and undone"}


def _since(context: Context, since: datetime | None) -> list[Since]:
    """Imports and decisions since a moment, the latest first; imports for those who may set up."""
    if since is None:
        return []
    moment = since.astimezone(UTC).replace(tzinfo=None) if since.tzinfo else since
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
            for one in past_acts(context.session, whose)
            if one.at > moment and one.state == "done"
        ]
    return sorted(events, key=lambda one: one.at, reverse=True)[:MOST]
