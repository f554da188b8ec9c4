"""Answers as spreadsheets: the columns of the headless run with names beside them."""

import csv
import io
from collections.abc import Iterable

import polars as pl

from bodkin.answers.comparison import STUDENT_COLUMNS, Comparison
from bodkin.answers.scope import caption
from bodkin.answers.steps import Names, display_name
from bodkin.answers.summary import Figures, Summary

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def neutral(value: object) -> object:
    """A value that no spreadsheet takes for a formula: text that begins like one is quoted."""
    return f"'{value}" if isinstance(value, str) and value.startswith(_FORMULA) else value


def table_text(header: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    """CSV text of a table; missing values are empty, booleans true or false."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow(["" if v is None else str(v).lower() if isinstance(v, bool) else neutral(v) for v in row])
    return out.getvalue()


def students_csv(comparison: Comparison, rows: pl.DataFrame, names: Names) -> str:
    """Students of a comparison with their names, school, class and figures, and the caption."""
    fields = ["school", "section", *STUDENT_COLUMNS[1:]]
    there = rows.select([pl.col(n) if n in rows.columns else pl.lit(None).alias(n) for n in ("student_id", *fields)])
    lines = ([row[0], display_name(names, row[0]), *row[1:]] for row in there.iter_rows())
    return table_text(["student_id", "name", *fields], lines) + f'\r\n"{caption(comparison.pieces)}"\r\n'


def _band_lines(value: str, figures: Figures) -> Iterable[list[object]]:
    for row in figures.bands:
        yield [
            value, row.band, row.order, row.from_n, row.from_share, row.from_low, row.from_high,
            row.to_n, row.to_share, row.to_low, row.to_high, row.from_at_or_above, row.to_at_or_above,
        ]  # fmt: skip


def summary_csv(summary: Summary) -> str:
    """Bands of everyone and of each unit, one band a line, and the caption."""
    header = [
        "unit", "band", "order", "from_n", "from_share", "from_low", "from_high",
        "to_n", "to_share", "to_low", "to_high", "from_at_or_above", "to_at_or_above",
    ]  # fmt: skip
    lines = [*_band_lines("all", summary)]
    for unit in summary.by:
        lines += _band_lines(unit.value, unit)
    return table_text(header, lines) + f'\r\n"{summary.caption}"\r\n'
