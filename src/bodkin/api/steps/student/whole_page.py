"""One student on one page: now, or as at the end of a school year; the results as a spreadsheet."""

from typing import Annotated

from fastapi import Depends, Response

from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.norms.threads import Thread, kept_points
from bodkin.answers.scope.scope import Scope
from bodkin.answers.student.page import StudentPage, student_page
from bodkin.answers.student.threads import threads_of
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.api.steps.student.lanes import around_of, measures_of, seen_record
from bodkin.core.errors import NotFound
from bodkin.core.windows import parse_window
from bodkin.policy.rights import Right
from bodkin.store.reads.student.record import load_student
from bodkin.store.writes.logs import note_view

router = Part(prefix="/students", tags=["students"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


@router.get("/{student_id}/page")
def page(student_id: str, context: Scores, scope: AskedScope, as_of: str | None = None) -> StudentPage:
    """Everything about one student; the sentence says which test and windows come first.

    ``as_of``: a school year that is over, for the student as of its end.
    """
    return _page(context, student_id, scope, as_of)


HEADER = [
    "student_id", "test", "window", "tested_on", "grade", "language", "score", "low", "high", "percentile",
    "percentile_basis", "band", "norm_mean", "district_mean", "since_before", "minutes", "accommodations", "strands",
    "other_scales", "state", "why",
]  # fmt: skip


@router.get("/{student_id}/page.{form}", response_class=Response, responses=TABLE_FILES)
def page_file(
    student_id: str, form: Form, context: Export, scope: AskedScope, as_of: str | None = None
) -> Response:  # fmt: skip
    """Every result of one student as a spreadsheet."""
    reach = context.export_reach
    if reach is not None and student_id not in reach:
        raise NotFound("There is no such student.")
    found = _page(context, student_id, scope, as_of)
    rows = [
        [student_id, one.title, one.window, one.on, one.grade, one.language, one.score, one.low, one.high,
         one.percentile, one.basis, one.band, one.norm_mean, one.district_mean, one.since_before, one.minutes,
         one.accommodations, one.parts, one.scales, one.state, one.why]
        for one in found.results
    ]  # fmt: skip
    return export_file(context, Table(HEADER, rows, f"Results of {found.name}"), f"results-{student_id}", form)


def _then(scope: Scope, threads: list[Thread]) -> Scope:
    """The sentence over the last two windows of its measure that the student has a result in."""
    own = [one for one in threads if (one.assessment, one.subject) == (scope.assessment, scope.subject)]
    windows = sorted({point.window for one in own for point in one.points}, key=parse_window)[-2:]
    if not windows:
        return scope
    return scope.model_copy(update={"from_window": windows[0], "to_window": windows[-1], "between": ()})


def _page(context: Context, student_id: str, scope: Scope, as_of: str | None) -> StudentPage:
    context.check_student(student_id)
    record = seen_record(context, load_student(context.session, student_id))
    today = context.today
    ends = {one.year: one.last for one in record.places if one.last is not None and one.last < today}
    if as_of is not None and as_of not in ends:
        raise NotFound("The student is not known in such a school year that is over.")
    last = today if as_of is None else ends[as_of]
    measures = measures_of(context, student_id, scope)
    threads = threads_of(context.table, student_id, measures[0], context.narrowed(scope), record.sittings)
    if as_of is not None:
        threads = kept_points(threads, lambda one: one.on <= last)
        scope = _then(scope, threads)
    around = around_of(context, student_id, scope, record, measures, last)
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, student_id, now())
    return student_page(student_id, context.table, record, threads, around, context.names, last, as_of)
