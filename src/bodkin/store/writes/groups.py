"""Groups and their members as they are kept."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy import delete, insert, or_, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, aliased

from bodkin.core.errors import BadInput, Conflict
from bodkin.store.database import two_columns
from bodkin.store.reads.people import in_running_groups
from bodkin.store.tables import Act, Assessment, Group, GroupMember, Person, RequiredMinutes, Student
from bodkin.store.writes.undo import Before, gone, new, was


@dataclass(frozen=True, slots=True)
class GroupRecord:
    """A group with the district identifiers of its present members.

    ``active``: those of them whom the group's adult sees today: on the group's and the member's days only.
    ``reasons``: why a student is in it, where somebody said.
    ``whole`` is false where some members are left out because the reader may not know of them.
    """

    id: int
    name: str
    focus: str
    assessment: str | None
    subject: str | None
    adult_id: int | None
    adult: str | None
    first_day: date
    last_day: date
    made_by_id: int | None
    members: frozenset[str]
    active: frozenset[str] = frozenset()
    whole: bool = True
    second_adult_id: int | None = None
    second_adult: str | None = None
    tier: int | None = None
    slots: tuple[str, ...] = ()
    fewest: int | None = None
    most: int | None = None
    times_a_week: int | None = None
    minutes: float | None = None
    entry_rule: str | None = None
    exit_rule: str | None = None
    reasons: Mapping[str, str] = field(default_factory=dict)

    def led_by(self, person_id: int) -> bool:
        """Whether a person leads the group, alone or as the second adult."""
        return person_id in (self.adult_id, self.second_adult_id)


PLAIN = ("tier", "fewest", "most", "times_a_week", "minutes", "entry_rule", "exit_rule")
"""Parts of a record that stand as they are in the table."""


def all_groups(session: Session, today: date, *, as_it_was: bool = False) -> list[GroupRecord]:
    """Every group by name, with its members of today.

    With ``as_it_was`` only groups that ran on the day, and only who was in them then.
    """
    members: dict[int, set[str]] = {}
    begun: dict[int, set[str]] = {}
    reasons: dict[int, dict[str, str]] = {}
    present = (
        select(GroupMember.group_id, Student.student_id, GroupMember.first_day, GroupMember.reason)
        .join(Student, Student.id == GroupMember.student_id)
        .where(or_(GroupMember.last_day.is_(None), GroupMember.last_day >= today))
    )
    if as_it_was:
        present = present.where(GroupMember.first_day <= today)
    for group, student, first_day, reason in session.execute(present):
        members.setdefault(group, set()).add(student)
        if reason:
            reasons.setdefault(group, {})[student] = reason
        if first_day <= today:
            begun.setdefault(group, set()).add(student)
    second = aliased(Person)
    query = (
        select(Group, Person.name, second.name, Assessment.name, Assessment.subject)
        .outerjoin(Person, Person.id == Group.adult_id)
        .outerjoin(second, second.id == Group.second_adult_id)
        .outerjoin(Assessment, Assessment.id == Group.assessment_id)
        .order_by(Group.name)
    )
    if as_it_was:
        query = query.where(Group.first_day <= today, Group.last_day >= today)
    return [
        GroupRecord(
            group.id, group.name, group.focus, assessment, subject, group.adult_id, adult,
            group.first_day, group.last_day, group.made_by_id, frozenset(members.get(group.id, ())),
            frozenset(begun.get(group.id, ()) if group.first_day <= today <= group.last_day else ()),
            second_adult_id=group.second_adult_id, second_adult=second_name,
            slots=tuple(part.strip() for part in (group.slots or "").split(";") if part.strip()),
            reasons=reasons.get(group.id, {}), **{name: getattr(group, name) for name in PLAIN},
        )
        for group, adult, second_name, assessment, subject in session.execute(query)
    ]  # fmt: skip


def _assessment_key(session: Session, measure: tuple[str, str] | None) -> int | None:
    if measure is None:
        return None
    key = session.scalar(select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1]))
    if key is None:
        raise BadInput(f'there is no assessment "{measure[0]}" in "{measure[1]}"')
    return key


def has_measure(session: Session, measure: tuple[str, str]) -> bool:
    """Whether a test of that name is known in the subject."""
    where = (Assessment.name == measure[0], Assessment.subject == measure[1])
    return session.scalar(select(Assessment.id).where(*where)) is not None


def _student_keys(session: Session, students: Collection[str]) -> dict[str, int]:
    rows = session.execute(select(Student.student_id, Student.id).where(Student.student_id.in_(students)))
    return {row.student_id: row.id for row in rows}


def _check_adults(session: Session, values: Mapping[str, object]) -> None:
    for name in ("adult_id", "second_adult_id"):
        if values.get(name) is not None and session.get(Person, values[name]) is None:
            raise BadInput(f"{name.removesuffix('_id')}: there is no such person")


def make(
    session: Session, values: Mapping[str, object], measure: tuple[str, str] | None, made_by_id: int
) -> tuple[int, list[Before]]:
    """A new group without members, by the names of its columns; returns its key and what undo needs.

    Raises Conflict where the name is taken, BadInput for an adult or measure that is not there.
    """
    _check_adults(session, values)
    group = Group(**values, assessment_id=_assessment_key(session, measure), made_by_id=made_by_id)
    session.add(group)
    try:
        session.flush()
    except IntegrityError:
        raise Conflict(f'you have a group called "{values["name"]}" already; give this one another name') from None
    return group.id, [new(Group, group.id)]


def change(session: Session, key: int, values: Mapping[str, object]) -> list[Before]:
    """Change a group by the names of its columns; what undo needs. Raises Conflict where the name is taken."""
    _check_adults(session, values)
    row = session.execute(select(Group.__table__).where(Group.id == key)).mappings().one()
    try:
        session.execute(update(Group).where(Group.id == key).values(dict(values)))
    except IntegrityError:
        raise Conflict(f'there is a group called "{values.get("name")}" of the same person already') from None
    return [was(Group, row, list(values))]


def required_minutes(session: Session) -> dict[int, float]:
    """Minutes of help a week that each tier requires, where somebody said so."""
    return two_columns(session, select(RequiredMinutes.tier, RequiredMinutes.minutes))


def require_minutes(session: Session, tier: int, minutes: float | None) -> list[Before]:
    """Set or drop (None) the minutes a week that a tier requires; what undo needs."""
    here = RequiredMinutes.tier == tier
    row = session.execute(select(RequiredMinutes.__table__).where(here)).mappings().one_or_none()
    if minutes is None:
        session.execute(delete(RequiredMinutes).where(here))
        return [gone(RequiredMinutes, row)] if row is not None else []
    if row is not None:
        session.execute(update(RequiredMinutes).where(here).values(minutes=minutes))
        return [was(RequiredMinutes, row, ("minutes",))]
    made = RequiredMinutes(tier=tier, minutes=minutes)
    session.add(made)
    session.flush()
    return [new(RequiredMinutes, made.id)]


def add_members(
    session: Session, key: int, students: Collection[str], today: date, reasons: Mapping[str, str] | None = None
) -> list[Before]:
    """Put students into a group from today on; one who is in it already stays. What undo needs.

    ``reasons``: why, by student.
    """
    there = {
        student
        for (student,) in session.execute(
            select(GroupMember.student_id).where(
                GroupMember.group_id == key, or_(GroupMember.last_day.is_(None), GroupMember.last_day >= today)
            )
        )
    }
    rows = [
        {"group_id": key, "student_id": at, "first_day": today, "last_day": None,
         "reason": (reasons or {}).get(student)}
        for student, at in sorted(_student_keys(session, students).items(), key=lambda pair: pair[1])
        if at not in there
    ]  # fmt: skip
    if not rows:
        return []
    keys = session.scalars(insert(GroupMember).returning(GroupMember.id, sort_by_parameter_order=True), rows)
    return [new(GroupMember, member) for member in keys]


def remove_members(session: Session, key: int, students: Collection[str], today: date) -> list[Before]:
    """Take students out of a group: the stay ends yesterday, one that began today never was. What undo needs."""
    keys = list(_student_keys(session, students).values())
    mine = (GroupMember.group_id == key, GroupMember.student_id.in_(keys), GroupMember.last_day.is_(None))
    yesterday = date.fromordinal(today.toordinal() - 1)
    before: list[Before] = []
    for row in session.execute(select(GroupMember.__table__).where(*mine)).mappings():
        here = GroupMember.id == row["id"]
        if row["first_day"] >= today:
            session.execute(delete(GroupMember).where(here))
            before.append(gone(GroupMember, row))
        else:
            session.execute(update(GroupMember).where(here).values(last_day=yesterday))
            before.append(was(GroupMember, row, ("last_day",)))
    return before


def move_member(session: Session, student: str, source: int | None, target: int | None, today: date) -> list[Before]:
    """Move a student from one group to another, into one, or out of one; what undo needs.

    Raises Conflict where the student is not where the mover saw it, so that two people cannot undo each other
    unseen.
    """
    present = set(
        session.scalars(
            select(GroupMember.group_id)
            .join(Student, Student.id == GroupMember.student_id)
            .where(
                Student.student_id == student,
                or_(GroupMember.last_day.is_(None), GroupMember.last_day >= today),
            )
            .with_for_update()
        )
    )
    if source is not None and source not in present:
        raise Conflict("Somebody has moved this student meanwhile. Look at the board again.")
    if target is not None and target in present:
        raise Conflict("This student is in that group already.")
    before = remove_members(session, source, [student], today) if source is not None else []
    if target is not None:
        before += add_members(session, target, [student], today)
    return before


CASELOAD = 60
"""Students that somebody may have put into groups of one's own within ``CASELOAD_DAYS`` and still take out by name."""
CASELOAD_DAYS = 30


def put_in_by(session: Session, person_id: int, since: datetime) -> dict[int, int]:
    """Stays in groups that a person added since a moment, undone or ended ones too, with their students' keys."""
    acts = session.scalars(select(Act.before).where(Act.kind == "group", Act.by_id == person_id, Act.at >= since))
    stays = {
        entry["id"]
        for before in acts
        for entry in before
        if entry["table"] == GroupMember.__tablename__ and entry["row"] is None
    }
    found = select(GroupMember.id, GroupMember.student_id).where(GroupMember.id.in_(stays))
    known = {row.id: row.student_id for row in session.execute(found)}
    # A stay that was taken back at once still counts as one.
    return {stay: known.get(stay, -stay) for stay in stays}


def own_members(session: Session, person_id: int, today: date, since: datetime) -> frozenset[str]:
    """Students whom the adult of running groups may take out by name.

    All that others put there; whom one put there oneself only up to a caseload, or a whole grade could be
    taken out by way of a group.
    """
    mine = put_in_by(session, person_id, since)
    query = (
        select(GroupMember.id, Student.student_id)
        .join(Group, Group.id == GroupMember.group_id)
        .join(Student, Student.id == GroupMember.student_id)
        .where(*in_running_groups(person_id, today))
    )
    few = len(set(mine.values())) <= CASELOAD
    return frozenset(student for stay, student in session.execute(query) if few or stay not in mine)
