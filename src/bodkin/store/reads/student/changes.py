"""What changed about one student since a time: rows that acts and imports touched, by table."""

from collections.abc import Mapping
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.tables import (
    Act,
    Attendance,
    Base,
    Correction,
    Decision,
    Document,
    Goal,
    GroupMember,
    MasteryEntry,
    Note,
    Result,
    Student,
)

_ABOUT: tuple[type[Base], ...] = (Attendance, Decision, Document, Goal, GroupMember, MasteryEntry, Note, Result)
"""Tables whose rows are about one student and whose change is worth a word."""


def changed_rows(session: Session, student: str, since: datetime) -> Mapping[str, frozenset[int]]:
    """Keys of a student's rows that somebody made or changed after a time, by table; results with imports too."""
    key = session.scalar(select(Student.id).where(Student.student_id == student))
    touched: dict[str, set[int]] = {}
    acts = select(Act.before).where(Act.at > since, Act.state == "done", Act.import_id.is_(None))
    for before in session.scalars(acts):
        for entry in before:
            touched.setdefault(entry["table"], set()).add(entry["id"])
    found: dict[str, frozenset[int]] = {}
    for table in _ABOUT:
        name = table.__tablename__
        columns = table.__table__.c
        if ids := touched.get(name):
            mine = select(columns.id).where(columns.id.in_(ids), columns.student_id == key)
            found[name] = frozenset(session.scalars(mine))
    imports = select(Act.import_id).where(Act.at > since, Act.state == "done", Act.import_id.is_not(None))
    brought = session.scalars(select(Result.id).where(Result.student_id == key, Result.import_id.in_(imports)))
    mended = session.scalars(
        select(Correction.result_id)
        .join(Result, Result.id == Correction.result_id)
        .where(Result.student_id == key, Correction.at > since)
    )
    found["result"] = found.get("result", frozenset()) | frozenset(brought) | frozenset(mended)
    return {name: keys for name, keys in found.items() if keys}
