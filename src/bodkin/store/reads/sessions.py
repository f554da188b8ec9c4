"""Sessions of groups with who came, as they are kept."""

from dataclasses import dataclass, field
from datetime import date

import polars as pl
from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, read_rows
from bodkin.store.database import two_columns
from bodkin.store.reads.table.load import named
from bodkin.store.tables import Attendance, GroupMember, GroupSession, Student


@dataclass(slots=True)
class SessionRecord:
    """A session of a group: ``minutes`` it lasted (0: it was not held, the note says why; None: not known).

    ``there``: minutes of each student by district identifier, 0 for one who did not come.
    """

    group_id: int
    day: date
    minutes: float | None
    note: str | None
    there: dict[str, float] = field(default_factory=dict)


def sessions_of(session: Session, groups: list[int], first: date, last: date) -> list[SessionRecord]:
    """Sessions of some groups between two days, both included, by day."""
    rows = session.execute(
        select(GroupSession.id, GroupSession.group_id, GroupSession.day, GroupSession.minutes, GroupSession.note)
        .where(GroupSession.group_id.in_(groups), GroupSession.day >= first, GroupSession.day <= last)
        .order_by(GroupSession.day, GroupSession.id)
    )
    found = {row.id: SessionRecord(row.group_id, row.day, row.minutes, row.note) for row in rows}
    came = session.execute(
        select(Attendance.session_id, Student.student_id, Attendance.minutes)
        .join(Student, Student.id == Attendance.student_id)
        .join(GroupSession, GroupSession.id == Attendance.session_id)
        .where(GroupSession.group_id.in_(groups), GroupSession.day >= first, GroupSession.day <= last)
    )
    for key, student, minutes in came:
        found[key].there[student] = minutes
    return list(found.values())


_SESSIONS: Columns = {
    "session": (GroupSession.id, pl.Int64()), "group": (GroupSession.group_id, pl.Int64()),
    "day": (GroupSession.day, pl.Date()), "lasted": (GroupSession.minutes, pl.Float64()),
}  # fmt: skip
_ATTENDED: Columns = {
    "session": (Attendance.session_id, pl.Int64()), "student_id": (Attendance.student_id, pl.Int64()),
    "minutes": (Attendance.minutes, pl.Float64()),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class AttendanceData:
    """Every session and who came, as frames.

    ``sessions``: group, day, lasted (minutes, null where not known), held. ``attended``: of the sessions that were
    held group, day, student_id and minutes, 0 for one who did not come.
    """

    sessions: pl.DataFrame
    attended: pl.DataFrame


def load_attendance(session: Session) -> AttendanceData:
    """Sessions and attendance of all groups, at the state the session sees; they change with acts about them only."""
    held = (pl.col("lasted").is_null() | (pl.col("lasted") > 0)).alias("held")
    sessions = read_rows(session, _SESSIONS, lambda query: query.order_by(GroupSession.day, GroupSession.id))
    sessions = sessions.with_columns(held)
    names = two_columns(session, select(Student.id, Student.student_id))
    attended = read_rows(session, _ATTENDED).join(sessions.filter("held"), on="session", how="inner")
    return AttendanceData(
        sessions.drop("session"),
        attended.with_columns(named("student_id", names)).select("group", "day", "student_id", "minutes"),
    )


@dataclass(frozen=True, slots=True)
class StayRecord:
    """A student in a group between two days; ``last`` is None while the student stays."""

    group_id: int
    student_id: str
    first: date
    last: date | None


def stays_in(session: Session, groups: list[int], first: date, last: date) -> list[StayRecord]:
    """Stays in some groups that touch a period, both days included."""
    query = (
        select(GroupMember.group_id, Student.student_id, GroupMember.first_day, GroupMember.last_day)
        .join(Student, Student.id == GroupMember.student_id)
        .where(GroupMember.group_id.in_(groups), GroupMember.first_day <= last)
        .where(or_(GroupMember.last_day.is_(None), GroupMember.last_day >= first))
        .order_by(GroupMember.first_day, GroupMember.id)
    )
    return [StayRecord(*row) for row in session.execute(query)]
