"""The plain files: which columns each has, and what makes its rows fit together."""

from collections.abc import Sequence
from datetime import date

import numpy as np
import polars as pl

from bodkin.core.calendar import SchoolYear, closed_days
from bodkin.core.errors import CutFault
from bodkin.core.scores.cuts import CutRow, cut_set
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.names import header_name
from bodkin.exchange.tables_in.reading import (
    CODE,
    CORRELATION,
    COUNT,
    DAY,
    GRADE,
    LIST,
    NOT_NEGATIVE,
    NUMBER,
    ORDER,
    PERCENT,
    POSITIVE,
    SEASON,
    WINDOW,
    Column,
    Layout,
    Reading,
    doubled,
    read_plain,
)
from bodkin.exchange.tables_in.sheets import Sheet
from bodkin.store.reads.table.score_table import CUTS, GROWTH_NORMS, NORMS, RESULTS, Calendar, shaped

MEASURE = (Column("assessment", required=True, filled=True), Column("subject", CODE, required=True, filled=True))

SCORES = Layout(
    "scores",
    (
        Column("student_id", CODE, required=True, filled=True),
        *MEASURE,
        Column("window", WINDOW, required=True),
        Column("grade", GRADE, required=True),
        Column("score", NUMBER, required=True),
        Column("school"),
        Column("section"),
        Column("teacher"),
        Column("given_name"),
        Column("family_name"),
        Column("tested_on", DAY),
        Column("language", CODE),
        Column("standard_error", POSITIVE),
        Column("percentile", PERCENT),
        Column("percentile_basis"),
        Column("minutes", NOT_NEGATIVE),
        Column("items_tried", COUNT),
        Column("items_right", COUNT),
        Column("points", NUMBER),
        Column("points_possible", NOT_NEGATIVE),
        Column("accommodations", LIST),
        Column("programs", LIST),
    ),
)

NORM_ROWS = Layout(
    "norms",
    (
        *MEASURE,
        Column("grade", GRADE, required=True, filled=True),
        Column("season", SEASON, required=True, filled=True),
        Column("week", NUMBER, required=True),
        Column("mean", NUMBER, required=True, filled=True),
        Column("sd", POSITIVE, required=True, filled=True),
        Column("strand"),
    ),
)

GROWTH_NORM_ROWS = Layout(
    "growth_norms",
    (
        *MEASURE,
        Column("grade", GRADE, required=True, filled=True),
        Column("from_season", SEASON, required=True, filled=True),
        Column("to_season", SEASON, required=True, filled=True),
        Column("correlation", CORRELATION, required=True, filled=True),
    ),
)

CUT_ROWS = Layout(
    "cuts",
    (
        *MEASURE,
        Column("grade", GRADE, required=True, filled=True),
        Column("season", SEASON, required=True),
        Column("band", required=True, filled=True),
        Column("order", ORDER, required=True, filled=True),
        Column("min_score", NUMBER),
        Column("min_percentile", NUMBER),
        Column("purpose"),
    ),
)

CALENDAR_ROWS = Layout(
    "calendar",
    (
        Column("kind", required=True, filled=True),
        Column("name", required=True, filled=True),
        Column("from", DAY, required=True, filled=True),
        Column("to", DAY, required=True, filled=True),
    ),
)

Span = tuple[str, date, date]
"""A name with its first and last day."""

PERFORMANCE, HELP = "performance", "help"


def read_scores(file: str, content: bytes | Sheet) -> Reading:
    """``scores.csv``: one result per line."""
    return read_plain(file, content, SCORES)


def read_norms(file: str, content: bytes | Sheet) -> Reading:
    """``norms.csv``: one norm row per line, two for the same place and week being a fault."""
    reading = read_plain(file, content, NORM_ROWS)
    keys = ["assessment", "subject", "strand", "grade", "season", "week"]
    reading.faults = sorted(reading.faults + doubled(reading, keys, "norm"))
    return reading


def read_growth_norms(file: str, content: bytes | Sheet) -> Reading:
    """``growth_norms.csv``: one correlation per line."""
    reading = read_plain(file, content, GROWTH_NORM_ROWS)
    keys = ["assessment", "subject", "grade", "from_season", "to_season"]
    reading.faults = sorted(reading.faults + doubled(reading, keys, "growth norm"))
    return reading


def read_cuts(file: str, content: bytes | Sheet) -> Reading:
    """``cuts.csv``: one band per line; each set is checked for gaps, overlaps and order."""
    reading = read_plain(file, content, CUT_ROWS)
    if not {"min_score", "min_percentile"} & set(reading.header):
        raise BadFile([Fault(file, 1, "min_score", "the header needs min_score or min_percentile")])
    purpose = pl.col("purpose").fill_null(PERFORMANCE)
    reading.frame = reading.frame.with_columns(purpose.str.to_lowercase())
    known = reading.frame["purpose"].is_in([PERFORMANCE, HELP])
    faults = [
        Fault(file, line, "purpose", "write performance or help, or leave it empty")
        for line in reading.frame["line"].filter(~known)
    ]
    broken = {fault.line for fault in reading.faults}
    keys = ["assessment", "subject", "grade", "season", "purpose"]
    for _, rows in reading.frame.group_by(keys, maintain_order=True):
        lines = rows["line"].to_list()
        if broken & set(lines):
            continue
        try:
            cut_set([CutRow(*row) for row in rows.select("order", "band", "min_score", "min_percentile").iter_rows()])
        except CutFault as error:
            column = "min_percentile" if rows["min_score"].null_count() == rows.height else "min_score"
            column = "order" if "order" in str(error).split(" ")[:4] else column
            faults.append(Fault(file, lines[error.position], column, str(error)))
    reading.faults = sorted(reading.faults + faults)
    return reading


def read_calendar(file: str, content: bytes | Sheet) -> tuple[Reading, Calendar]:
    """``calendar.csv``: lines of kind ``school year``, ``window`` and ``closure`` with two dates.

    A school year is named ``2026-27`` and a window ``2026-27 fall``.
    """
    reading = read_plain(file, content, CALENDAR_ROWS)
    faults = list(reading.faults)
    bad = {fault.line for fault in faults}
    rows = [row for row in reading.frame.iter_rows(named=True) if row["line"] not in bad]
    for row in rows:
        if row["to"] < row["from"]:
            faults.append(Fault(file, row["line"], "to", "is before the first day"))
        if header_name(row["kind"]) not in ("school_year", "window", "closure"):
            faults.append(Fault(file, row["line"], "kind", "write school year, window or closure"))
    if faults:
        reading.faults = sorted(faults)
        return reading, Calendar()
    spans: dict[str, list[Span]] = {"school_year": [], "window": [], "closure": []}
    for row in rows:
        spans[header_name(row["kind"])].append((row["name"], row["from"], row["to"]))
    return reading, calendar_of(spans["school_year"], spans["window"], spans["closure"])


def calendar_of(years: Sequence[Span], windows: Sequence[Span], closures: Sequence[Span]) -> Calendar:
    """A calendar from the spans of school years, windows and closures."""
    closed = closed_days([(np.datetime64(first, "D"), np.datetime64(last, "D")) for _, first, last in closures])
    return Calendar(
        {name: SchoolYear(np.datetime64(first, "D"), np.datetime64(last, "D"), closed) for name, first, last in years},
        {name: (first, last) for name, first, last in windows},
    )


def split_programs(text: pl.Expr) -> pl.Expr:
    """Programs written with semicolons as a sorted list without doubles."""
    parts = text.fill_null("").str.split(";").list.eval(pl.element().str.strip_chars())
    return parts.list.eval(pl.element().filter(pl.element() != "")).list.unique().list.sort()


def window_by_date(calendar: Calendar) -> pl.Expr:
    """The window a result belongs to where days of windows are known: that of its date.

    A dated result in none of them is outside the windows, unless it names a window that the
    calendar does not know; that one, and an undated result, stay as the file says.
    """
    by_date = pl.lit(None, dtype=pl.String)
    for name, (first, last) in calendar.windows.items():
        by_date = pl.when(pl.col("tested_on").is_between(first, last)).then(pl.lit(name)).otherwise(by_date)
    named = pl.col("window")
    goes_by_date = pl.col("tested_on").is_not_null() & (named.is_null() | named.is_in(list(calendar.windows)))
    return (
        pl.when(goes_by_date)
        .then(by_date)
        .otherwise(pl.when(pl.col("tested_on").is_not_null()).then(pl.coalesce(by_date, named)).otherwise(named))
    )


def results_frame(scores: pl.DataFrame, calendar: Calendar | None) -> pl.DataFrame:
    """Score rows as results of the score table: with a calendar, windows go by date."""
    frame = scores.filter(pl.col("score").is_not_null()).with_columns(programs=split_programs(pl.col("programs")))
    if calendar is not None:
        frame = frame.with_columns(window=window_by_date(calendar))
    return shaped(frame, RESULTS)


def norms_frame(norms: pl.DataFrame) -> pl.DataFrame:
    """Norm rows of whole tests (a strand's norms stand apart)."""
    return norms.filter(pl.col("strand").is_null()).select(list(NORMS))


def growth_norms_frame(growth_norms: pl.DataFrame) -> pl.DataFrame:
    """Growth norm rows as the score table holds them."""
    return growth_norms.select(list(GROWTH_NORMS))


def cuts_frame(cuts: pl.DataFrame) -> pl.DataFrame:
    """Performance cuts as the score table holds them."""
    return cuts.filter(pl.col("purpose") == PERFORMANCE).select(list(CUTS))
