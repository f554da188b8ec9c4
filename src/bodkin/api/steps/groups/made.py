"""Groups that are made: made from students, seen, changed, exported."""

from dataclasses import replace
from datetime import date
from typing import Annotated

from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.step_answer import display_name
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key, OneLine
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.rights import Right, may
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.store.reads.people import adults
from bodkin.store.writes import groups as kept
from bodkin.store.writes.groups import GroupRecord
from bodkin.store.writes.undo import note

router = APIRouter(prefix="/groups", tags=["groups"])
See = Annotated[Context, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


Students = Annotated[list[Annotated[str, StringConstraints(max_length=64)]], Field(max_length=2000)]


class Member(BaseModel):
    """A student in a group."""

    student_id: str
    name: str


class GroupAnswer(BaseModel):
    """A group with its members in reach, by name."""

    id: int
    name: str
    focus: str
    assessment: str | None
    subject: str | None
    adult_id: int | None
    adult: str | None
    first_day: date
    last_day: date
    state: str
    may_change: bool
    members: list[Member]
    act: int | None = Field(default=None, description="what has just been done to it, to take back")


class Adult(BaseModel):
    """Someone who can lead a group."""

    id: int
    name: str
    role: str


class NewGroup(BaseModel):
    """What a group is made from."""

    model_config = ConfigDict(extra="forbid")
    name: OneLine
    focus: OneLine
    assessment: str | None = None
    subject: str | None = None
    adult_id: Key | None = None
    first_day: date
    last_day: date
    students: Annotated[Students, Field(min_length=1)]


class GroupChange(BaseModel):
    """What changes about a group; what is left out stays."""

    model_config = ConfigDict(extra="forbid")
    name: OneLine | None = None
    focus: OneLine | None = None
    adult_id: Key | None = None
    first_day: date | None = None
    last_day: date | None = None
    add: Students = []
    remove: Students = []


OPENS = frozenset({"adult_id", "first_day", "last_day"})
"""What decides who sees a group's students, and when."""


def may_change(context: Context, group: GroupRecord) -> bool:
    """Whether the person may change a group: who made or leads it, a coach, a school lead who sees all of it."""
    if not may(context.person.role, Right.GROUPS_MAKE):
        return False
    if context.person.role == "coach" or (context.person.role == "school_lead" and group.whole):
        return True
    return context.person.id in (group.adult_id, group.made_by_id)


def _answer(context: Context, group: GroupRecord) -> GroupAnswer:
    names = context.runtime.names(context.session)
    today = context.runtime.settings.today
    state = "to come" if today < group.first_day else "ended" if today > group.last_day else "running"
    members = sorted(group.members, key=lambda student: (names.get(student, ("", "")), student))
    return GroupAnswer(
        id=group.id, name=group.name, focus=group.focus, assessment=group.assessment, subject=group.subject,
        adult_id=group.adult_id, adult=group.adult, first_day=group.first_day, last_day=group.last_day,
        state=state, may_change=may_change(context, group),
        members=[Member(student_id=student, name=display_name(names, student)) for student in members],
    )  # fmt: skip


def _check_days(first: date, last: date) -> None:
    if last < first:
        raise BadInput("last_day: a group cannot end before it starts")


def _check_students(context: Context, students: list[str]) -> None:
    for student in students:
        context.check_student(student)


@router.get("")
def groups(context: See) -> list[GroupAnswer]:
    """The groups the person may know of."""
    return [_answer(context, group) for group in context.groups()]


@router.get("/adults")
def who_can_lead(context: Make) -> list[Adult]:
    """Everyone who can lead a group."""
    return [Adult(id=key, name=name, role=role) for key, name, role in adults(context.session)]


@router.get("/{group_id}")
def group(group_id: Key, context: See) -> GroupAnswer:
    """One group."""
    return _answer(context, context.group(group_id))


@router.post("", status_code=201)
def make_group(body: NewGroup, context: Make) -> GroupAnswer:
    """Make a group of students in reach."""
    _check_days(body.first_day, body.last_day)
    _check_students(context, body.students)
    measure = (body.assessment, body.subject) if body.assessment and body.subject else None
    today = context.runtime.settings.today
    with context.runtime.store.writing(scores=False) as session:
        key, before = kept.make(
            session, name=body.name, focus=body.focus, measure=measure, adult_id=body.adult_id,
            first_day=body.first_day, last_day=body.last_day, made_by_id=context.person.id,
        )  # fmt: skip
        before += kept.add_members(session, key, body.students, today, None)
        act = note(session, "group", context.person.id, now(), f'Group "{body.name}" made', before)
    return _fresh(context, key, act)


@router.patch("/{group_id}")
def change_group(group_id: Key, body: GroupChange, context: Make) -> GroupAnswer:
    """Change a group or who is in it."""
    before = context.group(group_id)
    if not may_change(context, before):
        raise NotAllowed("Only who made this group or leads it can change it.")
    _check_days(body.first_day or before.first_day, body.last_day or before.last_day)
    _check_students(context, [*body.add, *body.remove])
    values = {name: getattr(body, name) for name in body.model_fields_set - {"add", "remove"}}
    if missing := sorted(name for name, value in values.items() if value is None and name != "adult_id"):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    if not before.whole and values.keys() & OPENS:
        # Whom one may not see oneself one cannot open to anybody.
        raise NotAllowed("This group has students you do not see, so you cannot hand it on or move its days.")
    today = context.runtime.settings.today
    with context.runtime.store.writing(scores=False) as session:
        changes = kept.change(session, group_id, values) if values else []
        if body.remove:
            changes += kept.remove_members(session, group_id, body.remove, today)
        if body.add:
            changes += kept.add_members(session, group_id, body.add, today, None)
        act = None
        if changes:
            act = note(session, "group", context.person.id, now(), f'Group "{before.name}" changed', changes)
    return _fresh(context, group_id, act)


@router.get("/{group_id}/members.{form}", response_class=Response, responses=TABLE_FILES)
def export_group(group_id: Key, form: Form, context: Export) -> Response:
    """A group's members as a spreadsheet."""
    group = context.group(group_id)
    if context.export_reach is not None:
        group = replace(group, members=group.members & context.export_reach)
    found = _answer(context, group)
    header = ["group", "focus", "adult", "first_day", "last_day", "student_id", "name"]
    rows = [
        [found.name, found.focus, found.adult, found.first_day, found.last_day, member.student_id, member.name]
        for member in found.members
    ]
    return export_file(context, Table(header, rows), found.name, form)


def _fresh(context: Context, key: int, act: int | None) -> GroupAnswer:
    """A group as it is after a write: the request's own session still sees the state before."""
    with context.runtime.store.reading() as session:
        fresh = Context(context.runtime, session, context.person)
        return _answer(fresh, fresh.group(key)).model_copy(update={"act": act})
