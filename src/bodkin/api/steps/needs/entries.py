"""Quick entry: names pasted and matched, and what a class holds typed in, one batch at a time."""

from datetime import date
from typing import Annotated, Literal

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.needs.pasted import PastedName, match_names
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.routing import Part
from bodkin.api.steps.needs.shared import ActDone
from bodkin.core.errors import BadInput
from bodkin.policy.rights import Right
from bodkin.store.writes.needs import NewEntry, enter_mastery

router = Part(prefix="/needs/entries", tags=["needs"])
Enters = Annotated[Context, Depends(need(Right.ENTER))]
Short = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=64)]


class Pasted(BaseModel):
    """A list of names, one a line."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=60_000)


class Entry(BaseModel):
    """What a student holds of a standard; without a state the day's entry is taken back."""

    model_config = ConfigDict(extra="forbid")

    student_id: Short
    standard: Short
    state: Literal["mastered", "nearly", "not yet"] | None = None
    note: Annotated[str, StringConstraints(strip_whitespace=True, max_length=255)] | None = None


class Entries(BaseModel):
    """Entries of one day and source; ``act`` is the batch they belong to, once it has begun."""

    model_config = ConfigDict(extra="forbid")

    on: date
    source: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160)]
    entries: list[Entry] = Field(min_length=1, max_length=2000)
    act: Key | None = None
    in_all: Annotated[int, Field(ge=1, le=100_000)] = 1


@router.post("/names")
def names(body: Pasted, context: Enters) -> list[PastedName]:
    """Who the pasted lines mean among the person's own students."""
    reach = context.reach
    students = reach if reach is not None else context.names.keys()
    sections = dict(context.table.roster.select("student_id", "section").iter_rows())
    return match_names(body.text, students, context.names, sections)


@router.post("")
def enter(body: Entries, context: Enters) -> ActDone:
    """Keep entries of a day and source; further ones of the same batch are undone with it."""
    for one in {entry.student_id for entry in body.entries}:
        context.check_student(one)
    if body.on > context.today:
        raise BadInput("on: this day is still to come")
    entries = [NewEntry(one.student_id, one.standard, one.state, one.note or None) for one in body.entries]
    count = max(body.in_all, len(entries))
    said = f"{count} {'entry' if count == 1 else 'entries'} of what students hold, {body.on} ({body.source})"
    with context.runtime.store.writing(scores=False) as session:
        key = enter_mastery(
            session, entries, on=body.on, source=body.source, by_id=context.person.id, at=now(), said=said,
            act=body.act,
        )  # fmt: skip
    return ActDone(id=key, said=said)
