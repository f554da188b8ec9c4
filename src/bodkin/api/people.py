"""Sign-in and sign-out, and who is signed in."""

import time
from collections import deque
from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response
from pwdlib import PasswordHash
from pydantic import BaseModel, ConfigDict, Field

from bodkin.api.context import COOKIE, SESSION_SECONDS, Context, NotSignedIn, get_runtime, need, signer
from bodkin.api.rights import Right, may, role_title
from bodkin.api.runtime import Runtime
from bodkin.store.reads.people import by_login

router = APIRouter(tags=["people"])
_hasher = PasswordHash.recommended()
# Checked where no such login exists, so that the time an answer takes tells nothing.
_NOBODY = _hasher.hash("nobody has this password")

TRIES, TRY_SECONDS = 8, 60.0
"""Failed sign-ins for one login before it has to wait, and for how long they count."""

_failed: dict[str, deque[float]] = {}


class SignIn(BaseModel):
    """Login and password."""

    model_config = ConfigDict(extra="forbid")
    login: str = Field(max_length=64)
    password: str = Field(max_length=256)


class Me(BaseModel):
    """The person signed in and what their role lets them do."""

    id: int
    name: str
    role: str
    role_title: str
    school: str | None
    may_make_groups: bool
    may_set_goals: bool
    may_export: bool
    may_set_up: bool
    today: str


def hash_password(password: str) -> str:
    """A password as it is kept (argon2)."""
    return _hasher.hash(password)


def _waiting(login: str) -> bool:
    tries = _failed.get(login)
    now = time.monotonic()
    while tries and now - tries[0] > TRY_SECONDS:
        tries.popleft()
    if tries is not None and not tries:
        del _failed[login]
    return tries is not None and len(tries) >= TRIES


@router.post("/sign-in", status_code=204)
def sign_in(body: SignIn, request: Request, runtime: Annotated[Runtime, Depends(get_runtime)]) -> Response:
    """Sign in; the session is a signed cookie that scripts cannot read."""
    if _waiting(body.login):
        raise NotSignedIn("Too many tries. Wait a minute, then try again.")
    with runtime.store.reading() as session:
        found = by_login(session, body.login)
    if not _hasher.verify(body.password, found[1] if found else _NOBODY) or found is None:
        _failed.setdefault(body.login, deque()).append(time.monotonic())
        raise NotSignedIn("Wrong login or password.")
    _failed.pop(body.login, None)
    response = Response(status_code=204)
    response.set_cookie(
        COOKIE, signer(runtime).dumps(found[0]), max_age=SESSION_SECONDS, httponly=True, samesite="strict",
        secure=request.url.scheme == "https",
    )  # fmt: skip
    return response


@router.post("/sign-out", status_code=204)
def sign_out() -> Response:
    """Sign out."""
    response = Response(status_code=204)
    response.delete_cookie(COOKIE)
    return response


@router.get("/me")
def me(context: Annotated[Context, Depends(need(Right.SIGNED_IN))]) -> Me:
    """Who is signed in."""
    person = context.person
    return Me(
        id=person.id,
        name=person.name,
        role=person.role,
        role_title=role_title(person.role),
        school=person.school,
        may_make_groups=may(person.role, Right.GROUPS_MAKE),
        may_set_goals=may(person.role, Right.GOALS_SET),
        may_export=may(person.role, Right.EXPORT_NAMES),
        may_set_up=may(person.role, Right.SETUP),
        today=context.runtime.settings.today.isoformat(),
    )
