"""One student on one page: every lane as far as the reader's role may see it."""

from datetime import date
from typing import Annotated

import polars as pl
from fastapi import APIRouter, Depends, Response

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.comparison.step_answer import StudentRow, student_rows
from bodkin.answers.needs.students import one_student
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.student.page import Around, StudentPage, student_page, threads_of
from bodkin.answers.words import plural
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope
from bodkin.api.periods import practice_by_week
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.rights import Right, may
from bodkin.core.errors import NotFound
from bodkin.core.windows import day_words
from bodkin.store.reads.assessments import all_tests
from bodkin.store.reads.student_data import DayRecord, StudentRecord, load_student
from bodkin.store.writes.follow_up.team import decisions_on
from bodkin.store.writes.logs import note_view

router = APIRouter(prefix="/students", tags=["students"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]

WEEKLY = "probe"


def _measures(context: Context, student: str, scope: Scope) -> tuple[list[tuple[str, str]], list[tuple[str, str]]]:
    """Tests with results of the student that the reader may see: over windows, the sentence's first, and weekly."""
    rows = context.table.results.filter(pl.col("student_id") == student)
    found = list(dict.fromkeys(rows.sort("line").select("assessment", "subject").iter_rows()))
    kinds = {measure: test.kind for measure, test in all_tests(context.session).items()}
    own = (scope.assessment, scope.subject)
    ordered = sorted(found, key=lambda one: (one != own, one[0] != scope.assessment))
    # Common tests of a class have views of their own.
    over = [one for one in ordered if kinds.get(one, "common") not in (WEEKLY, "common")]
    return over, [one for one in ordered if kinds.get(one) == WEEKLY]


def _rounds(context: Context, student: str, scope: Scope, measures: list[tuple[str, str]]) -> dict[str, StudentRow]:
    """The student over the sentence's windows in every subject of its test."""
    found = {}
    for assessment, subject in measures:
        if assessment != scope.assessment:
            continue
        asked = scope.over(frozenset({student})).model_copy(update={"subject": subject, "matched": False})
        comparison, _ = context.of_students(asked)
        for row in student_rows(comparison.students, context.names, scope.against):
            if row["student_id"] == student:
                found[measure_title(assessment, subject)] = row
    return found


def _next_skill(context: Context, student: str, scope: Scope) -> tuple[str, str] | None:
    """Where most is to be gained, else what to build next; nothing for an aide or without evidence."""
    if not may(context.person.role, Right.TEAM):
        return None
    comparison, _ = context.of_students(scope.over(frozenset({student})).model_copy(update={"matched": False}))
    seen = context.standards_seen(comparison)
    if list(seen.mastery.students) != [student]:
        return None
    needs = one_student(seen, context.names)
    for one in needs.gains[:1]:
        rest = f", {plural(one.later, 'later skill rests', 'later skills rest')} on it" if one.later else ""
        return f"Most to be gained: {one.text} ({one.standard})", f"{one.missed:g} points missed{rest}"
    for step in needs.next[:1]:
        return f"Build next: {step.text} ({step.standard})", f"{step.state}, the first step from the ground up"
    return None


def _seen_record(context: Context, record: StudentRecord) -> StudentRecord:
    """The record with the lanes that the reader's role may see."""
    role, person = context.person.role, context.person.id
    known = {group.id for group in context.groups()}
    notes = [
        one for one in record.notes
        if one.kind == "family" or one.shared or role in ("coach", "school_lead") or one.by_id == person
    ]  # fmt: skip
    groups = [pair for pair in record.groups if pair[0] in known]
    sessions = [pair for pair in record.sessions if pair[0] in known]
    if role != "aide":
        return StudentRecord(
            record.places, groups, record.programs, record.accommodations, sessions, record.absences, record.grades,
            record.goals, record.reviews, notes, record.sittings,
        )  # fmt: skip
    mine = set(context.table.results.select("assessment", "subject").unique().iter_rows())
    sittings = [one for one in record.sittings if (one.assessment, one.subject) in mine]
    return StudentRecord(
        record.places, groups, [], record.accommodations, sessions, [], [], [], [], [], sittings
    )  # fmt: skip


def _due(context: Context, student: str) -> list[str]:
    """Reviews of decisions and exit rules that are met."""
    today = context.runtime.settings.today
    found = []
    if may(context.person.role, Right.TEAM):
        latest = next(iter(decisions_on(context.session, [student])), None)
        if latest is not None and latest.review_on is not None and latest.review_on <= today:
            found.append(f"review of the decision of {day_words(latest.day)}")
    met = [rule.name for rule in context.membership().groups for one in rule.leaves if one.student_id == student]
    return [*found, *(f"meets the exit rule of {name}" for name in met)]


def _decisions(context: Context, student: str) -> list[DayRecord]:
    if not may(context.person.role, Right.TEAM):
        return []
    return [DayRecord(one.day, one.text or "", one.kind) for one in decisions_on(context.session, [student])]


@router.get("/{student_id}/page")
def page(student_id: str, context: Scores, scope: AskedScope) -> StudentPage:
    """Everything about one student; the sentence says which test and windows come first."""
    return _page(context, student_id, scope)


HEADER = [
    "student_id", "test", "window", "tested_on", "grade", "language", "score", "low", "high", "percentile", "band",
    "since_before", "minutes", "accommodations", "state", "why",
]  # fmt: skip


@router.get("/{student_id}/page.{form}", response_class=Response, responses=TABLE_FILES)
def page_file(student_id: str, form: Form, context: Export, scope: AskedScope) -> Response:
    """Every result of one student as a spreadsheet."""
    reach = context.export_reach
    if reach is not None and student_id not in reach:
        raise NotFound("There is no such student.")
    found = _page(context, student_id, scope)
    rows = [
        [student_id, one.title, one.window, one.on, one.grade, one.language, one.score, one.low, one.high,
         one.percentile, one.band, one.since_before, one.minutes, one.accommodations, one.state, one.why]
        for one in found.results
    ]  # fmt: skip
    return export_file(context, Table(HEADER, rows, f"Results of {found.name}"), f"results-{student_id}", form)


def _page(context: Context, student_id: str, scope: Scope) -> StudentPage:
    context.check_student(student_id)
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, student_id, now())
    over, weekly = _measures(context, student_id, scope)
    table = context.table
    practice: dict[date, float] = {}
    if may(context.person.role, Right.TEAM):
        practice = practice_by_week(context, student_id)
    around = Around(
        _rounds(context, student_id, scope, over), _next_skill(context, student_id, scope), practice,
        _decisions(context, student_id), _due(context, student_id),
    )  # fmt: skip
    series = [
        (measure_title(*one), results_of(table, *one).filter(pl.col("student_id") == student_id).sort("tested_on"))
        for one in weekly
    ]
    return student_page(
        student_id, table, _seen_record(context, load_student(context.session, student_id)),
        threads_of(table, student_id, over, scope), series, around, context.names, context.runtime.settings.today,
    )  # fmt: skip
