"""Did the help work: one group, or all of a kind, beside similar students and expected growth."""

from typing import Annotated

from fastapi import Depends, Response

from bodkin.answers.follow_up.helped import HelpedAnswer, helped_answer
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.following.helped import HelpKind, Kind, given_between, kind_helped, kinds_of_help
from bodkin.api.parameters import AskedScope, Key
from bodkin.api.responses import answered
from bodkin.api.routing import Part
from bodkin.policy.rights import Right

router = Part(prefix="/follow-up", tags=["follow-up"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Team = Annotated[Context, Depends(need(Right.TEAM))]


@router.get("/groups/{group_id}/helped", response_model=HelpedAnswer)
def did_it_help(group_id: Key, context: Scores, scope: AskedScope) -> Response:
    """A group beside similar students in the person's reach, in the group's own test, over the sentence's windows."""
    return context.unless_known(lambda: answered(_helped(context, group_id, scope)))


def _helped(context: Context, group_id: int, scope: Scope) -> HelpedAnswer:
    found = context.group(group_id)
    own = {"assessment": found.assessment, "subject": found.subject} if found.assessment and found.subject else {}
    comparison, _ = context.of_students(scope.over(None).model_copy(update={**own, "matched": True}))
    given, attended = given_between(context, scope, [found])
    return helped_answer(comparison, found.members, context.names, given=given, attended=attended)


@router.get("/helped/kinds")
def kinds(context: Team) -> list[HelpKind]:
    """Kinds of help among the groups that the person may know of: tiers, foci, adults."""
    return kinds_of_help(context)


@router.get("/helped", response_model=HelpedAnswer)
def did_a_kind_help(context: Team, scope: AskedScope, kind: Kind, value: str) -> Response:
    """All groups of a tier, a focus or an adult together, in the sentence's test and over its windows."""
    return context.unless_known(lambda: answered(kind_helped(context, scope, kind, value)))
