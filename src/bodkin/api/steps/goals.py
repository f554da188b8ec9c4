"""Goals: what it takes, setting them for one student or many, and those that are set."""

from datetime import date
from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.step_answer import display_name
from bodkin.answers.goals.goals import GoalOffers, Kind, chosen_scores, goal_offers
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import plural
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotAllowed, NotFound
from bodkin.core.windows import Window, day_words, parse_window
from bodkin.policy.rights import Right
from bodkin.store.writes.goals import NewGoal, goals_of, kept_goals, set_goals, set_target

router = Part(prefix="/goals", tags=["goals"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Set = Annotated[Context, Depends(need(Right.GOALS_SET))]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=160)]
MANY = 2_000


class Wanted(BaseModel):
    """Whom goals are for, and what catching up means: a band's order, or a percentile."""

    model_config = ConfigDict(extra="forbid")
    students: list[str] = Field(min_length=1, max_length=MANY)
    until: str | None = None
    band: int | None = Field(default=None, ge=2, le=9)
    percentile: float | None = Field(default=None, ge=1, le=99)


class NewGoals(Wanted):
    """Goals to be set: what kind, by which day, what the student will do, who agreed, when to look again."""

    kind: Kind
    points: float | None = Field(default=None, gt=0, le=500)
    by_day: date | None = None
    plan: Words | None = None
    agreed_with: Short | None = None
    review_on: date | None = None


class AgreedGoal(BaseModel):
    """The score that was agreed with a student, and what the student will do."""

    model_config = ConfigDict(extra="forbid")
    student_id: Annotated[str, StringConstraints(max_length=64)]
    target: float = Field(gt=0, le=1e5)
    plan: Words | None = None


class AgreedGoals(BaseModel):
    """Goals that were agreed in talks, a score of its own for each student."""

    model_config = ConfigDict(extra="forbid")
    goals: list[AgreedGoal] = Field(min_length=1, max_length=300)
    by_day: date
    agreed_with: Short | None = None
    review_on: date | None = None


class GoalsSet(BaseModel):
    """What came of it: how many, who was left out and why, and the act to take back."""

    act: int
    n: int
    by_day: date
    said: str
    left_out: list[str]


class StudentGoal(BaseModel):
    """A goal of a student."""

    id: int
    kind: str
    target: float
    by_day: date
    plan: str | None
    agreed_with: str | None
    review_on: date | None
    made_by: str | None
    past: bool


def _until(body: Wanted) -> Window | None:
    return parse_window(body.until) if body.until else None


def _offers(context: Context, scope: Scope, body: Wanted) -> GoalOffers:
    for student in body.students:
        context.check_student(student)
    if body.band is not None and body.percentile is not None:
        raise BadInput("percentile: say a band or a percentile, not both")
    whole = scope.model_copy(update={"students": None, "reach": context.students_for(scope.assessment, scope.subject)})
    found = goal_offers(
        context.put(scope), whole, frozenset(body.students), context.names, until=_until(body), band=body.band,
        percentile=body.percentile, today=context.today,
    )  # fmt: skip
    known = goals_of(context.session, scope.assessment, scope.subject, context.today)
    for row in found.rows:
        row.goal = known[row.student_id][0] if row.student_id in known else None
    return found


@router.post("/offers")
def offers(context: Scores, scope: AskedScope, body: Wanted) -> GoalOffers:
    """What it takes to keep pace and to catch up; nothing is kept."""
    return _offers(context, scope, body)


def _day(context: Context, body: NewGoals, until: Window) -> date:
    """The day of the goal: the one told, else the last day of the window, else the end of its season."""
    today = context.today
    span = context.table.calendar.windows.get(str(until))
    day = body.by_day or (span[1] if span else date(until.year + 1, (11, 2, 5)[until.order], 15))
    if until.order == 0 and body.by_day is None and span is None:
        day = date(until.year, 11, 15)
    _check_days(today, day, body.review_on)
    return day


def _check_days(today: date, day: date, review_on: date | None) -> None:
    if day <= today:
        raise BadInput(f"by_day: {day_words(day)} is past; choose a day in the future")
    if review_on is not None and not today <= review_on <= day:
        raise BadInput("review_on: choose a day between today and the goal's day")


def _check_whole_test(context: Context, scope: Scope, students: list[str]) -> None:
    if scope.strand is not None:
        raise BadInput("strand: goals are set for the whole test; choose the measure without a strand")
    if context.role.names_of_own_groups and not set(students) <= context.own_members:
        raise NotAllowed(f"As {context.role.title} you set goals for students of your own groups.")


@router.post("", status_code=201)
def set_many(context: Set, scope: AskedScope, body: NewGoals) -> GoalsSet:
    """Set goals for students in reach, in one act that can be taken back."""
    found = _offers(context, scope, body)
    _check_whole_test(context, scope, body.students)
    scores = chosen_scores(found, body.kind, body.points)
    if not scores:
        raise BadInput("students: none of them has a score to reach; choose another goal")
    day = _day(context, body, parse_window(found.until))
    names = context.names
    known = {student for student, _ in scores}
    who = display_name(names, scores[0][0]) if len(scores) == 1 else plural(len(scores), "student")
    said = f"Goal to {body.kind if body.kind != 'own' else 'reach a score of their own'} set for {who}"
    said += f" in {measure_title(scope.assessment, scope.subject)}"
    with context.runtime.store.writing(scores=False) as session:
        act = set_goals(
            session, (scope.assessment, scope.subject), [NewGoal(student, score) for student, score in scores],
            kind=body.kind, by_day=day, plan=body.plan or None, agreed_with=body.agreed_with or None,
            review_on=body.review_on, by_id=context.person.id, at=now(), said=said,
        )  # fmt: skip
    left = sorted({display_name(names, student) for student in body.students if student not in known})
    return GoalsSet(act=act, n=len(scores), by_day=day, said=said, left_out=left)


@router.post("/agreed", status_code=201)
def set_agreed(context: Set, scope: AskedScope, body: AgreedGoals) -> GoalsSet:
    """Enter the goals agreed in talks, each student's own, in one act that can be taken back."""
    for goal in body.goals:
        context.check_student(goal.student_id)
    _check_whole_test(context, scope, [goal.student_id for goal in body.goals])
    _check_days(context.today, body.by_day, body.review_on)
    n = len({goal.student_id for goal in body.goals})
    said = f"Agreed goals entered for {plural(n, 'student')} in {measure_title(scope.assessment, scope.subject)}"
    with context.runtime.store.writing(scores=False) as session:
        act = set_goals(
            session, (scope.assessment, scope.subject),
            [NewGoal(goal.student_id, goal.target, goal.plan or None) for goal in body.goals],
            kind="own", by_day=body.by_day, plan=None, agreed_with=body.agreed_with or None,
            review_on=body.review_on, by_id=context.person.id, at=now(), said=said,
        )  # fmt: skip
    return GoalsSet(act=act, n=n, by_day=body.by_day, said=said, left_out=[])


class TargetSet(BaseModel):
    """The share (0..1) of the scope's students that should meet their growth; empty takes the target away."""

    model_config = ConfigDict(extra="forbid")
    share: float | None = Field(ge=0.01, le=1)


@router.put("/target")
def set_class_target(context: Set, scope: AskedScope, body: TargetSet) -> GoalsSet:
    """Set the growth target of a class, a grade or a school; the scope says whose."""
    unit = context.target_unit(scope)
    if unit is None:
        raise BadInput("a target is set for a class, a grade, a school or all: choose without pins, groups, all but")
    measure = (scope.assessment, scope.subject)
    what = "taken away" if body.share is None else f"set to {body.share:.0%}"
    said = f"Growth target of {unit.words} in {measure_title(*measure)} {what}"
    with context.runtime.store.writing(scores=False) as session:
        act = set_target(
            session, measure, unit, body.share, by_id=context.person.id, at=now(),
            said=said,
        )  # fmt: skip
    return GoalsSet(act=act, n=1, by_day=context.today, said=said, left_out=[])


@router.get("/{student_id}")
def of_student(student_id: str, context: Scores, assessment: str, subject: str) -> list[StudentGoal]:
    """A student's goals in a measure, the latest day first."""
    context.check_student(student_id)
    reach = context.students_for(assessment, subject)
    if reach is not None and student_id not in reach:
        raise NotFound("There is no such student.")
    today = context.today
    return [
        StudentGoal(
            id=one.id, kind=one.kind, target=one.target, by_day=one.by_day, plan=one.plan, agreed_with=one.agreed_with,
            review_on=one.review_on, made_by=one.made_by, past=one.by_day < today,
        )
        for one in kept_goals(context.session, assessment, subject, [student_id])
    ]  # fmt: skip
