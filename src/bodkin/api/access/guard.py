"""What every request passes first: a known host, a sign-in before a body is read, sizes and times, safe headers."""

import asyncio
import logging
import re
import time
import traceback
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from sqlalchemy.exc import SQLAlchemyError
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from bodkin.api.context import NotSignedIn, session_of_request
from bodkin.api.errors import answer_for, refused
from bodkin.api.runtime import Runtime
from bodkin.core.errors import BodkinError
from bodkin.policy.rights import Right
from bodkin.policy.roles import require

API = "/api/"
OPEN = frozenset({"/api/sign-in", "/api/sign-out"})
"""Addresses that take a body from somebody who is not signed in."""
LARGEST_BODY = 4 * 1024 * 1024
LARGEST_OPEN_BODY = 16 * 1024
MEGABYTE = 1024 * 1024
UPLOADS = {
    "/api/imports/preview": (Right.SETUP, 210 * MEGABYTE),
    "/api/students/documents": (Right.DOCUMENTS, 20 * MEGABYTE + 64 * 1024),
}
"""Addresses that take files: the right to send some, and the largest body."""
CHUNK_SECONDS, BODY_SECONDS, SLOWEST = 15.0, 30.0, 50_000
"""Longest wait for the next part of a body; time for a body, and bytes a second that win it more."""

SAFE = {
    # Everything ships with the application; nothing may come from or go anywhere else.
    "Content-Security-Policy": "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}
DAY = "Bodkin-Day"
"""The day of an answer: a client that sees another one than before asks everything anew."""
HSTS = "max-age=31536000"
ASSETS, FOR_EVER = "/assets/", "public, max-age=31536000, immutable"
"""The client's files carry a mark of their content in their names, so a browser need never ask for one again."""

_log = logging.getLogger("bodkin")


def _host_of(request: Request) -> str:
    """The name that was asked for, without its port."""
    return re.sub(r":\d+$", "", request.headers.get("host", "").lower())


def note_failure(error: Exception, request: Request) -> None:
    """Write what went wrong where, without values: an SQL error would hold names of children."""
    where = "".join(traceback.format_tb(error.__traceback__)[-6:])
    said = type(error).__name__ if isinstance(error, SQLAlchemyError) else f"{type(error).__name__}: {error}"
    number = getattr(getattr(error, "orig", None), "args", [""])[:1]
    _log.error("%s %s failed: %s %s\n%s", request.method, request.url.path, said, number, where)


class Guard:
    """Wraps the application; answers by itself what must not come further."""

    def __init__(self, app: ASGIApp, runtime: Runtime) -> None:
        self._app = app
        self._runtime = runtime

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or refuse it."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        request = Request(scope)
        begun = False

        async def safely(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                _make_safe(message, request)
                if day := getattr(request.state, "day", None):
                    MutableHeaders(scope=message).setdefault(DAY, day.isoformat())
            await send(message)

        try:
            refusal = await self._refusal(request)
            if refusal is not None:
                await refusal(scope, receive, safely)
                return
            await self._app(scope, _Body(receive, self._most(request)), safely)
        except Exception as error:
            note_failure(error, request)
            if begun:
                # Too late for another answer: the connection ends, and the server's own log learns no values.
                raise RuntimeError("the answer broke off") from None
            await answer_for(error)(scope, receive, safely)

    async def _refusal(self, request: Request) -> Response | None:
        """Why a request is refused before it is read; None where it may go on."""
        if _host_of(request) not in self._runtime.settings.hosts:
            return refused(400, "wrong_host", "This Bodkin does not go by that name. See --trusted-host.")
        said = request.headers.get("content-length")
        if said is not None and not said.isdigit():
            return refused(400, "bad_input", "The length of the request is no number.")
        path = request.url.path
        if not path.startswith(API) or path in OPEN or request.method in ("GET", "HEAD", "OPTIONS"):
            return self._too_large(request)
        try:
            found = await run_in_threadpool(self._signed_in, request)
            if path in UPLOADS:
                require(found.person, UPLOADS[path][0])
        except BodkinError as error:
            return _closing(answer_for(error))
        request.state.session = found
        return self._too_large(request)

    def _signed_in(self, request: Request) -> Any:
        with self._runtime.store.reading() as session:
            found = session_of_request(request, self._runtime, session)
        if found is None:
            raise NotSignedIn("Please sign in.")
        return found

    def _most(self, request: Request) -> int:
        path = request.url.path
        if path in UPLOADS:
            return UPLOADS[path][1]
        return LARGEST_OPEN_BODY if path in OPEN or request.method in ("GET", "HEAD") else LARGEST_BODY

    def _too_large(self, request: Request) -> Response | None:
        most = self._most(request)
        if int(request.headers.get("content-length", 0)) <= most:
            return None
        return _closing(refused(413, "too_large", too_large(most)))


def too_large(most: int) -> str:
    """What somebody is told who sends more than is taken."""
    size = f"{most // MEGABYTE} MB" if most >= MEGABYTE else f"{most // 1024} kB"
    return f"This is too large: at most {size} are taken at once."


def _closing(response: JSONResponse) -> JSONResponse:
    # What was not read must not be taken for the next request.
    response.headers["Connection"] = "close"
    return response


def _make_safe(message: MutableMapping[str, Any], request: Request) -> None:
    headers = MutableHeaders(scope=message)
    for name, value in SAFE.items():
        headers.setdefault(name, value)
    if request.url.scheme == "https":
        headers.setdefault("Strict-Transport-Security", HSTS)
    if request.url.path.startswith(API):
        headers.setdefault("Cache-Control", "no-store")
    elif request.url.path.startswith(ASSETS) and message["status"] in (200, 206, 304):
        headers.setdefault("Cache-Control", FOR_EVER)


class _Body:
    """The parts of a body as they come: no more than ``most`` bytes, and none that takes for ever."""

    def __init__(self, receive: Callable[[], Awaitable[Message]], most: int) -> None:
        self._receive = receive
        self._most = most
        self._size = 0
        self._began = time.monotonic()
        self._over = False

    async def __call__(self) -> Message:
        if self._over:
            # After the body comes nothing but the end of the connection, which may take its time.
            return await self._receive()
        left = BODY_SECONDS + self._size / SLOWEST - (time.monotonic() - self._began)
        try:
            message = await asyncio.wait_for(self._receive(), max(0.0, min(CHUNK_SECONDS, left)))
        except TimeoutError:
            raise HTTPException(408, "The request came too slowly.", {"Connection": "close"}) from None
        self._size += len(message.get("body", b""))
        self._over = message["type"] != "http.request" or not message.get("more_body", False)
        if self._size > self._most:
            raise HTTPException(413, too_large(self._most), {"Connection": "close"})
        return message
