"""The Check step, what is decided in it, and its lists to take along."""

from datetime import datetime
from enum import StrEnum
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Response
from pydantic import BaseModel, Field

from bodkin.answers.check_step import CheckAnswer, check_answer
from bodkin.answers.exports import Table
from bodkin.answers.scope import Scope
from bodkin.api.asking import AskedScope, Asking, Form, answered, need, table_file
from bodkin.api.imports import now
from bodkin.api.rights import Right, may
from bodkin.core.errors import BadInput
from bodkin.store import acts

router = APIRouter(prefix="/check", tags=["check"])
Scores = Annotated[Asking, Depends(need(Right.SCORES))]
Export = Annotated[Asking, Depends(need(Right.EXPORT_NAMES))]
Asks = Annotated[Asking, Depends(need(Right.ASK_RETEST))]
Decides = Annotated[Asking, Depends(need(Right.DECIDE))]

WHY = Field(default="", max_length=255)


class CheckStep(CheckAnswer):
    """The step's answer, and what this person may decide."""

    may_decide: bool
    may_ask: bool


class Decision(BaseModel):
    """Something to decide about a result: keep it, set it aside, let it count, or think of it as before."""

    act: Literal["keep", "set aside", "counts", "as before"]
    result_id: int
    why: str = WHY


class RetestAsked(BaseModel):
    """A second sitting to ask for."""

    student_id: str
    assessment: str
    subject: str
    window: str
    why: str = Field(min_length=1, max_length=255)
    accommodations: str | None = Field(default=None, max_length=255)


class ReasonGiven(BaseModel):
    """Why a student was not tested; empty takes an earlier reason back."""

    student_id: str
    window: str
    reason: str = Field(max_length=160)


class Done(BaseModel):
    """A decision that was kept; its key undoes it."""

    id: int
    said: str


class PastDecision(BaseModel):
    """A decision of the history."""

    id: int
    said: str
    by: str | None
    at: datetime
    state: str


class List(StrEnum):
    """Lists of the step that can be taken along."""

    MISSING = "missing"
    DOUBTS = "doubts"
    RETESTS = "retests"


def _answer(asking: Asking, scope: Scope, *, export: bool = False) -> CheckAnswer:
    names = {group.id: group.name for group in asking.groups()} if scope.group else {}
    return check_answer(
        asking.table, asking.narrowed(scope, export=export), asking.check_data(scope), asking.names,
        asking.desk.settings.today, groups=tuple(names[key] for key in scope.group if key in names),
        everyone=asking.everyone,
    )  # fmt: skip


@router.get("", response_model=CheckStep)
def check(asking: Scores, scope: AskedScope) -> Response:
    """Who was tested and who was not, which results are hard to believe, what stands twice or in two languages."""
    told = _answer(asking, scope)
    role = asking.person.role
    step = CheckStep.model_construct(
        **dict(told), may_decide=may(role, Right.DECIDE), may_ask=may(role, Right.ASK_RETEST)
    )
    return answered(step)


@router.get("/{part}.{form}")
def check_file(part: List, form: Form, asking: Export, scope: AskedScope) -> Response:
    """Who is missing, what is doubtful, or which retests are asked for, as a spreadsheet."""
    told = _answer(asking, scope, export=True)
    rows: list[list[object]]
    if part is List.MISSING:
        header = ["student_id", "name", "school", "section", "teacher", "reason"]
        rows = [
            [one.student_id, one.name, line.school, line.section, line.teacher, one.reason]
            for line in told.classes
            for one in line.missing
        ]
    elif part is List.DOUBTS:
        header = ["student_id", "name", "school", "section", "tested_on", "score", "minutes", "last_score", "change",
                  "why", "decided"]  # fmt: skip
        rows = [
            [one.student_id, one.name, one.school, one.section, one.tested_on, one.score, one.minutes, one.last_score,
             one.change, one.why, one.decided]
            for one in told.doubts
        ]  # fmt: skip
    else:
        header = ["student_id", "name", "school", "section", "why", "accommodations", "asked_by", "state"]
        rows = [
            [one.student_id, one.name, one.school, one.section, one.why, one.accommodations, one.asked_by, one.state]
            for one in told.retests
        ]
    return table_file(Table(header, rows, told.caption), f"{part.value}-{told.window}", form)


def _name(asking: Asking, student: str) -> str:
    family, given = asking.names.get(student, ("", ""))
    return f"{given} {family}".strip() or student


@router.post("/decisions")
def decide(told: Decision, asking: Decides) -> Done:
    """Keep a result, set it aside, or let it count among several; set aside counts nowhere."""
    student = acts.student_of(asking.session, told.result_id)
    asking.check_student(student)
    if told.act == "set aside" and not told.why.strip():
        raise BadInput("why: write why the result is set aside")
    name, why = _name(asking, student), told.why.strip()
    said = {
        "keep": f"{name}: the result is believed",
        "set aside": f"{name}: the result is set aside",
        "counts": f"{name}: another sitting counts",
        "as before": f"{name}: nothing is decided any more",
    }[told.act]
    with asking.desk.store.writing(scores=told.act != "keep") as session:
        if told.act == "counts":
            key = acts.choose(session, told.result_id, why, asking.person.id, now(), said)
        else:
            state = {"keep": acts.KEPT, "set aside": acts.ASIDE, "as before": acts.COUNTED}[told.act]
            key = acts.judge(session, told.result_id, state, why, asking.person.id, now(), said)
    return Done(id=key, said=said)


@router.post("/retests")
def ask(told: RetestAsked, asking: Asks) -> Done:
    """Ask for a second sitting."""
    asking.check_student(told.student_id)
    said = f"{_name(asking, told.student_id)}: a retest is asked for"
    # By the day that this Bodkin takes for today: whether somebody has sat since is a matter of days.
    asked_at = datetime.combine(asking.desk.settings.today, now().time())
    with asking.desk.store.writing(scores=False) as session:
        key = acts.ask_retest(
            session, told.student_id, (told.assessment, told.subject), told.window, told.why.strip(),
            told.accommodations or None, asking.person.id, asked_at, said,
        )  # fmt: skip
    return Done(id=key, said=said)


@router.post("/retests/{key}/{state}")
def change_retest(key: int, state: Literal["done", "withdrawn"], asking: Asks) -> Done:
    """Say that a retest is done, or not wanted any more."""
    student = acts.retest_student(asking.session, key)
    asking.check_student(student)
    said = f"{_name(asking, student)}: the retest is {state}"
    with asking.desk.store.writing(scores=False) as session:
        return Done(id=acts.change_retest(session, key, state, asking.person.id, now(), said), said=said)


@router.post("/reasons")
def give_reason(told: ReasonGiven, asking: Asks) -> Done:
    """Say why a student was not tested."""
    asking.check_student(told.student_id)
    reason = told.reason.strip()
    said = f"{_name(asking, told.student_id)}: " + (f"not tested, {reason}" if reason else "the reason is taken back")
    with asking.desk.store.writing(scores=False) as session:
        key = acts.give_reason(session, told.student_id, told.window, reason, asking.person.id, now(), said)
    return Done(id=key, said=said)


@router.get("/decisions")
def past(asking: Asks) -> list[PastDecision]:
    """The latest decisions: one's own, or everybody's for whoever may decide."""
    whose = None if asking.person.role == "coach" else asking.person.id
    return [
        PastDecision(id=one.id, said=one.said, by=one.by, at=one.at, state=one.state)
        for one in acts.past_acts(asking.session, whose)
    ]


@router.post("/decisions/{key}/undo")
def undo(key: int, asking: Asks) -> Done:
    """Take a decision back; a coach also another person's."""
    with asking.desk.store.writing(scores=acts.touches_scores(asking.session, key)) as session:
        said = acts.undo_act(session, key, asking.person.id, anybody_s=asking.person.role == "coach")
    return Done(id=key, said=said)
