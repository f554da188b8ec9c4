"""Each grade of each school, counted beside the same grade elsewhere, all at once."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
import polars as pl

from bodkin.core.arrays import FloatArray, IntArray
from bodkin.store.reads.table.keys import code_of, one_key

Sums = TypeVar("Sums", FloatArray, IntArray)


@dataclass(frozen=True, slots=True)
class SchoolGrades:
    """The grades of schools among some students.

    ``places``: grade and school of each unit, grades as they are first met and the schools within them;
    ``unit``: the unit of each student's row, -1 for who has no grade or no school; ``grade``: the grade of
    each unit, as a number from 0.
    """

    places: Sequence[tuple[str, str]]
    unit: IntArray
    grade: IntArray

    def counted(self, unit: IntArray, values: FloatArray | None = None) -> FloatArray:
        """How many rows each unit has, or the sum of their values; ``unit`` as far as they have one."""
        return np.bincount(unit, values, minlength=len(self.places)).astype(np.float64)

    def elsewhere(self, own: Sums) -> Sums:
        """Sums of the grade without those of the unit itself; the shape of ``own``, units first."""
        of_grades = np.zeros((int(self.grade.max(initial=-1)) + 1, *own.shape[1:]), dtype=own.dtype)
        np.add.at(of_grades, self.grade, own)
        return of_grades[self.grade] - own


def school_grades(students: pl.DataFrame, grade: str) -> SchoolGrades:
    """The units of some students by their ``school`` and the column of their grade."""
    placed = students.select(pl.col(grade).alias("grade"), "school").with_row_index("row").drop_nulls()
    placed = placed.with_columns(by=one_key(code_of("grade"), code_of("school")))
    first_met = placed["grade"].unique(maintain_order=True).to_list()
    numbers = {one: number for number, one in enumerate(first_met)}
    units = placed.unique("by", keep="first", maintain_order=True)
    grades = np.array([numbers[one] for one in units["grade"].to_list()], dtype=np.int64)
    order = np.argsort(grades, kind="stable")
    units = units[order].with_row_index("unit")
    unit = np.full(students.height, -1, dtype=np.int64)
    mine = placed.join(units.select("by", "unit"), on="by", how="left", maintain_order="left")["unit"]
    unit[placed["row"].to_numpy()] = mine.to_numpy()
    return SchoolGrades(list(units.select("grade", "school").iter_rows()), unit, grades[order])
