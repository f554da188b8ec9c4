"""Team meetings: whom a team talks about, what it decides and on what evidence, and words that were said."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, NotFound
from bodkin.store.database import two_columns
from bodkin.store.tables import Decision, MeetingStudent, Person, Student, TeamMeeting, WordSaid
from bodkin.store.writes.undo import Before, gone, new, was


@dataclass(frozen=True, slots=True)
class MeetingRecord:
    """A meeting with the students to talk about, in their order, each with the reason."""

    id: int
    day: date
    name: str
    present: str | None
    made_by_id: int
    students: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class DecisionRecord:
    """A decision about a student's help, with the evidence of its day."""

    id: int
    student_id: str
    group_id: int | None
    meeting_id: int | None
    day: date
    kind: str
    text: str | None
    who: str | None
    review_on: date | None
    done: bool | None
    evidence: Mapping[str, Any]
    made_by: str | None


def meetings(session: Session) -> list[MeetingRecord]:
    """Every meeting, the latest first."""
    listed: dict[int, dict[str, str]] = {}
    query = (
        select(MeetingStudent.meeting_id, Student.student_id, MeetingStudent.why)
        .join(Student, Student.id == MeetingStudent.student_id)
        .order_by(MeetingStudent.meeting_id, MeetingStudent.place, MeetingStudent.id)
    )
    for meeting, student, why in session.execute(query):
        listed.setdefault(meeting, {})[student] = why
    rows = session.scalars(select(TeamMeeting).order_by(TeamMeeting.day.desc(), TeamMeeting.id.desc()))
    return [
        MeetingRecord(one.id, one.day, one.name, one.present, one.made_by_id, listed.get(one.id, {})) for one in rows
    ]


def add_meeting(
    session: Session, day: date, name: str, present: str | None, students: Mapping[str, str], made_by: int
) -> tuple[int, list[Before]]:
    """A meeting with its list of students, each with why; its key, and what undo needs."""
    made = TeamMeeting(day=day, name=name, present=present, made_by_id=made_by)
    session.add(made)
    session.flush()
    return made.id, [new(TeamMeeting, made.id), *_listed(session, made.id, students, 1)]


def _listed(session: Session, meeting: int, students: Mapping[str, str], first: int) -> list[Before]:
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(students)))
    rows = [
        {"meeting_id": meeting, "student_id": who[student], "place": place, "why": why[:255]}
        for place, (student, why) in enumerate(students.items(), start=first)
        if student in who
    ]
    if not rows:
        return []
    keys = session.scalars(insert(MeetingStudent).returning(MeetingStudent.id, sort_by_parameter_order=True), rows)
    return [new(MeetingStudent, key) for key in keys]


def list_students(session: Session, meeting: int, students: Mapping[str, str]) -> list[Before]:
    """Put students on a meeting's list, after those who are there; one who is there already stays."""
    here = MeetingStudent.meeting_id == meeting
    there = set(
        session.scalars(
            select(Student.student_id).join(MeetingStudent, MeetingStudent.student_id == Student.id).where(here)
        )
    )
    last = session.scalar(select(func.max(MeetingStudent.place)).where(here)) or 0
    return _listed(session, meeting, {one: why for one, why in students.items() if one not in there}, last + 1)


def unlist_student(session: Session, meeting: int, student: str) -> list[Before]:
    """Take a student off a meeting's list; what undo needs. Raises NotFound where the student is not on it."""
    key = select(Student.id).where(Student.student_id == student).scalar_subquery()
    here = (MeetingStudent.meeting_id == meeting, MeetingStudent.student_id == key)
    row = session.execute(select(MeetingStudent.__table__).where(*here)).mappings().one_or_none()
    if row is None:
        raise NotFound("There is no such student on the list.")
    session.execute(delete(MeetingStudent).where(MeetingStudent.id == row["id"]))
    return [gone(MeetingStudent, row)]


def decisions_on(
    session: Session, students: Collection[str] | None = None, group: int | None = None
) -> list[DecisionRecord]:
    """Decisions about students (all where none are named), the latest first."""
    query = (
        select(Decision, Student.student_id, Person.name)
        .join(Student, Student.id == Decision.student_id)
        .outerjoin(Person, Person.id == Decision.made_by_id)
        .order_by(Decision.day.desc(), Decision.id.desc())
    )
    if students is not None:
        query = query.where(Student.student_id.in_(students))
    if group is not None:
        query = query.where(Decision.group_id == group)
    return [
        DecisionRecord(
            one.id, student, one.group_id, one.meeting_id, one.day, one.kind, one.text, one.who, one.review_on,
            one.done, one.evidence, by,
        )
        for one, student, by in session.execute(query)
    ]  # fmt: skip


def decide(session: Session, student: str, values: Mapping[str, Any]) -> tuple[int, list[Before]]:
    """Keep a decision about a student, by the names of its columns; its key, and what undo needs.

    One meeting decides once about a student: a second decision there replaces the first. Raises BadInput for a
    student that is not there.
    """
    key = session.scalar(select(Student.id).where(Student.student_id == student))
    if key is None:
        raise BadInput("there is no such student")
    before: list[Before] = []
    if (meeting := values.get("meeting_id")) is not None:
        here = (Decision.meeting_id == meeting, Decision.student_id == key)
        for row in session.execute(select(Decision.__table__).where(*here)).mappings().all():
            before.append(gone(Decision, row))
            session.execute(delete(Decision).where(Decision.id == row["id"]))
    made = Decision(student_id=key, **values)
    session.add(made)
    session.flush()
    return made.id, [*before, new(Decision, made.id)]


def mark_done(session: Session, decision: int, *, done: bool | None) -> list[Before]:
    """Say whether a decision was carried out (None: nobody knows yet); what undo needs."""
    row = session.execute(select(Decision.__table__).where(Decision.id == decision)).mappings().one()
    session.execute(update(Decision).where(Decision.id == decision).values(done=done))
    return [was(Decision, row, ("done",))]


def words_said(session: Session, students: Sequence[str], since: date) -> dict[tuple[str, str], date]:
    """Words that were said since a day: the day, by student and what it was about."""
    query = (
        select(Student.student_id, WordSaid.about, WordSaid.day)
        .join(Student, Student.id == WordSaid.student_id)
        .where(WordSaid.day >= since)
    )
    # A district has few such words and many students: it need not be told them all.
    wanted = set(students)
    return {(student, about): day for student, about, day in session.execute(query) if student in wanted}


def say_word(session: Session, student: str, about: str, day: date, by: int) -> list[Before]:
    """Keep that a word was said; nothing where it was said already."""
    key = session.scalar(select(Student.id).where(Student.student_id == student))
    if key is None:
        raise BadInput("there is no such student")
    here = (WordSaid.student_id == key, WordSaid.about == about)
    if session.scalar(select(WordSaid.id).where(*here)) is not None:
        return []
    made = WordSaid(student_id=key, about=about, day=day, by_id=by)
    session.add(made)
    session.flush()
    return [new(WordSaid, made.id)]
