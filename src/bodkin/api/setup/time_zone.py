"""Setup: the time zone in which the district's days begin and end."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.api.context import Context, need, now
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.store.database import time_zone_of
from bodkin.store.day import zone_names
from bodkin.store.writes.setup import set_time_zone
from bodkin.store.writes.undo import note

router = Part(prefix="/time-zone", tags=["calendar"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]


class TimeZoneAnswer(BaseModel):
    """The district's time zone (null: that of the machine), the zones there are, and which day it is.

    ``pinned``: the day is set for good, as in the demo, whatever the time zone.
    """

    time_zone: str | None
    choices: list[str]
    today: date
    pinned: bool


class TimeZoneChange(BaseModel):
    """The time zone that a district is in; null: that of the machine."""

    model_config = ConfigDict(extra="forbid")
    time_zone: str | None = Field(max_length=64)


class TimeZoneKept(BaseModel):
    """A time zone that was set; ``id``: the act to undo."""

    id: int
    said: str


@router.get("")
def time_zone(context: Setup) -> TimeZoneAnswer:
    """The district's time zone and which day it is there."""
    return TimeZoneAnswer(
        time_zone=time_zone_of(context.session), choices=list(zone_names()), today=context.today,
        pinned=context.runtime.store.pinned is not None,
    )  # fmt: skip


@router.put("")
def change_time_zone(body: TimeZoneChange, context: Setup) -> TimeZoneKept:
    """Say in which time zone the district is: reach, groups and goals follow its days from the next question on."""
    said = f"Time zone: {body.time_zone or 'that of the server'}"
    with context.runtime.store.writing(scores=False) as session:
        before = set_time_zone(session, body.time_zone)
        return TimeZoneKept(id=note(session, "setting", context.person.id, now(), said, before), said=said)
