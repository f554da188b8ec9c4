"""What an adult enters week by week: sessions of a group, and one-minute results."""

from collections.abc import Mapping
from datetime import date

from sqlalchemy import and_, delete, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.store.database import two_columns
from bodkin.store.tables import (
    Assessment,
    Attendance,
    GroupSession,
    Result,
    SchoolYear,
    Student,
    StudentYear,
    Window,
)
from bodkin.store.writes.undo import Before, gone, new, was


def keep_session(
    session: Session, group: int, day: date, minutes: float, note: str | None, there: Mapping[str, float]
) -> list[Before]:
    """Keep a group's session of a day; one that is there already is entered anew. What undo needs.

    ``minutes``: how long it lasted, 0 for one that was not held; ``there``: minutes of each student, 0 for one who
    did not come. Attendance of students who are not named stays.
    """
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(there)))
    here = (GroupSession.group_id == group, GroupSession.day == day)
    row = session.execute(select(GroupSession.__table__).where(*here)).mappings().one_or_none()
    before: list[Before] = []
    if row is None:
        made = GroupSession(group_id=group, day=day, minutes=minutes, note=note)
        session.add(made)
        session.flush()
        key = made.id
        before.append(new(GroupSession, key))
    else:
        key = row["id"]
        before.append(was(GroupSession, row, ("minutes", "note")))
        session.execute(update(GroupSession).where(GroupSession.id == key).values(minutes=minutes, note=note))
        mine = (Attendance.session_id == key, Attendance.student_id.in_(who.values()))
        before += [
            gone(Attendance, old) for old in session.execute(select(Attendance.__table__).where(*mine)).mappings()
        ]
        session.execute(delete(Attendance).where(*mine))
    rows = [{"session_id": key, "student_id": who[one], "minutes": spent} for one, spent in there.items() if one in who]
    if rows:
        keys = session.scalars(insert(Attendance).returning(Attendance.id, sort_by_parameter_order=True), rows)
        before += [new(Attendance, one) for one in keys]
    return before


_PLACE = ("grade", "school_id", "section_id", "teacher_id", "programs", "language")
"""Where a student sat, as a result keeps it."""


def _places(session: Session, students: Mapping[str, int], day: date) -> dict[int, dict[str, object]]:
    """Where each student is on a day: as in the latest result of the school year, else as the roster of it says."""
    year = session.execute(
        select(SchoolYear.id, SchoolYear.first_day).where(SchoolYear.first_day <= day, SchoolYear.last_day >= day)
    ).first()
    if year is None:
        return {}
    keys = list(students.values())
    own = select(StudentYear.student_id, StudentYear.grade, StudentYear.school_id).where(
        StudentYear.school_year_id == year.id, StudentYear.student_id.in_(keys)
    )
    found: dict[int, dict[str, object]] = {
        row.student_id: {"grade": row.grade, "school_id": row.school_id} for row in session.execute(own)
    }
    since = and_(Result.tested_on >= year.first_day, Result.tested_on <= day)
    columns = [getattr(Result, name) for name in _PLACE]
    rows = select(Result.student_id, *columns).where(since, Result.student_id.in_(keys)).order_by(Result.tested_on)
    for row in session.execute(rows):
        found[row.student_id] = {name: getattr(row, name) for name in _PLACE}
    return found


def keep_results(session: Session, measure: tuple[str, str], day: date, scores: Mapping[str, float]) -> list[Before]:
    """Keep one-minute results of a day; one that is there already takes the new score. What undo needs.

    Raises BadInput for a test that is no probe.
    """
    test = session.execute(
        select(Assessment.id, Assessment.kind).where(Assessment.name == measure[0], Assessment.subject == measure[1])
    ).first()
    if test is None or test.kind != "probe":
        raise BadInput("assessment: results are typed in for one-minute probes only; import those of other tests")
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(scores)))
    window = session.scalar(select(Window.id).where(Window.first_day <= day, Window.last_day >= day))
    mine = (Result.assessment_id == test.id, Result.tested_on == day, Result.student_id.in_(who.values()))
    there = {row["student_id"]: row for row in session.execute(select(Result.__table__).where(*mine)).mappings()}
    places = _places(session, who, day)
    before: list[Before] = []
    added = []
    for student, score in scores.items():
        key = who[student]
        if (row := there.get(key)) is not None:
            before.append(was(Result, row, ("score",)))
            session.execute(update(Result).where(Result.id == row["id"]).values(score=score))
        else:
            place = dict.fromkeys(_PLACE) | places.get(key, {})
            added.append(
                {"student_id": key, "assessment_id": test.id, "window_id": window, "tested_on": day, "score": score,
                 **place}
            )  # fmt: skip
    if added:
        keys = session.scalars(insert(Result).returning(Result.id, sort_by_parameter_order=True), added)
        before += [new(Result, one) for one in keys]
    return before
