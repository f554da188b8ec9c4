"""The files of ``./bodkin standards``: mastery, standards, paths, ahead and priorities, from plain files."""

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date

import numpy as np
import polars as pl

from bodkin.answers.headless.writing import json_text
from bodkin.answers.needs.evidence import Limits, Mastery, all_evidence, mastery, pieces_of_evidence
from bodkin.answers.needs.ground import (
    ahead,
    gains,
    graph_of,
    in_reach,
    kept_standards,
    paths,
    skills,
    spans_by_standard,
)
from bodkin.core.needs.mastery import STATES
from bodkin.core.windows import GRADES
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.score_table import WORD


@dataclass(frozen=True, slots=True)
class StandardsRun:
    """What the options of the run ask for; ``today`` where there is a teaching calendar."""

    first: date | None = None
    last: date | None = None
    limits: Limits = field(default_factory=Limits)
    grades: Collection[str] = ()
    reach: Collection[str] = ()
    today: date | None = None


def _mastery_frame(found: Mastery, kept: list[str]) -> pl.DataFrame:
    """Every student and kept standard, with the evidence that counts."""
    at = {standard: place for place, standard in enumerate(found.standards)}
    columns = [at[standard] for standard in kept]
    codes = found.codes[:, columns].ravel()
    base = pl.DataFrame(
        {
            "student_id": np.repeat(np.array(found.students, dtype=object), len(kept)).tolist(),
            "standard": list(kept) * len(found.students),
            "state": [STATES[code] for code in codes.tolist()],
        },
        schema={"student_id": pl.String(), "standard": WORD, "state": WORD},
    )
    counting = found.counting.select("student_id", "standard", "percent", "won", "possible", "on", "source", "other")
    return base.join(counting, on=["student_id", "standard"], how="left", maintain_order="left").with_columns(
        pl.col("other").fill_null(0)
    )


def _standards_frame(data: NeedsData, found: Mastery, kept: list[str], run: StandardsRun) -> pl.DataFrame:
    teaching = data.teaching
    if run.grades:
        teaching = teaching.filter(pl.col("grade").is_null() | pl.col("grade").is_in(list(run.grades)))
    spans = spans_by_standard(teaching) if run.today is not None else None
    rows = skills(graph_of(data), found, kept, in_reach(data, run.grades, run.reach), spans, run.today)
    names = ("mastered", "nearly", "not_yet", "thin", "none")
    frame = pl.DataFrame(
        [(row.standard, *row.counts, row.lacking, row.later, row.weight, row.taught) for row in rows],
        schema={"standard": WORD, **dict.fromkeys((*names, "lacking", "later", "weight"), pl.Int64()),
                "taught": pl.String()},
        orient="row",
    )  # fmt: skip
    return frame.join(
        data.standards.select("standard", "grade", "strand"), on="standard", how="left", maintain_order="left"
    ).select("standard", "grade", "strand", *names, "lacking", "later", "weight", "taught")


def students_of(data: NeedsData) -> list[str]:
    """The students of a run: those of the answers, then those of the entries, as they first come."""
    both = pl.concat([data.answers["student_id"], data.entries["student_id"]])
    return both.unique(maintain_order=True).to_list()


def standards_texts(data: NeedsData, run: StandardsRun) -> dict[str, str]:
    """The texts of the run's files by name. Raises BadInput for a cycle or limits out of order."""
    graph = graph_of(data)
    pieces = pieces_of_evidence(data, run.limits, run.first, run.last)
    found = mastery(all_evidence(data, pieces), students_of(data))
    kept = kept_standards(data, run.grades)
    reach = in_reach(data, run.grades, run.reach)
    grade_of = dict(data.standards.select("standard", "grade").iter_rows())
    highest = max((GRADES.index(grade_of[standard]) for standard in kept), default=-1)
    beyond = [standard for standard in reach if GRADES.index(grade_of[standard]) > highest]
    notes = []
    if run.today is None:
        notes.append("no teaching calendar: when a standard is taught is not known")
    if not data.prerequisites.height:
        notes.append("no prerequisites: nothing is known to rest on another standard")
    if not beyond:
        notes.append("no standard in reach lies above the highest kept grade: nobody can be ahead")
    frames = {
        "mastery": _mastery_frame(found, kept),
        "standards": _standards_frame(data, found, kept, run),
        "paths": paths(graph, found, kept),
        "ahead": ahead(graph, found, beyond),
        "priorities": gains(graph, found, kept, reach),
    }
    summary = {"students": len(found.students), "standards": len(kept), "notes": notes}
    texts = {f"{name}.csv": frame.write_csv() for name, frame in frames.items()}
    return {**texts, "summary.json": json_text(summary)}
