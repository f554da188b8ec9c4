"""The ground below a standard: what it rests on, who lacks that, its material, when it is taught, what lies beyond."""

from datetime import date

import polars as pl
from pydantic import BaseModel

from bodkin.answers.needs.ground import ahead
from bodkin.answers.needs.standards import ClassTaught, StandardsSeen, about_standards, codes_of, taught_by_class
from bodkin.core.errors import NotFound
from bodkin.core.needs.mastery import MASTERED, NEARLY, NOT_YET, THIN
from bodkin.core.needs.standards import standards_below
from bodkin.store.reads.needs_data import NeedsData


class GroundStep(BaseModel):
    """A standard on the way: how many of the students stand where, and how deep it lies, 0 for the deepest."""

    standard: str
    text: str
    grade: str
    strand: str
    depth: int
    rests_on: list[str]
    mastered: int
    lacking: int
    evidence: int
    n: int


class MaterialRow(BaseModel):
    """Material on a standard; ``assigned`` and ``done`` count the students in sight."""

    id: int
    title: str
    link: str | None
    check: str | None


class Ready(BaseModel):
    """A standard that rests on this one, and how many students hold all it rests on and not it."""

    standard: str
    text: str
    grade: str
    n: int


class Ground(BaseModel):
    """What a standard rests on, with how many of these students lack each step; and what goes with it."""

    standard: str
    text: str
    grade: str
    steps: list[GroundStep]
    materials: list[MaterialRow]
    taught: list[ClassTaught]
    beyond: list[Ready]


def materials_of(data: NeedsData, standard: str) -> list[MaterialRow]:
    """Material on a standard."""
    rows = data.materials.filter(pl.col("standard") == standard).drop("standard")
    return [MaterialRow(**row) for row in rows.iter_rows(named=True)]


def ground(seen: StandardsSeen, standard: str, today: date) -> Ground:
    """The ground below a standard. Raises NotFound for one that is not there."""
    about = about_standards(seen.data)
    if standard not in about:
        raise NotFound("There is no such standard.")
    below = standards_below(seen.graph, standard)
    depth: dict[str, int] = {}
    for one in below:
        depth[one] = 1 + max((depth[other] for other in seen.graph.predecessors(one) if other in depth), default=-1)
    codes = codes_of(seen, below)
    steps = []
    for at, one in enumerate(below):
        mine = codes[:, at]
        row = about[one]
        steps.append(
            GroundStep(
                standard=one, text=row["text"], grade=row["grade"], strand=row["strand"], depth=depth[one],
                rests_on=sorted(seen.graph.predecessors(one)), mastered=int((mine == MASTERED).sum()),
                lacking=int(((mine == NEARLY) | (mine == NOT_YET)).sum()), evidence=int((mine < THIN).sum()),
                n=len(mine),
            )
        )  # fmt: skip
    upward = sorted(seen.graph.successors(standard))
    ready = ahead(seen.graph, seen.mastery, upward)
    counts = dict(ready.group_by("standard").len().iter_rows())
    beyond = [
        Ready(standard=one, text=about[one]["text"], grade=about[one]["grade"], n=counts.get(one, 0))
        for one in upward
        if one in about
    ]
    row = about[standard]
    return Ground(
        standard=standard, text=row["text"], grade=row["grade"], steps=steps,
        materials=materials_of(seen.data, standard), taught=taught_by_class(seen, [standard], today)[standard],
        beyond=beyond,
    )  # fmt: skip
