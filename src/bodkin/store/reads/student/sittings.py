"""Every result of one student, whether it counts or not, with its strands and its other scales."""

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.database import two_columns
from bodkin.store.reads.table.load import window_names
from bodkin.store.tables import Assessment, Person, Result, ResultScale, Strand, StrandResult


@dataclass(frozen=True, slots=True)
class PartRecord:
    """The score of a strand within a result, or its points."""

    strand: str
    score: float | None
    error: float | None
    points: float | None
    possible: float | None


@dataclass(frozen=True, slots=True)
class ScaleRecord:
    """A result on another scale: in words, and as a range of numbers where there is one."""

    scale: str
    value: str
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class SittingRecord:
    """A result, whether it counts or not, with its strands and other scales."""

    id: int
    assessment: str
    subject: str
    window: str | None
    tested_on: date | None
    grade: str | None
    language: str | None
    score: float | None
    error: float | None
    basis: str | None
    minutes: float | None
    accommodations: str | None
    state: str | None
    state_why: str | None
    state_by: str | None
    parts: tuple[PartRecord, ...] = ()
    scales: tuple[ScaleRecord, ...] = ()


def _parts(session: Session, results: list[int]) -> dict[int, list[PartRecord]]:
    """The strands of results by the key of the result, in the order of the strands."""
    own = select(StrandResult).where(StrandResult.result_id.in_(results)).order_by(StrandResult.strand_id)
    rows = list(session.scalars(own))
    names = two_columns(session, select(Strand.id, Strand.name)) if rows else {}
    parts: dict[int, list[PartRecord]] = {}
    for row in rows:
        part = PartRecord(names[row.strand_id], row.score, row.standard_error, row.points, row.points_possible)
        parts.setdefault(row.result_id, []).append(part)
    return parts


def load_sittings(session: Session, key: int | None) -> list[SittingRecord]:
    """Every result of a student, the latest first."""
    windows = window_names(session)
    # Table by table, each by the keys of the one before: joined, the database may go through everybody's.
    tests = {one.id: one for one in session.scalars(select(Assessment))}
    query = select(Result).where(Result.student_id == key).order_by(Result.tested_on.desc(), Result.id.desc())
    found = [(one, tests[one.assessment_id]) for one in session.scalars(query)]
    keys = [one.id for one, _ in found]
    parts = _parts(session, keys)
    scales: dict[int, list[ScaleRecord]] = {}
    for other in session.scalars(select(ResultScale).where(ResultScale.result_id.in_(keys)).order_by(ResultScale.id)):
        scales.setdefault(other.result_id, []).append(ScaleRecord(other.scale, other.value, other.low, other.high))
    deciders = {one.state_by_id for one, _ in found if one.state_by_id}
    people = two_columns(session, select(Person.id, Person.name).where(Person.id.in_(deciders))) if deciders else {}
    return [
        SittingRecord(
            one.id, test.name, test.subject, windows.get(one.window_id) if one.window_id else None, one.tested_on,
            one.grade, one.language, one.score, one.standard_error, one.percentile_basis or test.norm_group,
            one.minutes, one.accommodations, one.state, one.state_why,
            people.get(one.state_by_id) if one.state_by_id else None, tuple(parts.get(one.id, ())),
            tuple(scales.get(one.id, ())),
        )
        for one, test in found
    ]  # fmt: skip
