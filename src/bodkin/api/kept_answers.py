"""Answers as they were written last, kept while the data stay as they are: many people ask the same thing again."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock

from fastapi.responses import Response

MOST_BYTES = 64_000_000
"""So much is kept in all; what was asked for longest ago goes first."""
LARGEST = MOST_BYTES // 3
"""A larger answer is not kept."""


class KeptAnswers:
    """Bodies of JSON answers by what was asked, by whom, at which version of the data."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most = most_bytes
        self._bodies: OrderedDict[Hashable, bytes] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def once(self, key: Hashable, make: Callable[[], Response]) -> Response:
        """The answer kept under a key, else the one that is made; made twice rather than waited for."""
        with self._lock:
            body = self._bodies.get(key)
            if body is not None:
                self._bodies.move_to_end(key)
        if body is not None:
            return Response(body, media_type="application/json")
        made = make()
        body = bytes(made.body)
        if len(body) <= min(LARGEST, self._most):
            with self._lock:
                self._bytes += len(body) - len(self._bodies.pop(key, b""))
                self._bodies[key] = body
                while self._bytes > self._most:
                    self._bytes -= len(self._bodies.popitem(last=False)[1])
        return made

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._bodies.clear()
            self._bytes = 0
