"""A class at the simulated adaptive test: sent there, asked after, and its results as files to bring in."""

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import httpx
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, NotFound, ServiceAway
from bodkin.core.windows import parse_window
from bodkin.exchange.imports.bundles import Waiting
from bodkin.store.database import two_columns
from bodkin.store.reads.table.load import load_calendar
from bodkin.store.tables import (
    Assessment,
    Enrolment,
    Person,
    Result,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentYear,
)

SECONDS = 30.0
NAME = "Saltgauge"
"""The test that the simulated service gives."""


@dataclass(frozen=True, slots=True)
class Sitter:
    """A student of the class, with the last score of the test where there is one."""

    student_id: str
    name: str
    grade: str
    last_score: float | None


@dataclass(frozen=True, slots=True)
class ClassAtTest:
    """A class that sits a test in a window; ``key`` is the service's own."""

    key: int
    section: str
    school: str | None
    teacher: str | None
    subject: str
    window: str
    first_day: date
    last_day: date
    sitters: tuple[Sitter, ...]


def classes(session: Session, today: date) -> list[tuple[int, str, str | None, int]]:
    """This year's classes: key, name, school, and how many students they have today."""
    year = _year(session, today)
    query = (
        select(Section.id, Section.name, School.name, func.count(Enrolment.id))
        .outerjoin(School, School.id == Section.school_id)
        .join(Enrolment, Enrolment.section_id == Section.id)
        .where(Section.school_year_id == year, *_today(today))
        .group_by(Section.id, Section.name, School.name)
        .order_by(School.name, Section.name)
    )
    return [(key, name, school, n) for key, name, school, n in session.execute(query)]


def _today(today: date) -> tuple[Any, Any]:
    return (
        Enrolment.first_day.is_(None) | (Enrolment.first_day <= today),
        Enrolment.last_day.is_(None) | (Enrolment.last_day >= today),
    )


def _year(session: Session, today: date) -> int | None:
    return session.scalar(
        select(SchoolYear.id).where(SchoolYear.first_day <= today, SchoolYear.last_day >= today).limit(1)
    )


def windows(session: Session, today: date) -> list[str]:
    """This school year's windows whose days are known, the next one first."""
    year = session.scalar(select(SchoolYear.name).where(SchoolYear.id == _year(session, today)))
    spans = load_calendar(session).windows
    mine = [name for name in spans if year is not None and parse_window(name).school_year == year]
    return sorted(mine, key=lambda name: (spans[name][1] < today, spans[name][0]))


def subjects(session: Session) -> list[str]:
    """Subjects of the simulated test."""
    return list(session.scalars(select(Assessment.subject).where(Assessment.name == NAME).order_by(Assessment.id)))


def _sitters(session: Session, section: int, year: int, subject: str, today: date) -> tuple[Sitter, ...]:
    query = (
        select(Student.id, Student.student_id, Student.given_name, Student.family_name, StudentYear.grade)
        .join(Enrolment, Enrolment.student_id == Student.id)
        .join(StudentYear, (StudentYear.student_id == Student.id) & (StudentYear.school_year_id == year))
        .where(Enrolment.section_id == section, *_today(today))
        .order_by(Student.family_name, Student.given_name)
    )
    rows = session.execute(query).all()
    scores = (
        select(Result.student_id, Result.score)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .where(
            Assessment.name == NAME,
            Assessment.subject == subject,
            Result.student_id.in_([row.id for row in rows]),
            Result.language.is_(None) | (Result.language == "English"),
        )
        .order_by(Result.tested_on, Result.id)
    )
    last = two_columns(session, scores)
    return tuple(
        Sitter(
            row.student_id,
            " ".join(part for part in (row.given_name, row.family_name) if part) or row.student_id,
            row.grade or "",
            last.get(row.id),
        )
        for row in rows
    )


def _service(address: str | None) -> httpx.Client:
    if address is None:
        raise NotFound("The simulated test runs beside the demo only.")
    return httpx.Client(base_url=address, timeout=SECONDS)


def _asked(client: httpx.Client, method: str, path: str, body: Any = None) -> dict[str, Any]:
    try:
        answer = client.request(method, path, json=body)
        answer.raise_for_status()
        found: dict[str, Any] = answer.json()
    except (httpx.HTTPError, ValueError) as error:
        raise ServiceAway(f"The simulated test does not answer ({error}). Start the demo again.") from error
    return found


def start(
    session: Session, address: str | None, *, section: int, subject: str, window: str, today: date
) -> ClassAtTest:
    """Send a class to its test. Raises NotFound, BadInput for a class, subject or window there is none of."""
    row = session.execute(
        select(Section.name, School.name.label("school"), Section.school_year_id)
        .outerjoin(School, School.id == Section.school_id)
        .where(Section.id == section)
    ).one_or_none()
    spans = load_calendar(session).windows
    if row is None:
        raise NotFound("There is no such class.")
    if window not in spans or subject not in subjects(session):
        raise BadInput("choose a subject of the test, and a window with dates in the calendar")
    sitters = _sitters(session, section, row.school_year_id, subject, today)
    if not sitters:
        raise BadInput(f"nobody is in class {row.name} today")
    teacher = session.scalar(
        select(Person.name)
        .join(SectionTeacher, SectionTeacher.person_id == Person.id)
        .where(SectionTeacher.section_id == section)
        .limit(1)
    )
    students = [{"student_id": one.student_id, "grade": one.grade, "last_score": one.last_score} for one in sitters]
    asked = {"subject": subject, "season": parse_window(window).season, "students": students, "seed": section}
    with _service(address) as client:
        key = int(_asked(client, "POST", "adaptive/sittings", asked)["id"])
    return ClassAtTest(key, row.name, row.school, teacher, subject, window, *spans[window], sitters)


def going(address: str | None, at_test: ClassAtTest) -> dict[str, Any]:
    """Who has finished so far: ``all``, ``done`` and ``finished`` as the service tells them."""
    with _service(address) as client:
        return _asked(client, "GET", f"adaptive/sittings/{at_test.key}")


def _text(header: Sequence[str], rows: Sequence[Sequence[object]]) -> bytes:
    out = io.StringIO()
    csv.writer(out).writerows([header, *rows])
    return out.getvalue().encode()


def result_files(at_test: ClassAtTest, done: Sequence[dict[str, Any]]) -> list[Waiting]:
    """Results and strand results as files, dated over the first days of the window."""
    known = {one.student_id: one for one in at_test.sitters}
    scores, strands = [], []
    for place, one in enumerate(done):
        student = known[one["student_id"]]
        day = min(at_test.first_day + timedelta(days=place % 3), at_test.last_day)
        scores.append(
            (
                student.student_id, NAME, at_test.subject, at_test.window, day, student.grade, one["score"],
                at_test.school, at_test.section, at_test.teacher, "English", one["standard_error"], one["minutes"],
                one["items_tried"], one["items_right"],
            )
        )  # fmt: skip
        strands += [
            (student.student_id, NAME, at_test.subject, at_test.window, day, "English", part["strand"], part["score"],
             part["standard_error"])
            for part in one["strands"]
        ]  # fmt: skip
    header = (
        "student_id", "assessment", "subject", "window", "tested_on", "grade", "score", "school", "section", "teacher",
        "language", "standard_error", "minutes", "items_tried", "items_right",
    )  # fmt: skip
    strand_header = (
        "student_id", "assessment", "subject", "window", "tested_on", "language", "strand", "score", "standard_error",
    )  # fmt: skip
    what = f"{NAME} {at_test.subject}, class {at_test.section}, {at_test.window}"
    whole, parts = _text(header, scores), _text(strand_header, strands)
    return [Waiting("scores", f"{what}.csv", lambda: whole), Waiting("strands", f"{what}, strands.csv", lambda: parts)]
