"""Corrections by hand: one cell of a result, with who and why, kept beside what the file said, undone whole."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.reads.table.load import load_calendar, window_names
from bodkin.store.tables import Assessment, Correction, Person, Result, Student
from bodkin.store.writes.undo import Before, new, note, was

COLUMNS = ("score", "tested_on", "window", "language")
"""Cells of a result that can be corrected."""


@dataclass(frozen=True, slots=True)
class CorrectionLine:
    """A correction as it is listed: ``before`` is what stood there, ``after`` what stands there now."""

    column: str
    before: str | None
    after: str | None
    why: str
    by: str | None
    at: datetime


@dataclass(frozen=True, slots=True)
class ResultLine:
    """A result whose cells can be corrected, and what has been corrected about it, the latest first."""

    id: int
    assessment: str
    subject: str
    window: str | None
    tested_on: date | None
    language: str | None
    score: float
    state: str | None
    corrections: tuple[CorrectionLine, ...]


def results_of(session: Session, student: str) -> list[ResultLine]:
    """The results of a student, the latest first."""
    names = window_names(session)
    query = (
        select(Result, Assessment.name, Assessment.subject)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .join(Student, Student.id == Result.student_id)
        .where(Student.student_id == student)
        .order_by(Result.tested_on.desc(), Result.id.desc())
    )
    rows = session.execute(query).all()
    made: dict[int, list[CorrectionLine]] = {}
    kept = (
        select(Correction, Person.name)
        .outerjoin(Person, Person.id == Correction.by_id)
        .where(Correction.result_id.in_([row.Result.id for row in rows]))
        .order_by(Correction.id.desc())
    )
    for one, by in session.execute(kept):
        line = CorrectionLine(one.column, one.before, one.after, one.why, by, one.at)
        made.setdefault(one.result_id, []).append(line)
    return [
        ResultLine(
            r.id, name, subject, names.get(r.window_id) if r.window_id else None, r.tested_on, r.language, r.score,
            r.state, tuple(made.get(r.id, ())),
        )
        for r, name, subject in rows
    ]  # fmt: skip


def _date(text: str) -> date:
    try:
        day = date.fromisoformat(text)
    except ValueError:
        raise BadInput("tested_on: write the date as year-month-day, such as 2026-09-14") from None
    if not 1990 <= day.year <= 2099:
        raise BadInput("tested_on: a result is of a day between 1990 and 2099")
    return day


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise BadInput("score: write a number with a point, such as 512.5") from None
    if not abs(value) < 1e9:
        raise BadInput("score: write a number with a point, such as 512.5")
    return value


def _window_of(session: Session, day: date) -> int | None:
    """The window a day lies in, by the calendar."""
    names = {name: key for key, name in window_names(session).items()}
    calendar = load_calendar(session).windows
    return next((names[name] for name, (first, last) in calendar.items() if first <= day <= last), None)


def correct(
    session: Session, result_id: int, column: str, value: str | None, why: str, by_id: int, at: datetime, said: str
) -> int:
    """Put another value into one cell of a result; returns the act.

    ``value``: a number for ``score``, a date for ``tested_on``, a window such as ``2026-27 fall`` or nothing for
    ``window``, a word or nothing for ``language``. Another date takes the result to the window of that day, where
    the calendar has windows. Raises NotFound, BadInput that names the cell, and Conflict where it says so already.
    """
    table = Result.__table__
    row = session.execute(select(table).where(Result.id == result_id)).mappings().one_or_none()
    if row is None:
        raise NotFound("There is no such student.")
    text = value.strip() if value is not None else ""
    names = window_names(session)
    changes: dict[str, object]
    before: str | None
    after: str | None
    if column == "score":
        changes, before, after = {"score": _number(text)}, f"{row['score']:g}", f"{_number(text):g}"
    elif column == "tested_on":
        day = _date(text)
        changes, before, after = {"tested_on": day}, row["tested_on"] and row["tested_on"].isoformat(), day.isoformat()
        if load_calendar(session).windows:
            changes["window_id"] = _window_of(session, day)
    elif column == "window":
        keys = {name: key for key, name in names.items()}
        if text and text not in keys:
            raise BadInput(f'window: there is no window "{text}"')
        changes, before, after = {"window_id": keys.get(text)}, names.get(row["window_id"]), text or None
    elif column == "language":
        if len(text) > 64:
            raise BadInput("language: write at most 64 characters")
        changes, before, after = {"language": text or None}, row["language"], text or None
    else:
        raise BadInput(f"{column}: only {', '.join(COLUMNS)} can be corrected")
    if all(row[name] == new_value for name, new_value in changes.items()):
        raise Conflict("That is what it says already.")
    undone: list[Before] = [was(Result, row, tuple(changes))]
    session.execute(update(Result).where(Result.id == result_id).values(changes))
    for name, old, now in _cells(column, before, after, changes, row["window_id"], names):
        kept = Correction(result_id=result_id, column=name, before=old, after=now, why=why, by_id=by_id, at=at)
        session.add(kept)
        session.flush()
        undone.append(new(Correction, kept.id))
    return note(session, "correction", by_id, at, said, undone, scores=True)


def _cells(
    column: str,
    before: str | None,
    after: str | None,
    changes: Mapping[str, object],
    window_id: int | None,
    names: Mapping[int, str],
) -> list[tuple[str, str | None, str | None]]:
    """Every cell that a correction changes: another date may take the window along."""
    cells = [(column, before, after)]
    if column == "tested_on" and "window_id" in changes and changes["window_id"] != window_id:
        moved = changes["window_id"]
        was_in = names.get(window_id) if window_id is not None else None
        cells.append(("window", was_in, names.get(moved) if isinstance(moved, int) else None))
    return cells
