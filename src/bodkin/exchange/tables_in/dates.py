"""Dates as other systems write them: which ways of writing fit a file, and reading them without guessing."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

import polars as pl

OWN = "%Y-%m-%d"
_TIME = r"^(.*\d)[T ]\s*\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*(?:[AaPp]\.?[Mm]\.?)?\s*(?:Z|UTC|[+-]\d{2}:?\d{2})?$"
"""A time of the day behind a date: a date with a time is that date."""

DAY_FORMATS: dict[str, str] = {
    OWN: "year-month-day",
    "%m/%d/%Y": "month/day/year",
    "%d/%m/%Y": "day/month/year",
    "%m/%d/%y": "month/day/year of two digits",
    "%d/%m/%y": "day/month/year of two digits",
    "%d.%m.%Y": "day.month.year",
    "%d.%m.%y": "day.month.year of two digits",
    "%Y/%m/%d": "year/month/day",
    "%m-%d-%Y": "month-day-year",
    "%d-%m-%Y": "day-month-year",
    "%m-%d-%y": "month-day-year of two digits",
    "%d-%m-%y": "day-month-year of two digits",
    "%Y%m%d": "eight digits, the year first",
    "%d-%b-%Y": "day-month-year, the month as a word",
    "%d %b %Y": "day month year, the month as a word",
    "%b %d, %Y": "month day, year, the month as a word",
}
"""Ways of writing a date, Bodkin's own first, and what they are called."""

_PARTS = {"%Y": r"\d{4}", "%y": r"\d{2}", "%m": r"\d{1,2}", "%d": r"\d{1,2}", "%b": r"[A-Za-z]{3,9}\.?"}
MOST_WRONG = 0.5
"""A way that fits less than this part of the dates is no way of writing them."""


@dataclass(frozen=True, slots=True)
class DateSample:
    """A date as it is written in the file, and the day it is read as; empty where it cannot be read so."""

    written: str
    read: str


def without_time(text: pl.Series) -> pl.Series:
    """Dates without the time of day that some systems write behind them."""
    return text.str.replace(_TIME, "${1}") if text.str.contains(":", literal=True).any() else text


def _pattern(way: str) -> str:
    made = way.replace(".", r"\.")
    for part, digits in _PARTS.items():
        made = made.replace(part, digits)
    return f"^{made}$"


def read_days(text: pl.Series, way: str, latest: int) -> pl.Series:
    """Days written in one of the ``DAY_FORMATS``; missing where a text is written otherwise.

    ``latest``: the last year that a date of a file can be of; a year of two digits is the last one up to it that
    ends in them.
    """
    plain = without_time(text)
    fits = plain.str.contains(_pattern(way))
    plain = plain.set(~fits.fill_null(value=False), None)
    if "%y" in way:
        century = latest // 100 * 100
        year = plain.str.extract(r"(\d{2})$").cast(pl.Int64) + century
        year = pl.select(pl.when(pl.lit(year) > latest).then(pl.lit(year) - 100).otherwise(pl.lit(year))).to_series()
        stem = plain.str.replace(r"\d{2}$", "")
        plain = pl.select(pl.concat_str([pl.lit(stem), pl.lit(year).cast(pl.String)])).to_series()
        way = way.replace("%y", "%Y")
    if "%b" in way:
        # Full names and names with a point are names of three letters too.
        plain = plain.str.replace(r"([A-Za-z]{3})[A-Za-z]*\.?", "${1}")
    return plain.str.to_date(way, strict=False)


def ways_that_fit(text: pl.Series, latest: int) -> tuple[list[str], list[str]]:
    """Ways that read every date, and, where there is none, the ones that read the most of them (half or more)."""
    written = text.drop_nulls().unique()
    if written.is_empty():
        return [], []
    missed = {way: read_days(written, way, latest).null_count() for way in DAY_FORMATS}
    every = [way for way, n in missed.items() if n == 0]
    if every:
        return every, []
    fewest = min(missed.values())
    near = [way for way, n in missed.items() if n == fewest and n <= MOST_WRONG * written.len()]
    return [], near


def samples(text: pl.Series, ways: list[str], latest: int, n: int = 3) -> Mapping[str, list[DateSample]]:
    """A few dates written out in each way, those first that the ways read differently."""
    written = text.drop_nulls().unique().sort()
    if written.is_empty() or not ways:
        return {}
    read = {way: read_days(written, way, latest) for way in ways}
    differ = [at for at in range(written.len()) if len({read[way][at] for way in ways}) > 1]
    chosen = [*differ, *(at for at in range(written.len()) if at not in set(differ))][:n]
    return {way: [DateSample(written[at], _spelled(read[way][at])) for at in chosen] for way in ways}


def _spelled(day: date | None) -> str:
    return "" if day is None else f"{day:%A}, {day:%B} {day.day}, {day.year}"
