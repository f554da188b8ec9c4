"""Chosen views for the team and the leadership as one document of landscape pages, small groups withheld."""

from base64 import b64encode
from typing import Annotated

from fastapi import Depends, Query, Response
from pydantic import BaseModel

from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption
from bodkin.answers.share.report import Report, checked_views
from bodkin.api.context import Context, need
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import log_export
from bodkin.api.routing import Part
from bodkin.api.steps.share.pages import PDF, PDF_FILE
from bodkin.api.steps.share.views import report_page
from bodkin.core.windows import day_words
from bodkin.documents.press import Press
from bodkin.policy.rights import Right

router = Part(prefix="/share", tags=["share"])
May = Annotated[Context, Depends(need(Right.PAGES))]
Views = Annotated[list[str] | None, Query(max_length=20)]


class ReportPreview(BaseModel):
    """The pages of a report as they will print, as data addresses."""

    pages: list[str]


def _report(context: Context, scope: Scope, views: list[str] | None) -> Report:
    today = context.today
    sentence = caption(context.pieces(scope.model_copy(update={"by": None, "by2": None})))
    return Report(
        title=f"Bodkin, {sentence}", caption=sentence, made=f"Made on {day_words(today)}",
        day=(today.year, today.month, today.day),
        pages=[report_page(context, scope, view, by) for view, by in checked_views(views or ["compare:school"])],
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
