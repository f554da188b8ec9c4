"""Setup: tests with their norms and cuts, the calendar, and the time zone in which its days begin and end."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.setup.measures import MeasureAnswer, MeasureLine, measure, measures
from bodkin.api.context import Context, need, now
from bodkin.api.routing import Part
from bodkin.exchange.plain.import_calendar import calendar_rows
from bodkin.policy.rights import Right
from bodkin.store.database import time_zone_of
from bodkin.store.day import zone_names
from bodkin.store.reads.assessments import KINDS, all_tests
from bodkin.store.writes.setup import change_test, set_time_zone
from bodkin.store.writes.undo import note

router = Part(tags=["measures"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]


class TestAnswer(MeasureAnswer):
    """A test in a subject with what it is: its kind, and the group whose norms its norms are."""

    kind: str
    norm_group: str | None
    kinds: list[str]


class TestChange(BaseModel):
    """What a test is, as somebody says."""

    model_config = ConfigDict(extra="forbid")

    assessment: str
    subject: str
    kind: str
    norm_group: str | None = Field(default=None, max_length=160)


class CalendarRow(BaseModel):
    """A school year, window or closure; days that are not known are empty."""

    kind: str
    name: str
    first_day: date | None
    last_day: date | None


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


@router.get("/measures")
def all_measures(context: Setup) -> list[MeasureLine]:
    """Every test in every subject that anything is known of."""
    return measures(context.table)


@router.get("/measures/one")
def one_measure(context: Setup, assessment: str, subject: str) -> TestAnswer:
    """Norms and cuts of one test in one subject, and what is missing or wrong."""
    answer = measure(context.table, assessment, subject)
    kept = all_tests(context.session)[assessment, subject]
    return TestAnswer(**dict(answer), kind=kept.kind, norm_group=kept.norm_group, kinds=list(KINDS))


@router.post("/measures/one", status_code=204)
def change_measure(change: TestChange, context: Setup) -> None:
    """Say what kind a test is and whose norms it has."""
    with context.runtime.store.writing(scores=True) as session:
        change_test(session, change.assessment, change.subject, kind=change.kind, norm_group=change.norm_group or None)


@router.get("/calendar")
def calendar(context: Setup) -> list[CalendarRow]:
    """School years, windows and closures."""
    return [
        CalendarRow(kind=kind, name=name, first_day=first, last_day=last)
        for kind, name, first, last in calendar_rows(context.session)
    ]


@router.get("/calendar/time-zone")
def time_zone(context: Setup) -> TimeZoneAnswer:
    """The district's time zone and which day it is there."""
    return TimeZoneAnswer(
        time_zone=time_zone_of(context.session), choices=list(zone_names()), today=context.today,
        pinned=context.runtime.store.pinned is not None,
    )  # fmt: skip


@router.put("/calendar/time-zone")
def change_time_zone(body: TimeZoneChange, context: Setup) -> TimeZoneKept:
    """Say in which time zone the district is: reach, groups and goals follow its days from the next question on."""
    said = f"Time zone: {body.time_zone or 'that of the server'}"
    with context.runtime.store.writing(scores=False) as session:
        before = set_time_zone(session, body.time_zone)
        return TimeZoneKept(id=note(session, "setting", context.person.id, now(), said, before), said=said)
