"""The Compare step, and the students behind any of its numbers."""

from typing import Annotated

from fastapi import APIRouter, Depends, Response

from bodkin.answers.behind import BehindAnswer, behind, picked
from bodkin.answers.compare_step import CompareAnswer, compare_answer
from bodkin.answers.exports import students_table, summary_table
from bodkin.api.asking import AskedPick, AskedScope, Asking, Form, answered, need, table_file
from bodkin.api.rights import Right
from bodkin.store.database import versions

router = APIRouter(tags=["compare"])
Scores = Annotated[Asking, Depends(need(Right.SCORES))]
Export = Annotated[Asking, Depends(need(Right.EXPORT_NAMES))]


@router.get("/compare", response_model=CompareAnswer)
def compare(asking: Scores, scope: AskedScope) -> Response:
    """Where students stand and what moved between two windows."""
    worked = asking.work_out(scope)
    return answered(compare_answer(worked.comparison, worked.summary, versions(asking.session)[0]))


@router.get("/behind", response_model=BehindAnswer)
def students_behind(asking: Scores, scope: AskedScope, pick: AskedPick) -> Response:
    """The students behind a number of a scope."""
    worked = asking.work_out(scope)
    return answered(behind(worked.comparison, pick, asking.desk.names(asking.session)))


@router.get("/behind.{form}")
def students_behind_file(form: Form, asking: Export, scope: AskedScope, pick: AskedPick) -> Response:
    """The students behind a number, or of the whole view, as a spreadsheet."""
    comparison = asking.work_out(scope, export=True).comparison
    rows = picked(comparison, pick)
    return table_file(students_table(comparison, rows, asking.desk.names(asking.session)), "students", form)


@router.get("/compare.{form}")
def compare_file(form: Form, asking: Scores, scope: AskedScope) -> Response:
    """Shares and movement, for everyone and by unit, as a spreadsheet."""
    worked = asking.work_out(scope)
    return table_file(summary_table(worked.summary), "compare", form)
