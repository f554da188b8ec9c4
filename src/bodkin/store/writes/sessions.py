"""Sessions of groups: entered, entered again, taken back."""

from collections.abc import Mapping
from datetime import date

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from bodkin.store.database import two_columns
from bodkin.store.tables import Attendance, GroupSession, Student
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
