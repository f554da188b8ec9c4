"""The process that opens one workbook, so that a hostile one ends this process and not Bodkin.

Run as ``python -m bodkin.exchange.tables_in.workbook_child CONTENT ROWS`` with JSON on stdin: ``sheet`` (a name,
or null to choose), ``known`` (header names that help to choose), ``cells`` (the most to read), ``memory`` (bytes)
and ``seconds``. Writes the rows as CSV, the line first, and JSON on stdout; imports nothing that is slow to load.
"""

import csv
import ctypes
import json
import re
import resource
import signal
import sys
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import IO, Any
from xml.etree import ElementTree

from bodkin.exchange.tables_in.names import NOT_CALCULATED, TITLE_LINES, Record, place_of_header

OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
CALCEXT = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"
TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
CELL = re.compile(rb"<(?:\w+:)?c\b([^>]*?)(?:/>|>(.*?)</(?:\w+:)?c>)", re.DOTALL)
PLACE = re.compile(rb'\br="([A-Z]{1,3})(\d+)"')
VALUE = re.compile(rb"<(?:\w+:)?v>([^<]*)</(?:\w+:)?v>")
_PDEATHSIG = 1


class TooLarge(Exception):
    """More cells than any sheet of results has."""


def cell_text(value: object) -> str:
    """A cell of a workbook as a CSV file would have it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    if isinstance(value, datetime) and value.time() == time():
        return value.date().isoformat()
    if isinstance(value, (date, datetime, time)):
        return value.isoformat()
    if isinstance(value, timedelta):
        return f"{value.total_seconds() / 60:g}"
    return str(value)


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number - 1


def wrong_cells_xlsx(xml: bytes) -> dict[tuple[int, int], str]:
    """Cells of a sheet's XML that hold an error or a formula without a value, by row and column from 0."""
    if b't="e"' not in xml and not re.search(rb"<(?:\w+:)?f[ >/]", xml):
        return {}
    found: dict[tuple[int, int], str] = {}
    for match in CELL.finditer(xml):
        attributes, inner = match[1], match[2] or b""
        place = PLACE.search(attributes)
        if place is None:
            continue
        value = VALUE.search(inner)
        if b't="e"' in attributes:
            found[int(place[2]) - 1, _column(place[1])] = value[1].decode() if value else "#VALUE!"
        elif re.search(rb"<(?:\w+:)?f[ >/]", inner) and b't="str"' not in attributes and not (value and value[1]):
            found[int(place[2]) - 1, _column(place[1])] = NOT_CALCULATED
    return found


def wrong_cells_ods(content: IO[bytes], sheet: str) -> dict[tuple[int, int], str]:
    """The same of the sheet of an OpenDocument file."""
    found: dict[tuple[int, int], str] = {}
    name, row, column = "", 0, 0
    for event, one in ElementTree.iterparse(content, ("start", "end")):  # noqa: S314 (limits of this process hold)
        if event == "start":
            if one.tag == f"{TABLE}table":
                name, row = one.get(f"{TABLE}name", ""), 0
            elif one.tag == f"{TABLE}table-row":
                column = 0
            continue
        if one.tag in (f"{TABLE}table-cell", f"{TABLE}covered-table-cell"):
            if name == sheet:
                kind = one.get(f"{OFFICE}value-type")
                error = one.get(f"{CALCEXT}value-type") == "error"
                if error or (one.get(f"{TABLE}formula") and kind is None):
                    shown = "".join(text for part in one.iter(f"{TEXT}p") for text in part.itertext())
                    found[row, column] = (shown or "#VALUE!") if error else NOT_CALCULATED
            column += int(one.get(f"{TABLE}number-columns-repeated", "1"))
            one.clear()
        elif one.tag == f"{TABLE}table-row":
            row += int(one.get(f"{TABLE}number-rows-repeated", "1"))
            one.clear()
    return found


def _sheet_part(packed: zipfile.ZipFile, sheet: str) -> str | None:
    """The part of an XLSX file that holds a sheet, by its published structure (ECMA-376 part 1, 18.2.19)."""
    try:
        book = ElementTree.fromstring(packed.read("xl/workbook.xml"))  # noqa: S314 (limits of this process hold)
        links = ElementTree.fromstring(packed.read("xl/_rels/workbook.xml.rels"))  # noqa: S314
    except (KeyError, ElementTree.ParseError):
        return None
    targets = {one.get("Id"): one.get("Target", "") for one in links}
    for one in book.iter():
        if one.tag.endswith("}sheet") and one.get("name") == sheet:
            key = next((value for name, value in one.attrib.items() if name.endswith("}id")), None)
            target = targets.get(key, "")
            return target.lstrip("/") if target.startswith("/") else f"xl/{target}"
    return None


def _wrong_cells(path: Path, sheet: str) -> dict[tuple[int, int], str]:
    with zipfile.ZipFile(path) as packed:
        names = set(packed.namelist())
        if "content.xml" in names:
            plain = packed.read("content.xml")
            if b'"error"' not in plain and b"table:formula" not in plain:
                return {}
            with packed.open("content.xml") as content:
                return wrong_cells_ods(content, sheet)
        part = _sheet_part(packed, sheet)
        return wrong_cells_xlsx(packed.read(part)) if part in names and part is not None else {}


class _Book:
    """A workbook of any format: names of sheets with something in them, and their rows with lines from 1."""

    def __init__(self, path: Path) -> None:
        self.old = path.open("rb").read(4) == b"\xd0\xcf\x11\xe0"
        self.path = path
        self.merged = False
        if self.old:
            import xlrd

            self._book: Any = xlrd.open_workbook(str(path), on_demand=True)
            self.names = list(self._book.sheet_names())
        else:
            from python_calamine import CalamineWorkbook

            self._book = CalamineWorkbook.from_path(str(path))
            self.names = list(self._book.sheet_names)

    def _old_rows(self, name: str) -> Iterator[Record]:
        import xlrd

        sheet = self._book.sheet_by_name(name)
        for place in range(sheet.nrows):
            values = []
            for one in sheet.row(place):
                value = one.value
                if one.ctype == xlrd.XL_CELL_ERROR:
                    value = xlrd.error_text_from_code.get(one.value, "#VALUE!")
                elif one.ctype == xlrd.XL_CELL_BOOLEAN:
                    value = bool(one.value)
                elif one.ctype == xlrd.XL_CELL_DATE:
                    value = xlrd.xldate.xldate_as_datetime(one.value, self._book.datemode)
                values.append(cell_text(value))
            yield place + 1, values

    def rows(self, name: str, wrong: dict[tuple[int, int], str]) -> Iterator[Record]:
        """Rows of a sheet that hold anything; a value merged down over several rows stands in each of them."""
        if self.old:
            yield from ((line, values) for line, values in self._old_rows(name) if any(map(str.strip, values)))
            return
        sheet = self._book.get_sheet_by_name(name)
        begins, left = sheet.start or (0, 0)
        spans = sheet.merged_cell_ranges or ()
        merged = {(row, top[1]): top for top, end in spans for row in range(top[0] + 1, end[0] + 1)}
        self.merged = bool(merged)
        columns = {column for _, column in merged}
        tops: dict[tuple[int, int], str] = {}
        in_row: dict[int, list[tuple[int, str]]] = {}
        for (at_row, at), words in wrong.items():
            in_row.setdefault(at_row, []).append((at - left, words))
        for place, row in enumerate(sheet.iter_rows(), start=begins):
            values = [cell_text(value) for value in row]
            for column in columns:
                at = column - left
                if top := merged.get((place, column)):
                    values[at] = values[at] or tops.get(top, "")
                else:
                    tops[place, column] = values[at]
            for at, words in in_row.get(place, ()):
                if 0 <= at < len(values) and not values[at]:
                    values[at] = words
            if any(value.strip() for value in values):
                yield place + 1, values


def read(path: Path, out: Path, asked: dict[str, Any]) -> dict[str, Any]:
    """Read the sheet that is asked for, or the first whose header holds known names, else the first with anything."""
    book = _Book(path)
    known, most = frozenset(asked["known"]), asked["cells"]
    tops: dict[str, list[Record]] = {}
    for name in book.names:
        first: list[Record] = []
        for record in book.rows(name, {}):
            first.append(record)
            if len(first) == TITLE_LINES:
                break
        if first:
            tops[name] = first
    if not tops:
        return {"sheets": [], "sheet": None, "merged": False}
    sheet = asked["sheet"]
    if sheet not in tops:
        with_header = (name for name, first in tops.items() if place_of_header(first, known) is not None)
        sheet = next(with_header, next(iter(tops)))
    cells = 0
    wrong = {} if book.old else _wrong_cells(path, sheet)
    with out.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        for line, values in book.rows(sheet, wrong):
            cells += len(values)
            if cells > most:
                raise TooLarge
            writer.writerow([line, *values])
    return {"sheets": list(tops), "sheet": sheet, "merged": book.merged}


def main() -> None:
    """Set this process's limits, read, and say what came of it."""
    ctypes.CDLL(None).prctl(_PDEATHSIG, signal.SIGKILL)
    asked = json.load(sys.stdin)
    resource.setrlimit(resource.RLIMIT_AS, (asked["memory"], asked["memory"]))
    resource.setrlimit(resource.RLIMIT_CPU, (asked["seconds"], asked["seconds"] + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        answer = read(Path(sys.argv[1]), Path(sys.argv[2]), asked)
    except (MemoryError, TooLarge):
        answer = {"large": True}
    # The readers of old formats end in errors of many kinds on damaged files.
    except Exception as error:
        large = "limit exceeded" in str(error)
        answer = {"large": True} if large else {"damaged": f"{type(error).__name__}: {error}"[:200]}
    json.dump(answer, sys.stdout)


if __name__ == "__main__":
    main()
