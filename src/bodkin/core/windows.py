"""Testing windows: a school year and a season, in the order in which they come."""

import re
from dataclasses import dataclass
from datetime import date
from functools import total_ordering

from bodkin.core.errors import BadInput

SEASONS = ("fall", "winter", "spring")
_WINDOW = re.compile(r"^(\d{4})-(\d{2}) (fall|winter|spring)$")
_SPAN = re.compile(r"^(\d{4}-\d{2}-\d{2})\.\.(\d{4}-\d{2}-\d{2})$")
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_SEASON_OF_MONTH = {**dict.fromkeys((8, 9, 10, 11), 0), **dict.fromkeys((12, 1, 2), 1)}


FIRST_MONTH = 8
"""A school year begins in August (common practice)."""
LONGEST_DAYS = 200
"""A window of one's own is no longer than this."""


@total_ordering
@dataclass(frozen=True, slots=True)
class Window:
    """A testing window. ``year`` is the calendar year in which its school year begins.

    ``days`` are the first and last day of a window of one's own, both included; a window of the
    calendar has none.
    """

    year: int
    order: int
    days: tuple[date, date] | None = None

    def __lt__(self, other: "Window") -> bool:
        return self._place < other._place

    @property
    def _place(self) -> tuple[int, int, tuple[date, date]]:
        return self.year, self.order, self.days or (date.min, date.min)

    @property
    def season(self) -> str:
        """``fall``, ``winter`` or ``spring``."""
        return SEASONS[self.order]

    @property
    def school_year(self) -> str:
        """The school year as people write it, such as ``2026-27``."""
        return f"{self.year}-{(self.year + 1) % 100:02d}"

    def __str__(self) -> str:
        if self.days is not None:
            return f"{self.days[0].isoformat()}..{self.days[1].isoformat()}"
        return f"{self.school_year} {self.season}"

    @property
    def label(self) -> str:
        """The window as people read it: ``2026-27 fall``, or the days of a window of one's own."""
        return str(self) if self.days is None else _said(*self.days)

    @property
    def word(self) -> str:
        """The season, or the days of a window of one's own, as a sentence says it."""
        return self.season if self.days is None else _said(*self.days)


def _said(first: date, last: date) -> str:
    """``Oct 1 to Nov 15, 2026``; both years where they differ."""
    begin = _month_and_day(first) if first.year == last.year else day_words(first)
    return f"{begin} to {day_words(last)}"


def day_words(day: date) -> str:
    """A day as a sentence says it: ``Nov 2, 2026``."""
    return f"{_month_and_day(day)}, {day.year}"


def _month_and_day(day: date) -> str:
    # Not by strftime, which goes by the language of the machine.
    return f"{_MONTHS[day.month - 1]} {day.day}"


def parse_window(text: str) -> Window:
    """Read ``2026-27 fall``. Raises BadInput that says how a window is written."""
    found = _WINDOW.match(text.strip())
    if not found or (int(found[1]) + 1) % 100 != int(found[2]):
        raise BadInput(f'"{text}" is not a window; write it like "2026-27 fall" (fall, winter or spring)')
    return Window(int(found[1]), SEASONS.index(found[3]))


def read_window(text: str) -> Window:
    """Read a window of the calendar, or days of one's own such as ``2026-10-01..2026-11-15``.

    Days of one's own take the season and school year of their middle day: August to November is
    fall, December to February winter, the rest spring (common practice where school begins in
    late summer). Raises BadInput for days that are none, end before they begin, or span a year.
    """
    found = _SPAN.match(text.strip())
    if not found:
        return parse_window(text)
    try:
        first, last = (date.fromisoformat(part) for part in found.groups())
    except ValueError:
        raise BadInput(f'"{text}" has a day that is none; write it like "2026-10-01..2026-11-15"') from None
    if last < first:
        raise BadInput(f'"{text}" ends before it begins')
    if (last - first).days > LONGEST_DAYS:
        raise BadInput(f'"{text}" is longer than {LONGEST_DAYS} days; a window lies within one season of a school year')
    middle = first + (last - first) // 2
    order = _SEASON_OF_MONTH.get(middle.month, 2)
    return Window(middle.year if middle.month >= FIRST_MONTH else middle.year - 1, order, (first, last))


def across_summer(first: Window, second: Window) -> bool:
    """Whether the way from ``first`` to ``second`` leads into the next school year."""
    return second.year > first.year


def within_one_year(first: Window, second: Window) -> bool:
    """Whether ``second`` comes after ``first`` by one year at the most.

    Only then is there an expected growth: fall to winter, or spring to the next fall, or fall to
    the next fall, but not fall to the winter after the next summer.
    """
    if second.year == first.year:
        return second.order > first.order
    return second.year == first.year + 1 and second.order <= first.order


GRADES = ("PK", "K", *(str(number) for number in range(1, 14)))


def next_grade(grade: str) -> str | None:
    """The grade after ``grade`` (K, 1 ... 12), or None where that is not known."""
    place = GRADES.index(grade) + 1 if grade in GRADES else len(GRADES)
    return GRADES[place] if place < len(GRADES) else None


def grade_key(grade: str) -> tuple[int, str]:
    """Sort key that puts grades in school order and anything else after them."""
    return (GRADES.index(grade), "") if grade in GRADES else (len(GRADES), grade)
