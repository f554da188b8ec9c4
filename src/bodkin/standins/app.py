"""The stand-ins as one small application on loopback, started beside the demo."""

import os
from functools import lru_cache
from pathlib import Path

import polars as pl
from fastapi import FastAPI

from bodkin.exchange.oneroster.files import read_package
from bodkin.standins.adaptive_test import adaptive_test
from bodkin.standins.rostering import rostering
from bodkin.standins.scanner import scanner

CLIENT_ID, CLIENT_SECRET = "bodkin-demo", "low-water-mark"


@lru_cache(maxsize=2)
def _roster(path: Path, _changed: float) -> dict[str, pl.DataFrame]:
    frames = read_package(path.name, path.read_bytes()).frames
    return {name: frame.drop("line").cast(pl.String) for name, frame in frames.items()}


def build(roster: Path) -> FastAPI:
    """The services; the roster is the OneRoster package at ``roster``, read anew when it changes."""
    app = FastAPI(title="Bodkin's stand-ins", docs_url=None, redoc_url=None, openapi_url=None)
    app.include_router(rostering(lambda: _roster(roster, roster.stat().st_mtime), CLIENT_ID, CLIENT_SECRET))
    app.include_router(adaptive_test())
    app.include_router(scanner())
    return app


def create_app() -> FastAPI:
    """The services as the server starts them: ``BODKIN_STANDIN_ROSTER`` says where the roster lies."""
    return build(Path(os.environ["BODKIN_STANDIN_ROSTER"]))
