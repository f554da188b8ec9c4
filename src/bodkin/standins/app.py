"""The stand-ins as one small application on loopback, started beside the demo."""

import os
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache
from pathlib import Path

import polars as pl
from fastapi import FastAPI

from bodkin.exchange.oneroster.files import read_package
from bodkin.standins.adaptive_test import adaptive_test
from bodkin.standins.mailbox import Mailbox, listening, mailbox
from bodkin.standins.rostering import rostering
from bodkin.standins.scanner import scanner

CLIENT_ID, CLIENT_SECRET = "bodkin-demo", "low-water-mark"


@lru_cache(maxsize=2)
def _roster(path: Path, _changed: float) -> dict[str, pl.DataFrame]:
    frames = read_package(path.name, path.read_bytes()).frames
    return {name: frame.drop("line").cast(pl.String) for name, frame in frames.items()}


def build(roster: Path, mail_port: int | None = None) -> FastAPI:
    """The services; the roster is the OneRoster package at ``roster``, read anew when it changes.

    ``mail_port``: where the mailbox takes messages; without one it takes none.
    """
    box = Mailbox()

    @asynccontextmanager
    async def life(_app: FastAPI) -> AsyncIterator[None]:
        server = listening(box, mail_port) if mail_port is not None else None
        yield
        if server is not None:
            server.stop()

    app = FastAPI(title="Bodkin's stand-ins", lifespan=life, docs_url=None, redoc_url=None, openapi_url=None)
    app.include_router(mailbox(box))
    app.include_router(rostering(lambda: _roster(roster, roster.stat().st_mtime), CLIENT_ID, CLIENT_SECRET))
    app.include_router(adaptive_test())
    app.include_router(scanner())
    return app


def create_app() -> FastAPI:
    """The services as the server starts them: ``BODKIN_STANDIN_ROSTER`` is where the roster lies, ``_MAIL`` a port."""
    port = os.environ.get("BODKIN_STANDIN_MAIL")
    return build(Path(os.environ["BODKIN_STANDIN_ROSTER"]), int(port) if port else None)
