"""Sign-in and sign-out, who is signed in, one's own sessions and password."""

import secrets
from datetime import datetime
from typing import Annotated

from fastapi import Depends, Request, Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from bodkin.api.context import Context, NotSignedIn, get_runtime, need, now, session_of_request
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.api.runtime import Runtime
from bodkin.api.sign_in import (
    COOKIE,
    KNOWN_COOKIE,
    KNOWN_SECONDS,
    NOBODY,
    TooManyTries,
    buckets,
    check_new_password,
    known_browser,
    known_cookie,
    session_cookie,
)
from bodkin.core.errors import BadInput
from bodkin.policy.rights import Right
from bodkin.store.reads.people import by_login, password_of
from bodkin.store.writes import sign_in as kept

router = Part(tags=["people"])
SignedIn = Annotated[Context, Depends(need(Right.SIGNED_IN))]


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
    may_see_logs: bool
    may_decide: bool
    may_team: bool
    may_practice: bool
    may_make_pages: bool
    today: str


class SessionAnswer(BaseModel):
    """One of the person's sessions; ``this`` is the one that asks."""

    id: int
    made_at: datetime
    used_at: datetime
    browser: str
    this: bool


class NewPassword(BaseModel):
    """The password now, and the one to come."""

    model_config = ConfigDict(extra="forbid")
    now: str = Field(max_length=256)
    new: str = Field(max_length=256)


def _try(runtime: Runtime, login: str, address: str, known: str | None) -> list[int]:
    with runtime.store.noting_in_turn("tries to sign in") as session:
        keys, too_many = kept.note_try(session, buckets(login, address, known), now())
        if too_many:
            # What is refused unseen does not count, so that trying on locks nobody out for longer.
            kept.forget_tries(session, keys)
    if too_many:
        raise TooManyTries("Too many tries. Wait a minute, then try again.")
    return keys


def _forget(runtime: Runtime, keys: list[int]) -> None:
    with runtime.store.noting() as session:
        kept.forget_tries(session, keys)


def _found(runtime: Runtime, login: str) -> tuple[int, str] | None:
    with runtime.store.reading() as session:
        return by_login(session, login)


def _open(runtime: Runtime, person_id: int, browser: str, keys: list[int]) -> str:
    with runtime.store.noting() as session:
        kept.forget_tries(session, keys)
        return kept.open_session(session, person_id, browser, now())


@router.post("/sign-in", status_code=204)
async def sign_in(body: SignIn, request: Request, runtime: Annotated[Runtime, Depends(get_runtime)]) -> Response:
    """Sign in; the session is kept here and its cookie cannot be read by scripts."""
    settings, login = runtime.settings, body.login
    address = request.client.host if request.client else ""
    known = known_browser(settings, request.cookies.get(KNOWN_COOKIE, ""), login)
    keys = await run_in_threadpool(_try, runtime, login, address, known)
    found = await run_in_threadpool(_found, runtime, login)
    try:
        fits = await runtime.passwords.fits(body.password, found[1] if found else NOBODY)
    except BaseException:
        await run_in_threadpool(_forget, runtime, keys)
        raise
    if not fits or found is None:
        raise NotSignedIn("Wrong login or password.")
    browser = request.headers.get("user-agent", "")
    token = await run_in_threadpool(_open, runtime, found[0], browser, keys)
    response = Response(status_code=204)
    secure = request.url.scheme == "https"
    response.set_cookie(
        COOKIE, session_cookie(settings, token), max_age=int(kept.LONGEST.total_seconds()), httponly=True,
        samesite="strict", secure=secure,
    )  # fmt: skip
    response.set_cookie(
        KNOWN_COOKIE, known_cookie(settings, known or secrets.token_urlsafe(16), login), max_age=KNOWN_SECONDS,
        httponly=True, samesite="strict", secure=secure, path="/api/sign-in",
    )  # fmt: skip
    return response


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, runtime: Annotated[Runtime, Depends(get_runtime)]) -> Response:
    """Sign out: the session has ended, whoever still has its cookie."""
    with runtime.store.noting() as session:
        mine = session_of_request(request, runtime, session)
        if mine is not None:
            kept.end_session(session, mine.id, mine.person.id, now())
    response = Response(status_code=204)
    # Answers that the browser may keep while somebody is signed in do not stay on a machine that many use.
    response.headers["Clear-Site-Data"] = '"cache"'
    response.delete_cookie(COOKIE)
    return response


@router.get("/me")
def me(context: SignedIn) -> Me:
    """Who is signed in."""
    person = context.person
    return Me(
        id=person.id,
        name=person.name,
        role=person.role,
        role_title=context.role.title,
        school=person.school,
        may_make_groups=context.may(Right.GROUPS_MAKE),
        may_set_goals=context.may(Right.GOALS_SET),
        may_export=context.may(Right.EXPORT_NAMES),
        may_set_up=context.may(Right.SETUP),
        may_see_logs=context.may(Right.LOGS),
        may_decide=context.may(Right.DECIDE),
        may_team=context.may(Right.TEAM),
        may_practice=context.may(Right.PRACTICE),
        may_make_pages=context.may(Right.PAGES),
        today=context.today.isoformat(),
    )


@router.get("/me/sessions")
def sessions(context: SignedIn) -> list[SessionAnswer]:
    """Where the person is signed in, the latest first."""
    return [
        SessionAnswer(
            id=one.id, made_at=one.made_at, used_at=one.used_at, browser=one.browser, this=one.id == context.session_id
        )
        for one in kept.sessions_of(context.session, context.person.id, now())
    ]


@router.delete("/me/sessions/{key}", status_code=204)
def end_session(key: Key, context: SignedIn) -> None:
    """End one of the person's sessions."""
    with context.runtime.store.noting() as session:
        kept.end_session(session, key, context.person.id, now())


@router.delete("/me/sessions", status_code=204)
def end_other_sessions(context: SignedIn) -> None:
    """End all of the person's sessions but the one that asks."""
    with context.runtime.store.noting() as session:
        kept.end_sessions(session, context.person.id, now(), but=context.session_id)


@router.post("/me/password", status_code=204)
async def change_password(body: NewPassword, context: SignedIn) -> None:
    """Change one's own password; all other sessions of the person end."""
    person, runtime = context.person, context.runtime
    check_new_password(body.new, person.login)
    keys = await run_in_threadpool(_try, runtime, f"{person.login} password", "", None)
    old = await run_in_threadpool(password_of, context.session, person.id)
    if not await runtime.passwords.fits(body.now, old):
        raise BadInput("now: this is not your password")
    new = await runtime.passwords.hashed(body.new)

    def write() -> None:
        with runtime.store.noting() as session:
            kept.forget_tries(session, keys)
            kept.set_password(session, person.id, new)
            kept.end_sessions(session, person.id, now(), but=context.session_id)

    await run_in_threadpool(write)
