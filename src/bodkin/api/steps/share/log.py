"""What went to whom: pages that were made, whether they were handed over; sets of sections kept by name."""

from datetime import datetime
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison.step_answer import display_name
from bodkin.answers.share.sections import Audience, checked_sections
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key, OneLine
from bodkin.api.routing import Part
from bodkin.core.errors import NotFound
from bodkin.policy.rights import Right
from bodkin.store.writes.pages import PageLine, drop_set, hand_over, keep_set, page_line, pages_logged
from bodkin.store.writes.undo import note as keep_act

router = Part(prefix="/share", tags=["share"])
May = Annotated[Context, Depends(need(Right.PAGES))]
Decides = Annotated[Context, Depends(need(Right.DECIDE))]
PAGE = 100


class HandedSeen(BaseModel):
    """That a page was handed over."""

    at: datetime
    by: str
    to: str


class PageMade(BaseModel):
    """A page that was made, for whom and with what; ``sha256`` tells its file from any other."""

    id: int
    at: datetime
    by: str
    student_id: str
    student: str
    audience: str
    sections: list[str]
    language: str
    form: str
    sha256: str
    handed: list[HandedSeen]


class HandedOver(BaseModel):
    """To whom pages went."""

    model_config = ConfigDict(extra="forbid")

    to: OneLine


class SetKept(BaseModel):
    """A set of sections to keep."""

    model_config = ConfigDict(extra="forbid")

    name: OneLine
    audience: Audience
    sections: list[str] = Field(min_length=1, max_length=20)


class SetAct(BaseModel):
    """What was kept or given up; its key undoes it."""

    id: int
    said: str


def _whose(context: Context) -> int | None:
    """Some see what everybody made about their students, others their own."""
    return None if context.may(Right.PAGES_OF_OTHERS) else context.person.id


def _seen(context: Context, line: PageLine) -> PageMade:
    return PageMade(
        id=line.id, at=line.at, by=line.by, student_id=line.student_id,
        student=display_name(context.names, line.student_id), audience=line.audience, sections=list(line.sections),
        language=line.language, form=line.form, sha256=line.sha256,
        handed=[HandedSeen(at=one.at, by=one.by, to=one.to) for one in line.handed],
    )  # fmt: skip


@router.get("/log")
def log(context: May, before: Key | None = None) -> list[PageMade]:
    """Pages that were made, the latest first, a page of lines before a line."""
    lines = pages_logged(context.session, before, PAGE, reach=context.reach, by=_whose(context))
    return [_seen(context, line) for line in lines]


@router.post("/log/{key}/handed")
def handed(key: Key, body: HandedOver, context: May) -> PageMade:
    """Mark a page as handed over; the log keeps who did and when."""
    line, whose = page_line(context.session, key), _whose(context)
    outside = context.reach is not None and line.student_id not in context.reach
    if outside or (whose is not None and line.by != context.person.name):
        raise NotFound("There is no such page.")
    with context.runtime.store.noting() as session:
        hand_over(session, key, body.to, context.person.id, now())
    with context.runtime.store.reading() as session:
        return _seen(context, page_line(session, key))


@router.post("/sets", status_code=201)
def keep(body: SetKept, context: Decides) -> SetAct:
    """Keep a set of sections for the whole district."""
    sections = checked_sections(body.audience, body.sections)
    said = f"Set of sections {body.name} kept"
    with context.runtime.store.writing(scores=False) as session:
        changes = keep_set(session, body.name, body.audience, sections, context.person.id)
        act = keep_act(session, "page set", context.person.id, now(), said, changes)
    return SetAct(id=act, said=said)


@router.delete("/sets/{key}")
def give_up(key: Key, context: Decides) -> SetAct:
    """Give a set of sections up."""
    with context.runtime.store.writing(scores=False) as session:
        name, changes = drop_set(session, key)
        said = f"Set of sections {name} given up"
        act = keep_act(session, "page set", context.person.id, now(), said, changes)
    return SetAct(id=act, said=said)
