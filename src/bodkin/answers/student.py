"""One student: every result on a time axis, and a search by name."""

from collections.abc import Collection
from datetime import date

import polars as pl
from pydantic import BaseModel

from bodkin.answers.sentence import measure_title
from bodkin.answers.steps import Names, display_name
from bodkin.core.windows import parse_window
from bodkin.store.score_table import ScoreTable

FOUND = 20
"""Most students a search lists."""


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


class StudentCard(BaseModel):
    """Who a student is by the latest result, and all results, the latest first."""

    student_id: str
    name: str
    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]
    results: list[PastResult]


class Found(BaseModel):
    """A student found by name."""

    student_id: str
    name: str
    grade: str | None
    school: str | None


def student_card(table: ScoreTable, student: str, names: Names) -> StudentCard:
    """A student's card from what the table holds."""
    rows = table.results.filter(pl.col("student_id") == student)
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
        results=[
            PastResult(
                title=measure_title(row["assessment"], row["subject"]),
                **{name: row[name] for name in PastResult.model_fields if name != "title"},
            )
            for row in ordered
        ],
    )


def find_students(table: ScoreTable, text: str, names: Names, reach: Collection[str] | None) -> list[Found]:
    """Students whose name or identifier holds every word of the text, in the order of names."""
    words = text.lower().split()
    if not words:
        return []
    known = names if reach is None else {student: names[student] for student in reach if student in names}
    hits = sorted(
        (family, given, student)
        for student, (family, given) in known.items()
        if all(word in f"{given} {family} {student}".lower() for word in words)
    )[:FOUND]
    chosen = [student for _, _, student in hits]
    rows = table.results.filter(pl.col("student_id").is_in(chosen)).sort(["tested_on", "line"], nulls_last=False)
    latest = {row["student_id"]: row for row in rows.unique("student_id", keep="last").iter_rows(named=True)}
    return [
        Found(
            student_id=student,
            name=display_name(names, student),
            grade=latest.get(student, {}).get("grade"),
            school=latest.get(student, {}).get("school"),
        )
        for student in chosen
    ]
