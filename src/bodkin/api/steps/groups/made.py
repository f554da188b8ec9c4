"""Groups that are made: made from students, seen, changed, exported."""

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import date
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.step_answer import display_name
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key, OneLine
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.core.groups.membership_rules import Comparison, MembershipRule, Value, parse_rule
from bodkin.policy.rights import Right
from bodkin.store.reads.people import adults
from bodkin.store.writes import groups as kept
from bodkin.store.writes.groups import GroupRecord
from bodkin.store.writes.needs import material_of_groups
from bodkin.store.writes.undo import note

router = Part(prefix="/groups", tags=["groups"])
See = Annotated[Context, Depends(need(Right.GROUPS_SEE))]
Make = Annotated[Context, Depends(need(Right.GROUPS_MAKE))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


Slot = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60, pattern=r"^[^;]*$")]
Students = Annotated[list[Annotated[str, StringConstraints(max_length=64)]], Field(max_length=2000)]


class Member(BaseModel):
    """A student in a group."""

    student_id: str
    name: str


class RuleParts(BaseModel):
    """An entry or exit rule in its parts; ``last``: each of so many latest results, none: the latest window."""

    model_config = ConfigDict(extra="forbid")

    assessment: OneLine
    subject: OneLine
    value: Value
    comparison: Comparison
    limit: float = Field(ge=-1e6, le=1e6)
    last: int | None = None


class GroupMaterial(BaseModel):
    """Material given by way of a group: to how many students, and how many have done it."""

    title: str
    given: int
    done: int


class GroupAnswer(BaseModel):
    """A group with its members in reach, by name.

    ``entry`` and ``exit`` are the parts of its rules; empty for words that came with an import and are no rule.
    """

    id: int
    name: str
    focus: str
    assessment: str | None
    subject: str | None
    adult_id: int | None
    adult: str | None
    second_adult_id: int | None
    second_adult: str | None
    first_day: date
    last_day: date
    tier: int | None
    slots: list[str]
    times_a_week: int | None
    minutes: float | None
    fewest: int | None
    most: int | None
    entry_rule: str | None
    exit_rule: str | None
    entry: RuleParts | None
    exit: RuleParts | None
    material: list[GroupMaterial]
    state: str
    may_change: bool
    members: list[Member]
    act: int | None = Field(default=None, description="what has just been done to it, to take back")


class Adult(BaseModel):
    """Someone who can lead a group."""

    id: int
    name: str
    role: str


class Record(BaseModel):
    """What a group's record holds beside its name, focus and days."""

    model_config = ConfigDict(extra="forbid")
    adult_id: Key | None = None
    second_adult_id: Key | None = None
    tier: int | None = Field(default=None, ge=1, le=9)
    slots: list[Slot] | None = Field(default=None, max_length=12)
    times_a_week: int | None = Field(default=None, ge=1, le=20)
    minutes: float | None = Field(default=None, gt=0, le=600)
    fewest: int | None = Field(default=None, ge=0, le=300)
    most: int | None = Field(default=None, ge=1, le=300)
    entry_rule: RuleParts | None = None
    exit_rule: RuleParts | None = None


class NewGroup(Record):
    """What a group is made from."""

    name: OneLine
    focus: OneLine
    assessment: str | None = None
    subject: str | None = None
    first_day: date
    last_day: date
    students: Annotated[Students, Field(min_length=1)]


class GroupChange(Record):
    """What changes about a group; what is left out stays."""

    name: OneLine | None = None
    focus: OneLine | None = None
    first_day: date | None = None
    last_day: date | None = None
    add: Students = []
    remove: Students = []


OPENS = frozenset({"adult_id", "second_adult_id", "first_day", "last_day"})
"""What decides who sees a group's students, and when."""
NEEDED = ("first_day", "focus", "last_day", "name")
"""What no group is without."""
SLOTS_LENGTH = 255


def may_change(context: Context, group: GroupRecord) -> bool:
    """Whether the person may change a group: who made or leads it, and by role any, or any of which all is seen."""
    if not context.may(Right.GROUPS_MAKE):
        return False
    if context.may(Right.GROUPS_OF_OTHERS) or (context.role.whole_group and group.whole):
        return True
    return group.led_by(context.person.id) or context.person.id == group.made_by_id


def _parts(text: str | None) -> RuleParts | None:
    try:
        return RuleParts(**asdict(parse_rule(text or "")))
    except BadInput:
        return None


def _rule_text(context: Context, name: str, parts: RuleParts) -> str:
    """A rule as it is kept. Raises BadInput that names the field for one that cannot be."""
    try:
        rule = MembershipRule(**parts.model_dump())
    except BadInput as fault:
        raise BadInput(f"{name}: {fault}") from None
    if not kept.has_measure(context.session, (rule.assessment, rule.subject)):
        raise BadInput(f'{name}: there is no test "{rule.assessment}" in "{rule.subject}"')
    return rule.text


def _kept_values(context: Context, body: Record, before: GroupRecord | None) -> dict[str, object]:
    """What a body says of a group, by the names of its columns. Raises BadInput for a rule that is none."""
    told = body.model_fields_set - {"add", "remove", "students", "assessment", "subject"}
    values: dict[str, object] = {name: getattr(body, name) for name in told}
    if "slots" in values:
        values["slots"] = "; ".join(body.slots or []) or None
        if len(str(values["slots"])) > SLOTS_LENGTH:
            raise BadInput(f"slots: together they may have {SLOTS_LENGTH} letters")
    for name in ("entry_rule", "exit_rule"):
        if isinstance(parts := values.get(name), RuleParts):
            values[name] = _rule_text(context, name, parts)
    fewest, most = (values.get(name, getattr(before, name, None)) for name in ("fewest", "most"))
    if isinstance(fewest, int) and isinstance(most, int) and fewest > most:
        raise BadInput("most: cannot be below the fewest students")
    return values


def _answer(context: Context, group: GroupRecord, material: Sequence[tuple[str, int, int]] = ()) -> GroupAnswer:
    names = context.runtime.names(context.session)
    today = context.today
    state = "to come" if today < group.first_day else "ended" if today > group.last_day else "running"
    members = sorted(group.members, key=lambda student: (names.get(student, ("", "")), student))
    return GroupAnswer(
        id=group.id, name=group.name, focus=group.focus, assessment=group.assessment, subject=group.subject,
        adult_id=group.adult_id, adult=group.adult, second_adult_id=group.second_adult_id,
        second_adult=group.second_adult, first_day=group.first_day, last_day=group.last_day, slots=list(group.slots),
        **{name: getattr(group, name) for name in kept.PLAIN}, entry=_parts(group.entry_rule),
        exit=_parts(group.exit_rule),
        material=[GroupMaterial(title=one[0], given=one[1], done=one[2]) for one in material], state=state,
        may_change=may_change(context, group),
        members=[Member(student_id=student, name=display_name(names, student)) for student in members],
    )  # fmt: skip


def check_days(first: date, last: date) -> None:
    """Raise BadInput for a group that would end before it starts."""
    if last < first:
        raise BadInput("last_day: a group cannot end before it starts")


def _check_students(context: Context, students: list[str]) -> None:
    for student in students:
        context.check_student(student)


@router.get("")
def groups(context: See) -> list[GroupAnswer]:
    """The groups the person may know of."""
    material = material_of_groups(context.session)
    # Counts over a whole group are for who sees the whole of it.
    return [_answer(context, group, material.get(group.id, ()) if group.whole else ()) for group in context.groups()]


@router.get("/adults")
def who_can_lead(context: Make) -> list[Adult]:
    """Everyone who can lead a group."""
    return [Adult(id=key, name=name, role=role) for key, name, role in adults(context.session)]


@router.get("/{group_id}")
def group(group_id: Key, context: See) -> GroupAnswer:
    """One group."""
    found = context.group(group_id)
    return _answer(context, found, material_of_groups(context.session).get(group_id, ()) if found.whole else ())


@router.post("", status_code=201)
def make_group(body: NewGroup, context: Make) -> GroupAnswer:
    """Make a group of students in reach."""
    check_days(body.first_day, body.last_day)
    _check_students(context, body.students)
    measure = (body.assessment, body.subject) if body.assessment and body.subject else None
    today, values = context.today, _kept_values(context, body, None)
    with context.runtime.store.writing(scores=False) as session:
        key, before = kept.make(session, values, measure, context.person.id)
        before += kept.add_members(session, key, body.students, today)
        act = note(session, "group", context.person.id, now(), f'Group "{body.name}" made', before)
    return _fresh(context, key, act)


@router.patch("/{group_id}")
def change_group(group_id: Key, body: GroupChange, context: Make) -> GroupAnswer:
    """Change a group or who is in it."""
    before = context.group(group_id)
    if not may_change(context, before):
        raise NotAllowed("Only who made this group or leads it can change it.")
    check_days(body.first_day or before.first_day, body.last_day or before.last_day)
    _check_students(context, [*body.add, *body.remove])
    values = _kept_values(context, body, before)
    if missing := sorted(name for name in NEEDED if name in values and values[name] is None):
        raise BadInput(f"{missing[0]}: cannot be left empty")
    if not before.whole and values.keys() & OPENS:
        # Whom one may not see oneself one cannot open to anybody.
        raise NotAllowed("This group has students you do not see, so you cannot hand it on or move its days.")
    today = context.today
    with context.runtime.store.writing(scores=False) as session:
        changes = kept.change(session, group_id, values) if values else []
        if body.remove:
            changes += kept.remove_members(session, group_id, body.remove, today)
        if body.add:
            changes += kept.add_members(session, group_id, body.add, today)
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
