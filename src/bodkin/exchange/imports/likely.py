"""Students of a file whose id nobody knows, but whose name and grade somebody has: never merged, only shown."""

from dataclasses import dataclass

import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.exchange.tables_in.reading import Reading
from bodkin.store.tables import Student, StudentYear

SHOWN = 200


@dataclass(frozen=True, slots=True)
class Likely:
    """An id of the file, and a student known by another id with the same name and grade."""

    student_id: str
    name: str
    grade: str
    known_id: str


def _folded(column: str) -> pl.Expr:
    return pl.col(column).str.strip_chars().str.to_lowercase()


def likely_students(session: Session, reading: Reading) -> list[Likely]:
    """Ids that are new beside a known student of the same name in the same grade.

    The grade of a known student is the one of the latest school year. Files without names, or
    with one id only under each name, have none.
    """
    rows = reading.good()
    if not {"given_name", "family_name", "grade"} <= set(rows.columns):
        return []
    latest = select(StudentYear.student_id, func.max(StudentYear.school_year_id).label("year")).group_by(
        StudentYear.student_id
    )
    last = latest.subquery()
    query = (
        select(Student.student_id, Student.given_name, Student.family_name, StudentYear.grade)
        .join(last, last.c.student_id == Student.id)
        .join(
            StudentYear,
            (StudentYear.student_id == Student.id) & (StudentYear.school_year_id == last.c.year),
        )
        .where(Student.given_name.is_not(None), Student.family_name.is_not(None))
    )
    text = dict.fromkeys(("known_id", "given_name", "family_name", "grade"), pl.String)
    known = pl.DataFrame([tuple(row) for row in session.execute(query)], schema=text, orient="row")
    ids = {student for (student,) in session.execute(select(Student.student_id))}
    named = rows.select("student_id", "given_name", "family_name", "grade").drop_nulls().unique(maintain_order=True)
    fresh = named.filter(~pl.col("student_id").is_in(list(ids)))
    # Who stands in the file under the known id too is somebody else of that name.
    known = known.filter(~pl.col("known_id").is_in(rows["student_id"].unique().to_list()))
    keys = [_folded("given_name").alias("given"), _folded("family_name").alias("family"), pl.col("grade")]
    pairs = fresh.with_columns(keys).join(
        known.select(*keys, "known_id"), on=["given", "family", "grade"], maintain_order="left"
    )
    return [
        Likely(row["student_id"], f"{row['given_name']} {row['family_name']}", row["grade"], row["known_id"])
        for row in pairs.head(SHOWN).iter_rows(named=True)
    ]
