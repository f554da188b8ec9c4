"""The breakdown of a comparison: which units there are, and which students are in each."""

from collections.abc import Iterable

import numpy as np
import polars as pl

from bodkin.answers.comparison.comparison import Comparison
from bodkin.core.arrays import IntArray
from bodkin.core.windows import grade_key

NOBODY: IntArray = np.array([], dtype=np.int64)
NOT_SAID = "not said"
"""The value of a breakdown for students whose result does not tell it."""

LISTS = ("program", "group")
"""Breakdowns in which a student may be in several units."""


def unit_values(frame: pl.DataFrame, by: str) -> pl.Series:
    """The units of each student in a breakdown, as lists; nobody is without one."""
    if by in LISTS:
        units = frame["programs" if by == "program" else by].fill_null([])
        return units.to_frame("units").select(
            pl.when(pl.col("units").list.len() > 0).then(pl.col("units")).otherwise(pl.lit(["none"]))
        )["units"]
    return frame.select(pl.concat_list(pl.col(by).fill_null(NOT_SAID)).alias("units"))["units"]


Unit = tuple[str, str | None]
"""A value of the breakdown, and one of the second breakdown where there is one."""


def _one_by_one(frame: pl.DataFrame, by: str, name: str) -> pl.DataFrame:
    """A row for each student and unit, with the student's place in the frame."""
    if by in LISTS:
        return pl.DataFrame({name: unit_values(frame, by), "place": np.arange(frame.height)}).explode(name)
    return pl.DataFrame({name: frame[by].fill_null(NOT_SAID), "place": np.arange(frame.height)})


def arrays_of(places: pl.Series) -> list[IntArray]:
    """Lists of places, none of them empty, as an array each: one long row cut, since thousands take long one by one."""
    if places.is_empty():
        return []
    ends = np.cumsum(places.list.len().to_numpy())
    return np.split(places.explode().to_numpy().astype(np.int64), ends[:-1])


def _places(frame: pl.DataFrame, by: str, by2: str | None) -> dict[Unit, IntArray]:
    """Where in the frame the students of each unit stand."""
    if not frame.height:
        return {}
    units = _one_by_one(frame, by, "first")
    if by2 is None:
        units = units.with_columns(second=pl.lit(None, dtype=pl.String))
    else:
        second = _one_by_one(frame, by2, "second")
        if by in LISTS:
            units = units.join(second, on="place", maintain_order="left")
        else:
            # One unit a student: it stands at the student's place.
            units = second.with_columns(first=units["first"].gather(second["place"]))
    grouped = units.group_by("first", "second").agg(pl.col("place"))
    units_of = zip(grouped["first"], grouped["second"], strict=True)
    return dict(zip(units_of, arrays_of(grouped["place"]), strict=True))


def unit_places(comparison: Comparison) -> dict[Unit, IntArray]:
    """Where in ``students`` those of each unit of the breakdown stand; empty without a breakdown."""
    scope = comparison.scope
    return _places(comparison.students, scope.by, scope.by2) if scope.by else {}


def units_outside(comparison: Comparison) -> dict[Unit, IntArray]:
    """Where in ``outside`` those of each unit stand, who are left out before the comparison begins."""
    scope = comparison.scope
    return _places(comparison.outside, scope.by, scope.by2) if scope.by else {}


def unit_order(comparison: Comparison) -> list[Unit]:
    """The units of the breakdown in the order of the summary, those of students left out among them."""
    return units_in_order(unit_places(comparison), units_outside(comparison))


def units_in_order(inside: Iterable[Unit], outside: Iterable[Unit]) -> list[Unit]:
    """Units of a breakdown, schools and grades as they follow one another."""
    return sorted({*inside, *outside}, key=lambda unit: (grade_key(unit[0]), grade_key(unit[1] or "")))
