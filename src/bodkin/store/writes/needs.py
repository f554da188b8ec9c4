"""Acts of the Needs step: items mended, mastery entered, material kept and given to students."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, NotFound
from bodkin.store.database import two_columns
from bodkin.store.tables import Act, AssignedMaterial, Item, MasteryEntry, Material, Person, Standard, Student
from bodkin.store.writes.undo import Before, PastAct, gone, new, note, note_more, was


def mend_item(
    session: Session, test: str, item: str, keys: Sequence[str], *, dropped: bool, why: str, by_id: int, at: datetime
) -> int:
    """Give an item other keys, or let it count or not; returns the act. Raises NotFound, BadInput without a change."""
    table = Item.__table__
    row = session.execute(select(table).where(Item.test == test, Item.item == item)).mappings().one_or_none()
    if row is None:
        raise NotFound("There is no such item.")
    key = ";".join(keys)
    parts = []
    if key != row["key"]:
        parts.append(f"key {row['key']} to {key}")
    if dropped != row["dropped"]:
        parts.append("dropped" if dropped else "counts again")
    if not parts:
        raise BadInput("keys: this is how the item is already")
    said = f"{test}, item {item}: {', '.join(parts)} ({why})"
    before = [was(Item, row, ("key", "dropped"))]
    session.execute(update(Item).where(Item.id == row["id"]).values(key=key, dropped=dropped))
    return note(session, "item", by_id, at, said, before, scores=True)


def mends_of(session: Session, test: str) -> list[PastAct]:
    """What was changed about the items of a test, the latest first."""
    mine = set(session.scalars(select(Item.id).where(Item.test == test)))
    rows = session.execute(
        select(Act, Person.name)
        .outerjoin(Person, Person.id == Act.by_id)
        .where(Act.kind == "item")
        .order_by(Act.id.desc())
    )
    return [
        PastAct(act.id, act.kind, act.said, name, act.at, act.state)
        for act, name in rows
        if any(entry["id"] in mine for entry in act.before)
    ]


@dataclass(frozen=True, slots=True)
class NewEntry:
    """What somebody enters of a student and a standard; no state takes an entry of the day back."""

    student_id: str
    standard: str
    state: str | None
    note: str | None = None


def _keys(session: Session, entries: Sequence[NewEntry]) -> tuple[dict[str, int], dict[str, int]]:
    wanted = {one.student_id for one in entries}
    students = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(wanted)))
    codes = {one.standard for one in entries}
    standards = two_columns(session, select(Standard.code, Standard.id).where(Standard.code.in_(codes)))
    if len(students) < len(wanted):
        raise BadInput("there is no such student")
    if missing := sorted(codes - set(standards)):
        raise BadInput(f'there is no standard "{missing[0]}"')
    return students, standards


def enter_mastery(
    session: Session, entries: Sequence[NewEntry], *, on: date, source: str, by_id: int, at: datetime, said: str,
    act: int | None = None,
) -> int:  # fmt: skip
    """Keep what a person says of students and standards on a day; returns the act.

    ``act``: an earlier act of the same batch, which then holds these entries too. A second word on one student,
    standard, day and source replaces the first. Raises BadInput for a student or standard that is not there.
    """
    students, standards = _keys(session, entries)
    table = MasteryEntry.__table__
    there = session.execute(
        select(table).where(
            MasteryEntry.student_id.in_(students.values()), MasteryEntry.standard_id.in_(standards.values()),
            MasteryEntry.day == on, MasteryEntry.source == source,
        )
    ).mappings()  # fmt: skip
    known = {(row["student_id"], row["standard_id"]): row for row in there}
    before: list[Before] = []
    # Of two words on one student and standard the later stands.
    latest = {(students[one.student_id], standards[one.standard]): one for one in entries}
    for place, one in latest.items():
        row = known.get(place)
        if one.state is None:
            if row is not None:
                before.append(gone(MasteryEntry, row))
                session.execute(delete(MasteryEntry).where(MasteryEntry.id == row["id"]))
            continue
        values = {"state": one.state, "note": one.note, "by_id": by_id}
        if row is not None:
            before.append(was(MasteryEntry, row, tuple(values)))
            session.execute(update(MasteryEntry).where(MasteryEntry.id == row["id"]).values(values))
            continue
        made = MasteryEntry(student_id=place[0], standard_id=place[1], day=on, source=source, **values)
        session.add(made)
        session.flush()
        before.append(new(MasteryEntry, made.id))
    if act is not None:
        return note_more(session, act, "mastery", by_id, said, before)
    return note(session, "mastery", by_id, at, said, before)


def add_material(
    session: Session, standard: str, title: str, link: str | None, check: str | None, *, by_id: int, at: datetime
) -> int:
    """Keep material on a standard, or change the one of that title; returns the act. Raises BadInput."""
    key = session.scalar(select(Standard.id).where(Standard.code == standard))
    if key is None:
        raise BadInput(f'there is no standard "{standard}"')
    table = Material.__table__
    here = (Material.standard_id == key, Material.title == title)
    row = session.execute(select(table).where(*here)).mappings().one_or_none()
    values = {"link": link, "check": check, "by_id": by_id}
    if row is not None:
        session.execute(update(Material).where(Material.id == row["id"]).values(values))
        return note(session, "material", by_id, at, f"{standard}: {title} changed", [was(Material, row, tuple(values))])
    made = Material(standard_id=key, title=title, **values)
    session.add(made)
    session.flush()
    return note(session, "material", by_id, at, f"{standard}: {title} added", [new(Material, made.id)])


def assign_material(
    session: Session, material: int, students: Collection[str], group_id: int | None, *, on: date, by_id: int,
    at: datetime,
) -> int:  # fmt: skip
    """Give material to students; who has it keeps it. Returns the act. Raises NotFound, BadInput where all have it."""
    title = session.scalar(select(Material.title).where(Material.id == material))
    if title is None:
        raise NotFound("There is no such material.")
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(students)))
    if len(who) < len(set(students)):
        raise BadInput("there is no such student")
    have = set(session.scalars(select(AssignedMaterial.student_id).where(AssignedMaterial.material_id == material)))
    rows = [
        {"material_id": material, "student_id": key, "group_id": group_id, "assigned_on": on, "by_id": by_id}
        for key in who.values()
        if key not in have
    ]
    if not rows:
        raise BadInput("students: all of them have this material already")
    keys = session.scalars(insert(AssignedMaterial).returning(AssignedMaterial.id, sort_by_parameter_order=True), rows)
    said = f"{title} given to {len(rows)} student{'' if len(rows) == 1 else 's'}"
    return note(session, "material", by_id, at, said, [new(AssignedMaterial, key) for key in keys])


def mark_material(
    session: Session, material: int, students: Collection[str], done_on: date | None, *, by_id: int, at: datetime
) -> int:
    """Say that students have done material, or have not; returns the act. Raises NotFound where none of them has it."""
    title = session.scalar(select(Material.title).where(Material.id == material))
    table = AssignedMaterial.__table__
    rows = session.execute(
        select(table)
        .join(Student, Student.id == AssignedMaterial.student_id)
        .where(AssignedMaterial.material_id == material, Student.student_id.in_(students))
    ).mappings().all()  # fmt: skip
    if title is None or not rows:
        raise NotFound("None of these students has this material.")
    session.execute(
        update(AssignedMaterial).where(AssignedMaterial.id.in_([row["id"] for row in rows])).values(done_on=done_on)
    )
    said = f"{title} {'done' if done_on else 'not done'} by {len(rows)} student{'' if len(rows) == 1 else 's'}"
    return note(session, "material", by_id, at, said, [was(AssignedMaterial, row, ("done_on",)) for row in rows])


@dataclass(frozen=True, slots=True)
class GivenToStudent:
    """Material that a student was given."""

    material_id: int
    student_id: str
    assigned_on: date
    done_on: date | None


def material_of_groups(session: Session) -> dict[int, list[tuple[str, int, int]]]:
    """Material given by way of each group: title, to how many students, and how many have done it."""
    done = func.count(AssignedMaterial.done_on)
    rows = session.execute(
        select(AssignedMaterial.group_id, Material.title, func.count(), done)
        .join(Material, Material.id == AssignedMaterial.material_id)
        .where(AssignedMaterial.group_id.is_not(None))
        .group_by(AssignedMaterial.group_id, Material.id, Material.title)
        .order_by(Material.title)
    )
    found: dict[int, list[tuple[str, int, int]]] = {}
    for group, title, given, finished in rows.all():
        found.setdefault(group or 0, []).append((title, given, finished))
    return found


def given_material(session: Session, materials: Collection[int]) -> list[GivenToStudent]:
    """Who was given some material, and who has done it."""
    rows = session.execute(
        select(AssignedMaterial.material_id, Student.student_id, AssignedMaterial.assigned_on, AssignedMaterial.done_on)
        .join(Student, Student.id == AssignedMaterial.student_id)
        .where(AssignedMaterial.material_id.in_(materials))
        .order_by(AssignedMaterial.id)
    )
    return [GivenToStudent(*row) for row in rows]
