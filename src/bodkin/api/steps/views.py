"""Scopes kept by name and shared by link, and what one looked at lately."""

from datetime import UTC, datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.answers.comparison.step_answer import display_name
from bodkin.api.context import Context, need
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput
from bodkin.store.writes.views import (
    SavedScopeRecord,
    change_scope,
    forget_scope,
    keep_scope,
    opened_lately,
    saved_scope,
    saved_scopes,
)

router = APIRouter(prefix="/views", tags=["views"])
Mine = Annotated[Context, Depends(need(Right.SIGNED_IN))]
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160)]
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=255)]
Step = Literal["check", "compare", "growth", "needs", "groups", "follow-up", "share"]


class SavedView(BaseModel):
    """A view kept by name; ``mine`` is false for one that somebody shared."""

    id: int
    name: str
    line: str | None
    step: str
    query: str
    favourite: bool
    shared: bool
    mine: bool
    by: str


class NewView(BaseModel):
    """A view to keep: a step and the part of its address that holds the scope."""

    model_config = ConfigDict(extra="forbid")
    name: Name
    line: Line | None = None
    step: Step
    query: Annotated[str, StringConstraints(min_length=1, max_length=8000)]
    shared: bool = False


class ViewChange(BaseModel):
    """What changes about a view; what is left out stays."""

    model_config = ConfigDict(extra="forbid")
    name: Name | None = None
    line: Line | None = None
    favourite: bool | None = None
    shared: bool | None = None


class LatelyOpened(BaseModel):
    """A student one opened lately."""

    student_id: str
    name: str


def _view(kept: SavedScopeRecord, person_id: int) -> SavedView:
    return SavedView(
        id=kept.id, name=kept.name, line=kept.line, step=kept.step, query=kept.query, favourite=kept.favourite,
        shared=kept.shared, mine=kept.person_id == person_id, by=kept.person,
    )  # fmt: skip


@router.get("")
def mine(context: Mine) -> list[SavedView]:
    """One's own views, favourites first."""
    return [_view(kept, context.person.id) for kept in saved_scopes(context.session, context.person.id)]


@router.post("", status_code=201)
def keep(context: Mine, body: NewView) -> SavedView:
    """Keep a view by name."""
    me = context.person.id
    with context.runtime.store.noting() as session:
        at = datetime.now(UTC).replace(tzinfo=None)
        key = keep_scope(
            session, me, name=body.name, line=body.line or None, step=body.step, query=body.query.lstrip("?"),
            shared=body.shared, at=at,
        )  # fmt: skip
        return _view(saved_scope(session, key, me), me)


@router.get("/lately")
def lately(context: Scores) -> list[LatelyOpened]:
    """Students one opened lately and may still know of."""
    reach, names = context.reach, context.names
    return [
        LatelyOpened(student_id=student, name=display_name(names, student))
        for student in opened_lately(context.session, context.person.id)
        if reach is None or student in reach
    ]


@router.get("/{key}")
def one(key: int, context: Mine) -> SavedView:
    """A view of one's own, or one that is shared; what it shows is what the reader may see."""
    return _view(saved_scope(context.session, key, context.person.id), context.person.id)


@router.patch("/{key}")
def change(key: int, context: Mine, body: ViewChange) -> SavedView:
    """Rename a view, make it a favourite, share it or stop sharing it."""
    me = context.person.id
    values = {name: getattr(body, name) for name in body.model_fields_set}
    if missing := sorted(name for name, value in values.items() if value is None and name != "line"):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    with context.runtime.store.noting() as session:
        change_scope(session, key, me, values)
        return _view(saved_scope(session, key, me), me)


@router.delete("/{key}", status_code=204)
def forget(key: int, context: Mine) -> None:
    """Forget a view of one's own."""
    with context.runtime.store.noting() as session:
        forget_scope(session, key, context.person.id)
