"""One student on a card: every result, and the grades and seasons that the latest ones resemble."""

from collections.abc import Mapping, Sequence
from datetime import date
from math import nan
from typing import Any

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.pairing import results_of_students
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.sentence import measure_title
from bodkin.core.growth.resembling import resembling
from bodkin.core.scores.norms import middle_row
from bodkin.core.windows import SEASONS, grade_key, parse_window
from bodkin.store.reads.table.score_table import ScoreTable


class PastResult(BaseModel):
    """One sitting."""

    assessment: str
    subject: str
    title: str
    window: str | None
    tested_on: date | None
    grade: str | None
    language: str | None
    score: float
    standard_error: float | None


class Resembles(BaseModel):
    """Which grades and seasons of the norms a score resembles, said with care."""

    title: str
    sentence: str


class StudentCard(BaseModel):
    """Who a student is by the latest result, and all results, the latest first."""

    student_id: str
    name: str
    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]
    resembles: list[Resembles]
    results: list[PastResult]


def _resembles(table: ScoreTable, ordered: Sequence[Mapping[str, Any]]) -> list[Resembles]:
    """For the latest result of each measure with norms and an error: whose means it lies near."""
    found: dict[tuple[str, str], Resembles] = {}
    for row in ordered:
        measure = (row["assessment"], row["subject"])
        if measure in found or not row["standard_error"] or row["window"] is None:
            continue
        norms = table.norms.filter((pl.col("assessment") == measure[0]) & (pl.col("subject") == measure[1]))
        # One row a grade and season: the middle one.
        middle = [
            (rows["grade"][0], rows["season"][0], rows["mean"][middle_row(rows["week"].fill_null(nan).to_list())])
            for _, rows in norms.group_by("grade", "season", maintain_order=True)
        ]
        middle.sort(key=lambda one: (grade_key(one[0]), SEASONS.index(one[1])))
        if not middle:
            continue
        seen = resembling(row["score"], row["standard_error"], [mean for _, _, mean in middle])
        score = f"{row['score']:.0f}"
        if seen.beyond:
            where = "below" if seen.beyond < 0 else "above"
            sentence = f"{score} lies {where} every norm mean, so no grade and season resembles it."
        else:
            near = [middle[at] for at in (seen.within_error.tolist() or [seen.closest])]
            listed = ", ".join(f"grade {grade} {season} ({mean:.0f})" for grade, season, mean in near)
            sentence = (
                f"{score} lies within its error of the mean of {listed}. The scores are alike; the skills may not be."
            )
        found[measure] = Resembles(title=measure_title(*measure), sentence=sentence)
    return list(found.values())


def student_card(table: ScoreTable, student: str, names: Names) -> StudentCard:
    """A student's card from what the table holds."""
    rows = results_of_students(table, [student])
    ordered = sorted(
        rows.iter_rows(named=True),
        key=lambda r: (parse_window(r["window"]) if r["window"] else None) or parse_window("1900-01 fall"),
        reverse=True,
    )
    latest = ordered[0] if ordered else {}
    return StudentCard(
        student_id=student,
        name=display_name(names, student),
        grade=latest.get("grade"),
        school=latest.get("school"),
        section=latest.get("section"),
        programs=latest.get("programs") or [],
        resembles=_resembles(table, ordered),
        results=[
            PastResult(
                title=measure_title(row["assessment"], row["subject"]),
                **{name: row[name] for name in PastResult.model_fields if name != "title"},
            )
            for row in ordered
        ],
    )
