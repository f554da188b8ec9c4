"""Bringing in a calendar: school years, windows and closures; dated results go to the window of their day."""

from dataclasses import replace
from datetime import date
from itertools import pairwise
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.core.windows import Window as WindowName
from bodkin.core.windows import parse_window
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, Plan, PlannedRow, difference
from bodkin.exchange.faults import Fault
from bodkin.exchange.plain.plain_files import read_calendar, window_by_date
from bodkin.exchange.tables_in.names import header_name
from bodkin.exchange.tables_in.reading import Reading
from bodkin.exchange.tables_in.sheets import Sheet
from bodkin.store.reads.corrected import corrected
from bodkin.store.reads.table.load import load_calendar, window_names
from bodkin.store.tables import Closure, Result, SchoolYear, Window

Span = tuple[date | None, date | None]
YEAR, WINDOW, CLOSURE = "school_year", "window", "closure"


def read_calendar_rows(file: str, content: bytes | Sheet) -> Reading:
    """``calendar.csv``; names that are no school year or window, and windows that overlap, are faults."""
    reading, _ = read_calendar(file, content)
    frame = reading.frame.with_columns(
        pl.col("kind").map_elements(header_name, return_dtype=pl.String, skip_nulls=True)
    )
    reading.frame = frame
    bad = {fault.line for fault in reading.faults}
    faults = []
    windows: list[dict[str, Any]] = []
    for row in frame.iter_rows(named=True):
        if row["line"] in bad:
            continue
        if problem := _name_fault(row["kind"], row["name"]):
            faults.append(Fault(file, row["line"], "name", problem))
        elif row["kind"] == WINDOW:
            windows.append(row)
    windows.sort(key=lambda row: row["from"])
    for one, other in pairwise(windows):
        if other["from"] <= one["to"]:
            faults.append(Fault(file, other["line"], "from", f"begins before {one['name']} has ended"))
    reading.faults = sorted(reading.faults + faults)
    return reading


def _name_fault(kind: str, name: str) -> str | None:
    try:
        if kind == WINDOW:
            parse_window(name)
        elif kind == YEAR:
            parse_window(f"{name} fall")
    except BadInput:
        return "write a school year as 2026-27 and a window as 2026-27 fall"
    return None


def _there(session: Session) -> dict[tuple[str, str, date | None], tuple[int, Span]]:
    """What is there: kind and name (a closure also its first day) to key and days."""
    found: dict[tuple[str, str, date | None], tuple[int, Span]] = {}
    for year in session.scalars(select(SchoolYear)):
        found[YEAR, year.name, None] = (year.id, (year.first_day, year.last_day))
    names = window_names(session)
    for window in session.scalars(select(Window)):
        found[WINDOW, names[window.id], None] = (window.id, (window.first_day, window.last_day))
    for closure in session.scalars(select(Closure)):
        found[CLOSURE, closure.name, closure.first_day] = (closure.id, (closure.first_day, closure.last_day))
    return found


def calendar_rows(session: Session) -> list[tuple[str, str, date | None, date | None]]:
    """Everything of the calendar: kind, name, first and last day; by kind, then in the order of the year."""
    rows = [(kind.replace("_", " "), name, *days) for (kind, name, _), (_, days) in _there(session).items()]
    kinds = [kind.replace("_", " ") for kind in (YEAR, WINDOW, CLOSURE)]
    return sorted(rows, key=lambda row: (kinds.index(row[0]), row[2] or date.max, row[1]))


def plan_calendar(session: Session, reading: Reading) -> Plan:
    """What a calendar would do, results that change their window included."""
    there = _there(session)
    new: list[dict[str, Any]] = []
    changed: list[tuple[int, dict[str, Any]]] = []
    planned: list[PlannedRow] = []
    rows = reading.good()
    for row in rows.iter_rows(named=True):
        place = (row["kind"], row["name"], row["from"] if row["kind"] == CLOSURE else None)
        days = {"first_day": row["from"], "last_day": row["to"]}
        known = there.get(place)
        what = f"{row['kind'].replace('_', ' ')} {row['name']}"
        if known is None:
            new.append(row)
            planned.append(PlannedRow(row["line"], what, "new"))
        elif known[1] != (row["from"], row["to"]):
            before = dict(zip(days, known[1], strict=True))
            changed.append((known[0], {"kind": row["kind"], **days}))
            planned.append(PlannedRow(row["line"], what, "changed", difference(before, days)))
    moved = _moved(session, rows).height if new or changed else 0

    def apply(ledger: Ledger) -> None:
        _write(session, ledger, new, changed)
        again = _moved(session, rows.clear())
        ledger.change(Result, again.select("id", "window_id").to_dicts())

    counts = {"new": len(new), "changed": len(changed), "same": rows.height - len(new) - len(changed)}
    notices = [f"{moved} results move to another window, or out of all windows, because of their date"] if moved else []
    return Plan(counts, planned[:SHOWN], apply, notices=notices)


def _write(
    session: Session, ledger: Ledger, new: list[dict[str, Any]], changed: list[tuple[int, dict[str, Any]]]
) -> None:
    tables = {YEAR: SchoolYear, WINDOW: Window, CLOSURE: Closure}
    for kind, table in tables.items():
        ledger.change(
            table,
            [
                {"id": key, **{n: v for n, v in values.items() if n != "kind"}}
                for key, values in changed
                if values["kind"] == kind
            ],
        )
    of = {kind: [row for row in new if row["kind"] == kind] for kind in tables}
    days = [{"name": row["name"], "first_day": row["from"], "last_day": row["to"]} for row in of[YEAR]]
    named = [(row, parse_window(row["name"])) for row in of[WINDOW]]
    known = set(session.scalars(select(SchoolYear.name))) | {day["name"] for day in days}
    lacking = sorted({window.school_year for _, window in named} - known)
    days += [{"name": name, "first_day": None, "last_day": None} for name in lacking]
    ledger.add(SchoolYear, days)
    years = {name: key for key, name in session.execute(select(SchoolYear.id, SchoolYear.name))}
    ledger.add(Window, [_window(row, window, years) for row, window in named])
    ledger.add(Closure, [{"name": row["name"], "first_day": row["from"], "last_day": row["to"]} for row in of[CLOSURE]])


def _window(row: dict[str, Any], window: WindowName, years: dict[str, int]) -> dict[str, Any]:
    return {
        "school_year_id": years[window.school_year],
        "season": window.season,
        "first_day": row["from"],
        "last_day": row["to"],
    }


def _moved(session: Session, rows: pl.DataFrame) -> pl.DataFrame:
    """Dated results whose window would be another one, with ``window`` and its key where it is there.

    ``rows`` are lines of a calendar that is not written yet.
    """
    calendar = load_calendar(session)
    coming = {row["name"]: (row["from"], row["to"]) for row in rows.iter_rows(named=True) if row["kind"] == WINDOW}
    calendar = replace(calendar, windows={**calendar.windows, **coming})
    names = window_names(session)
    query = select(Result.id, Result.window_id, Result.tested_on).where(Result.tested_on.is_not(None))
    schema = {"id": pl.Int64, "before": pl.Int64, "tested_on": pl.Date}
    dated = pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row").with_columns(
        window=pl.col("before").replace_strict(names, default=None, return_dtype=pl.String)
    )
    now = dated.with_columns(now=window_by_date(calendar))
    keys = {name: key for key, name in names.items()}
    # A window that somebody gave by hand stays.
    by_hand = list(corrected(session).now.get("window", {}))
    return now.filter(pl.col("now").ne_missing(pl.col("window")) & ~pl.col("id").is_in(by_hand)).select(
        "id", pl.col("now").replace_strict(keys, default=None, return_dtype=pl.Int64).alias("window_id")
    )
