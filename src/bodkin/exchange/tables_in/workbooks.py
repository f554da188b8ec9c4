"""Workbooks, opened in a process of their own with limits of memory and time."""

import csv
import json
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from threading import BoundedSemaphore
from typing import Any

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.archives import SPREADSHEET_PARTS, parts_of
from bodkin.exchange.tables_in.names import Record

MOST_CELLS = 40_000_000
MEMORY = 1_600 << 20
"""Bytes of memory that a workbook may take while it is opened."""
SECONDS, SECONDS_A_MEGABYTE = 4, 5
"""Seconds of work that a workbook may take: few for a small file, which can hold a sheet that never ends."""
AT_ONCE = BoundedSemaphore(2)


@dataclass(slots=True)
class Opened:
    """The rows of a sheet of a workbook, its name, and the names of all sheets that hold anything."""

    records: Iterator[Record]
    sheet: str
    sheets: list[str]
    notices: list[str] = field(default_factory=list)


@contextmanager
def opened_workbook(file: str, content: bytes, known: frozenset[str], sheet: str | None) -> Iterator[Opened]:
    """A workbook's sheet while it is read: the one named, else the first whose header is known, else the first.

    Raises BadFile for a file that is damaged, empty, or takes more memory or time than any sheet of results.
    """
    suffix = ".xls"
    if content[:2] == b"PK":
        names = parts_of(file, content, "this spreadsheet is damaged; save it again as XLSX or CSV UTF-8")
        if not names & SPREADSHEET_PARTS:
            message = "this is a zip file but no spreadsheet; unpack it and import its files"
            raise BadFile([Fault(file, 0, "", message)])
        # The reader goes by the ending; the file's own may be anything.
        suffix = ".ods" if "content.xml" in names else ".xlsb" if "xl/workbook.bin" in names else ".xlsx"
    with tempfile.TemporaryDirectory(prefix="bodkin-workbook-") as folder:
        given, rows = Path(folder) / f"given{suffix}", Path(folder) / "rows.csv"
        given.write_bytes(content)
        answer = _asked_child(file, given, rows, len(content), known, sheet)
        if not answer["sheets"]:
            raise BadFile([Fault(file, 0, "", "all sheets of this workbook are empty")])
        if sheet is not None and answer["sheet"] != sheet:
            raise BadFile([Fault(file, 0, "", f'there is no sheet "{sheet}" with anything in it')])
        notices = []
        if len(answer["sheets"]) > 1:
            others = ", ".join(f'"{other}"' for other in answer["sheets"] if other != answer["sheet"])
            notices = [f'read from sheet "{answer["sheet"]}"', f"other sheets were left out: {others}"]
        if answer["merged"]:
            notices.append("the value of a merged cell counts in every row that the cell covers")
        with rows.open(encoding="utf-8", newline="") as written:
            records = ((int(row[0]), row[1:]) for row in csv.reader(written))
            yield Opened(records, answer["sheet"], answer["sheets"], notices)


def _asked_child(
    file: str, given: Path, rows: Path, size: int, known: frozenset[str], sheet: str | None
) -> dict[str, Any]:
    seconds = SECONDS + SECONDS_A_MEGABYTE * (size >> 20)
    asked = {"sheet": sheet, "known": sorted(known), "cells": MOST_CELLS, "memory": MEMORY, "seconds": seconds}
    words = [sys.executable, "-m", "bodkin.exchange.tables_in.workbook_child", str(given), str(rows)]
    with AT_ONCE:
        try:
            done = subprocess.run(  # noqa: S603 (arguments are ours)
                words, input=json.dumps(asked).encode(), capture_output=True, timeout=2 * seconds + 5, check=False
            )
        except subprocess.TimeoutExpired:
            done = None
    answer: dict[str, Any] = json.loads(done.stdout) if done is not None and done.returncode == 0 else {"large": True}
    if answer.get("large"):
        message = (
            "this workbook takes more memory or time than any sheet of results (often cells that repeat to the"
            " foot of the sheet); it was not opened. Copy the table into a new workbook or save it as CSV UTF-8"
        )
        raise BadFile([Fault(file, 0, "", message)])
    if reason := answer.get("damaged"):
        message = f"this spreadsheet cannot be opened ({reason}); save it again as XLSX or CSV UTF-8"
        raise BadFile([Fault(file, 0, "", message)])
    return answer
