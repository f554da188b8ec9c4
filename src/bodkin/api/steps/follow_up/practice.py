"""Practice in a period: how much, how well, the reasons; one student's log; goals of a marking period for many."""

from datetime import date
from typing import Annotated

import polars as pl
from fastapi import Depends, Query, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.pairing import students_today
from bodkin.answers.follow_up.practice.log import PracticeLogAnswer, practice_log_answer
from bodkin.answers.follow_up.practice.many import (
    NamedPractice,
    PracticeAnswer,
    PracticeColumn,
    PracticeFound,
    practice_found,
)
from bodkin.answers.follow_up.practice.seen import levels_of
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import plural
from bodkin.api.context import Context, need, now
from bodkin.api.following.periods import AskedPeriod, PeriodAsked, goals_held, looked_at, periods_of, practice_of
from bodkin.api.parameters import ROWS, AskedScope, Key, RowCount
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotAllowed
from bodkin.core.follow_up.practice import Reason
from bodkin.policy.rights import Right
from bodkin.store.writes.follow_up.practice_goals import set_practice_goals
from bodkin.store.writes.undo import note

router = Part(prefix="/follow-up", tags=["follow-up"])
Team = Annotated[Context, Depends(need(Right.PRACTICE))]
Export = Annotated[Context, Depends(need(Right.PRACTICE, Right.EXPORT_NAMES))]
Set = Annotated[Context, Depends(need(Right.PRACTICE, Right.GOALS_SET))]
Student = Annotated[str, StringConstraints(max_length=64)]
MOST_WITH_GOALS = 2000
"""Students whose goals of practice can be set in one act."""


class MarkingPeriodChoice(BaseModel):
    """A marking period to choose; ``current``: today is in it."""

    id: int
    name: str
    first: date
    last: date
    current: bool


class NewPracticeGoals(BaseModel):
    """Goals of a marking period for many; a part that is left out stays as it is.

    ``around_level``: the reader's range is each student's own median level of the last year, so much down and up.
    """

    model_config = ConfigDict(extra="forbid")

    marking_period: Key
    students: list[Student] = Field(min_length=1, max_length=MOST_WITH_GOALS)
    accuracy: float | None = Field(default=None, gt=0, le=1, description="share of items right, 0..1")
    minutes: float | None = Field(default=None, gt=0, le=20_000, description="for the whole marking period")
    around_level: float | None = Field(default=None, gt=0, le=100)


class PracticeGoalsSet(BaseModel):
    """Goals that were set; their key undoes them. ``without_level``: students whose level is not known."""

    id: int
    said: str
    without_level: int


@router.get("/periods")
def periods(context: Team) -> list[MarkingPeriodChoice]:
    """Marking periods that have begun, the latest first."""
    today = context.today
    return [
        MarkingPeriodChoice(id=one.id, name=one.name, first=one.first, last=one.last,
                            current=one.first <= today <= one.last)
        for one in reversed(periods_of(context)) if one.first <= today
    ]  # fmt: skip


def _practice(context: Context, scope: Scope, asked: PeriodAsked, *, export: bool = False) -> PracticeFound:
    looked = looked_at(context, asked)
    rows = students_today(context.table, context.narrowed(scope, export=export))
    return practice_found(rows, practice_of(context), goals_held(context, looked), looked, context.names)


@router.get("/practice", response_model=PracticeAnswer)
def practice(
    context: Team, scope: AskedScope, period: AskedPeriod,
    sort: PracticeColumn = "reasons", down: bool = True, count: RowCount = ROWS,
) -> Response:  # fmt: skip
    """Practice of the sentence's students in a period (the present marking period, where none is named).

    The first ``count`` students in the order of a column; ``covered`` says how many there are.
    """
    return context.unless_known(lambda: answered(_practice(context, scope, period).page(sort, down, count)))


@router.get("/practice/students")
def practice_students(
    context: Team, scope: AskedScope, period: AskedPeriod,
    reason: Reason | None = None, strong: bool = False, pattern: Annotated[int | None, Query(ge=0)] = None,
) -> list[NamedPractice]:  # fmt: skip
    """The students behind a count of practice: those with a reason, strong ones, those of a pattern, or all."""
    return _practice(context, scope, period).named(reason, strong, pattern)


HEADER = [
    "student_id", "name", "school", "grade", "section", "entries", "minutes", "minutes_goal", "amount", "accuracy",
    "accuracy_goal", "level", "easiest", "hardest", "tried", "passed", "days_since", "reasons", "strong",
]  # fmt: skip


@router.get("/practice.{form}", response_class=Response, responses=TABLE_FILES)
def practice_file(form: Form, context: Export, scope: AskedScope, period: AskedPeriod) -> Response:
    """Practice of the sentence's students as a spreadsheet."""
    answer = _practice(context, scope, period, export=True).page()
    rows = [
        ["; ".join(value) if isinstance(value, list) else value for value in (getattr(one, name) for name in HEADER)]
        for one in answer.students
    ]
    return export_file(context, Table(HEADER, rows, f"Practice, {answer.period}"), "practice", form)


@router.get("/practice/{student_id}")
def practice_log(student_id: str, context: Team, period: AskedPeriod) -> PracticeLogAnswer:
    """One student's log in a period, with the patterns found in it."""
    context.check_student(student_id)
    looked = looked_at(context, period)
    goal = goals_held(context, looked).filter(pl.col("student_id") == student_id)
    reader = (goal["easiest"][0], goal["hardest"][0]) if goal.height else (None, None)
    return practice_log_answer(practice_of(context), student_id, looked, reader, context.names)


@router.post("/practice/goals", status_code=201)
def set_goals(body: NewPracticeGoals, context: Set) -> PracticeGoalsSet:
    """Set goals of practice for a marking period, in one act that can be taken back."""
    for student in body.students:
        context.check_student(student)
    if context.role.names_of_own_groups and not set(body.students) <= context.own_members:
        raise NotAllowed(f"As {context.role.title} you set goals for students of your own groups.")
    parts: dict[str, float | None] = {
        name: value for name in ("accuracy", "minutes") if (value := getattr(body, name)) is not None
    }
    if not parts and body.around_level is None:
        raise BadInput("accuracy: say at least one of accuracy, minutes, around_level")
    period = next((one for one in periods_of(context) if one.id == body.marking_period), None)
    if period is None:
        raise BadInput("marking_period: there is no such marking period")
    goals: dict[str, dict[str, float | None]] = {student: dict(parts) for student in body.students}
    without = 0
    if body.around_level is not None:
        levels = levels_of(practice_of(context), body.students, period.first)
        for student in body.students:
            level = levels.get(student)
            without += level is None
            if level is not None:
                ends = {"easiest": level - body.around_level, "hardest": level + body.around_level}
                goals[student] |= ends
    goals = {student: said for student, said in goals.items() if said}
    if not goals:
        raise BadInput("around_level: none of these students has a level in the log")
    said = f"Practice goals of {plural(len(goals), 'student')} set for {period.name}"
    with context.runtime.store.writing(scores=False) as session:
        changes = set_practice_goals(session, body.marking_period, goals)
        act = note(session, "practice goal", context.person.id, now(), said, changes)
    return PracticeGoalsSet(id=act, said=said, without_level=without)
