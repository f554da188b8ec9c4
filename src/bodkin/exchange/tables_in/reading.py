"""Reading a file by its layout: a table of text to typed columns, every fault with its place."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date

import polars as pl

from bodkin.core.errors import BadInput
from bodkin.core.windows import GRADES, SEASONS, parse_window
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.dates import OWN, read_days
from bodkin.exchange.tables_in.names import ERROR_WORDS, NOT_CALCULATED
from bodkin.exchange.tables_in.sheets import Sheet, open_plain

IDENTITY = "student_id"

Check = Callable[[pl.Expr], pl.Expr]


@dataclass(frozen=True, slots=True)
class Kind:
    """How a column is read: its type, what a good value is, and what to say of another."""

    dtype: type[pl.DataType]
    advice: str
    good: Check | None = None
    low: float | None = None
    above: float | None = None
    high: float | None = None
    longest: int = 160


TEXT = Kind(pl.String, "write at most 160 characters")
CODE = Kind(pl.String, "write at most 64 characters", longest=64)
LIST = Kind(pl.String, "write at most 255 characters", longest=255)
NUMBER = Kind(pl.Float64, "write a number with a point, such as 512.5, or leave it empty")
POSITIVE = Kind(pl.Float64, "write a number above 0, or leave it empty", above=0)
NOT_NEGATIVE = Kind(pl.Float64, "write a number of 0 or more, or leave it empty", low=0)
PERCENT = Kind(pl.Float64, "write a number from 0 to 100, or leave it empty", low=0, high=100)
CORRELATION = Kind(pl.Float64, "write a correlation from -1 to 1", low=-1, high=1)
COUNT = Kind(pl.Int64, "write a whole number from 0 to 100000, or leave it empty", low=0, high=100_000)
ORDER = Kind(pl.Int64, "write a whole number from 1 to 20, 1 for the lowest band", low=1, high=20)
EARLIEST, LATEST = date(1990, 1, 1), date(2099, 12, 31)
"""Days that a date of a file can be; any other is a slip of the pen."""
CUT_NUMBER = r"^\d(?:\.\d+)?[eE]\+\d+$|^\d{15,}\.0$"
"""A number as a spreadsheet writes one that it has cut to fifteen digits (common practice)."""
DAY = Kind(pl.Date, "write the date as year-month-day, such as 2026-09-14, or leave it empty")
GRADE = Kind(pl.String, "write the grade as K or 1 to 12", good=lambda text: text.is_in(GRADES))
LONG = Kind(pl.String, "write at most 1000 characters", longest=1000)
WHOLE = Kind(pl.Int64, "write a whole number, or leave it empty", low=-1_000_000, high=1_000_000)
TRUTH = Kind(pl.String, "write true or false, or leave it empty", good=lambda text: text.is_in(("true", "false")))
SEASON = Kind(pl.String, "write fall, winter or spring", good=lambda text: text.is_in(SEASONS))
WINDOW = Kind(pl.String, 'write the window like "2026-27 fall" (fall, winter or spring)')


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a plain file: ``required`` in the header, ``filled`` in every row."""

    name: str
    kind: Kind = TEXT
    required: bool = False
    filled: bool = False


@dataclass(frozen=True, slots=True)
class Layout:
    """The columns that a kind of file can have."""

    name: str
    columns: tuple[Column, ...]

    @property
    def required(self) -> set[str]:
        """Names that the header must have."""
        return {column.name for column in self.columns if column.required}


@dataclass(slots=True)
class Reading:
    """A file as it was understood.

    ``frame`` has every column of the layout, typed, and ``line``; rows at fault are in it too,
    with the faulty value missing, and are listed in ``faults``. ``unknown`` are columns kept out.
    """

    file: str
    frame: pl.DataFrame
    header: list[str] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)

    def checked(self) -> pl.DataFrame:
        """The frame, or BadFile where anything is at fault."""
        if self.faults:
            raise BadFile(self.faults)
        return self.frame

    def settle(self, rows: pl.DataFrame) -> None:
        """Put the good rows as somebody has settled them in place of what the file says."""
        bad = self.frame.filter(pl.col("line").is_in(sorted({fault.line for fault in self.faults})))
        self.frame = pl.concat([rows, bad.select(rows.columns)]).sort("line")

    def good(self) -> pl.DataFrame:
        """The rows without a fault."""
        if not self.faults:
            return self.frame
        return self.frame.filter(~pl.col("line").is_in(sorted({fault.line for fault in self.faults})))


def read_plain(file: str, content: bytes | Sheet, layout: Layout) -> Reading:
    """Read a file by its layout, from its bytes or once it has been opened.

    Raises BadFile where the file cannot be read at all: no table, no header, a header that lacks
    a required column or names one twice. Faults of single rows come back in the reading.
    """
    known = {column.name: column for column in layout.columns}
    sheet = content if isinstance(content, Sheet) else open_plain(file, content, frozenset(known))
    header = sheet.header
    wrong = [
        Fault(file, sheet.header_line, name, "this column appears twice in the header")
        for name in sorted({name for name in header if name in known and header.count(name) > 1})
    ]
    missing = sorted(layout.required - set(header))
    wrong += [Fault(file, sheet.header_line, name, "this column is missing from the header") for name in missing]
    if wrong:
        raise BadFile(wrong)
    texts = {name: sheet.columns[at].alias(name) for at, name in enumerate(header) if name in known}
    columns, faults = [sheet.line], list(sheet.faults)
    for name, text in texts.items():
        values, found = _typed(file, sheet.line, text, known[name])
        columns.append(values)
        faults += found
    nothing = [pl.lit(None, dtype=one.kind.dtype).alias(name) for name, one in known.items() if name not in texts]
    frame = pl.DataFrame(columns).with_columns(nothing).select("line", *known)
    unknown = [name for name in header if name and name not in known]
    return Reading(file, frame, header, unknown, sorted(faults), sheet.notices)


def _typed(file: str, line: pl.Series, text: pl.Series, column: Column) -> tuple[pl.Series, list[Fault]]:
    values, bad = _values_of(text, column)
    faults = []
    if bad.any():
        faults = [
            Fault(file, at, column.name, _complaint(value, column))
            for at, value in zip(line.filter(bad), text.filter(bad), strict=True)
        ]
        values = pl.select(pl.when(pl.lit(bad)).then(None).otherwise(pl.lit(values))).to_series()
    if column.filled and text.null_count():
        faults += [
            Fault(file, at, column.name, "is empty; every row needs a value here") for at in line.filter(text.is_null())
        ]
    return values.alias(column.name).cast(column.kind.dtype), faults


def _values_of(text: pl.Series, column: Column) -> tuple[pl.Series, pl.Series]:
    """What the texts of a column say, and which of them cannot be used."""
    kind = column.kind
    if text.null_count() == text.len():
        return text, pl.Series([False], dtype=pl.Boolean).new_from_index(0, text.len())
    if kind is WINDOW:
        values = _windows(text)
    elif kind.dtype is pl.Date:
        values = read_days(text, OWN, LATEST.year)
    else:
        values = text.cast(kind.dtype, strict=False)
    # All that can be wrong is asked in one look: of a small file each look takes longer than what it does.
    both = pl.DataFrame([text.alias("text"), values.alias("value")])
    terms = [pl.col("text").is_not_null() & pl.col("value").is_null(), *_wrong(column)]
    odd = pl.lit(value=False)
    if kind.dtype is pl.String:
        odd = (pl.col("text").str.starts_with("#") | pl.col("text").str.starts_with("Err:")).any()
    found = both.select(bad=pl.any_horizontal(terms), odd=odd)
    bad = found["bad"]
    # What is no text has been refused as no number or day already.
    if found["odd"][0]:
        bad = bad | text.str.to_uppercase().is_in(list(ERROR_WORDS))
    # Of a missing value nothing is bad.
    return values, bad.fill_null(value=False)


def _wrong(column: Column) -> list[pl.Expr]:
    """What can be wrong with a ``text`` and its ``value``, beside that it is none; missing where nothing is written."""
    kind, text, value = column.kind, pl.col("text"), pl.col("value")
    terms = [text.str.contains(CUT_NUMBER)] if column.name == IDENTITY else []
    if kind is WINDOW:
        return terms
    if kind.dtype is pl.Date:
        return [*terms, ~value.is_between(EARLIEST, LATEST), ~text.str.contains(r"^\d{4}-\d{2}-\d{2}")]
    if kind.dtype is pl.Float64:
        terms.append(~value.is_finite())
    if kind.dtype is pl.String:
        terms.append(text.str.len_chars() > kind.longest)
    if kind.good is not None:
        terms.append(~kind.good(value))
    return [*terms, *_out_of_bounds(kind, value)]


def _out_of_bounds(kind: Kind, value: pl.Expr) -> list[pl.Expr]:
    terms = []
    if kind.low is not None:
        terms.append(value < kind.low)
    if kind.above is not None:
        terms.append(value <= kind.above)
    if kind.high is not None:
        terms.append(value > kind.high)
    return terms


def unusable(values: pl.Series, kind: Kind) -> pl.Series:
    """Which floats are none for a column of numbers: NaN, infinite, out of its bounds, broken where it takes whole
    ones. A missing one is not.
    """
    value = pl.col(values.name)
    broken = [value != value.floor()] if kind.dtype is pl.Int64 else []
    terms = [~value.is_finite(), *broken, *_out_of_bounds(kind, value)]
    return values.to_frame().select(pl.any_horizontal(terms).fill_null(value=False)).to_series()


def _complaint(value: str, column: Column) -> str:
    if value == NOT_CALCULATED:
        return "holds a formula that was never calculated; open the file, let it calculate, and save it again"
    if value.upper() in ERROR_WORDS:
        return f'the spreadsheet could not work this cell out ("{value}"); correct the formula or write the value'
    if column.name == IDENTITY and len(value) <= column.kind.longest:
        return f'"{value}" is a number that a spreadsheet has cut; write the ids into a column of text'
    return f'"{_shortened(value)}" cannot be used; {column.kind.advice}'


def _shortened(value: str) -> str:
    return value if len(value) <= 40 else value[:37] + "..."


def _windows(text: pl.Series) -> pl.Series:
    meanings: dict[str, str | None] = {}
    for value in text.drop_nulls().unique():
        try:
            meanings[value] = str(parse_window(value))
        except BadInput:
            meanings[value] = None
    return text.replace_strict(meanings, default=None, return_dtype=pl.String)


def one_of(*words: str) -> Kind:
    """A column whose values are some words and nothing else."""
    return Kind(pl.String, f"write {', '.join(words[:-1])} or {words[-1]}", good=lambda text: text.is_in(words))


def doubled(reading: Reading, keys: Sequence[str], what: str) -> list[Fault]:
    """Faults for rows that repeat the keys of an earlier row."""
    frame = reading.frame.with_columns(pl.col("line").min().over(list(keys), order_by="line").alias("first"))
    return [
        Fault(reading.file, line, keys[-1], f"a second row for this {what}; the first is in line {first}")
        for line, first in frame.filter(pl.col("line") > pl.col("first")).select("line", "first").iter_rows()
    ]
