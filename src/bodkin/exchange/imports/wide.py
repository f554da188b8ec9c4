"""Wide files turned into plain ones: answers a column an item, mastery a column a standard, weeks a column a day."""

import csv
import io
import re
from collections.abc import Iterator, Sequence
from pathlib import PurePosixPath

from bodkin.core.errors import BadInput
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports.kinds import KNOWN
from bodkin.exchange.imports.wide_weeks import weekly_parts
from bodkin.exchange.tables_in.mapping import ALIASES
from bodkin.exchange.tables_in.names import header_name
from bodkin.exchange.tables_in.sheets import Sheet, open_sheet

LARGEST = 8 << 20
"""Larger files are not looked at for this: a wide file is one class's or one test's."""
STUDENT = frozenset({"student_id", *ALIASES["student_id"]})
ABOUT = frozenset(
    {"given_name", "family_name", "name", "student", "student_name", "first_name", "last_name", "school", "section",
     "class", "teacher", "grade", "test", "tested_on", "date", "day", "on", "source", "note"}
)  # fmt: skip
"""Columns of a wide file that are about the student or the day, and no item or standard."""
KEY = frozenset({"key", "keys", "answer key", "correct", "correct answer", "right answer"})
TOP = {"points": "points", "standard": "standards", "standards": "standards", "options": "options"}
"""Further rows on top of a sheet of answers, by the word in their student's cell."""
TOP_ROWS = 6
STATES = {
    "mastered": "mastered", "m": "mastered", "nearly": "nearly", "n": "nearly", "not yet": "not yet", "x": "not yet",
    "not mastered": "not yet",
}  # fmt: skip
"""What a cell of a wide grid of mastery can say."""
DATE = re.compile(r"(\d{4}-\d{2}-\d{2})")


def _rows(sheet: Sheet) -> Iterator[list[str]]:
    """Rows of a sheet as text, an empty cell as an empty text."""
    columns = [column.fill_null("").to_list() for column in sheet.columns]
    yield from (list(row) for row in zip(*columns, strict=True))


def _written(header: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    """Rows as a plain file."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(header)
    writer.writerows(rows)
    return out.getvalue().encode()


def _column(sheet: Sheet, names: Sequence[str] | frozenset[str]) -> int | None:
    return next((at for at, name in enumerate(sheet.header) if name in names), None)


def _test_of(sheet: Sheet, name: str, rows: Sequence[Sequence[str]]) -> str:
    """The name of the test: what a column "test" says, else the file's own name."""
    at = _column(sheet, ("test",))
    said = next((row[at] for row in rows if at is not None and row[at]), "")
    return said or PurePosixPath(name).stem.replace("_", " ").strip()


def _answers(sheet: Sheet, name: str, student: int, items: list[int]) -> list[tuple[str, bytes]] | None:
    """A sheet of answers with a key row on top as plain items and answers; None where there is no key row."""
    rows = list(_rows(sheet))
    tops: dict[str, list[str]] = {}
    while rows and len(tops) < TOP_ROWS:
        word = " ".join(rows[0][student].lower().split())
        part = "key" if word in KEY else TOP.get(word)
        if part is None:
            break
        tops[part] = rows.pop(0)
    if "key" not in tops:
        return None
    test, stem = _test_of(sheet, name, rows), PurePosixPath(name).stem
    day = _column(sheet, ("tested_on", "date", "day", "on"))
    titles = [sheet.titles[at].strip() for at in items]
    extra = [part for part in ("points", "options", "standards") if part in tops]
    told = [
        [test, title, tops["key"][at], *(tops[part][at] for part in extra)]
        for title, at in zip(titles, items, strict=True)
    ]
    answers = [
        [row[student], test, title, row[at], row[day] if day is not None else ""]
        for row in rows
        for title, at in zip(titles, items, strict=True)
    ]
    return [
        (f"{stem} - items.csv", _written(["test", "item", "key", *extra], told)),
        (f"{stem} - answers.csv", _written(["student_id", "test", "item", "option", "tested_on"], answers)),
    ]


def _mastery(sheet: Sheet, name: str, student: int, standards: list[int]) -> list[tuple[str, bytes]] | None:
    """A grid of mastery as plain entries; None where a cell says something else than mastered, nearly, not yet.

    Raises BadFile where neither a column nor the file's name says which day.
    """
    rows = list(_rows(sheet))
    cells = {" ".join(row[at].lower().split()) for row in rows for at in standards} - {""}
    # The code of a standard has a number in it; a column of another kind may well say M or N.
    if not cells or not cells <= STATES.keys() or not all(re.search(r"\d", sheet.titles[at]) for at in standards):
        return None
    day = _column(sheet, ("on", "date", "day", "tested_on"))
    named = DATE.search(name)
    if day is None and named is None:
        message = "says no day; add a column on, or put the day into the file's name, such as grid 2027-01-26.csv"
        raise BadFile([Fault(name, sheet.header_line, "on", message)])
    source = _column(sheet, ("source",))
    entries = [
        [row[student], sheet.titles[at].strip(), STATES[" ".join(row[at].lower().split())],
         row[day] if day is not None and row[day] else (named[1] if named else ""),
         row[source] if source is not None and row[source] else PurePosixPath(name).stem[:160]]
        for row in rows
        for at in standards
        if row[at]
    ]  # fmt: skip
    header = ["student_id", "standard", "state", "on", "source"]
    return [(f"{PurePosixPath(name).stem} - mastery.csv", _written(header, entries))]


def plain_parts(name: str, content: bytes) -> list[tuple[str, bytes]] | None:
    """The plain files that a wide file stands for; None for a file that is not wide.

    Raises BadFile for a wide file that cannot be taken.
    """
    if len(content) > LARGEST:
        return None
    try:
        sheet = open_sheet(name, content, KNOWN)
    except BadInput:
        # Whoever reads the file says what is wrong with it.
        return None
    student = _column(sheet, STUDENT)
    if student is None or sheet.faults or sheet.line.len() == 0:
        return None
    if (weekly := weekly_parts(sheet, name, student, _written)) is not None:
        return weekly
    others = [
        at for at, title in enumerate(sheet.titles)
        if at != student and title.strip() and header_name(title) not in ABOUT
    ]  # fmt: skip
    if not others or len({sheet.titles[at].strip() for at in others}) < len(others):
        return None
    # A file with columns of a plain kind is that kind.
    if {"option", "standard", "score", "state", "assessment"} & set(sheet.header):
        return None
    return _answers(sheet, name, student, others) or _mastery(sheet, name, student, others)
