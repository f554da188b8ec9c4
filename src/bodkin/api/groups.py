"""The Groups step at its thinnest: make a group, see it, change its members, export it."""

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.exports import Table
from bodkin.answers.steps import display_name
from bodkin.api.asking import Asking, Form, need, table_file
from bodkin.api.rights import Right, may
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.store import groups as kept
from bodkin.store.groups import KeptGroup
from bodkin.store.people import adults

router = APIRouter(prefix="/groups", tags=["groups"])
See = Annotated[Asking, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Asking, Depends(need(Right.GROUPS_MAKE))]
Export = Annotated[Asking, Depends(need(Right.EXPORT_NAMES))]

Line = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160)]


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


class Adult(BaseModel):
    """Someone who can lead a group."""

    id: int
    name: str
    role: str


class NewGroup(BaseModel):
    """What a group is made from."""

    model_config = ConfigDict(extra="forbid")
    name: Line
    focus: Line
    assessment: str | None = None
    subject: str | None = None
    adult_id: int | None = None
    first_day: date
    last_day: date
    students: list[str] = Field(min_length=1, max_length=2000)


class GroupChange(BaseModel):
    """What changes about a group; what is left out stays."""

    model_config = ConfigDict(extra="forbid")
    name: Line | None = None
    focus: Line | None = None
    adult_id: int | None = None
    first_day: date | None = None
    last_day: date | None = None
    add: list[str] = []
    remove: list[str] = []


def _may_change(asking: Asking, group: KeptGroup) -> bool:
    if not may(asking.person.role, Right.GROUPS_MAKE):
        return False
    if asking.person.role == "coach" or (asking.person.role == "school_lead" and group.whole):
        return True
    return asking.person.id in (group.adult_id, group.made_by_id)


def _answer(asking: Asking, group: KeptGroup) -> GroupAnswer:
    names = asking.desk.names(asking.session)
    today = asking.desk.settings.today
    state = "to come" if today < group.first_day else "ended" if today > group.last_day else "running"
    members = sorted(group.members, key=lambda student: (names.get(student, ("", "")), student))
    return GroupAnswer(
        id=group.id, name=group.name, focus=group.focus, assessment=group.assessment, subject=group.subject,
        adult_id=group.adult_id, adult=group.adult, first_day=group.first_day, last_day=group.last_day,
        state=state, may_change=_may_change(asking, group),
        members=[Member(student_id=student, name=display_name(names, student)) for student in members],
    )  # fmt: skip


def _check_days(first: date, last: date) -> None:
    if last < first:
        raise BadInput("last_day: a group cannot end before it starts")


def _check_students(asking: Asking, students: list[str]) -> None:
    for student in students:
        asking.check_student(student)


@router.get("")
def groups(asking: See) -> list[GroupAnswer]:
    """The groups the person may know of."""
    return [_answer(asking, group) for group in asking.groups()]


@router.get("/adults")
def who_can_lead(asking: Make) -> list[Adult]:
    """Everyone who can lead a group."""
    return [Adult(id=key, name=name, role=role) for key, name, role in adults(asking.session)]


@router.get("/{group_id}")
def group(group_id: int, asking: See) -> GroupAnswer:
    """One group."""
    return _answer(asking, asking.group(group_id))


@router.post("", status_code=201)
def make_group(told: NewGroup, asking: Make) -> GroupAnswer:
    """Make a group of students in reach."""
    _check_days(told.first_day, told.last_day)
    _check_students(asking, told.students)
    measure = (told.assessment, told.subject) if told.assessment and told.subject else None
    today = asking.desk.settings.today
    with asking.desk.store.writing(scores=False) as session:
        key = kept.make(
            session, name=told.name, focus=told.focus, measure=measure, adult_id=told.adult_id,
            first_day=told.first_day, last_day=told.last_day, made_by_id=asking.person.id,
        )  # fmt: skip
        kept.add_members(session, key, told.students, today, None)
    return _fresh(asking, key)


@router.patch("/{group_id}")
def change_group(group_id: int, told: GroupChange, asking: Make) -> GroupAnswer:
    """Change a group or who is in it."""
    before = asking.group(group_id)
    if not _may_change(asking, before):
        raise NotAllowed("Only who made this group or leads it can change it.")
    _check_days(told.first_day or before.first_day, told.last_day or before.last_day)
    _check_students(asking, [*told.add, *told.remove])
    values = {name: getattr(told, name) for name in told.model_fields_set - {"add", "remove"}}
    if missing := sorted(name for name, value in values.items() if value is None and name != "adult_id"):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    today = asking.desk.settings.today
    with asking.desk.store.writing(scores=False) as session:
        if values:
            kept.change(session, group_id, values)
        if told.remove:
            kept.remove_members(session, group_id, told.remove, today)
        if told.add:
            kept.add_members(session, group_id, told.add, today, None)
    return _fresh(asking, group_id)


@router.get("/{group_id}/members.{form}")
def export_group(group_id: int, form: Form, asking: Export) -> Response:
    """A group's members as a spreadsheet."""
    found = _answer(asking, asking.group(group_id))
    header = ["group", "focus", "adult", "first_day", "last_day", "student_id", "name"]
    rows = [
        [found.name, found.focus, found.adult, found.first_day, found.last_day, member.student_id, member.name]
        for member in found.members
    ]
    return table_file(Table(header, rows), found.name, form)


def _fresh(asking: Asking, key: int) -> GroupAnswer:
    """A group as it is after a write: the request's own session still sees the state before."""
    with asking.desk.store.reading() as session:
        now = Asking(asking.desk, session, asking.person)
        return _answer(now, now.group(key))
