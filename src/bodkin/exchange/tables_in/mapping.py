"""From another system's headers and values to Bodkin's: proposed, confirmed once, remembered by the file's shape."""

import difflib
import hashlib
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import polars as pl

from bodkin.core.errors import BadInput
from bodkin.core.windows import GRADES, SEASONS, parse_window
from bodkin.exchange.tables_in.dates import DAY_FORMATS, OWN, read_days
from bodkin.exchange.tables_in.names import header_name
from bodkin.exchange.tables_in.reading import DAY, GRADE, SEASON, WINDOW, Kind, Layout
from bodkin.exchange.tables_in.sheets import Sheet

ALIASES: dict[str, tuple[str, ...]] = {
    "student_id": ("student_number", "student_no", "local_id", "local_student_id", "pupil_id", "id"),
    "given_name": ("first_name", "student_first_name", "forename", "first"),
    "family_name": ("last_name", "student_last_name", "surname", "last"),
    "assessment": ("assessment_name", "test", "test_name"),
    "subject": ("subject_area", "content_area", "test_subject"),
    "window": ("testing_window", "test_window", "term", "test_term", "term_name"),
    "grade": ("grade_level", "student_grade", "year_group", "enrolled_grade"),
    "score": ("scale_score", "scaled_score", "test_score", "result"),
    "school": ("school_name", "building", "campus"),
    "section": ("class", "class_name", "section_name", "homeroom"),
    "teacher": ("teacher_name", "instructor", "staff_name"),
    "tested_on": ("test_date", "date", "date_tested", "date_taken", "assessment_date"),
    "language": ("test_language", "language_of_test"),
    "standard_error": ("sem", "standard_error_of_measurement", "score_error", "std_error", "se"),
    "percentile": ("percentile_rank", "norm_percentile", "national_percentile"),
    "percentile_basis": ("norm_group", "norms"),
    "minutes": ("duration", "duration_minutes", "test_duration", "time_minutes", "testing_time"),
    "items_tried": ("items_attempted", "questions_attempted", "attempted"),
    "items_right": ("items_correct", "questions_correct", "correct"),
    "points_possible": ("max_points", "possible_points"),
    "accommodations": ("accommodation", "supports_used"),
    "programs": ("program", "services"),
    "sd": ("standard_deviation", "std_dev"),
    "min_score": ("cut_score", "lowest_score", "minimum_score"),
    "min_percentile": ("cut_percentile", "lowest_percentile"),
    "band": ("level", "performance_band", "performance_level"),
}
"""Other words of the trade for each column (common practice)."""

CLOSE = 0.84
"""How alike two headers must be (difflib's ratio) for one to be proposed for the other."""

MOST_VALUES = 60
"""Different values of one column that a mapping looks at; more are no codes but free text."""

REASON = "reason"


@dataclass(frozen=True, slots=True)
class Mapped:
    """How a file is read: header to column, value to value by column, and how its dates are written.

    ``columns`` holds compared header names; a header that is not in it keeps its own name.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    day_format: str | None = None

    @property
    def changes_nothing(self) -> bool:
        """Whether the file is read just as it is."""
        return not (self.columns or self.values) and self.day_format in (None, OWN)

    def remembered(self) -> dict[str, Any]:
        """What is kept for the next file of this shape."""
        return {
            "columns": dict(self.columns),
            "values": {name: dict(meanings) for name, meanings in self.values.items()},
            "day_format": self.day_format,
        }

    @classmethod
    def recalled(cls, kept: Mapping[str, Any]) -> "Mapped":
        """What :meth:`remembered` kept."""
        return cls(kept.get("columns", {}), kept.get("values", {}), kept.get("day_format"))


def shape_of(sheet: Sheet) -> str:
    """The same for every file with these headers, in whatever order."""
    # The file of refused rows is the same file with a column more.
    names = sorted(name for name in sheet.header if name != REASON)
    return hashlib.sha256("\n".join(names).encode()).hexdigest()


@lru_cache(4096)
def _nearest(name: str, wanted: tuple[str, ...]) -> str | None:
    for column in wanted:
        if name in ALIASES.get(column, ()):
            return column
    spelled = {spelling: column for column in wanted for spelling in (column, *ALIASES.get(column, ()))}
    close = difflib.get_close_matches(name, [s for s in spelled if len(s) > 3], n=1, cutoff=CLOSE)
    return spelled[close[0]] if close else None


def propose_columns(sheet: Sheet, layout: Layout) -> dict[str, str]:
    """Columns of a layout for headers that do not name one themselves; each column at most once."""
    names = [column.name for column in layout.columns]
    free = [name for name in names if name not in sheet.header]
    found: dict[str, str] = {}
    for header in sheet.header:
        if header and header not in names and (column := _nearest(header, tuple(free))):
            found[header] = column
            free.remove(column)
    return found


def read_grade(text: str) -> str | None:
    """A grade as Bodkin writes it, from ways it is often written; None where that is not clear.

    >>> read_grade("Grade 04"), read_grade("4th"), read_grade("Kindergarten"), read_grade("4/5")
    ('4', '4', 'K', None)
    """
    plain = text.strip().lower()
    if plain in {"k", "kg", "kinder", "kindergarten", "grade k"}:
        return "K"
    if plain in {"pk", "pre-k", "prek", "pre-kindergarten"}:
        return "PK"
    found = re.fullmatch(r"(?:grade|gr\.?|year|g)?\s*0?(\d{1,2})(?:st|nd|rd|th)?(?:\s*grade)?", plain)
    return found[1] if found and found[1] in GRADES else None


def read_season(text: str) -> str | None:
    """fall, winter or spring from ways they are often written."""
    plain = text.strip().lower()
    seasons = {
        "autumn": "fall",
        "boy": "fall",
        "moy": "winter",
        "eoy": "spring",
        "beginning": "fall",
        "middle": "winter",
    }
    return plain if plain in SEASONS else seasons.get(plain, "spring" if plain == "end" else None)


def read_window(text: str) -> str | None:
    """A window as Bodkin writes it: a season with a school year or a year in any order.

    A single year is that of the calendar: the winter window of 2027 belongs to 2026-27.

    >>> read_window("Fall 2026-2027"), read_window("Winter 2027"), read_window("2026/27 Spring"), read_window("Fall")
    ('2026-27 fall', '2026-27 winter', '2026-27 spring', None)
    """
    words = re.findall(r"[A-Za-z]+", text)
    seasons = [season for word in words if (season := read_season(word))]
    years = [int(year) for year in re.findall(r"(?<!\d)(20\d\d)(?!\d)", text)]
    after = re.search(r"20\d\d\s*[-/–]\s*(\d+)", text)
    if len(seasons) != 1 or not years:
        return None
    if after:
        first = years[0]
        if after[1] not in (f"{first + 1}", f"{(first + 1) % 100:02d}"):
            return None
    else:
        first = years[0] if seasons[0] == "fall" else years[0] - 1
    return f"{first}-{(first + 1) % 100:02d} {seasons[0]}"


def _is_window(text: str) -> bool:
    try:
        parse_window(text)
    except BadInput:
        return False
    return True


READERS: dict[Kind, tuple[Callable[[str], bool], Callable[[str], str | None]]] = {
    GRADE: (lambda text: text in GRADES, read_grade),
    SEASON: (lambda text: text in SEASONS, read_season),
    WINDOW: (_is_window, read_window),
}
"""Kinds of columns whose values are codes: what is good as it is, and what another value may mean."""


def propose_values(sheet: Sheet, layout: Layout) -> dict[str, dict[str, str | None]]:
    """For columns of codes the values that are not Bodkin's, with what each may mean (None: not clear)."""
    found: dict[str, dict[str, str | None]] = {}
    for column in layout.columns:
        if column.kind not in READERS or sheet.header.count(column.name) != 1:
            continue
        good, meant = READERS[column.kind]
        values = sheet.columns[sheet.header.index(column.name)].drop_nulls().unique().sort()
        strange = [value for value in values if not good(value)]
        if strange and len(strange) <= MOST_VALUES:
            found[column.name] = {value: meant(value) for value in strange}
    return found


def days_written(sheet: Sheet, layout: Layout) -> pl.Series:
    """Every different date of a file as it is written."""
    days = [
        sheet.columns[sheet.header.index(column.name)].drop_nulls().unique()
        for column in layout.columns
        if column.kind is DAY and sheet.header.count(column.name) == 1
    ]
    return pl.concat(days).unique() if days else pl.Series([], dtype=pl.String)


def mapped(sheet: Sheet, layout: Layout, how: Mapped, latest: int) -> Sheet:
    """The sheet with Bodkin's headers, values and dates. Raises BadInput for a column that is not there.

    ``latest``: the last year a date can be of, for years of two digits.
    """
    names = {column.name: column.kind for column in layout.columns}
    if unknown := (set(how.columns.values()) | set(how.values)) - names.keys():
        raise BadInput(f"there is no column {', '.join(sorted(unknown))} in a file of {layout.name}")
    if how.day_format is not None and how.day_format not in DAY_FORMATS:
        raise BadInput(f'dates cannot be read as "{how.day_format}"')
    made = sheet.renamed({header_name(name): column for name, column in how.columns.items()})
    columns = list(made.columns)
    for at, name in enumerate(made.header):
        meanings = dict(how.values.get(name, {}))
        if meanings:
            columns[at] = columns[at].replace(meanings)
        if names.get(name) is DAY and how.day_format not in (None, OWN):
            read = read_days(columns[at], how.day_format, latest).dt.to_string(OWN)
            # A date that is written otherwise stays as it is, to be refused by its own words.
            columns[at] = pl.select(pl.coalesce(pl.lit(read), pl.lit(columns[at]))).to_series()
    made.columns = columns
    return made


def mended(sheet: Sheet, edits: Mapping[tuple[int, str], str]) -> Sheet:
    """The sheet with single cells replaced, each named by its line and its header."""
    columns = list(sheet.columns)
    place = {line: row for row, line in enumerate(sheet.line)} if edits else {}
    for (line, name), value in edits.items():
        if line not in place or name not in sheet.header:
            raise BadInput(f"there is no column {name} in line {line}")
        at = sheet.header.index(name)
        columns[at] = columns[at].clone().scatter(place[line], value.strip() or None)
    made = sheet.renamed({})
    made.columns = columns
    mended_lines = {line for line, _ in edits}
    made.faults = [fault for fault in sheet.faults if fault.line not in mended_lines]
    return made
