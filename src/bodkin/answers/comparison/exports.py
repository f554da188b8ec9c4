"""Answers as spreadsheets: the columns of the headless run with names beside them."""

import csv
import io
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time

import polars as pl
import xlsxwriter

from bodkin.answers.comparison.comparison import STUDENT_COLUMNS, Comparison
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.comparison.summary_parts import SetFigures, Summary
from bodkin.answers.scope.sentence import caption

_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")
SHEET = "Bodkin"
WIDEST = 40
"""Widest a column of a workbook is made, in letters."""


@dataclass(frozen=True, slots=True)
class Table:
    """A table on its way out: header, rows, and the sentence that says what it shows."""

    header: Sequence[str]
    rows: Sequence[Sequence[object]]
    caption: str = ""


def neutral(value: object) -> object:
    """A value that no spreadsheet takes for a formula: text that begins like one is quoted."""
    if isinstance(value, str) and (value.startswith(_FORMULA) or value.lstrip().startswith(_FORMULA)):
        return f"'{value}"
    return value


def table_text(table: Table) -> str:
    """CSV text of a table; missing values are empty, booleans true or false; the caption stands last."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([neutral(name) for name in table.header])
    for row in table.rows:
        writer.writerow(["" if v is None else str(v).lower() if isinstance(v, bool) else neutral(v) for v in row])
    if table.caption:
        # One line, whatever a name within it holds, and through the same writer as every cell.
        out.write("\r\n")
        quoted = csv.writer(out, lineterminator="\r\n", quoting=csv.QUOTE_ALL)
        quoted.writerow([neutral(" ".join(table.caption.split()))])
    return out.getvalue()


def workbook(table: Table) -> bytes:
    """XLSX of a table: numbers, dates and booleans as what they are, text as text whatever it begins with.

    The header is frozen and every column can be filtered and sorted; the caption stands on a sheet of
    its own, so that sorting never mixes it with the rows.
    """
    out = io.BytesIO()
    # Text is text: nothing in a name may turn into a formula, a number or a link.
    plain = {"strings_to_formulas": False, "strings_to_numbers": False, "strings_to_urls": False, "in_memory": True}
    with xlsxwriter.Workbook(out, plain) as book:
        bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
        sheet = book.add_worksheet(SHEET)
        sheet.write_row(0, 0, table.header, bold)
        widths = [len(name) for name in table.header]
        for at, row in enumerate(table.rows, start=1):
            for column, value in enumerate(row):
                if value is None or (isinstance(value, float) and not math.isfinite(value)):
                    continue
                if isinstance(value, bool):
                    sheet.write_boolean(at, column, value)
                elif isinstance(value, (int, float)):
                    sheet.write_number(at, column, value)
                elif isinstance(value, date):
                    sheet.write_datetime(at, column, datetime.combine(value, time()), day)
                    widths[column] = max(widths[column], 10)
                else:
                    sheet.write_string(at, column, str(value))
                    widths[column] = max(widths[column], len(str(value)))
        for column, width in enumerate(widths):
            sheet.set_column(column, column, min(width, WIDEST) + 2)
        sheet.freeze_panes(1, 0)
        if table.header:
            sheet.autofilter(0, 0, len(table.rows), len(table.header) - 1)
        if table.caption:
            book.add_worksheet("What this shows").write_string(0, 0, table.caption)
    return out.getvalue()


def students_table(comparison: Comparison, rows: pl.DataFrame, names: Names) -> Table:
    """Students of a comparison with their names, school, class and figures, and the caption."""
    fields = ["school", "section", *STUDENT_COLUMNS[1:]]
    there = rows.select([pl.col(n) if n in rows.columns else pl.lit(None).alias(n) for n in ("student_id", *fields)])
    lines = [[row[0], display_name(names, row[0]), *row[1:]] for row in there.iter_rows()]
    return Table(["student_id", "name", *fields], lines, caption(comparison.pieces))


def _band_lines(value: str, figures: SetFigures) -> Iterable[list[object]]:
    for row in figures.bands:
        yield [
            value, row.band, row.order, row.from_n, row.from_share, row.from_low, row.from_high,
            row.to_n, row.to_share, row.to_low, row.to_high, row.from_at_or_above, row.to_at_or_above,
        ]  # fmt: skip


def summary_table(summary: Summary) -> Table:
    """Bands of everyone and of each unit, one band a line, and the caption."""
    header = [
        "unit", "band", "order", "from_n", "from_share", "from_low", "from_high",
        "to_n", "to_share", "to_low", "to_high", "from_at_or_above", "to_at_or_above",
    ]  # fmt: skip
    lines = [*_band_lines("all", summary)]
    for unit in summary.by:
        lines += _band_lines(unit.value if unit.value2 is None else f"{unit.value}, {unit.value2}", unit)
    return Table(header, lines, summary.caption)
