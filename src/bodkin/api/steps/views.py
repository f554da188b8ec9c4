"""Scopes kept by name and shared by link, and what one looked at lately."""

from datetime import UTC, datetime
from typing import Annotated, Literal
from urllib.parse import parse_qsl, urlencode

from fastapi import Depends, Path
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.step_answer import display_name
from bodkin.api.context import Context, need
from bodkin.api.parameters import NO_CONTROLS, Key, OneLine
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.policy.rights import Right
from bodkin.policy.roles import ROLES
from bodkin.store.reads.people import who_sign_in
from bodkin.store.writes.logs import opened_lately
from bodkin.store.writes.views import (
    SavedScopeRecord,
    change_scope,
    forget_scope,
    keep_scope,
    saved_scope,
    saved_scopes,
    share_scope,
)

router = Part(prefix="/views", tags=["views"])
Mine = Annotated[Context, Depends(need(Right.SIGNED_IN))]
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Name = OneLine
Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=255, pattern=NO_CONTROLS)]
ViewKey = Annotated[str, Path(max_length=32)]
Code = Annotated[str, StringConstraints(max_length=20)]
Step = Literal["check", "compare", "growth", "needs", "groups", "follow-up", "share"]


class SavedView(BaseModel):
    """A view kept by name; ``mine`` is false for one that somebody shared, whose readers are not told."""

    key: str
    name: str
    line: str | None
    step: str
    query: str
    favourite: bool
    mine: bool
    by: str
    people: list[int]
    roles: list[str]


class NewView(BaseModel):
    """A view to keep: a step and the part of its address that holds the scope."""

    model_config = ConfigDict(extra="forbid")
    name: Name
    line: Line | None = None
    step: Step
    query: Annotated[str, StringConstraints(min_length=1, max_length=8000)]


class ViewChange(BaseModel):
    """What changes about a view; what is left out stays. ``people`` and ``roles`` are all it is shared with."""

    model_config = ConfigDict(extra="forbid")
    name: Name | None = None
    line: Line | None = None
    favourite: bool | None = None
    people: Annotated[list[Key], Field(max_length=200)] | None = None
    roles: Annotated[list[Code], Field(max_length=40)] | None = None


class Reader(BaseModel):
    """Somebody a view can be shared with."""

    id: int
    name: str
    role: str


class ReaderRole(BaseModel):
    """A role that a view can be shared with, and all who have it as people say it."""

    role: str
    everybody: str


class Readers(BaseModel):
    """Whom a view can be shared with."""

    people: list[Reader]
    roles: list[ReaderRole]


class LatelyOpened(BaseModel):
    """A student one opened lately."""

    student_id: str
    name: str


def _view(context: Context, kept: SavedScopeRecord) -> SavedView:
    mine = kept.person_id == context.person.id
    return SavedView(
        key=kept.key, name=kept.name, line=kept.line, step=kept.step, favourite=mine and kept.favourite, mine=mine,
        query=kept.query if mine else _within_reach(context, kept.query), by=kept.person,
        people=list(kept.people) if mine else [], roles=list(kept.roles) if mine else [],
    )  # fmt: skip


def _within_reach(context: Context, query: str) -> str:
    """The address of a view without students whom the reader may not know of."""
    reach = context.reach
    pairs = parse_qsl(query, keep_blank_values=True)
    kept = [(name, value) for name, value in pairs if name != "student" or reach is None or value in reach]
    if len(kept) < len(pairs) and not any(name == "student" for name, _ in kept):
        # All its students are out of reach: it shows nobody, and not everybody.
        kept.append(("student", ""))
    return urlencode(kept)


@router.get("")
def mine(context: Mine) -> list[SavedView]:
    """One's own views, favourites first, then those that others share with one."""
    return [_view(context, kept) for kept in saved_scopes(context.session, context.person)]


@router.post("", status_code=201)
def keep(context: Mine, body: NewView) -> SavedView:
    """Keep a view by name."""
    me = context.person.id
    with context.runtime.store.noting() as session:
        at = datetime.now(UTC).replace(tzinfo=None)
        key = keep_scope(
            session, me, name=body.name, line=body.line or None, step=body.step, query=body.query.lstrip("?"), at=at,
        )  # fmt: skip
        return _view(context, saved_scope(session, key, context.person))


@router.get("/readers")
def readers(context: Mine) -> Readers:
    """Everybody a view can be shared with, and every role."""
    people = [
        Reader(id=key, name=name, role=role)
        for key, name, role in who_sign_in(context.session)
        if key != context.person.id
    ]
    return Readers(people=people, roles=[ReaderRole(role=key, everybody=one.everybody) for key, one in ROLES.items()])


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
def one(key: ViewKey, context: Mine) -> SavedView:
    """A view of one's own, or one that is shared with one; what it shows is what the reader may see."""
    return _view(context, saved_scope(context.session, key, context.person))


@router.patch("/{key}")
def change(key: ViewKey, context: Mine, body: ViewChange) -> SavedView:
    """Rename a view, make it a favourite, say whom it is shared with."""
    me = context.person.id
    values = {name: getattr(body, name) for name in body.model_fields_set}
    if missing := sorted(name for name, value in values.items() if value is None and name != "line"):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    if strange := [role for role in body.roles or () if role not in ROLES]:
        raise BadInput(f'roles: "{strange[0]}" is no role; choose among {", ".join(ROLES)}')
    shared = {name: values.pop(name) for name in ("people", "roles") if name in values}
    with context.runtime.store.noting() as session:
        change_scope(session, key, me, values)
        if shared:
            before = saved_scope(session, key, context.person)
            share_scope(session, key, me, shared.get("people", before.people), shared.get("roles", before.roles))
        return _view(context, saved_scope(session, key, context.person))


@router.delete("/{key}", status_code=204)
def forget(key: ViewKey, context: Mine) -> None:
    """Forget a view of one's own."""
    with context.runtime.store.noting() as session:
        forget_scope(session, key, context.person.id)
