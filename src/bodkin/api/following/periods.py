"""The period of Follow-up: days, a marking period or neither, as an address names it; practice as it is kept."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Annotated

import polars as pl
from fastapi import Depends

from bodkin.answers.follow_up.practice.seen import PeriodSeen, PracticeSeen, practice_seen, weekly_minutes
from bodkin.answers.follow_up.progress import school_days
from bodkin.api.context import Context
from bodkin.api.parameters import Key
from bodkin.core.errors import BadInput, NotFound
from bodkin.core.windows import day_words
from bodkin.policy.rights import Right
from bodkin.store.reads.practice_data import (
    ENTRIES,
    GOALS,
    PeriodRecord,
    load_practice,
    marking_periods,
    practice_goals,
)

BEFORE = timedelta(days=400)
"""How far back school days are counted for somebody who was last seen long ago."""


@dataclass(frozen=True, slots=True)
class PeriodAsked:
    """The period an address names: a marking period, days of one's own, or neither."""

    first: date | None
    last: date | None
    marking_period: int | None


def period_of(first: date | None = None, last: date | None = None, marking_period: Key | None = None) -> PeriodAsked:
    """The period of an address."""
    return PeriodAsked(first, last, marking_period)


AskedPeriod = Annotated[PeriodAsked, Depends(period_of)]


def days_of(context: Context, asked: PeriodAsked) -> tuple[date | None, date | None]:
    """The days of an asked period, None where nothing is named. Raises NotFound for an unknown marking period."""
    if asked.marking_period is None:
        return asked.first, asked.last
    for one in periods_of(context):
        if one.id == asked.marking_period:
            return one.first, one.last
    raise NotFound("There is no such marking period.")


def _around(periods: list[PeriodRecord], day: date) -> PeriodRecord | None:
    """The marking period of a day, or the latest before it."""
    begun = [one for one in periods if one.first <= day]
    return begun[-1] if begun else None


def looked_at(context: Context, asked: PeriodAsked) -> PeriodSeen:
    """The period that practice is looked at in: the one asked for, else the marking period of today.

    Days of one's own are held against their part of the goals of the marking period they end in. Raises BadInput
    for days that end before they begin or begin in the future, NotFound for an unknown marking period.
    """
    today, calendar = context.today, context.table.calendar
    periods = periods_of(context)
    first, last = days_of(context, asked)
    whole = _around(periods, min(last or today, today))
    if first is None and last is None and whole is not None:
        first, last = whole.first, whole.last
    first, last = first or today - timedelta(days=27), last or today
    if last < first:
        raise BadInput("last: a period cannot end before it starts")
    if first > today:
        raise BadInput("first: this period has not begun")
    days = school_days(calendar, min(first, today) - BEFORE, max(last, today))
    if whole is not None and (first, last) == (whole.first, whole.last):
        return PeriodSeen(first, last, today, days, whole.name, whole.name)
    name = f"{day_words(first)} to {day_words(last)}"
    if whole is None:
        return PeriodSeen(first, last, today, days, name, None)
    inside = len(school_days(calendar, first, last)) / max(1, len(school_days(calendar, whole.first, whole.last)))
    return PeriodSeen(first, last, today, days, name, whole.name, inside)


def periods_of(context: Context) -> list[PeriodRecord]:
    """Marking periods whose days are known, in their order."""
    return context.runtime.read(context.session, "marking periods", marking_periods)


def practice_of(context: Context) -> PracticeSeen:
    """Everybody's practice; none of it where the person's role does not see practice."""
    if not context.may(Right.PRACTICE):
        return practice_seen(pl.DataFrame(schema=ENTRIES))
    return context.runtime.practice(context.session)


def goals_held(context: Context, looked: PeriodSeen) -> pl.DataFrame:
    """The goals that a period is held against."""
    period = next((one.id for one in periods_of(context) if one.name == looked.goals_of), None)
    if period is None:
        return pl.DataFrame(schema=GOALS)
    return context.runtime.read(context.session, ("goals", period), lambda session: practice_goals(session, period))


def practice_by_week(context: Context, student: str) -> dict[date, float]:
    """Minutes of practice of a student by the Monday of the week, over all that is kept; nobody else's is read."""
    if not context.may(Right.PRACTICE):
        return {}
    own = practice_seen(load_practice(context.session, student))
    return weekly_minutes(own, [student], date.min, date.max).get(student, {})
