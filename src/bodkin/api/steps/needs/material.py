"""Teaching material on standards: kept, given to students or a group, and done or not done."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.needs.ground_below import MaterialRow, materials_of
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key, OneLine
from bodkin.api.routing import Part
from bodkin.api.steps.needs.shared import ActDone, Scores
from bodkin.core.errors import BadInput, NotFound
from bodkin.policy.rights import Right
from bodkin.store.writes.needs import add_material, assign_material, given_material, mark_material

router = Part(prefix="/needs/material", tags=["needs"])
Keeps = Annotated[Context, Depends(need(Right.MATERIAL))]
Long = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000)]
Students = Annotated[list[Annotated[str, StringConstraints(max_length=64)]], Field(max_length=2000)]


class StudentGiven(BaseModel):
    """A student who was given material, and when it was done."""

    student_id: str
    name: str
    assigned_on: date
    done_on: date | None


class MaterialAnswer(MaterialRow):
    """Material with whom of one's students it was given to."""

    given: list[StudentGiven]


class Materials(BaseModel):
    """Material on a standard, and whether this person may add and give it."""

    standard: str
    may_change: bool
    materials: list[MaterialAnswer]


class NewMaterial(BaseModel):
    """Material on a standard: a link or text, and a short check."""

    model_config = ConfigDict(extra="forbid")

    standard: Annotated[str, StringConstraints(max_length=64)]
    title: OneLine
    link: Long | None = None
    check: Long | None = None


class MaterialGiven(BaseModel):
    """Students, or the members of a group, to give material to."""

    model_config = ConfigDict(extra="forbid")

    students: Students = []
    group_id: Key | None = None


class MaterialDone(BaseModel):
    """Students who have done material, or have not."""

    model_config = ConfigDict(extra="forbid")

    students: Annotated[Students, Field(min_length=1)]
    done: bool


@router.get("")
def material(context: Scores, standard: str) -> Materials:
    """Material on a standard, and whom of one's students it was given to."""
    rows = materials_of(context.runtime.needs(context.session), standard)
    given: dict[int, list[StudentGiven]] = {}
    for one in given_material(context.session, [row.id for row in rows]) if rows else []:
        if context.reach is None or one.student_id in context.reach:
            given.setdefault(one.material_id, []).append(
                StudentGiven(student_id=one.student_id, name=context.name_of(one.student_id),
                             assigned_on=one.assigned_on, done_on=one.done_on)
            )  # fmt: skip
    found = [MaterialAnswer(**row.model_dump(), given=given.get(row.id, [])) for row in rows]
    return Materials(standard=standard, may_change=context.may(Right.MATERIAL), materials=found)


@router.post("")
def keep(body: NewMaterial, context: Keeps) -> ActDone:
    """Keep material on a standard; that of the same title is changed."""
    if not body.link and not body.check:
        raise BadInput("link: write where the material is, or what it says")
    with context.runtime.store.writing(scores=False) as session:
        key = add_material(
            session, body.standard, body.title, body.link or None, body.check or None, by_id=context.person.id,
            at=now(),
        )  # fmt: skip
    return ActDone(id=key, said=f"{body.title} kept for {body.standard}")


@router.post("/{key}/give")
def give(key: Key, body: MaterialGiven, context: Keeps) -> ActDone:
    """Give material to students, or to everybody in a group."""
    students = set(body.students)
    if body.group_id is not None:
        students |= context.group(body.group_id).active
    if not students:
        raise BadInput("students: nobody is named")
    for one in students:
        context.check_student(one)
    with context.runtime.store.writing(scores=False) as session:
        act = assign_material(
            session, key, sorted(students), body.group_id, on=context.today,
            by_id=context.person.id, at=now(),
        )  # fmt: skip
    return ActDone(id=act, said="The material is given")


@router.post("/{key}/done")
def done(key: Key, body: MaterialDone, context: Keeps) -> ActDone:
    """Say who has done material, or has not."""
    for one in body.students:
        context.check_student(one)
    if not body.students:
        raise NotFound("Nobody is named.")
    day = context.today if body.done else None
    with context.runtime.store.writing(scores=False) as session:
        act = mark_material(session, key, body.students, day, by_id=context.person.id, at=now())
    return ActDone(id=act, said="Done" if body.done else "Not done")
