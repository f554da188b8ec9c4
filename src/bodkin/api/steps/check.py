"""The Check step, what is decided in it, and its lists to take along."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated, Literal

from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.check.step import CheckAnswer, check_answer
from bodkin.answers.comparison.exports import Table
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope, Key
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput
from bodkin.policy.rights import Right
from bodkin.store.writes import decisions

router = Part(prefix="/check", tags=["check"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
Asks = Annotated[Context, Depends(need(Right.ASK_RETEST))]
Decides = Annotated[Context, Depends(need(Right.DECIDE))]

WHY = Field(default="", max_length=255)


class CheckStep(CheckAnswer):
    """The step's answer, and what this person may decide."""

    may_decide: bool
    may_ask: bool


class ResultDecision(BaseModel):
    """Something to decide about a result: keep it, set it aside, let it count, or think of it as before."""

    model_config = ConfigDict(extra="forbid")

    act: Literal["keep", "set aside", "counts", "as before"]
    result_id: Key
    why: str = WHY


class RetestAsked(BaseModel):
    """A second sitting to ask for."""

    model_config = ConfigDict(extra="forbid")

    student_id: str
    assessment: str
    subject: str
    window: str
    why: str = Field(min_length=1, max_length=255)
    accommodations: str | None = Field(default=None, max_length=255)


class ReasonGiven(BaseModel):
    """Why a student was not tested; empty takes an earlier reason back."""

    model_config = ConfigDict(extra="forbid")

    student_id: str
    window: str
    reason: str = Field(max_length=160)


class Done(BaseModel):
    """A decision that was kept; its key undoes it."""

    id: int
    said: str


class List(StrEnum):
    """Lists of the step that can be taken along."""

    MISSING = "missing"
    DOUBTS = "doubts"
    RETESTS = "retests"


def _answer(context: Context, scope: Scope, *, export: bool = False) -> CheckAnswer:
    names = {group.id: group.name for group in context.groups()} if scope.group else {}
    return check_answer(
        context.table, context.narrowed(scope, export=export), context.check_data(scope), context.names,
        context.today, groups=tuple(names[key] for key in scope.group if key in names),
        everyone=context.everyone,
    )  # fmt: skip


@router.get("", response_model=CheckStep)
def check(context: Scores, scope: AskedScope) -> Response:
    """Who was tested and who was not, which results are hard to believe, what stands twice or in two languages."""

    def made() -> Response:
        answer = _answer(context, scope)
        return answered(
            CheckStep.model_construct(
                **dict(answer), may_decide=context.may(Right.DECIDE), may_ask=context.may(Right.ASK_RETEST)
            )
        )

    return context.unless_known(made)


@router.get("/{part}.{form}", response_class=Response, responses=TABLE_FILES)
def check_file(part: List, form: Form, context: Export, scope: AskedScope) -> Response:
    """Who is missing, what is doubtful, or which retests are asked for, as a spreadsheet."""
    answer = _answer(context, scope, export=True)
    rows: list[list[object]]
    if part is List.MISSING:
        header = ["student_id", "name", "school", "section", "teacher", "reason"]
        rows = [
            [one.student_id, one.name, line.school, line.section, line.teacher, one.reason]
            for line in answer.classes
            for one in line.missing
        ]
    elif part is List.DOUBTS:
        header = ["student_id", "name", "school", "section", "tested_on", "score", "minutes", "last_score", "change",
                  "why", "decided"]  # fmt: skip
        rows = [
            [one.student_id, one.name, one.school, one.section, one.tested_on, one.score, one.minutes, one.last_score,
             one.change, one.why, one.decided]
            for one in answer.doubts
        ]  # fmt: skip
    else:
        header = ["student_id", "name", "school", "section", "why", "accommodations", "asked_by", "state"]
        rows = [
            [one.student_id, one.name, one.school, one.section, one.why, one.accommodations, one.asked_by, one.state]
            for one in answer.retests
        ]
    return export_file(context, Table(header, rows, answer.caption), f"{part.value}-{answer.window}", form)


@router.post("/decisions")
def decide(body: ResultDecision, context: Decides) -> Done:
    """Keep a result, set it aside, or let it count among several; set aside counts nowhere."""
    student = decisions.student_of(context.session, body.result_id)
    context.check_student(student)
    if body.act == "set aside" and not body.why.strip():
        raise BadInput("why: write why the result is set aside")
    name, why = context.name_of(student), body.why.strip()
    said = {
        "keep": f"{name}: the result is kept",
        "set aside": f"{name}: the result is set aside",
        "counts": f"{name}: another result counts",
        "as before": f"{name}: the decision is removed",
    }[body.act]
    with context.runtime.store.writing(scores=False) as session:
        if body.act == "counts":
            key = decisions.choose(session, body.result_id, why, context.person.id, now(), said)
        else:
            state = {"keep": decisions.KEPT, "set aside": decisions.ASIDE, "as before": decisions.COUNTED}[body.act]
            key = decisions.judge(session, body.result_id, state, why, context.person.id, now(), said)
    return Done(id=key, said=said)


@router.post("/retests")
def ask(body: RetestAsked, context: Asks) -> Done:
    """Ask for a second sitting."""
    context.check_student(body.student_id)
    said = f"{context.name_of(body.student_id)}: a retest is asked for"
    # By the day that this Bodkin takes for today: whether somebody has sat since is a matter of days.
    asked_at = datetime.combine(context.today, now().time())
    with context.runtime.store.writing(scores=False) as session:
        key = decisions.ask_retest(
            session, body.student_id, (body.assessment, body.subject), body.window, body.why.strip(),
            body.accommodations or None, context.person.id, asked_at, said,
        )  # fmt: skip
    return Done(id=key, said=said)


@router.post("/retests/{key}/{state}")
def change_retest(key: Key, state: Literal["done", "withdrawn"], context: Asks) -> Done:
    """Say that a retest is done, or not wanted any more."""
    student = decisions.retest_student(context.session, key)
    context.check_student(student)
    said = f"{context.name_of(student)}: the retest is {state}"
    with context.runtime.store.writing(scores=False) as session:
        return Done(id=decisions.change_retest(session, key, state, context.person.id, now(), said), said=said)


@router.post("/reasons")
def give_reason(body: ReasonGiven, context: Asks) -> Done:
    """Say why a student was not tested."""
    context.check_student(body.student_id)
    reason = body.reason.strip()
    said = f"{context.name_of(body.student_id)}: " + (f"not tested, {reason}" if reason else "the reason is removed")
    with context.runtime.store.writing(scores=False) as session:
        key = decisions.give_reason(session, body.student_id, body.window, reason, context.person.id, now(), said)
    return Done(id=key, said=said)
