"""Opening a file as a table of text: CSV of any common separator, or a workbook; every row with its place."""

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import polars as pl

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.names import TITLE_LINES, Record, header_name, place_of_header
from bodkin.exchange.tables_in.workbooks import opened_workbook

csv.field_size_limit(1_000_000)

SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
SHORT = 50_000
"""Rows below which the columns of a table are trimmed together."""
CHUNK = 20_000
"""Rows that are held as Python objects at a time; the rest is columns."""

MOST_COLUMNS = 2_000
AT_ONCE = 8_000_000
"""Letters of a text that are read as a table at a time."""


@dataclass(slots=True)
class Sheet:
    """A table of text: ``columns`` as written, trimmed, empty ones missing, and ``line`` of each row.

    ``header`` are the names as they are compared, ``titles`` as they are written; ``faults`` are
    rows with more or fewer values than the header. Of a workbook ``sheet`` is the one read, and
    ``sheets`` are all that hold anything.
    """

    file: str
    header: list[str]
    titles: list[str]
    header_line: int
    line: pl.Series
    columns: list[pl.Series]
    faults: list[Fault] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)
    separator: str = ","
    sheet: str | None = None
    sheets: list[str] = field(default_factory=list)

    def renamed(self, names: dict[str, str]) -> "Sheet":
        """The same table with some header names replaced (compared name to compared name)."""
        return replace(self, header=[names.get(name, name) for name in self.header])


def _trimmed(table: pl.DataFrame) -> list[pl.Series]:
    """The columns of a table of texts without blanks around them, empty texts as missing; the table is used up.

    A column of a long table after the other, so that not all of it is there twice; a short one in one look, since
    each look takes longer than what it does.
    """
    at_once = table.width if table.height < SHORT else 1
    found: list[pl.Series] = []
    while table.width:
        part = pl.DataFrame([table.drop_in_place(name) for name in table.columns[:at_once]])
        part = part.select(pl.all().str.strip_chars())
        marked = part.select(pl.all().str.starts_with("'").any()).row(0)
        # The mark that keeps a spreadsheet from running text is no part of the text.
        part = part.with_columns(
            pl.col(name).str.replace(r"^'([=+@-])", "${1}") for name, is_so in zip(part.columns, marked, strict=True)
            if is_so
        )  # fmt: skip
        found += part.select(pl.when(pl.all() != "").then(pl.all())).get_columns()
    return found


def _decoded(file: str, content: bytes) -> tuple[str, list[str]]:
    """The text of a file and what to say of it. Raises BadFile that names the line that is not UTF-8."""
    notices = []
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            text = content.decode("utf-16")
        except UnicodeDecodeError:
            raise BadFile([Fault(file, 1, "", "this is damaged UTF-16 text; save it as CSV UTF-8")]) from None
        notices.append("the file is UTF-16 text; it was read as such")
    else:
        try:
            text = content.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            line = content.count(b"\n", 0, error.start) + 1
            raise BadFile([Fault(file, line, "", "this line is not UTF-8 text; save the file as CSV UTF-8")]) from None
    if "\0" in text:
        line = text.count("\n", 0, text.index("\0")) + 1
        raise BadFile([Fault(file, line, "", "this line holds a NUL character; the file is damaged")])
    return text, notices


def _separator(text: str, known: frozenset[str]) -> str:
    """The separator that makes the most known names of a line near the top; commas where nothing tells."""
    best, most = ",", 0
    for line in text[:200_000].splitlines()[:TITLE_LINES]:
        for separator in SEPARATORS:
            names = {header_name(name.strip().strip('"')) for name in line.split(separator)}
            if (fits := len(names & known)) > most:
                best, most = separator, fits
    if most:
        return best
    first = next((line for line in text[:200_000].splitlines() if line.strip()), "")
    return max(SEPARATORS, key=first.count) if any(map(first.count, SEPARATORS)) else ","


def _records(file: str, text: str, separator: str) -> Iterator[Record]:
    """Rows of a CSV text that are not blank. Raises BadFile that names the line where it breaks off."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    while True:
        # A quoted value may hold line breaks: the row's line is where it begins.
        start = reader.line_num + 1
        try:
            row = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            raise BadFile([Fault(file, start, "", f"this line cannot be read as CSV ({error})")]) from None
        # Nearly every row begins with a value; only the others need a closer look.
        if (row and row[0] and not row[0].isspace()) or any(value.strip() for value in row):
            yield start, row


def _gathered(file: str, records: Iterator[Record], known: frozenset[str], notices: list[str]) -> Sheet:
    """A sheet from rows one by one, turned into columns a chunk at a time."""
    top: list[Record] = []
    for record in records:
        top.append(record)
        if len(top) == TITLE_LINES:
            break
    if not top:
        raise BadFile([Fault(file, 1, "", "the file is empty; the first line must be a header")])
    place = place_of_header(top, known) or 0
    if place:
        where = "1 line above the header was" if place == 1 else f"{place} lines above the header were"
        notices.append(f"{where} left out")
    header_line, titles = top[place]
    # Spreadsheets often save empty columns at the right.
    while titles and not titles[-1].strip():
        titles = titles[:-1]
    width = len(titles)
    if width > MOST_COLUMNS:
        raise BadFile([Fault(file, header_line, "", f"has {width} columns; at most {MOST_COLUMNS} can be read")])
    faults: list[Fault] = []
    parts: list[list[pl.Series]] = []
    lines: list[int] = []
    held: list[list[str]] = []

    def turn() -> None:
        across = zip(*held, strict=True) if held else [()] * width
        table = {str(at): pl.Series(values, dtype=pl.String) for at, values in enumerate(across)}
        parts.append(_trimmed(pl.DataFrame(table)))
        held.clear()

    def rest() -> Iterator[Record]:
        yield from top[place + 1 :]
        yield from records

    for line, row in rest():
        values = row
        if len(values) != width:
            extra = any(value.strip() for value in values[width:])
            if len(values) < width or extra:
                message = f"has {len(values)} values where the header has {width} columns"
                faults.append(Fault(file, line, "", message))
            values = (values + [""] * width)[:width]
        lines.append(line)
        held.append(values)
        if len(held) == CHUNK:
            turn()
    turn()
    columns = [pl.concat([part[at] for part in parts]) for at in range(width)]
    names = [header_name(title) for title in titles]
    line_series = pl.Series("line", lines, dtype=pl.Int64)
    return Sheet(file, names, list(titles), header_line, line_series, columns, faults, notices)


def _quick(file: str, text: str, separator: str, known: frozenset[str], notices: list[str]) -> Sheet | None:
    """The sheet of a text in which every row has as many values as the header and no quote matters.

    Same as row by row, many times quicker; None where the text is not as plain as that.
    """
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    if '"' in text:
        # Empty values in quotes are many in some files, and quickly gone.
        for _ in range(2):
            text = text.replace(f'{separator}""{separator}', separator * 2)
        text = text.replace(f'{separator}""\n', f"{separator}\n").replace(f'\n""{separator}', f"\n{separator}")
    if '"' in text:
        # Around a value that holds no separator, line end or quote, quotes say nothing.
        ends = rf"{re.escape(separator)}\n"
        text = re.sub(rf'(^|[{ends}])"([^"{ends}]*)"(?=[{ends}]|$)', r"\1\2", text)
        if '"' in text:
            return None
    if (plain := _plainest(file, text, separator, known, notices)) is not None:
        return plain
    titles: list[str] = []
    header_line = lines = 0
    parts: list[pl.DataFrame] = []
    for part in _some_lines(text):
        whole = pl.Series(part, dtype=pl.String)
        told = whole.str.contains(rf"[^{re.escape(separator)}\s]")
        line = pl.int_range(lines + 1, lines + len(part) + 1, dtype=pl.Int64, eager=True).filter(told)
        rows, lines = whole.filter(told), lines + len(part)
        if not titles:
            top = [(at, row.split(separator)) for at, row in zip(line[:TITLE_LINES], rows[:TITLE_LINES], strict=True)]
            if not top or place_of_header(top, known):
                return None
            header_line, titles = top[0]
            if not all(title.strip() for title in titles) or len(titles) > MOST_COLUMNS:
                return None
            rows, line = rows[1:], line[1:]
        if (rows.str.count_matches(separator, literal=True) != len(titles) - 1).any():
            return None
        fields = rows.str.split_exact(separator, len(titles) - 1).struct.unnest()
        parts.append(pl.DataFrame([line.alias("line"), *_trimmed(fields)]))
    table = pl.concat(parts)
    names = [header_name(title) for title in titles]
    return Sheet(file, names, titles, header_line, table["line"], table.get_columns()[1:], [], notices)


def _plainest(file: str, text: str, separator: str, known: frozenset[str], notices: list[str]) -> Sheet | None:
    """The sheet of a text whose first line is the header and in which no line is blank, read at once."""
    first, _, body = text.partition("\n")
    titles = first.split(separator)
    if not body.strip() or len(titles) < 2 or len(titles) > MOST_COLUMNS or not all(title.strip() for title in titles):
        return None
    if place_of_header([(1, titles)], known) != 0:
        return None
    if not body.endswith("\n"):
        body += "\n"
    height = body.count("\n")
    # As many separators as every line has, and no line with more of them: then none has fewer.
    if "\n\n" in body or body.startswith("\n") or body.count(separator) != height * (len(titles) - 1):
        return None
    try:
        table = pl.read_csv(
            body.encode(), has_header=False, separator=separator, quote_char=None, infer_schema=False,
            new_columns=[str(at) for at in range(len(titles))],
        )  # fmt: skip
    except pl.exceptions.PolarsError:
        return None
    if table.shape != (height, len(titles)):
        return None
    del body
    line = pl.int_range(2, height + 2, dtype=pl.Int64, eager=True).alias("line")
    columns = _trimmed(table)
    empty = pl.select(pl.all_horizontal(pl.lit(column).is_null() for column in columns)).to_series()
    if empty.any():
        line, columns = line.filter(~empty), [column.filter(~empty) for column in columns]
    return Sheet(file, [header_name(title) for title in titles], titles, 1, line, columns, [], notices)


def _some_lines(text: str) -> Iterator[list[str]]:
    """The lines of a text, some at a time: a large one need not lie in memory in three forms at once."""
    begin = 0
    while True:
        end = text.find("\n", begin + AT_ONCE)
        if end < 0:
            yield text[begin:].split("\n")
            return
        yield text[begin:end].split("\n")
        begin = end + 1


def _workbook(file: str, content: bytes, known: frozenset[str], sheet: str | None) -> Sheet:
    """A sheet of a workbook: the one named, else the first whose header is known."""
    with opened_workbook(file, content, known, sheet) as book:
        made = _gathered(file, book.records, known, book.notices)
    made.sheet, made.sheets = book.sheet, book.sheets
    return made


def open_plain(file: str, content: bytes, known: frozenset[str]) -> Sheet:
    """A plain file as the pages describe it: CSV UTF-8 with commas and the header on top, or a workbook.

    Raises BadFile for anything else, where :func:`open_sheet` would find its way.
    """
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise BadFile([Fault(file, 1, "", "this is UTF-16 text; save it as CSV UTF-8")])
    sheet = open_sheet(file, content, known)
    if sheet.separator != ",":
        message = f"the values are separated by {SEPARATORS[sheet.separator]}; they must be separated by commas"
        raise BadFile([Fault(file, sheet.header_line, "", message)])
    return sheet


def open_sheet(file: str, content: bytes, known: frozenset[str] = frozenset(), sheet: str | None = None) -> Sheet:
    """A file as a table of text.

    ``known``: header names that help to find the separator and the header; ``sheet``: which one of a
    workbook. Raises BadFile, with
    the line where there is one, for what cannot be read as a table at all.
    """
    if content[:4] in (b"PK\x03\x04", b"PK\x05\x06", b"\xd0\xcf\x11\xe0"):
        return _workbook(file, content, known, sheet)
    text, notices = _decoded(file, content)
    separator = _separator(text, known)
    if separator != ",":
        notices.append(f"the values are separated by {SEPARATORS[separator]}")
    quick = _quick(file, text, separator, known, notices)
    made = quick or _gathered(file, _records(file, text, separator), known, notices)
    made.separator = separator
    return made
