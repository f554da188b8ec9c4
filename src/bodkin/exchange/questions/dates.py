"""Days of a file that lie outside the school years Bodkin knows and the year to come."""

from datetime import date

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.exchange.questions.question import LEAVE, Answers, Choice, Item, Question, without_left
from bodkin.store.tables import SchoolYear

KEEP = "keep"
BEFORE, AFTER = 10, 1
"""School years back and ahead of today that are taken as known where no school year is."""


def _begins(year: str, first: date | None) -> date:
    return first or date(int(year[:4]), 8, 1)


def known_span(session: Session, today: date) -> tuple[date, date]:
    """The first day of the school years that are known and the last one of the year to come.

    A school year without days runs from August to July; without any the span is ten years back and one ahead.
    """
    years = [(name, first) for name, first in session.execute(select(SchoolYear.name, SchoolYear.first_day))]
    now = today.year if today.month >= 8 else today.year - 1
    if not years:
        return date(now - BEFORE, 8, 1), date(now + 1 + AFTER, 7, 31)
    latest = max(int(name[:4]) for name, _ in years)
    earliest = min(_begins(name, first) for name, first in years)
    return earliest, date(max(latest, now) + 1 + AFTER, 7, 31)


def last_year_known(session: Session, today: date) -> int:
    """The last calendar year that a day of a file can be of without anybody being asked."""
    return known_span(session, today)[1].year


def days_outside(session: Session, rows: pl.DataFrame, today: date) -> Question | None:
    """Days outside the known school years and the year to come."""
    first, last = known_span(session, today)
    columns = [name for name, kind in rows.schema.items() if kind == pl.Date]
    found: dict[str, list[int]] = {}
    for name in columns:
        outside = rows.filter(~pl.col(name).is_between(first, last).fill_null(value=True))
        for day, lines in outside.group_by(name, maintain_order=True).agg(pl.col("line")).sort(name).iter_rows():
            found.setdefault(f"{name} {day}", []).extend(lines)
    choices = (Choice(KEEP, "it is right"), Choice(LEAVE, "leave out"))
    items = [
        Item(
            key,
            f"{key.replace('_', ' ')} lies outside the school years known here",
            tuple(lines[:5]),
            len(lines),
            choices,
        )
        for key, lines in found.items()
    ]

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        return without_left(frame, answers, found)

    words = f"days before {first:%B} {first.day}, {first.year} or after {last:%B} {last.day}, {last.year}"
    return Question("day_outside", words, items, settle) if items else None
