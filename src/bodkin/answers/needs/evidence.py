"""Who has mastered which standard, by what evidence: points of common tests, and what people entered."""

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.measures.common_tests import counted_answers, item_points, numbered_items
from bodkin.core.arrays import IntArray
from bodkin.core.needs.mastery import (
    FEWEST_ITEMS,
    MASTERED_FROM,
    NEARLY,
    NEARLY_FROM,
    NONE,
    NOT_YET,
    STATES,
    THIN,
    StateArray,
    counting_evidence,
    mastery_chance,
    mastery_from_points,
)
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.keys import code_of, one_key
from bodkin.store.reads.table.score_table import WORD, numbers_of

POINTS = "points"
"""The source of evidence that was worked out from answers."""


@dataclass(frozen=True, slots=True)
class Limits:
    """From which per cent of points a standard is mastered or nearly, and by how many items at least."""

    mastered_from: float = MASTERED_FROM
    nearly_from: float = NEARLY_FROM
    fewest: float = FEWEST_ITEMS


PLACE = ("student_id", "standard")
_BY = one_key(*(code_of(name) for name in PLACE)).alias("by")

EVIDENCE = pl.Schema(
    {
        "student_id": pl.String(), "standard": WORD, "code": pl.Int64(), "percent": pl.Float64(),
        "won": pl.Float64(), "possible": pl.Float64(), "on": pl.Date(), "source": WORD, "by": WORD,
        "note": pl.String(), "entry": pl.Boolean(), "line": pl.Int64(), "items": pl.Int64(),
    }
)  # fmt: skip
"""One row a piece of evidence; ``code`` is a place in ``STATES``, ``entry`` tells entries from points."""


def _from_points(data: NeedsData, counted: pl.DataFrame, limits: Limits) -> pl.DataFrame:
    """Evidence from points, one row a student and standard that items asked about."""
    items = numbered_items(data).select("at", "test", "item", standard="standards")
    asked = items.explode("standard").drop_nulls("standard")
    # An item that names a standard twice counts once.
    asked = asked.unique(["test", "item", "standard"], keep="first", maintain_order=True).select("at", "standard")
    sums = (
        item_points(data, counted)
        .join(asked, on="at", how="inner", maintain_order="left_right")
        .group_by(_BY, maintain_order=True)
        .agg(
            pl.col(*PLACE).first(), pl.col("won").sum(), pl.col("possible").sum(), pl.len().alias("items"),
            pl.col("tested_on").max(),
        )
    )  # fmt: skip
    state = mastery_from_points(
        np.minimum(sums["won"].to_numpy(), sums["possible"].to_numpy()), sums["possible"].to_numpy(),
        limits.mastered_from, limits.nearly_from, limits.fewest, sums["items"].to_numpy(),
    )  # fmt: skip
    return sums.with_columns(
        code=pl.Series(state.codes), percent=pl.Series(state.percent), on="tested_on",
        source=pl.lit(POINTS, dtype=WORD), by=pl.lit(None, dtype=WORD), note=pl.lit(None, dtype=pl.String),
        entry=pl.lit(value=False), line=pl.lit(-1, dtype=pl.Int64), items=pl.col("items").cast(pl.Int64),
    ).select(list(EVIDENCE))  # fmt: skip


def _from_entries(entries: pl.DataFrame, first: date | None, last: date | None) -> pl.DataFrame:
    if first is not None:
        entries = entries.filter(pl.col("on") >= first)
    if last is not None:
        entries = entries.filter(pl.col("on") <= last)
    codes = {state: code for code, state in enumerate(STATES)}
    nothing = dict.fromkeys(("percent", "won", "possible"), pl.lit(None, dtype=pl.Float64))
    return (
        entries.filter(pl.col("state").is_not_null())
        .with_columns(
            code=pl.col("state").replace_strict(codes, return_dtype=pl.Int64), entry=pl.lit(value=True),
            items=pl.lit(None, dtype=pl.Int64), **nothing,
        )
        .select(list(EVIDENCE))
    )  # fmt: skip


def evidence_from_points(
    data: NeedsData, limits: Limits, first: date | None = None, last: date | None = None,
    find: Callable[[], pl.DataFrame] | None = None,
) -> pl.DataFrame:  # fmt: skip
    """Evidence from the points of answers within a period, kept while these stay; ``find``: who may know it already.

    Raises BadInput for limits out of order.
    """

    def made() -> pl.DataFrame:
        return _from_points(data, counted_answers(data, first, last), limits)

    return data.worked.once(("points", limits, first, last), find or made)


def pieces_of_evidence(
    data: NeedsData,
    limits: Limits | None = None,
    first: date | None = None,
    last: date | None = None,
    sources: Collection[str] = (),
) -> pl.DataFrame:
    """Every piece of evidence within a period; ``sources`` keeps some, ``points`` among them.

    Raises BadInput for limits out of order.
    """  # fmt: skip
    # Looked at also where no points are wanted, so that limits out of order are refused.
    points = evidence_from_points(data, limits or Limits(), first, last)
    parts = [points if not sources or POINTS in sources else points.clear()]
    entries = data.entries
    if sources:
        entries = entries.filter(pl.col("source").is_in(list(sources)))
    parts.append(_from_entries(entries, first, last))
    return pl.concat(parts)


def what_counts(pieces: pl.DataFrame) -> pl.DataFrame:
    """The piece that counts for each student and standard, and how many others there are (``other``)."""
    by = pieces.select(_BY)
    places = by.unique(maintain_order=True).with_row_index("place")
    place = by.join(places, on="by", how="left", maintain_order="left")["place"].to_numpy()
    day = numbers_of(pieces["on"].cast(pl.Int32))
    counting = counting_evidence(
        place, day, pieces["entry"].to_numpy(), pieces["line"].to_numpy(), pieces["code"].to_numpy()
    )
    others = np.bincount(place)[place[counting]] - 1
    return pieces[counting].with_columns(other=pl.Series(others, dtype=pl.Int64))


@dataclass(frozen=True, slots=True)
class AllEvidence:
    """Everybody's evidence: what counts for each student and standard, found once for all questions.

    ``counting``: one row where there is any, with ``other``; ``points`` the evidence from points, whatever
    counts. ``codes`` has a row for each student with evidence and a last one for who has none; ``row``: the row of
    each student by the number that stands for the name (:func:`code_of`), as far as those reach.
    """

    standards: list[str]
    counting: pl.DataFrame
    points: pl.DataFrame
    row: IntArray
    codes: StateArray


def all_evidence(data: NeedsData, pieces: pl.DataFrame) -> AllEvidence:
    """What counts of all pieces of evidence, for every standard there is."""
    columns = data.standards["standard"].to_list()
    counting = what_counts(pieces)
    placed = counting.select("student_id", "standard", "code", by=code_of("student_id"))
    who = placed.select("by", "student_id").unique("by", keep="first", maintain_order=True).with_row_index("who")
    where = pl.DataFrame({"standard": columns}, schema={"standard": WORD}).with_row_index("where")
    codes = np.full((who.height + 1, len(columns)), NONE, dtype=np.int8)
    placed = placed.join(who, on="by", how="inner").join(where, on="standard", how="inner")
    codes[placed["who"].to_numpy(), placed["where"].to_numpy()] = placed["code"].to_numpy()
    numbers = who["by"].to_numpy()
    row = np.full(int(numbers.max(initial=-1)) + 1, who.height)
    row[numbers] = np.arange(who.height)
    return AllEvidence(columns, counting, pieces.filter(~pl.col("entry")), row, codes)


@dataclass(frozen=True, slots=True)
class Mastery:
    """The state of some students on every standard.

    ``codes``: places in ``STATES``, shape (students, standards).
    """

    students: list[str]
    standards: list[str]
    codes: StateArray
    evidence: AllEvidence = field(repr=False)

    def _own(self, rows: pl.DataFrame) -> pl.DataFrame:
        return rows.filter(pl.col("student_id").is_in(pl.Series(self.students, dtype=pl.String).implode()))

    def columns(self, standards: Iterable[str]) -> list[int]:
        """The columns of some standards in ``codes``."""
        at = {standard: place for place, standard in enumerate(self.standards)}
        return [at[one] for one in standards]

    def known_and_lacking(self, unit: IntArray, n: int) -> tuple[IntArray, IntArray]:
        """How many students of each unit have evidence on each standard, and how many of them lack it.

        ``unit``: the unit (0..n-1) of each student, -1 for who is in none; both answers have the shape
        (n, standards).
        """
        shape = n, len(self.standards)
        # Most students have no evidence on most standards: only what is there is counted.
        places = np.flatnonzero(self.codes.ravel() < THIN)
        who, column = np.divmod(places, max(shape[1], 1))
        cell, state = unit[who] * shape[1] + column, self.codes.ravel()[places]
        inside = unit[who] >= 0
        lacking = inside & ((state == NEARLY) | (state == NOT_YET))
        known, lack = (np.bincount(cell[those], minlength=shape[0] * shape[1]) for those in (inside, lacking))
        return known.reshape(shape), lack.reshape(shape)

    @property
    def counting(self) -> pl.DataFrame:
        """The students' evidence that counts, one row where there is any, with ``other``."""
        return self._own(self.evidence.counting)

    @property
    def points(self) -> pl.DataFrame:
        """The students' evidence from points, whatever counts."""
        return self._own(self.evidence.points)


def mastery(evidence: AllEvidence, students: Sequence[str]) -> Mastery:
    """Who of some students has mastered what."""
    asked = pl.DataFrame({"student_id": students}, schema={"student_id": pl.String()})
    numbers = asked.select(code_of("student_id")).to_series().to_numpy()
    # The last row is that of students without any evidence.
    rows = np.full(numbers.size, -1)
    known = numbers < evidence.row.size
    rows[known] = evidence.row[numbers[known]]
    return Mastery(list(students), evidence.standards, evidence.codes[rows], evidence)


class EvidencePiece(BaseModel):
    """A piece of evidence on a student and a standard; ``counts`` for the one that decides."""

    state: str
    on: date | None
    source: str | None
    by: str | None
    note: str | None
    percent: float | None
    won: float | None
    possible: float | None
    items: int | None
    chance: float | None = Field(description="chance that the true share is at or above the limit, 0..1")
    counts: bool


def evidence_of(pieces: pl.DataFrame, counting: pl.DataFrame, mastered_from: float) -> list[EvidencePiece]:
    """Every piece of evidence on one student and standard, the one that counts first, then the newest."""
    best = counting.row(0, named=True) if counting.height else None
    found = []
    rows = pieces.sort("on", "entry", "line", descending=True, nulls_last=True)
    for row in rows.iter_rows(named=True):
        counts = best is not None and (row["entry"], row["line"]) == (best["entry"], best["line"])
        chance = None
        if row["possible"]:
            value = float(mastery_chance([row["won"]], [row["possible"]], mastered_from)[0])
            chance = None if np.isnan(value) else value
        found.append(
            EvidencePiece(
                state=STATES[row["code"]], on=row["on"], source=row["source"], by=row["by"], note=row["note"],
                percent=row["percent"], won=row["won"], possible=row["possible"], items=row["items"], chance=chance,
                counts=counts,
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: not one.counts)
