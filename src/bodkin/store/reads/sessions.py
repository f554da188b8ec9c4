"""Sessions of groups with who came, as they are kept."""

from dataclasses import dataclass, field
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.tables import Attendance, GroupSession, Student


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
