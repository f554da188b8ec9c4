"""The score table in memory: counted results, norms and cuts as frames, whoever filled them.

The database fills it for the screens and plain files fill it for the headless run, so that both
put the same question to the same table.
"""

from collections import OrderedDict
from collections.abc import Callable, Collection, Hashable, Mapping
from dataclasses import dataclass, field, fields, is_dataclass, replace
from datetime import date
from threading import RLock
from typing import Any, TypeVar

import numpy as np
import polars as pl

from bodkin.core.arrays import FloatArray
from bodkin.core.calendar import SchoolYear

T = TypeVar("T")

WORD = pl.Categorical()
"""A word that many rows share: kept once, each row holds its number."""

RESULTS: pl.Schema = pl.Schema(
    {
        "line": pl.Int64(),
        "student_id": pl.String(),
        "assessment": WORD,
        "subject": WORD,
        "window": WORD,
        "tested_on": pl.Date(),
        "grade": WORD,
        "school": WORD,
        "section": WORD,
        "teacher": WORD,
        "programs": pl.List(WORD),
        "language": WORD,
        "score": pl.Float64(),
        "standard_error": pl.Float64(),
        "percentile": pl.Float64(),
    }
)
"""One row per result; ``line`` rises with the order of arrival, an empty window means outside."""

NORMS = pl.Schema(
    {
        "assessment": pl.String(),
        "subject": pl.String(),
        "grade": pl.String(),
        "season": pl.String(),
        "week": pl.Float64(),
        "mean": pl.Float64(),
        "sd": pl.Float64(),
    }
)

GROWTH_NORMS = pl.Schema(
    {
        "assessment": pl.String(),
        "subject": pl.String(),
        "grade": pl.String(),
        "from_season": pl.String(),
        "to_season": pl.String(),
        "correlation": pl.Float64(),
    }
)

CUTS = pl.Schema(
    {
        "assessment": pl.String(),
        "subject": pl.String(),
        "grade": pl.String(),
        "season": pl.String(),
        "order": pl.Int64(),
        "band": pl.String(),
        "min_score": pl.Float64(),
        "min_percentile": pl.Float64(),
    }
)
"""Performance cuts; an empty season is the year-end cut."""

ROSTER = pl.Schema(
    {
        "student_id": pl.String(),
        "grade": pl.String(),
        "school": pl.String(),
        "section": pl.String(),
        "teacher": pl.String(),
        "programs": pl.List(pl.String()),
    }
)
"""Where each student is today, one row a student."""

FIELDS = pl.Schema({"student_id": pl.String(), "field": pl.String(), "value": pl.String()})
"""Values of the roster's other fields that are shown; one row a student and field."""


def shaped(frame: pl.DataFrame, schema: pl.Schema) -> pl.DataFrame:
    """The columns of a schema out of a frame, each of its kind."""
    return frame.select(list(schema)).cast(schema)


def numbers_of(column: pl.Series) -> FloatArray:
    """A column of numbers as the core takes it: NaN where there is nothing."""
    floats = column if column.dtype == pl.Float64 else column.cast(pl.Float64)
    return floats.to_numpy()


def school_years() -> pl.Expr:
    """The school year of each result's window, such as ``2026-27``; missing outside windows."""
    return pl.col("window").cat.slice(0, 7)


@dataclass(frozen=True, slots=True)
class Calendar:
    """School years by name (``2026-27``) and the first and last day of windows by name."""

    years: Mapping[str, SchoolYear] = field(default_factory=dict)
    windows: Mapping[str, tuple[date, date]] = field(default_factory=dict)


def bytes_of(value: object) -> int:
    """Bytes of the frames and arrays that a value holds; what else it holds is small beside them.

    Buffers that two frames share count twice. Of a table its ``own`` results count: the rest is that of another.
    """
    if isinstance(value, ScoreTable):
        return bytes_of(value.results if value.own is None else value.results.select(value.own))
    if isinstance(value, (pl.DataFrame, pl.Series)):
        return int(value.estimated_size())
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    if is_dataclass(value):
        return sum(bytes_of(getattr(value, one.name)) for one in fields(value))
    # What holds frames beside others, as a step's look at a window does; lists of rows are not gone through.
    return sum(bytes_of(one) for one in vars(value).values() if _has_bytes(one)) if hasattr(value, "__dict__") else 0


def _has_bytes(value: object) -> bool:
    return isinstance(value, (pl.DataFrame, pl.Series, np.ndarray)) or is_dataclass(value)


class Memo:
    """What was worked out from a table and serves many questions, the least lately used dropped first.

    ``most``: how many are kept; ``most_bytes``: how much their frames and arrays may take.
    """

    def __init__(self, most: int = 96, most_bytes: int = 240 * 2**20) -> None:
        self._most = most
        self._most_bytes = most_bytes
        self._held: OrderedDict[Hashable, Any] = OrderedDict()
        self._bytes: dict[Hashable, int] = {}
        self._lock = RLock()

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._held.clear()
            self._bytes.clear()

    def kept(self, keep: Callable[[Hashable], bool]) -> "Memo":
        """Another one that holds what is to be kept of this one, each by its key."""
        other = Memo(self._most, self._most_bytes)
        with self._lock:
            other._held.update((key, value) for key, value in self._held.items() if keep(key))
            other._bytes = {key: self._bytes[key] for key in other._held}
        return other

    def known(self, key: Hashable) -> Any:
        """What is kept under a key, None where nothing is."""
        with self._lock:
            return self._held.get(key)

    def once(self, key: Hashable, make: Callable[[], T], own: Collection[str] | None = None) -> T:
        """What is kept under a key, made where it is not; made twice rather than waited for.

        ``own``: columns of a frame that lie in no other's memory, where that are not all.
        """
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                found: T = self._held[key]
                return found
        made = make()
        size = bytes_of(made.select(own) if own is not None and isinstance(made, pl.DataFrame) else made)
        with self._lock:
            self._held[key], self._bytes[key] = made, size
            while len(self._held) > 1 and (len(self._held) > self._most or self.bytes > self._most_bytes):
                self._bytes.pop(self._held.popitem(last=False)[0])
        return made

    def latest(self, key: Hashable, mark: Hashable, make: Callable[[], T]) -> T:
        """What was made last under a key, where that was for the same mark; else made anew, and kept in its place."""
        held: tuple[Hashable, T] | None = self.known(key)
        if held is not None and held[0] == mark:
            return held[1]
        made = make()
        with self._lock:
            self._held[key], self._bytes[key] = (mark, made), bytes_of(made)
            self._held.move_to_end(key)
        return made

    @property
    def bytes(self) -> int:
        """Bytes that everything kept here takes, with what was kept since with tables that are kept here."""
        with self._lock:
            inside = [value.worked.bytes for value in self._held.values() if isinstance(value, ScoreTable)]
            return sum(self._bytes.values()) + sum(inside)


@dataclass(frozen=True, slots=True)
class ScoreTable:
    """All that questions over many students are put to.

    Frames have the schemas above. ``version`` is the version of the data held; ``view`` says
    what of it this table shows, "whole" or the name of a narrower view. ``worked`` keeps what was
    worked out from the whole table and serves many questions. ``marks``: the version at which the results of
    a measure last changed, ``mark`` that of all others and of everything else. ``own``: the columns of the results
    that lie in no other table's memory; None: all. ``alike``: a table whose results are the same but for these.
    ``day``: the day on which the roster is as it stands here; None: the roster is nobody's or of any day.
    """

    results: pl.DataFrame
    norms: pl.DataFrame
    growth_norms: pl.DataFrame
    cuts: pl.DataFrame
    calendar: Calendar = field(default_factory=Calendar)
    version: int = 0
    view: str = "whole"
    roster: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=ROSTER))
    fields: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=FIELDS))
    worked: Memo = field(default_factory=Memo, compare=False)
    mark: int = 0
    marks: Mapping[tuple[str, str], int] = field(default_factory=dict)
    own: Collection[str] | None = None
    alike: "ScoreTable | None" = None
    day: date | None = None

    def mark_of(self, assessment: str, subject: str) -> int:
        """The version at which anything that a measure's figures rest on last changed."""
        return self.marks.get((assessment, subject), self.mark)


def empty(schema: pl.Schema) -> pl.DataFrame:
    """A frame of a schema without rows."""
    return pl.DataFrame(schema=schema)


def without_programs(table: ScoreTable) -> ScoreTable:
    """A score table that tells nobody's programs."""
    nothing = pl.lit([], dtype=RESULTS["programs"])
    return replace(
        table,
        results=table.results.with_columns(programs=nothing),
        roster=table.roster.with_columns(programs=nothing),
        fields=table.fields.clear(),
        view="no programs",
        worked=Memo(),
        own=None,
        alike=None,
    )


def only_measures(table: ScoreTable, keep: Mapping[tuple[str, str], Collection[str]]) -> ScoreTable:
    """A score table with the results of some measures only, each of some students.

    ``keep``: students by assessment and subject.
    """
    pairs = [(*measure, student) for measure, students in keep.items() for student in students]
    columns = {name: RESULTS[name] for name in ("assessment", "subject", "student_id")}
    wanted = pl.DataFrame(pairs, schema=columns, orient="row")
    results = table.results.join(wanted, on=wanted.columns, how="semi", maintain_order="left")
    return replace(table, results=results, worked=Memo(), own=None, alike=None)
