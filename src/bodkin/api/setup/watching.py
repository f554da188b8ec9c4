"""Setup: the watched folder, when it is looked at, and its files that need a person."""

import re
from datetime import datetime
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.api.context import Context, need
from bodkin.api.routing import Part
from bodkin.api.setup import apart, drafts
from bodkin.api.setup.previews import BundleAnswer
from bodkin.core.errors import BadInput
from bodkin.exchange.imports.bundles import files_in
from bodkin.exchange.services import watched
from bodkin.policy.rights import Right
from bodkin.store.settings import ROOT

router = Part(prefix="/watched", tags=["watched"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]


class WaitingFileAnswer(BaseModel):
    """A file of the watched folder that needs a person, and why."""

    name: str
    why: str
    at: datetime


class WatchedAnswer(BaseModel):
    """The watched folder, the hour of the day in which it is looked at (none: at any time), and what waits."""

    folder: str
    at_hour: int | None
    waiting: list[WaitingFileAnswer]


class WatchedHour(BaseModel):
    """When the folder is looked at."""

    model_config = ConfigDict(extra="forbid")
    at_hour: int | None = Field(default=None, ge=0, le=23)


@router.get("")
def watched_folder(context: Setup) -> WatchedAnswer:
    """The watched folder and what in it needs a person."""
    settings = context.runtime.settings
    return WatchedAnswer(
        folder=str(
            settings.incoming.relative_to(ROOT) if settings.incoming.is_relative_to(ROOT) else settings.incoming
        ),
        at_hour=watched.hour(context.runtime.store),
        waiting=[WaitingFileAnswer(name=one.name, why=one.why, at=one.at) for one in watched.waiting_files(settings)],
    )


@router.put("/hour", status_code=204)
def set_hour(body: WatchedHour, context: Setup) -> None:
    """Say in which hour of the day the folder is looked at."""
    watched.set_hour(context.runtime.store, body.at_hour)


@router.post("/{name}")
def take_on(name: str, context: Setup) -> BundleAnswer:
    """Look at a waiting file as if it had been chosen here; it waits no longer there once it can be read."""
    content = watched.waiting_content(context.runtime.settings, name)
    parts, left = files_in(name, content)
    waiting = [drafts.keep(context, re.sub(r"[^\w.() -]", "_", part)[-120:], data) for part, data in parts]
    try:
        answer = apart.looked_at(context, waiting, left)
    except BadInput:
        for draft in waiting:
            draft.drop()
        raise
    watched.give_up(context.runtime.settings, name)
    return answer


@router.delete("/{name}", status_code=204)
def leave_out(name: str, context: Setup) -> None:
    """Do not bring a waiting file in; it stays in the folder of what is done."""
    watched.give_up(context.runtime.settings, name)
