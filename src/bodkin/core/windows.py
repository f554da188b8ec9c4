"""Testing windows: a school year and a season, in the order in which they come."""

import re
from dataclasses import dataclass

from bodkin.core.errors import BadInput

SEASONS = ("fall", "winter", "spring")
_WINDOW = re.compile(r"^(\d{4})-(\d{2}) (fall|winter|spring)$")


@dataclass(frozen=True, slots=True, order=True)
class Window:
    """A testing window. ``year`` is the calendar year in which its school year begins."""

    year: int
    order: int

    @property
    def season(self) -> str:
        """``fall``, ``winter`` or ``spring``."""
        return SEASONS[self.order]

    @property
    def school_year(self) -> str:
        """The school year as people write it, such as ``2026-27``."""
        return f"{self.year}-{(self.year + 1) % 100:02d}"

    def __str__(self) -> str:
        return f"{self.school_year} {self.season}"


def parse_window(text: str) -> Window:
    """Read ``2026-27 fall``. Raises BadInput that says how a window is written."""
    found = _WINDOW.match(text.strip())
    if not found or (int(found[1]) + 1) % 100 != int(found[2]):
        raise BadInput(f'"{text}" is not a window; write it like "2026-27 fall" (fall, winter or spring)')
    return Window(int(found[1]), SEASONS.index(found[3]))


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
