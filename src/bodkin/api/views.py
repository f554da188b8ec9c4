"""Scopes kept by name and shared by link, and what one looked at lately."""

from datetime import UTC, datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.answers.steps import display_name
from bodkin.api.asking import Asking, need
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput
from bodkin.store.views import Kept, change_scope, forget_scope, keep_scope, opened_lately, saved_scope, saved_scopes

router = APIRouter(prefix="/views", tags=["views"])
Mine = Annotated[Asking, Depends(need(Right.SIGNED_IN))]
Scores = Annotated[Asking, Depends(need(Right.SCORES))]
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


def _told(kept: Kept, person_id: int) -> SavedView:
    return SavedView(
        id=kept.id, name=kept.name, line=kept.line, step=kept.step, query=kept.query, favourite=kept.favourite,
        shared=kept.shared, mine=kept.person_id == person_id, by=kept.person,
    )  # fmt: skip


@router.get("")
def mine(asking: Mine) -> list[SavedView]:
    """One's own views, favourites first."""
    return [_told(kept, asking.person.id) for kept in saved_scopes(asking.session, asking.person.id)]


@router.post("", status_code=201)
def keep(asking: Mine, told: NewView) -> SavedView:
    """Keep a view by name."""
    me = asking.person.id
    with asking.desk.store.noting() as session:
        at = datetime.now(UTC).replace(tzinfo=None)
        key = keep_scope(
            session, me, name=told.name, line=told.line or None, step=told.step, query=told.query.lstrip("?"),
            shared=told.shared, at=at,
        )  # fmt: skip
        return _told(saved_scope(session, key, me), me)


@router.get("/lately")
def lately(asking: Scores) -> list[LatelyOpened]:
    """Students one opened lately and may still know of."""
    reach, names = asking.reach, asking.names
    return [
        LatelyOpened(student_id=student, name=display_name(names, student))
        for student in opened_lately(asking.session, asking.person.id)
        if reach is None or student in reach
    ]


@router.get("/{key}")
def one(key: int, asking: Mine) -> SavedView:
    """A view of one's own, or one that is shared; what it shows is what the reader may see."""
    return _told(saved_scope(asking.session, key, asking.person.id), asking.person.id)


@router.patch("/{key}")
def change(key: int, asking: Mine, told: ViewChange) -> SavedView:
    """Rename a view, make it a favourite, share it or stop sharing it."""
    me = asking.person.id
    values = {name: getattr(told, name) for name in told.model_fields_set}
    if missing := sorted(name for name, value in values.items() if value is None and name != "line"):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    with asking.desk.store.noting() as session:
        change_scope(session, key, me, values)
        return _told(saved_scope(session, key, me), me)


@router.delete("/{key}", status_code=204)
def forget(key: int, asking: Mine) -> None:
    """Forget a view of one's own."""
    with asking.desk.store.noting() as session:
        forget_scope(session, key, asking.person.id)
