"""Team meetings: the list from the rules, one student on one screen, decisions with the evidence of their day."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated

import polars as pl
from fastapi import Depends, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.pairing import students_today
from bodkin.answers.comparison.step_answer import student_rows
from bodkin.answers.follow_up.meeting import (
    DecisionSeen,
    GroupEvidence,
    MeetingEvidence,
    Review,
    StandingLine,
    Suggested,
    TeamStudent,
    decision_words,
    evidence_lines,
    suggested,
)
from bodkin.answers.follow_up.practice.many import PracticeRow, practice_answer
from bodkin.answers.scope.choices import measures
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import plural
from bodkin.api.context import Context, need, now
from bodkin.api.following.groups import all_standings, followed
from bodkin.api.following.periods import PeriodAsked, goals_held, looked_at, practice_of
from bodkin.api.parameters import AskedScope, Key, OneLine
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotFound
from bodkin.core.follow_up.phases import Kind
from bodkin.core.windows import day_words
from bodkin.policy.rights import Right
from bodkin.store.writes.follow_up.team import (
    DecisionRecord,
    MeetingRecord,
    add_meeting,
    decide,
    decisions_on,
    list_students,
    mark_done,
    meetings,
    unlist_student,
)
from bodkin.store.writes.undo import note

router = Part(prefix="/follow-up/team", tags=["follow-up"])
Team = Annotated[Context, Depends(need(Right.TEAM))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Short = Annotated[str, StringConstraints(strip_whitespace=True, max_length=160)]
Student = Annotated[str, StringConstraints(max_length=64)]
MOST = 300
"""Students that one meeting can list."""


class Listed(BaseModel):
    """A student on a meeting's list: why, and what was decided there."""

    student_id: str
    name: str
    why: str
    decided: str | None


class TeamMeetingSeen(BaseModel):
    """A meeting with the students to talk about, in their order."""

    id: int
    day: date
    name: str
    present: str | None
    students: list[Listed]
    decided: int


class MeetingAsked(BaseModel):
    """A new meeting; ``students`` with why, in the order to talk about them."""

    model_config = ConfigDict(extra="forbid")
    day: date
    name: OneLine
    present: Annotated[str, StringConstraints(strip_whitespace=True, max_length=255)] | None = None
    students: dict[Student, Short] = Field(default={}, max_length=MOST)


class StudentsAsked(BaseModel):
    """Students to put on a list, each with why."""

    model_config = ConfigDict(extra="forbid")
    students: dict[Student, Short] = Field(min_length=1, max_length=MOST)


class DecisionAsked(BaseModel):
    """A decision about a student's help; the evidence of the day is kept with it."""

    model_config = ConfigDict(extra="forbid")
    student_id: Student
    kind: Kind
    text: Words | None = None
    who: Short | None = None
    review_on: date | None = None
    group_id: Key | None = None
    meeting_id: Key | None = None


class DoneAsked(BaseModel):
    """Whether a decision was carried out; empty while nobody knows."""

    model_config = ConfigDict(extra="forbid")
    done: bool | None


class TeamAct(BaseModel):
    """What was kept: its own key, the act that undoes it, and words."""

    key: int
    act: int
    said: str


def _known(context: Context, meeting: MeetingRecord) -> bool:
    """Whether the person may know of a meeting: an own one, or one about somebody in reach."""
    if context.reach is None or meeting.made_by_id == context.person.id:
        return True
    return any(student in context.reach for student in meeting.students)


def _meeting(context: Context, key: int) -> MeetingRecord:
    for one in meetings(context.session):
        if one.id == key and _known(context, one):
            return one
    raise NotFound("There is no such meeting.")


def _seen(context: Context, meeting: MeetingRecord, decided: dict[tuple[int, str], DecisionRecord]) -> TeamMeetingSeen:
    reach = context.reach
    students = [
        Listed(
            student_id=student, name=context.name_of(student), why=why,
            decided=decision_words(one.kind, one.text) if (one := decided.get((meeting.id, student))) else None,
        )
        for student, why in meeting.students.items()
        if reach is None or student in reach
    ]  # fmt: skip
    return TeamMeetingSeen(
        id=meeting.id, day=meeting.day, name=meeting.name, present=meeting.present, students=students,
        decided=sum(one.decided is not None for one in students),
    )  # fmt: skip


def _decided_at(context: Context, found: Sequence[MeetingRecord]) -> dict[tuple[int, str], DecisionRecord]:
    students = {student for meeting in found for student in meeting.students}
    return {
        (one.meeting_id, one.student_id): one
        for one in decisions_on(context.session, students)
        if one.meeting_id is not None
    }


@router.get("/meetings")
def all_meetings(context: Team) -> list[TeamMeetingSeen]:
    """Meetings the person may know of, the latest first."""
    found = [one for one in meetings(context.session) if _known(context, one)]
    decided = _decided_at(context, found)
    return [_seen(context, one, decided) for one in found]


@router.get("/meetings/{key}")
def one_meeting(key: Key, context: Team) -> TeamMeetingSeen:
    """A meeting with its list."""
    found = _meeting(context, key)
    return _seen(context, found, _decided_at(context, [found]))


def _reviews(context: Context) -> list[Review]:
    """The review of each student's latest decision."""
    latest: dict[str, DecisionRecord] = {}
    for one in decisions_on(context.session):
        if context.reach is None or one.student_id in context.reach:
            latest.setdefault(one.student_id, one)
    return [Review(one.student_id, one.kind, one.review_on) for one in latest.values() if one.review_on is not None]


@router.get("/suggested")
def who_to_talk_about(context: Team, on: date | None = None) -> list[Suggested]:
    """Students whom the rules put on the list of a meeting on a day (today, where none is named)."""
    leaves = {student: group.name for group in context.membership().groups for student in group.leaves}
    day = on or context.today
    return suggested(all_standings(context), leaves, _reviews(context), day, context.names)


def _check_students(context: Context, students: Sequence[str]) -> None:
    for student in students:
        context.check_student(student)


@router.get("/suggested.{form}", response_class=Response, responses=TABLE_FILES)
def suggested_file(form: Form, context: Export, on: date | None = None) -> Response:
    """The same list as a spreadsheet."""
    reach = context.export_reach
    rows = [
        [one.student_id, one.name, one.group, "; ".join(one.reasons)]
        for one in who_to_talk_about(context, on)
        if reach is None or one.student_id in reach
    ]
    header = ["student_id", "name", "group", "reasons"]
    return export_file(context, Table(header, rows, "Whom to talk about"), "to-talk-about", form)


@router.post("/meetings", status_code=201)
def new_meeting(body: MeetingAsked, context: Team) -> TeamAct:
    """Keep a meeting with its list of students."""
    _check_students(context, list(body.students))
    said = f"Meeting {body.name} on {day_words(body.day)} kept with {plural(len(body.students), 'student')}"
    with context.runtime.store.writing(scores=False) as session:
        key, changes = add_meeting(session, body.day, body.name, body.present, body.students, context.person.id)
        act = note(session, "team", context.person.id, now(), said, changes)
    return TeamAct(key=key, act=act, said=said)


@router.post("/meetings/{key}/students", status_code=201)
def put_on_list(key: Key, body: StudentsAsked, context: Team) -> TeamAct:
    """Put students on a meeting's list."""
    found = _meeting(context, key)
    _check_students(context, list(body.students))
    if len(found.students) + len(body.students) > MOST:
        raise BadInput(f"students: a meeting lists {MOST} students at the most")
    with context.runtime.store.writing(scores=False) as session:
        changes = list_students(session, key, body.students)
        said = f"{plural(len(changes), 'student')} put on the list of {found.name}"
        act = note(session, "team", context.person.id, now(), said, changes)
    return TeamAct(key=key, act=act, said=said)


@router.delete("/meetings/{key}/students/{student_id}")
def take_off_list(key: Key, student_id: str, context: Team) -> TeamAct:
    """Take a student off a meeting's list."""
    found = _meeting(context, key)
    context.check_student(student_id)
    said = f"{context.name_of(student_id)} taken off the list of {found.name}"
    with context.runtime.store.writing(scores=False) as session:
        changes = unlist_student(session, key, student_id)
        act = note(session, "team", context.person.id, now(), said, changes)
    return TeamAct(key=key, act=act, said=said)


def _practice_row(context: Context, scope: Scope, student: str) -> tuple[PracticeRow | None, str]:
    looked = looked_at(context, PeriodAsked(None, None, None))
    rows = students_today(context.table, scope.over(frozenset({student})))
    found = practice_answer(rows, practice_of(context), goals_held(context, looked), looked, context.names)
    return next(iter(found.students), None), looked.name


def _standing(context: Context, scope: Scope, student: str) -> list[StandingLine]:
    """The student over the sentence's windows, in every subject of its test."""
    mine = frozenset({student})
    subjects = [
        one.subject
        for one in measures(context.table, mine)
        if one.assessment == scope.assessment and one.subject != scope.subject
    ]
    found = []
    for subject in (scope.subject, *subjects):
        asked = scope.over(mine).model_copy(update={"subject": subject, "strand": None, "matched": False})
        comparison, _ = context.of_students(asked)
        rows = student_rows(comparison.students, context.names, scope.against)
        title = measure_title(scope.assessment, subject)
        found += [StandingLine(measure=title, row=row) for row in rows if row["student_id"] == student]
    return found


def _evidence(context: Context, scope: Scope, student: str) -> MeetingEvidence:
    groups = [
        GroupEvidence(
            group=one.group, name=one.name, focus=one.focus, assessment=one.assessment, subject=one.subject,
            adaptive=one.adaptive, first=one.first, last=one.last, series=series,
            sessions=[met.day for met in one.sessions if met.held],
        )
        for group in context.running_groups
        if student in group.members
        for one in [followed(context, group)]
        for series in one.students
        if series.student_id == student
    ]  # fmt: skip
    practice, period = _practice_row(context, scope, student)
    return MeetingEvidence(
        on=context.today, groups=groups, standing=_standing(context, scope, student),
        practice=practice, practice_period=period if practice is not None else None,
    )  # fmt: skip


def _decision_seen(context: Context, one: DecisionRecord) -> DecisionSeen:
    today = context.today
    groups = {group.id: group.name for group in context.groups()}
    return DecisionSeen(
        id=one.id, day=one.day, kind=one.kind, words=decision_words(one.kind, one.text), text=one.text, who=one.who,
        review_on=one.review_on, due=one.review_on is not None and one.review_on <= today and one.done is None,
        done=one.done, group=groups.get(one.group_id or 0), meeting=one.meeting_id, made_by=one.made_by,
    )  # fmt: skip


@router.get("/students/{student_id}")
def one_student(student_id: str, context: Team, scope: AskedScope) -> TeamStudent:
    """What the team needs of one student: what was decided last time, and the evidence of today."""
    context.check_student(student_id)
    evidence = _evidence(context, scope, student_id)
    row = context.table.roster.filter(pl.col("student_id") == student_id)
    place = row.select("grade", "school", "programs").row(0) if row.height else (None, None, [])
    return TeamStudent(
        student_id=student_id, name=context.name_of(student_id), grade=place[0], school=place[1],
        programs=place[2] or [], lines=evidence_lines(evidence), evidence=evidence,
        decided=[_decision_seen(context, one) for one in decisions_on(context.session, [student_id])],
    )  # fmt: skip


def _decision(context: Context, key: int) -> DecisionRecord:
    for one in decisions_on(context.session):
        if one.id == key and (context.reach is None or one.student_id in context.reach):
            return one
    raise NotFound("There is no such decision.")


@router.get("/decisions/{key}")
def as_it_was(key: Key, context: Team) -> MeetingEvidence:
    """The evidence that a decision was made on, as it was on its day."""
    return MeetingEvidence.model_validate(_decision(context, key).evidence)


@router.post("/decisions", status_code=201)
def new_decision(body: DecisionAsked, context: Team, scope: AskedScope) -> TeamAct:
    """Keep a decision about a student's help with the evidence of today; one meeting decides once about a student."""
    context.check_student(body.student_id)
    today = context.today
    if body.kind == "other" and not body.text:
        raise BadInput("text: say what was decided")
    if body.review_on is not None and body.review_on <= today:
        raise BadInput("review_on: choose a day in the future")
    if body.group_id is not None and body.student_id not in context.group(body.group_id).members:
        raise BadInput("group_id: the student is not in this group")
    if body.meeting_id is not None:
        _meeting(context, body.meeting_id)
    values = body.model_dump(exclude={"student_id"}) | {
        "day": today, "made_by_id": context.person.id, "done": None,
        "evidence": _evidence(context, scope, body.student_id).model_dump(mode="json"),
    }  # fmt: skip
    said = f"Decision about {context.name_of(body.student_id)}: {decision_words(body.kind, body.text)}"
    with context.runtime.store.writing(scores=False) as session:
        key, changes = decide(session, body.student_id, values)
        act = note(session, "team", context.person.id, now(), said, changes)
    return TeamAct(key=key, act=act, said=said[:300])


@router.post("/decisions/{key}/done")
def say_done(key: Key, body: DoneAsked, context: Team) -> TeamAct:
    """Say whether a decision was carried out."""
    found = _decision(context, key)
    state = {True: "carried out", False: "not carried out", None: "open again"}[body.done]
    said = f"Decision of {day_words(found.day)} about {context.name_of(found.student_id)} is {state}"
    with context.runtime.store.writing(scores=False) as session:
        changes = mark_done(session, key, done=body.done)
        act = note(session, "team", context.person.id, now(), said, changes)
    return TeamAct(key=key, act=act, said=said)
