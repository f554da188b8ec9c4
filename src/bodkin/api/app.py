"""The application: routers, errors, and the client's files."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import cache
from threading import Thread
from typing import Any

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse, JSONResponse, Response
from starlette.routing import BaseRoute

from bodkin import __version__
from bodkin.api import errors, people
from bodkin.api.access.assets import Assets
from bodkin.api.access.guard import Guard
from bodkin.api.routing import API
from bodkin.api.runtime import Runtime
from bodkin.api.setup import imports, logs, measures, sittings, sources, start, tables, watching
from bodkin.api.setup.schedule import Clock
from bodkin.api.steps import (
    acts,
    check,
    compare,
    compare_views,
    figures,
    goals,
    growth,
    home,
    remarks,
    scope,
    views,
)
from bodkin.api.steps.follow_up import daily, given, groups, helped, practice, team, two
from bodkin.api.steps.groups import board, made, proposals, rules
from bodkin.api.steps.needs import entries, items, material, standards, strands
from bodkin.api.steps.share import log as pages_log
from bodkin.api.steps.share import pages, report
from bodkin.api.steps.student import card, documents, notes, whole_page
from bodkin.store.database import Store
from bodkin.store.settings import Settings, from_environment

PARTS = (
    people,
    scope,
    home,
    check,
    compare,
    compare_views,
    views,
    remarks,
    growth,
    goals,
    strands,
    standards,
    items,
    entries,
    material,
    acts,
    notes,
    documents,
    pages,
    pages_log,
    report,
    whole_page,
    card,
    made,
    board,
    proposals,
    rules,
    groups,
    given,
    helped,
    practice,
    two,
    team,
    daily,
    imports,
    sources,
    sittings,
    tables,
    measures,
    logs,
    start,
    watching,
    figures,
)
"""Modules with a router each."""
REFUSALS: dict[int | str, dict[str, Any]] = {
    code: {"model": errors.ErrorBody} for code in (400, 401, 403, 404, 408, 409, 413, 422, 429, 502, 503)
}


@cache
def _interface() -> list[BaseRoute]:
    """The routes of every part. They hold nothing of one application, and take half a second to make: once a process.

    Tests build hundreds of applications.
    """
    router = APIRouter()
    for part in PARTS:
        router.include_router(part.router, prefix=API, responses=REFUSALS)
    return router.routes


def build(settings: Settings, store: Store) -> FastAPI:
    """The application over a store."""
    runtime = Runtime(settings, store)
    clock = Clock(store, settings, runtime.let_go)

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        clock.start()
        Thread(target=runtime.warm, daemon=True).start()
        yield
        clock.stop()

    app = FastAPI(
        title="Bodkin", lifespan=life, version=__version__, docs_url=None, redoc_url=None,
        openapi_url=None, separate_input_output_schemas=False, routes=[*_interface()],
    )  # fmt: skip
    app.state.runtime = runtime
    errors.register(app)
    app.add_middleware(Guard, runtime=runtime)
    assets = settings.client / "assets"
    if assets.is_dir():
        app.mount("/assets", Assets(directory=assets))

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        """Every address that is not the interface's opens the client, which reads the address."""
        if path.startswith(f"{API[1:]}/"):
            return JSONResponse({"code": "not_found", "message": "There is no such address.", "faults": []}, 404)
        if path in ("favicon.svg",) and (settings.client / path).is_file():
            return FileResponse(settings.client / path)
        index = settings.client / "index.html"
        if not index.is_file():
            return JSONResponse({"code": "error", "message": "The client is not built.", "faults": []}, 503)
        return FileResponse(index, headers={"Cache-Control": "no-cache"})

    return app


def create_app() -> FastAPI:
    """The application as the server starts it, from the environment."""
    settings = from_environment()
    return build(settings, Store(settings.database_url, settings.pinned))
