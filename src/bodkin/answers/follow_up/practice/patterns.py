"""Kinds of text that go worse at a grade of a school than the others do, beyond chance."""

import numpy as np
import polars as pl
import scipy
from pydantic import BaseModel, Field

from bodkin.answers.words import percent
from bodkin.core.follow_up.patterns import CHANCE, AccuracyGap, accuracy_gaps
from bodkin.core.follow_up.practice import PracticeLog

MOST_PATTERNS = 12
"""Grades of schools whose pattern is told, the widest first."""


class UnitPattern(BaseModel):
    """A kind of text that goes worse at a grade of a school than the others do, beyond chance."""

    sentence: str
    school: str | None
    grade: str | None
    kind: str
    n: int
    inside: float
    outside: float
    low: float
    high: float
    students: int = Field(description="students of that grade with practice or a goal")


def unit_patterns(log: PracticeLog, rows: pl.DataFrame) -> list[UnitPattern]:
    """Kinds of text that go worse at a grade of a school, beyond chance over all that were looked at."""
    kinds = log.known_kinds
    if len(kinds) < 2:
        return []
    units = rows.select("school", "grade").unique(maintain_order=True).with_row_index("unit")
    of_student = rows.join(units, on=["school", "grade"], how="left", nulls_equal=True, maintain_order="left")
    unit = of_student["unit"].to_numpy().astype(np.int64)
    # Of two kinds one is worse where the other is better: it is looked at once.
    looked: list[tuple[int, str, AccuracyGap]] = []
    for kind in kinds if len(kinds) > 2 else kinds[:1]:
        gaps = accuracy_gaps(log, log.is_kind(kind), unit, units.height, among=~log.is_kind(""))
        looked += [(at, kind, gap) for at, gap in enumerate(gaps) if gap.p is not None]
    if not looked:
        return []
    adjusted = scipy.stats.false_discovery_control([gap.p for *_, gap in looked])
    found = []
    for (at, kind, gap), p in zip(looked, adjusted, strict=True):
        if p > CHANCE or gap.gap is None or gap.inside is None or gap.outside is None:
            continue
        worse, better, sort, ends = gap.inside, gap.outside, kind, (gap.low or 0.0, gap.high or 0.0)
        if gap.gap > 0:
            if len(kinds) > 2:
                continue
            worse, better, sort, ends = gap.outside, gap.inside, kinds[1], (-ends[1], -ends[0])
        school, grade = units["school"][at], units["grade"][at]
        where = f"Grade {grade} at {school}" if school and grade else school or f"Grade {grade}"
        sentence = f"{where}: texts of the kind {sort} go worse, {percent(worse)} right against {percent(better)}."
        found.append(
            UnitPattern(
                sentence=sentence, school=school, grade=grade, kind=sort, n=gap.n, inside=worse, outside=better,
                low=ends[0], high=ends[1], students=int((unit == at).sum()),
            )
        )  # fmt: skip
    return sorted(found, key=lambda one: one.inside - one.outside)[:MOST_PATTERNS]
