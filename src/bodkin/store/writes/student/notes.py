"""Notes on students: written, changed with what they said before, withdrawn."""

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import NotFound
from bodkin.store.tables import Note, NoteVersion, Person, Student
from bodkin.store.writes.undo import Before, new, was

INTERNAL, FAMILY = "internal", "family"


@dataclass(frozen=True, slots=True)
class NoteRecord:
    """A note that stands, with who it is about, who wrote it, and what it said before, the latest first."""

    id: int
    student_id: str
    day: date
    text: str
    audience: str
    by_id: int | None
    by: str | None
    shared: bool
    earlier: tuple[tuple[date, str], ...] = ()


def notes_on(session: Session, student: str) -> list[NoteRecord]:
    """Notes on a student that were not withdrawn, the latest first."""
    return _notes(session, student=student)


def note_of(session: Session, key: int) -> NoteRecord:
    """A note that was not withdrawn. Raises NotFound."""
    for one in _notes(session, key=key):
        return one
    raise NotFound("There is no such note.")


def _notes(session: Session, *, student: str | None = None, key: int | None = None) -> list[NoteRecord]:
    query = (
        select(Note, Student.student_id, Person.name)
        .join(Student, Student.id == Note.student_id)
        .outerjoin(Person, Person.id == Note.by_id)
        .where(Note.withdrawn_on.is_(None))
        .order_by(Note.day.desc(), Note.id.desc())
    )
    query = query.where(Student.student_id == student) if student is not None else query.where(Note.id == key)
    rows = session.execute(query).all()
    earlier: dict[int, list[tuple[date, str]]] = {}
    before = (
        select(NoteVersion.note_id, NoteVersion.until, NoteVersion.text)
        .where(NoteVersion.note_id.in_([note.id for note, _, _ in rows]))
        .order_by(NoteVersion.id.desc())
    )
    for note_id, until, text in session.execute(before):
        earlier.setdefault(note_id, []).append((until, text))
    return [
        NoteRecord(
            note.id, about, note.day, note.text, note.audience, note.by_id, by, note.shared,
            tuple(earlier.get(note.id, ())),
        )
        for note, about, by in rows
    ]  # fmt: skip


def write_note(
    session: Session, student: str, audience: str, text: str, day: date, by: int, *, shared: bool
) -> tuple[int, list[Before]]:
    """Keep a note on a student who is there; its key, and what undo needs."""
    who = session.scalar(select(Student.id).where(Student.student_id == student))
    made = Note(student_id=who, day=day, text=text, audience=audience, by_id=by, shared=shared)
    session.add(made)
    session.flush()
    return made.id, [new(Note, made.id)]


def change_note(session: Session, key: int, text: str, day: date, by: int, *, shared: bool) -> list[Before]:
    """Change what a note says and with whom it is shared; what it said before is kept. What undo needs."""
    row = session.execute(select(Note.__table__).where(Note.id == key)).mappings().one()
    before = [was(Note, row, ("text", "shared"))]
    session.execute(update(Note).where(Note.id == key).values(text=text, shared=shared))
    if text != row["text"]:
        version = NoteVersion(note_id=key, text=row["text"], until=day, by_id=by)
        session.add(version)
        session.flush()
        before.append(new(NoteVersion, version.id))
    return before


def withdraw_note(session: Session, key: int, day: date) -> list[Before]:
    """Withdraw a note: nobody sees it any more, and undo brings it back. What undo needs."""
    row = session.execute(select(Note.__table__).where(Note.id == key)).mappings().one()
    session.execute(update(Note).where(Note.id == key).values(withdrawn_on=day))
    return [was(Note, row, ("withdrawn_on",))]
