"""Notes on a student: internal ones and those for the family, in two places that are never confused."""

from datetime import date
from typing import Annotated, Literal

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, StringConstraints

from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.core.errors import NotAllowed, NotFound
from bodkin.policy.rights import Right
from bodkin.policy.roles import reads_internal
from bodkin.store.writes.student.notes import (
    FAMILY,
    NoteRecord,
    change_note,
    note_of,
    notes_on,
    withdraw_note,
    write_note,
)
from bodkin.store.writes.undo import note as keep_act

router = Part(prefix="/students", tags=["students"])
Notes = Annotated[Context, Depends(need(Right.NOTES))]
Text = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000)]


class Earlier(BaseModel):
    """What a note said until a day."""

    until: date
    text: str


class NoteSeen(BaseModel):
    """A note; ``own``: the reader may change and withdraw it."""

    id: int
    day: date
    text: str
    by: str | None
    own: bool
    shared: bool
    earlier: list[Earlier]


class NotesSeen(BaseModel):
    """Notes on a student by their audience, the latest first."""

    family: list[NoteSeen]
    internal: list[NoteSeen]


class NoteWritten(BaseModel):
    """A new note; an internal one is the writer's own unless it is shared with everybody who may see the student."""

    model_config = ConfigDict(extra="forbid")
    audience: Literal["internal", "family"]
    text: Text
    shared: bool = False


class NoteChanged(BaseModel):
    """What a note says from now on."""

    model_config = ConfigDict(extra="forbid")
    text: Text
    shared: bool = False


class NoteAct(BaseModel):
    """What was kept; its key undoes it."""

    id: int
    said: str


def may_read(context: Context, note: NoteRecord) -> bool:
    """Whether a person may read a note: those for the family, own and shared ones, all of them as coach or lead."""
    internal = reads_internal(context.person, shared=note.shared, by_id=note.by_id)
    return note.audience == FAMILY or internal


def _own(context: Context, note: NoteRecord) -> bool:
    return note.by_id == context.person.id or context.may(Right.NOTES_CHANGE)


def _readable(context: Context, key: int) -> NoteRecord:
    """A note the person may read and change. Raises NotFound for others, NotAllowed for another's."""
    found = note_of(context.session, key)
    outside = context.reach is not None and found.student_id not in context.reach
    if outside or not may_read(context, found):
        raise NotFound("There is no such note.")
    if not _own(context, found):
        raise NotAllowed("Only who wrote a note may change or withdraw it.")
    return found


@router.get("/{student_id}/notes")
def notes(student_id: str, context: Notes) -> NotesSeen:
    """Notes on a student that the person may read."""
    context.check_student(student_id)
    seen: dict[str, list[NoteSeen]] = {"family": [], "internal": []}
    for one in notes_on(context.session, student_id):
        if may_read(context, one):
            seen[one.audience].append(
                NoteSeen(
                    id=one.id, day=one.day, text=one.text, by=one.by, own=_own(context, one), shared=one.shared,
                    earlier=[Earlier(until=until, text=text) for until, text in one.earlier],
                )
            )  # fmt: skip
    return NotesSeen(family=seen["family"], internal=seen["internal"])


@router.post("/{student_id}/notes", status_code=201)
def write(student_id: str, body: NoteWritten, context: Notes) -> NoteAct:
    """Keep a note on a student."""
    context.check_student(student_id)
    today = context.today
    what = "Note for the family" if body.audience == FAMILY else "Internal note"
    said = f"{what} on {context.name_of(student_id)} kept"
    with context.runtime.store.writing(scores=False) as session:
        _, changes = write_note(
            session, student_id, body.audience, body.text, today, context.person.id, shared=body.shared
        )
        act = keep_act(session, "note", context.person.id, now(), said, changes)
    return NoteAct(id=act, said=said)


@router.post("/notes/{key}")
def change(key: Key, body: NoteChanged, context: Notes) -> NoteAct:
    """Change an own note; what it said before is kept."""
    found, today = _readable(context, key), context.today
    said = f"Note on {context.name_of(found.student_id)} changed"
    with context.runtime.store.writing(scores=False) as session:
        changes = change_note(session, key, body.text, today, context.person.id, shared=body.shared)
        act = keep_act(session, "note", context.person.id, now(), said, changes)
    return NoteAct(id=act, said=said)


@router.delete("/notes/{key}")
def withdraw(key: Key, context: Notes) -> NoteAct:
    """Withdraw an own note."""
    found, today = _readable(context, key), context.today
    said = f"Note on {context.name_of(found.student_id)} withdrawn"
    with context.runtime.store.writing(scores=False) as session:
        act = keep_act(session, "note", context.person.id, now(), said, withdraw_note(session, key, today))
    return NoteAct(id=act, said=said)
