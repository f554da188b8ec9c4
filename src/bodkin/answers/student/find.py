"""Students found by name or id: those that hold every word, else those that hold it but for a typing error."""

from collections.abc import Collection, Mapping

import polars as pl
from pydantic import BaseModel, Field
from rapidfuzz import process
from rapidfuzz.distance import OSA

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.store.reads.table.score_table import ScoreTable

FOUND = 20
"""Most students a search lists."""
ONE_FROM, TWO_FROM = 4, 8
"""Letters of a word from which on one typing error is forgiven, and two."""


class Found(BaseModel):
    """A student found."""

    student_id: str
    name: str
    grade: str | None
    school: str | None
    near: bool = Field(description="found but for a typing error; nobody holds the very words")


def _parts(student: str, names: Names) -> str:
    family, given = names[student]
    return f"{given} {family} {student}".lower()


def _exact(words: Collection[str], texts: Mapping[str, str]) -> list[str]:
    return [student for student, text in texts.items() if all(word in text for word in words)]


def _near(words: Collection[str], texts: Mapping[str, str]) -> list[str]:
    """Students with a part near every word: a letter more, less, other or two swapped (optimal string alignment)."""
    parts = sorted({part for text in texts.values() for part in text.split()})
    allowed: list[set[str]] = []
    for word in words:
        most = (len(word) >= ONE_FROM) + (len(word) >= TWO_FROM)
        hits = process.extract(word, parts, scorer=OSA.distance, score_cutoff=most, limit=None)
        # A word still being typed may be the beginning of a part.
        allowed.append({hit[0] for hit in hits} | {part for part in parts if word in part})
    return [
        student for student, text in texts.items() if all(not near.isdisjoint(text.split()) for near in allowed)
    ]  # fmt: skip


def find_students(table: ScoreTable, text: str, names: Names, reach: Collection[str] | None) -> list[Found]:
    """Students whose name or id holds every word of the text, in the order of names; of none, those near it."""
    words = text.lower().split()
    if not words:
        return []
    known = names if reach is None else {student: names[student] for student in reach if student in names}
    texts = {student: _parts(student, known) for student in known}
    exact = _exact(words, texts)
    hits = exact or _near(words, texts)
    chosen = sorted(hits, key=lambda student: (*known[student], student))[:FOUND]
    rows = table.results.filter(pl.col("student_id").is_in(chosen)).sort(["tested_on", "line"], nulls_last=False)
    latest = {row["student_id"]: row for row in rows.unique("student_id", keep="last").iter_rows(named=True)}
    return [
        Found(
            student_id=student, name=display_name(names, student), grade=latest.get(student, {}).get("grade"),
            school=latest.get(student, {}).get("school"), near=not exact,
        )
        for student in chosen
    ]  # fmt: skip
