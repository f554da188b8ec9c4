"""Needs by standard: what to teach first, the grid, the ground below a standard, evidence, the calendar."""

from datetime import date
from enum import StrEnum
from typing import Annotated

import polars as pl
from fastapi import Depends, Query, Response

from bodkin.answers.comparison.drill_down import DrillDown, students_behind
from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.step_answer import display_name
from bodkin.answers.needs.calendar import Problem, ProblemList, against_calendar
from bodkin.answers.needs.evidence import EvidencePiece, Limits, evidence_of, pieces_of_evidence, what_counts
from bodkin.answers.needs.ground_below import Ground, ground
from bodkin.answers.needs.standards import (
    Asked,
    StandardsAnswer,
    StandardsSeen,
    codes_of,
    standards_answer,
    taught_by_class,
)
from bodkin.answers.needs.students import AheadStrand, OneStudent, ahead_by_strand, one_student
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context
from bodkin.api.parameters import ROWS, AskedScope, RowCount
from bodkin.api.responses import TABLE_FILES, Form, answered, answered_list, export_file
from bodkin.api.routing import Part
from bodkin.api.steps.needs.shared import COUNT, MOST, Export, Scores
from bodkin.core.errors import BadInput, NotFound
from bodkin.core.needs.mastery import FEWEST_ITEMS, MASTERED_FROM, NEARLY_FROM, STATES

router = Part(prefix="/needs/standards", tags=["needs"])
Percent = Annotated[float, Query(ge=0, le=100)]


class StateChoice(StrEnum):
    """Which students of a standard: of one state, all who lack it, or all with evidence."""

    MASTERED = "mastered"
    NEARLY = "nearly"
    NOT_YET = "not yet"
    THIN = "thin evidence"
    NONE = "no evidence"
    LACKING = "lacking"
    EVIDENCE = "evidence"


def asked_of(
    evidence_from: date | None = None,
    evidence_to: date | None = None,
    source: Annotated[list[str] | None, Query()] = None,
    mastered_from: Percent = MASTERED_FROM,
    nearly_from: Percent = NEARLY_FROM,
    fewest: Annotated[float, Query(ge=0, le=1000)] = FEWEST_ITEMS,
) -> Asked:
    """Which evidence an address asks for. Raises BadInput for a period or limits out of order."""
    if evidence_from is not None and evidence_to is not None and evidence_to < evidence_from:
        raise BadInput("evidence_to: the period ends before it begins")
    if nearly_from >= mastered_from:
        raise BadInput("nearly_from: must lie below mastered_from")
    return Asked(evidence_from, evidence_to, tuple(sorted(source or ())), Limits(mastered_from, nearly_from, fewest))


AskedEvidence = Annotated[Asked, Depends(asked_of)]


def look(context: Context, scope: Scope, asked: Asked, *, export: bool = False) -> StandardsSeen:
    """Who has mastered what among the scope's students, as far as the person may see or take out."""
    comparison, _ = context.of_students(scope, export=export)
    return context.standards_seen(comparison, asked)


@router.get("", response_model=StandardsAnswer)
def standards(context: Scores, scope: AskedScope, asked: AskedEvidence, count: RowCount = ROWS) -> Response:
    """What to teach first, and who holds what: students x standards, or classes x standards where they are many."""

    def made() -> Response:
        comparison, parts = context.of_students(scope)
        found = context.standards_seen(comparison, asked)
        today = context.today
        return answered(standards_answer(found, scope.subject, asked, context.names, parts, today, count))

    return context.unless_known(made)


@router.get("/drill-down", response_model=DrillDown)
def behind(
    context: Scores, scope: AskedScope, asked: AskedEvidence, standard: str, state: StateChoice,
    count: Annotated[int, Query(ge=1, le=MOST)] = COUNT,
) -> Response:  # fmt: skip
    """The students of a standard who are in a state, who lack it, or with evidence on it."""
    comparison, _ = context.of_students(scope)
    found = look(context, scope, asked)
    if standard not in found.mastery.standards:
        raise NotFound("There is no such standard.")
    codes = codes_of(found, [standard])[:, 0]
    wanted = {
        StateChoice.LACKING: (1, 2), StateChoice.EVIDENCE: (0, 1, 2),
        **{StateChoice(state): (code,) for code, state in enumerate(STATES)},
    }[state]  # fmt: skip
    who = [one for one, code in zip(found.mastery.students, codes.tolist(), strict=True) if code in wanted]
    return answered(students_behind(comparison, who, f"{standard}: {state.value}", context.names, count))


@router.get("/ground")
def ground_of(context: Scores, scope: AskedScope, asked: AskedEvidence, standard: str) -> Ground:
    """What a standard rests on, how many of these students lack each step, its material, and what lies beyond."""
    return ground(look(context, scope, asked), standard, context.today)


@router.get("/evidence")
def evidence(
    context: Scores, asked: AskedEvidence, student: str, standard: str, assessment: str, subject: str
) -> list[EvidencePiece]:
    """Every piece of evidence on a student and a standard, the one that counts first."""
    context.check_student(student)
    reach = context.students_for(assessment, subject)
    if reach is not None and student not in reach:
        raise NotFound("There is no such student.")
    data = context.runtime.needs(context.session)
    here = (pl.col("student_id") == student) & (pl.col("standard") == standard)
    pieces = pieces_of_evidence(data, asked.limits, asked.first, asked.last, asked.sources).filter(here)
    return evidence_of(pieces, what_counts(pieces), asked.limits.mastered_from)


@router.get("/student")
def student_needs(context: Scores, scope: AskedScope, asked: AskedEvidence, of: str) -> OneStudent:
    """One student: what is held, what to build next from the ground up, where most is to be gained."""
    context.check_student(of)
    found = look(context, scope.model_copy(update={"students": frozenset({of})}), asked)
    if not found.mastery.students:
        raise NotFound("This student has no result in these windows.")
    return one_student(found, context.names)


@router.get("/ahead", response_model=list[AheadStrand])
def who_is_ahead(context: Scores, scope: AskedScope, asked: AskedEvidence) -> Response:
    """Who holds everything of the own grade in a strand, and what lies beyond that rests on it."""
    return context.unless_known(lambda: answered_list(ahead_by_strand(look(context, scope, asked), context.names)))


@router.get("/calendar", response_model=list[ProblemList])
def calendar(
    context: Scores, scope: AskedScope, asked: AskedEvidence, problem: Problem | None = None, count: RowCount = ROWS
) -> Response:
    """Where need and teaching calendar do not meet, class by class: the first ``count`` of each kind, or of one."""

    def made() -> Response:
        lists = against_calendar(look(context, scope, asked), context.today, count)
        return answered_list([one for one in lists if problem in (None, one.problem)])

    return context.unless_known(made)


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def standards_file(form: Form, context: Export, scope: AskedScope, asked: AskedEvidence) -> Response:
    """Students x standards as a spreadsheet, with the state of each."""
    found = look(context, scope, asked, export=True)
    codes = codes_of(found, found.kept)
    places = found.students.select("student_id", "grade", "section").iter_rows()
    rows: list[list[object]] = [
        [student, display_name(context.names, student), grade, section, *(STATES[code] for code in codes[at].tolist())]
        for at, (student, grade, section) in enumerate(places)
    ]
    caption = "".join(piece.text for piece in context.pieces(scope))
    return export_file(context, Table(["student_id", "name", "grade", "section", *found.kept], rows, caption),
                       "standards", form)  # fmt: skip


@router.get("/first.{form}", response_class=Response, responses=TABLE_FILES)
def first_file(form: Form, context: Export, scope: AskedScope, asked: AskedEvidence) -> Response:
    """What to teach first as a spreadsheet."""
    found = look(context, scope, asked)
    _, parts = context.of_students(scope)
    today = context.today
    answer = standards_answer(found, scope.subject, asked, context.names, parts, today)
    taught = taught_by_class(found, (row.standard for row in answer.skills if row.lacking), today)
    header = ["standard", "text", "grade", "strand", "mastered", "nearly", "not_yet", "thin", "none", "lacking",
              "later", "weight", "taught"]  # fmt: skip
    rows: list[list[object]] = [
        [*(getattr(row, name) for name in header[:-1]),
         "; ".join(f"{one.section}: {one.taught}" for one in taught.get(row.standard, ()))]
        for row in answer.skills
    ]  # fmt: skip
    return export_file(context, Table(header, rows, parts["caption"]), "teach-first", form)
