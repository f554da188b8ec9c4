"""A client of the application without a network, on one event loop for all of them."""

import asyncio
from functools import cache
from multiprocessing.util import Finalize

import anyio.from_thread
import httpx


@cache
def _portal() -> anyio.from_thread.BlockingPortal:
    running = anyio.from_thread.start_blocking_portal()
    portal = running.__enter__()
    Finalize(None, running.__exit__, (None, None, None), exitpriority=1)
    return portal


class _OnTheLoop(httpx.BaseTransport):
    """Hands a whole question to the application on the loop and takes the whole answer, in one go."""

    def __init__(self, app, raise_server_exceptions, client) -> None:
        self._app, self._raise, self._client = app, raise_server_exceptions, client

    def _scope(self, request):
        url = request.url
        return {
            "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": request.method,
            "scheme": url.scheme, "path": url.path, "raw_path": url.raw_path.split(b"?")[0], "query_string": url.query,
            "root_path": "", "headers": [(key.lower(), value) for key, value in request.headers.raw],
            "server": (url.host, url.port), "client": self._client,
        }  # fmt: skip

    async def _answer(self, scope, content):
        unread, answered, sent = [content], asyncio.Event(), []

        async def receive():
            if unread:
                return {"type": "http.request", "body": unread.pop(), "more_body": False}
            await answered.wait()
            return {"type": "http.disconnect"}

        async def send(message):
            sent.append(message)
            if message["type"] == "http.response.body" and not message.get("more_body"):
                answered.set()

        try:
            await self._app(scope, receive, send)
        except Exception:
            if self._raise or not sent:
                raise
        return sent

    def handle_request(self, request):
        start, *parts = _portal().call(self._answer, self._scope(request), request.read())
        content = b"".join(part.get("body", b"") for part in parts if part["type"] == "http.response.body")
        return httpx.Response(start["status"], headers=start["headers"], stream=httpx.ByteStream(content))


class TestClient(httpx.Client):
    """As FastAPI's own, which goes to the event loop and back seven times for each request.

    ``raise_server_exceptions``: whether an error of the application that it does not handle is raised here.
    """

    __test__ = False

    def __init__(
        self, app, *, base_url="http://testserver", raise_server_exceptions=True, client=("testclient", 50_000),
        cookies=None,
    ) -> None:  # fmt: skip
        self.app = app
        super().__init__(
            base_url=base_url, transport=_OnTheLoop(app, raise_server_exceptions, client), follow_redirects=True,
            headers={"user-agent": "testclient"}, cookies=cookies,
        )  # fmt: skip
