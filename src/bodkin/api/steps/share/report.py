"""Chosen views for the team and the leadership as one document of landscape pages, small groups withheld."""

from base64 import b64encode
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Response
from pydantic import BaseModel, ValidationError

from bodkin.answers.compare.step import compare_answer
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.follow_up.standings import decisions_due
from bodkin.answers.needs.strands import strands_answer
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption
from bodkin.answers.share.report import (
    Report,
    ReportPage,
    View,
    checked_views,
    compare_page,
    follow_up_page,
    growth_page,
    needs_page,
)
from bodkin.api.context import Context, need
from bodkin.api.following import all_standings
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import log_export
from bodkin.api.rights import Right
from bodkin.api.steps.share.pages import PDF, PDF_FILE
from bodkin.core.errors import BadInput
from bodkin.core.suppression import DEFAULT_MINIMUM
from bodkin.core.windows import day_words
from bodkin.documents.press import Press
from bodkin.store.database import versions

router = APIRouter(prefix="/share", tags=["share"])
May = Annotated[Context, Depends(need(Right.PAGES))]
Views = Annotated[list[str] | None, Query(max_length=20)]


class ReportPreview(BaseModel):
    """The pages of a report as they will print, as data addresses."""

    pages: list[str]


def _page(context: Context, scope: Scope, view: View, by: str | None) -> ReportPage:
    """One view as a page."""
    asked = scope.model_copy(update={"by": None, "by2": None})
    if by is not None:
        try:
            asked = Scope.model_validate({**asked.model_dump(), "by": by})
        except ValidationError:
            raise BadInput(f"view: {by!r} is no breakdown") from None
    if view in ("compare", "growth"):
        worked = context.work_out(asked)
        summary = suppress_small_cells(worked.summary, DEFAULT_MINIMUM, worked.comparison)
        if view == "growth":
            return growth_page(summary, by)
        answer = compare_answer(worked.comparison, summary, versions(context.session)[0], DEFAULT_MINIMUM)
        return compare_page(summary, by, answer.headline, answer.lead)
    if by is not None:
        raise BadInput(f"view: {view} has no breakdown")
    if view == "needs":
        comparison, parts = context.of_students(asked)
        own = context.strands(asked)
        found = strands_answer(
            comparison, own.names, context.table, own.table, context.names, parts, of_points=own.of_points
        )  # fmt: skip
        line = next(one.words for one in found.lines if one.key == found.line)
        rows = [(one.strand, one.n, one.below, one.below_beyond, one.median) for one in found.strands]
        return needs_page(rows, line, found.headline if comparison.students.height >= DEFAULT_MINIMUM else "Withheld")
    # How many of a group need a decision is a small number itself: that some do is said.
    groups = [
        (one.name, len(one.students), "due" if any(decisions_due(one.students)) else "none due", one.lead)
        for one in all_standings(context)
    ]
    return follow_up_page(groups)


def _report(context: Context, scope: Scope, views: list[str] | None) -> Report:
    today = context.runtime.settings.today
    sentence = caption(context.pieces(scope.model_copy(update={"by": None, "by2": None})))
    return Report(
        title=f"Bodkin, {sentence}", caption=sentence, made=f"Made on {day_words(today)}",
        day=(today.year, today.month, today.day),
        pages=[_page(context, scope, view, by) for view, by in checked_views(views or ["compare:school"])],
    )  # fmt: skip


@router.get("/report")
def report(context: May, scope: AskedScope, view: Views = None) -> ReportPreview:
    """The chosen views, drawn page by page as they will print; ``view`` such as ``compare:school`` or ``needs``."""
    drawn = Press().report_pictures(_report(context, scope, view))
    return ReportPreview(pages=[f"data:image/png;base64,{b64encode(one).decode()}" for one in drawn])


@router.get("/report.pdf", response_class=Response, responses=PDF_FILE)
def report_file(context: May, scope: AskedScope, view: Views = None) -> Response:
    """The chosen views as one PDF; no student is named in it."""
    made = _report(context, scope, view)
    content = Press().report(made)
    log_export(context, f"report: {made.caption}", "pdf", None)
    headers = {"Content-Disposition": 'attachment; filename="report.pdf"', "Cache-Control": "no-store"}
    return Response(content, media_type=PDF, headers=headers)
