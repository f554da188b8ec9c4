"""Weekly sheets: a row a student and a column a day, read as weekly results with goals, sessions, or practice."""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from pathlib import PurePosixPath

import polars as pl

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.dates import DAY_FORMATS, read_days, ways_that_fit
from bodkin.exchange.tables_in.sheets import Sheet

FEWEST_DAYS = 2
"""Columns with a day in their header that make a sheet a weekly one."""
_DATE = re.compile(
    r"\d{4}[-/]\d{1,2}[-/]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}[ -][A-Za-z]{3,9}\.?[ -]\d{4}"
    r"|[A-Za-z]{3,9}\.? \d{1,2}, \d{4}"
)
PRESENT = frozenset({"x", "p", "yes", "y", "present", "here", "came"})
AWAY = frozenset({"a", "n", "no", "away", "absent", "-"})
"""What a cell of a sheet of sessions can say besides minutes."""

Cells = list[tuple[int, date, str]]
"""Filled cells of the days: place of the row, the day, what is written."""
Parts = list[tuple[str, list[str], list[list[str]]]]
"""Kind, header and rows of each plain file that a sheet stands for."""


def _latest() -> int:
    return date.today().year + 1


def days_of_headers(sheet: Sheet, name: str) -> Mapping[int, date]:
    """The columns whose header is a day, or a day with words around it such as ``Week of 2026-10-12``.

    Empty for a sheet with fewer than two. Raises BadFile where the days can be read in two ways.
    """
    written = {at: found[0] for at, title in enumerate(sheet.titles) if (found := _DATE.search(title))}
    if len(written) < FEWEST_DAYS:
        return {}
    text = pl.Series(list(written.values()), dtype=pl.String)
    ways, _ = ways_that_fit(text, _latest())
    read = [read_days(text, way, _latest()) for way in ways]
    if not read:
        return {}
    if any(other.to_list() != read[0].to_list() for other in read[1:]):
        words = " or ".join(DAY_FORMATS[way] for way in ways)
        message = f"the days can be read as {words}; write them as year-month-day, such as 2026-10-16"
        raise BadFile([Fault(name, sheet.header_line, sheet.titles[next(iter(written))], message)])
    return dict(zip(written, read[0].to_list(), strict=True))


class Weekly:
    """A weekly sheet with its columns by name."""

    def __init__(self, sheet: Sheet, name: str, student: int, days: Mapping[int, date]) -> None:
        self.sheet, self.name, self.student, self.days = sheet, name, student, days
        columns = [column.fill_null("").to_list() for column in sheet.columns]
        self.rows = [list(row) for row in zip(*columns, strict=True)]

    def column(self, *names: str) -> int | None:
        """The first column of one of some names."""
        return next((at for at, title in enumerate(self.sheet.header) if title in names), None)

    def value(self, row: Sequence[str], at: int | None) -> str:
        """What a row says in a column; nothing where there is no such column."""
        return row[at].strip() if at is not None else ""

    def cells(self) -> Cells:
        """The filled cells of the days, row by row in the order of the days."""
        ordered = sorted(self.days.items(), key=lambda pair: pair[1])
        return [
            (place, day, row[at].strip())
            for place, row in enumerate(self.rows)
            if row[self.student].strip()
            for at, day in ordered
            if row[at].strip()
        ]

    def wrong(self, place: int, day: date, message: str) -> Fault:
        """A fault of a cell."""
        title = next(self.sheet.titles[at] for at, own in self.days.items() if own == day)
        return Fault(self.name, int(self.sheet.line[place]), title, message)


def _numbers(weekly: Weekly, what: str) -> list[tuple[int, date, float]]:
    """The cells as numbers. Raises BadFile that names every cell that is none."""
    found, faults = [], []
    for place, day, text in weekly.cells():
        try:
            value = float(text)
        except ValueError:
            value = float("nan")
        if value >= 0 and value != float("inf"):
            found.append((place, day, value))
        else:
            faults.append(weekly.wrong(place, day, f'"{text}" is not {what}; write a number or leave the cell empty'))
    if faults:
        raise BadFile(faults)
    return found


def _results(weekly: Weekly) -> Parts:
    """Results of a weekly test, and the goals that stand beside them in ``goal`` and ``by``."""
    test, subject = weekly.column("assessment", "test"), weekly.column("subject")
    grade, goal, by = weekly.column("grade"), weekly.column("goal", "target"), weekly.column("by", "goal_by")
    if subject is None:
        message = "says no subject; add a column subject, such as reading"
        raise BadFile([Fault(weekly.name, weekly.sheet.header_line, "subject", message)])
    about = {
        place: [row[weekly.student].strip(), weekly.value(row, test), weekly.value(row, subject)]
        for place, row in enumerate(weekly.rows)
    }
    scores = [
        [*about[place], "", weekly.value(weekly.rows[place], grade), f"{score:g}", day.isoformat()]
        for place, day, score in _numbers(weekly, "a result")
    ]
    header = ["student_id", "assessment", "subject", "window", "grade", "score", "tested_on"]
    parts: Parts = [("scores", header, scores)]
    goals = [
        [*about[place], "own", weekly.value(row, goal), weekly.value(row, by)]
        for place, row in enumerate(weekly.rows)
        if row[weekly.student].strip() and weekly.value(row, goal)
    ]
    if goals and by is not None:
        parts.append(("goals", ["student_id", "assessment", "subject", "kind", "target", "by"], goals))
    return parts


def _sessions(weekly: Weekly) -> Parts:
    """Sessions of groups: minutes in the cells, or who came and who was away with a column of the minutes."""
    group, minutes = weekly.column("group"), weekly.column("minutes", "session_minutes")
    rows, faults = [], []
    for place, day, text in weekly.cells():
        row, word = weekly.rows[place], text.lower()
        lasted = weekly.value(row, minutes)
        if word in AWAY:
            spent = "0"
        elif word in PRESENT:
            spent = lasted
            if not lasted:
                message = "says who came but not for how long; add a column minutes, or write minutes in the cells"
                faults.append(weekly.wrong(place, day, message))
        else:
            spent = text
            if not re.fullmatch(r"\d+(\.\d+)?", text):
                message = f'"{text}" is neither minutes nor came or away; write a number, x or a'
                faults.append(weekly.wrong(place, day, message))
        rows.append([weekly.value(row, group), day.isoformat(), row[weekly.student].strip(), spent, lasted])
    if faults:
        raise BadFile(faults)
    return [("sessions", ["group", "on", "student_id", "minutes", "session_minutes"], rows)]


def _practice(weekly: Weekly) -> Parts:
    """Practice: minutes of each day or week in a program or text."""
    text, kind = weekly.column("text", "program", "title"), weekly.column("kind")
    rows = [
        [weekly.rows[place][weekly.student].strip(), day.isoformat(), weekly.value(weekly.rows[place], text),
         f"{minutes:g}", weekly.value(weekly.rows[place], kind)]
        for place, day, minutes in _numbers(weekly, "minutes")
        if minutes > 0
    ]  # fmt: skip
    return [("practice", ["student_id", "on", "text", "minutes", "kind"], rows)]


def weekly_parts(
    sheet: Sheet, name: str, student: int, write: Callable[[Sequence[str], Sequence[Sequence[str]]], bytes]
) -> list[tuple[str, bytes]] | None:
    """The plain files that a weekly sheet stands for; None for a sheet that is none.

    A column ``group`` makes it sessions, ``text`` or ``program`` practice, ``assessment`` or ``test`` results. Raises
    BadFile for a weekly sheet that says none of these or cannot be read.
    """
    days = days_of_headers(sheet, name)
    if not days:
        return None
    weekly = Weekly(sheet, name, student, days)
    if weekly.column("group") is not None:
        parts = _sessions(weekly)
    elif weekly.column("text", "program", "title") is not None:
        parts = _practice(weekly)
    elif weekly.column("assessment", "test") is not None:
        parts = _results(weekly)
    else:
        message = "has a column a day but does not say of what; add a column assessment, group or program"
        raise BadFile([Fault(name, sheet.header_line, "", message)])
    stem = PurePosixPath(name).stem
    return [(f"{stem} - {kind}.csv", write(header, rows)) for kind, header, rows in parts]
