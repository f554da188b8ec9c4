"""Serves the application on loopback; a connection that does not finish its request in time is closed."""

import argparse
import asyncio
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

REQUEST_SECONDS = 20.0
"""Longest time from the first byte of a request, or from the connection, to the end of its headers."""


class PatientProtocol(H11Protocol):
    """HTTP/1.1 whose patience ends: uvicorn's own waits for ever for the rest of half-sent headers."""

    _deadline: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._watch()

    def data_received(self, data: bytes) -> None:
        """Take what came, and wait on where a request is not whole yet."""
        super().data_received(data)
        self._watch()

    def connection_lost(self, exc: Exception | None) -> None:
        """Stop waiting."""
        self._stop_watch()
        super().connection_lost(exc)

    @property
    def _between_requests(self) -> bool:
        return self.cycle is None or self.cycle.response_complete

    def _watch(self) -> None:
        if not self._between_requests:
            self._stop_watch()
        elif self._deadline is None:
            self._deadline = self.loop.call_later(REQUEST_SECONDS, self._too_slow)

    def _stop_watch(self) -> None:
        if self._deadline is not None:
            self._deadline.cancel()
            self._deadline = None

    def _too_slow(self) -> None:
        self._deadline = None
        if self._between_requests and not self.transport.is_closing():
            self.transport.close()


def main() -> None:
    """Serve until told to stop."""
    words = argparse.ArgumentParser()
    words.add_argument("--port", type=int, required=True)
    words.add_argument("--reload-dir")
    words.add_argument("--behind-proxy", action="store_true")
    given = words.parse_args()
    uvicorn.run(
        "bodkin.api.app:create_app", factory=True, host="127.0.0.1", port=given.port, http=PatientProtocol,
        log_level="warning", server_header=False, reload=given.reload_dir is not None,
        reload_dirs=[given.reload_dir] if given.reload_dir else None,
        # Only a proxy of this machine may say on whose behalf it asks.
        proxy_headers=given.behind_proxy, forwarded_allow_ips="127.0.0.1",
    )  # fmt: skip


if __name__ == "__main__":
    main()
