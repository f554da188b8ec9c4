"""What standards rest on, over many students: what to teach first, the way there, and who is ahead."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import polars as pl

from bodkin.answers.needs.evidence import Mastery
from bodkin.core.arrays import IntArray
from bodkin.core.needs.mastery import MASTERED, NEARLY, NONE, NOT_YET, STATES, StateArray
from bodkin.core.needs.standards import (
    Graph,
    Taught,
    later_standards,
    prerequisite_graph,
    standards_below,
    weigh,
    when_taught,
)
from bodkin.core.windows import GRADES
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.score_table import WORD


def graph_of(data: NeedsData) -> Graph:
    """The standards with what they rest on. Raises BadInput that names a cycle."""
    rests_on: dict[str, list[str]] = {standard: [] for standard in data.standards["standard"]}
    for standard, below in data.prerequisites.iter_rows():
        rests_on.setdefault(standard, []).append(below)
    return prerequisite_graph(rests_on)


def kept_standards(data: NeedsData, grades: Collection[str] = ()) -> list[str]:
    """Codes of the standards of some grades, of all where none is named."""
    rows = data.standards.filter(pl.col("grade").is_in(list(grades))) if grades else data.standards
    return rows["standard"].to_list()


def in_reach(data: NeedsData, grades: Collection[str] = (), reach: Collection[str] = ()) -> list[str]:
    """Codes of the standards that count as later: of the grades named, else of the kept ones and the next."""
    if reach:
        return kept_standards(data, reach)
    if not grades:
        return kept_standards(data)
    highest = max(GRADES.index(grade) for grade in grades)
    return kept_standards(data, {*grades, *GRADES[highest + 1 : highest + 2]})


def lacking(codes: StateArray) -> IntArray:
    """How many lack each standard: nearly or not yet."""
    return np.asarray(((codes == NEARLY) | (codes == NOT_YET)).sum(axis=0), dtype=np.int64)


@dataclass(frozen=True, slots=True)
class Skill:
    """A standard over many students: how many stand where, what rests on it, when it is taught.

    ``counts`` by state, in the order of ``STATES``; ``taught`` None without a teaching calendar.
    """

    standard: str
    counts: tuple[int, ...]
    lacking: int
    later: int
    weight: int
    taught: Taught | None


def spans_by_standard(teaching: pl.DataFrame) -> dict[str, list[tuple[date, date]]]:
    """First and last days of each time a standard is taught."""
    found: dict[str, list[tuple[date, date]]] = {}
    for standard, first, last in teaching.select("standard", "from", "to").iter_rows():
        found.setdefault(standard, []).append((first, last))
    return found


def skills(
    graph: Graph, mastery: Mastery, kept: Sequence[str], reach: Collection[str],
    spans: Mapping[str, Sequence[tuple[date, date]]] | None, today: date | None,
) -> list[Skill]:  # fmt: skip
    """Standards by what teaching them would help most, the heaviest first."""
    at = {standard: place for place, standard in enumerate(mastery.standards)}
    counts = np.stack([(mastery.codes == code).sum(axis=0) for code in range(len(STATES))])
    lack = lacking(mastery.codes)
    rows = weigh(graph, {standard: int(lack[at[standard]]) for standard in kept}, reach)
    return [
        Skill(
            row.standard, tuple(counts[:, at[row.standard]].tolist()), row.lacking, row.later, row.weight,
            None if spans is None or today is None else when_taught(spans.get(row.standard, ()), today),
        )
        for row in rows
    ]  # fmt: skip


def paths(graph: Graph, mastery: Mastery, kept: Sequence[str]) -> pl.DataFrame:
    """The way to each standard that a student lacks, from the ground up.

    Columns: student_id, standard, place (1 = teach first), step, evidence (false only where there is none).
    A step is a standard on the way that is not mastered, also below one that is; the standard itself is last.
    """
    at = {standard: place for place, standard in enumerate(mastery.standards)}
    rows: dict[str, list[object]] = {name: [] for name in ("who", "where", "place", "step", "evidence")}
    names = np.array(mastery.students, dtype=object)
    for order, standard in enumerate(kept):
        mine = mastery.codes[:, at[standard]]
        lack = np.flatnonzero((mine == NEARLY) | (mine == NOT_YET))
        if not lack.size:
            continue
        steps = standards_below(graph, standard)
        codes = mastery.codes[lack][:, [at[step] for step in steps]]
        missing = codes != MASTERED
        who, where = np.nonzero(missing)
        rows["who"] += lack[who].tolist()
        rows["where"] += [order] * who.size
        rows["place"] += (missing.cumsum(axis=1)[who, where]).tolist()
        rows["step"] += [steps[place] for place in where.tolist()]
        rows["evidence"] += (codes[who, where] != NONE).tolist()
    schema = {"who": pl.Int64(), "where": pl.Int64(), "place": pl.Int64(), "step": WORD, "evidence": pl.Boolean()}
    frame = pl.DataFrame(rows, schema=schema).sort("who", "where", "place")
    return frame.select(
        pl.Series("student_id", names[frame["who"].to_numpy()].tolist(), dtype=pl.String),
        pl.Series("standard", [kept[place] for place in frame["where"]], dtype=WORD),
        "place", "step", "evidence",
    )  # fmt: skip


def ahead(graph: Graph, mastery: Mastery, candidates: Sequence[str]) -> pl.DataFrame:
    """Standards beyond the grade that rest on what a student holds: student_id, standard.

    A candidate counts where it is not mastered, rests on something, and all it rests on directly is mastered.
    """
    at = {standard: place for place, standard in enumerate(mastery.standards)}
    held = mastery.codes == MASTERED
    ready = np.zeros((len(mastery.students), len(candidates)), dtype=np.bool_)
    for column, standard in enumerate(candidates):
        below = [at[one] for one in graph.predecessors(standard)]
        if below:
            ready[:, column] = held[:, below].all(axis=1) & ~held[:, at[standard]]
    who, where = np.nonzero(ready)
    return pl.DataFrame(
        {
            "student_id": [mastery.students[one] for one in who.tolist()],
            "standard": [candidates[one] for one in where.tolist()],
        },
        schema={"student_id": pl.String(), "standard": WORD},
    )


def gains(graph: Graph, mastery: Mastery, kept: Sequence[str], reach: Collection[str]) -> pl.DataFrame:
    """Where most is to be gained: student_id, standard, missed, later, weight, where points were missed.

    In the order of students and standards.
    """
    later = later_standards(graph, reach)
    order = pl.DataFrame({"standard": list(kept)}, schema={"standard": WORD}).with_row_index("where")
    who = pl.DataFrame({"student_id": mastery.students}, schema={"student_id": pl.String}).with_row_index("who")
    rows = (
        mastery.points.join(order, on="standard", how="inner")
        .join(who, on="student_id", how="inner")
        .with_columns(missed=pl.col("possible") - pl.col("won"))
        .filter(pl.col("missed") > 1e-9)
        .sort("who", "where")
    )
    count = pl.col("standard").replace_strict(later, default=0, return_dtype=pl.Int64)
    return rows.select("student_id", "standard", "missed", later=count).with_columns(
        weight=pl.col("missed") * (1 + pl.col("later"))
    )
