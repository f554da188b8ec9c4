"""Setup: tests with their norms and cuts, and the calendar."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.setup.measures import MeasureAnswer, MeasureLine, measure, measures
from bodkin.api.context import Context, need
from bodkin.api.routing import Part
from bodkin.exchange.plain.import_calendar import calendar_rows
from bodkin.policy.rights import Right
from bodkin.store.reads.assessments import KINDS, all_tests
from bodkin.store.writes.setup import change_test

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
