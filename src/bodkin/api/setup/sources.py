"""Setup: rostering services, fetched when asked to or every day at an hour."""

from datetime import datetime
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.api.context import Context, need
from bodkin.api.parameters import Key
from bodkin.api.progress import reporting_progress
from bodkin.api.routing import Part
from bodkin.api.setup import apart, drafts
from bodkin.api.setup.previews import BundleAnswer
from bodkin.core.errors import BodkinError
from bodkin.exchange.services.sources import fetch_from, file_name, utc_now
from bodkin.policy.rights import Right
from bodkin.store.writes import setup as sources

router = Part(prefix="/sources", tags=["sources"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]
Hour = Annotated[int | None, Field(ge=0, le=23)]


class SourceAnswer(BaseModel):
    """A rostering service; its secret stays here."""

    id: int
    name: str
    address: str
    client_id: str
    at_hour: int | None
    last_at: datetime | None
    last_outcome: str | None
    last_failed: bool | None


class NewSource(BaseModel):
    """A rostering service to add."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=160)
    address: str = Field(min_length=8, max_length=255)
    client_id: str = Field(min_length=1, max_length=160)
    client_secret: str = Field(min_length=1, max_length=255)
    at_hour: Hour = None


class Schedule(BaseModel):
    """When a service is fetched: the hour of every day; none: only when asked to."""

    model_config = ConfigDict(extra="forbid")

    at_hour: Hour


@router.get("")
def all_sources(context: Setup) -> list[SourceAnswer]:
    """Every rostering service by name."""
    return [
        SourceAnswer(
            id=one.id, name=one.name, address=one.address, client_id=one.client_id, at_hour=one.at_hour,
            last_at=one.last_at, last_outcome=one.last_outcome, last_failed=one.last_failed,
        )
        for one in sources.all_sources(context.session)
    ]  # fmt: skip


@router.post("", status_code=201)
def add(new: NewSource, context: Setup) -> None:
    """Add a rostering service."""
    with context.runtime.store.writing(scores=False) as session:
        sealed = context.runtime.settings.vault.seal(new.client_secret)
        sources.add_source(session, **{**new.model_dump(), "client_secret": sealed})


@router.post("/{source_id}/schedule", status_code=204)
def schedule(source_id: Key, body: Schedule, context: Setup) -> None:
    """Say when a service is fetched."""
    with context.runtime.store.writing(scores=False) as session:
        sources.change_source(session, source_id, at_hour=body.at_hour)


@router.post("/{source_id}/fetch")
def fetch_now(source_id: Key, context: Setup) -> BundleAnswer:
    """What the service has now and what bringing it in would do; it waits like any file."""
    source = sources.source(context.session, source_id)
    try:
        with reporting_progress(context) as progress:
            content = fetch_from(source, context.runtime.settings, progress)
    except BodkinError as error:
        with context.runtime.store.writing(scores=False) as session:
            sources.note_fetch(session, source.id, utc_now(), str(error), failed=True)
        raise
    with context.runtime.store.writing(scores=False) as session:
        sources.note_fetch(session, source.id, utc_now(), "Fetched; waiting for review.", failed=False)
    return apart.looked_at(context, [drafts.keep(context, file_name(source).replace("/", "_"), content)])


@router.delete("/{source_id}", status_code=204)
def remove(source_id: Key, context: Setup) -> None:
    """Forget a service; what came from it stays."""
    with context.runtime.store.writing(scores=False) as session:
        sources.remove_source(session, source_id)
