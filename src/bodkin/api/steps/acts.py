"""Acts of every kind: the latest, and taking one back; the one address for undo."""

from datetime import datetime
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel

from bodkin.api.context import Context, need
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.core.errors import NotFound
from bodkin.policy.rights import UNDO, Right
from bodkin.policy.roles import require
from bodkin.store.writes.undo import kind_of, past_acts, students_of_acts, undo

router = Part(prefix="/acts", tags=["acts"])
SignedIn = Annotated[Context, Depends(need(Right.SIGNED_IN))]


class ActUndone(BaseModel):
    """An act that was taken back."""

    id: int
    said: str


class PastActAnswer(BaseModel):
    """An act of the history."""

    id: int
    kind: str
    said: str
    by: str | None
    at: datetime
    state: str


@router.get("")
def acts(context: SignedIn) -> list[PastActAnswer]:
    """The latest acts: one's own, or everybody's for a coach; of the kinds that one may take back."""
    whose = None if context.may(Right.UNDO_OF_OTHERS) else context.person.id
    kinds = [kind for kind, right in UNDO.items() if context.may(right)]
    return [
        PastActAnswer(id=one.id, kind=one.kind, said=one.said, by=one.by, at=one.at, state=one.state)
        for one in context.known_acts(past_acts(context.session, whose, kinds=kinds))
    ]


@router.post("/{key}/undo")
def take_back(key: Key, context: SignedIn) -> ActUndone:
    """Take an act back; a coach also another person's. What it changed is as it was before."""
    require(context.person, UNDO[kind_of(context.session, key)])
    if context.reach is not None and not students_of_acts(context.session, [key])[key] <= context.reach:
        raise NotFound("There is no such decision of yours.")
    # The service raises the version of the scores where the act did.
    with context.runtime.store.writing(scores=False) as session:
        said = undo(session, key, context.person.id, anybody_s=context.may(Right.UNDO_OF_OTHERS))
    return ActUndone(id=key, said=said)
