"""Goals as they are kept: set for one student or many, seen beside their scores, taken back whole."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.store.database import two_columns
from bodkin.store.tables import Assessment, Goal, GrowthTarget, Person, Student
from bodkin.store.writes.undo import gone, new, note, was


@dataclass(frozen=True, slots=True)
class GoalRecord:
    """A goal with who it is for, by district identifier."""

    id: int
    student_id: str
    kind: str
    target: float
    by_day: date
    plan: str | None
    agreed_with: str | None
    review_on: date | None
    made_by: str | None


@dataclass(frozen=True, slots=True)
class NewGoal:
    """A goal to be set; the score to reach differs from student to student, and so may what the student will do."""

    student_id: str
    target: float
    plan: str | None = None


def kept_goals(session: Session, assessment: str, subject: str, students: Sequence[str] | None) -> list[GoalRecord]:
    """Goals of a measure, of some students or all, the latest day first."""
    query = (
        select(Goal, Student.student_id, Person.name)
        .join(Student, Student.id == Goal.student_id)
        .join(Assessment, Assessment.id == Goal.assessment_id)
        .outerjoin(Person, Person.id == Goal.made_by_id)
        .where(Assessment.name == assessment, Assessment.subject == subject)
        .order_by(Goal.by_day.desc(), Goal.id.desc())
    )
    if students is not None:
        query = query.where(Student.student_id.in_(students))
    return [
        GoalRecord(
            goal.id, student, goal.kind, goal.target, goal.by_day, goal.plan, goal.agreed_with, goal.review_on, by
        )
        for goal, student, by in session.execute(query)
    ]


def goal_days(
    session: Session, assessment: str, subject: str, students: Sequence[str]
) -> dict[str, list[tuple[float, date]]]:
    """Score and day of every goal of some students in a measure, the latest day first; many at once."""
    query = (
        select(Student.student_id, Goal.target, Goal.by_day)
        .join(Student, Student.id == Goal.student_id)
        .join(Assessment, Assessment.id == Goal.assessment_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, Student.student_id.in_(students))
        .order_by(Goal.by_day.desc(), Goal.id.desc())
    )
    found: dict[str, list[tuple[float, date]]] = {}
    for student, target, day in session.execute(query):
        found.setdefault(student, []).append((target, day))
    return found


def goals_of(session: Session, assessment: str, subject: str, today: date) -> dict[str, tuple[float, str]]:
    """Score and kind of each student's goal that is not past; of several the one set last."""
    found: dict[str, tuple[float, str]] = {}
    for goal in sorted(kept_goals(session, assessment, subject, None), key=lambda goal: goal.id):
        if goal.by_day >= today:
            found[goal.student_id] = (goal.target, goal.kind)
    return found


def set_goals(
    session: Session, measure: tuple[str, str], goals: Sequence[NewGoal], *, kind: str, by_day: date,
    plan: str | None, agreed_with: str | None, review_on: date | None, by_id: int, at: datetime, said: str,
) -> int:  # fmt: skip
    """Set goals in one act that can be taken back; a student's goal of one kind and day is replaced.

    Returns the act. Raises BadInput for a measure or student that is not there.
    """
    test = session.scalar(select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1]))
    if test is None:
        raise BadInput("there is no such test")
    wanted = [goal.student_id for goal in goals]
    who = two_columns(session, select(Student.student_id, Student.id).where(Student.student_id.in_(wanted)))
    if len(who) < len(set(wanted)):
        raise BadInput("there is no such student")
    mine = select(Goal.__table__).where(
        Goal.student_id.in_(who.values()), Goal.assessment_id == test, Goal.by_day == by_day, Goal.kind == kind
    )
    known = {row["student_id"]: row for row in session.execute(mine).mappings()}
    about = {
        "assessment_id": test, "kind": kind, "by_day": by_day, "plan": plan, "agreed_with": agreed_with,
        "review_on": review_on, "made_by_id": by_id,
    }  # fmt: skip
    before = [was(Goal, row) for row in known.values()]
    # Of two goals for one student in one act the later stands.
    rows = {
        who[goal.student_id]: {
            **about,
            "student_id": who[goal.student_id],
            "target": goal.target,
            "plan": goal.plan or plan,
        }
        for goal in goals
    }
    if changed := [{**row, "id": known[student]["id"]} for student, row in rows.items() if student in known]:
        session.execute(update(Goal), changed)
    added = [row for student, row in rows.items() if student not in known]
    if added:
        keys = session.scalars(insert(Goal).returning(Goal.id, sort_by_parameter_order=True), added)
        before += [new(Goal, key) for key in keys]
    return note(session, "goal", by_id, at, said, before)


def target_of(session: Session, assessment: str, subject: str, who: Sequence[str]) -> float | None:
    """The share of a class, grade or school that should meet its growth.

    ``who``: under what it may be kept, the first that is there counts: the key, and the words that an earlier
    Bodkin kept classes under.
    """
    found = two_columns(
        session,
        select(GrowthTarget.who, GrowthTarget.share)
        .join(Assessment, Assessment.id == GrowthTarget.assessment_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, GrowthTarget.who.in_(who)),
    )
    return next((found[one] for one in who if one in found), None)


def set_target(
    session: Session, measure: tuple[str, str], who: Sequence[str], share: float | None, *, by_id: int, at: datetime,
    said: str,
) -> int:  # fmt: skip
    """Set a target, or take it away with None; returns the act; ``who`` as :func:`target_of`.

    Raises BadInput for a test that is not there.
    """
    test = session.scalar(select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1]))
    if test is None:
        raise BadInput("there is no such test")
    table = GrowthTarget.__table__
    kept = session.execute(
        select(table).where(GrowthTarget.assessment_id == test, GrowthTarget.who.in_(who))
    ).mappings().all()  # fmt: skip
    known = min(kept, key=lambda row: list(who).index(row["who"]), default=None)
    here = (GrowthTarget.id == (known["id"] if known is not None else None),)
    if known is not None and share is None:
        session.execute(delete(GrowthTarget).where(*here))
        return note(session, "target", by_id, at, said, [gone(GrowthTarget, known)])
    if known is not None:
        session.execute(update(GrowthTarget).where(*here).values(who=who[0], share=share, made_by_id=by_id))
        return note(session, "target", by_id, at, said, [was(GrowthTarget, known)])
    if share is None:
        raise BadInput("share: there is no target to take away")
    row = GrowthTarget(assessment_id=test, who=who[0], share=share, made_by_id=by_id)
    session.add(row)
    session.flush()
    return note(session, "target", by_id, at, said, [new(GrowthTarget, row.id)])
