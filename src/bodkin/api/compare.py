"""The Compare step, and the students behind any of its numbers."""

from typing import Annotated

from fastapi import APIRouter, Depends, Response

from bodkin.answers.behind import BehindAnswer, behind, picked
from bodkin.answers.compare_step import CompareAnswer, compare_answer
from bodkin.answers.exports import students_csv, summary_csv
from bodkin.api.asking import AskedPick, AskedScope, Asking, answered, csv_file, need
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


@router.get("/behind.csv")
def students_behind_csv(asking: Export, scope: AskedScope, pick: AskedPick) -> Response:
    """The students behind a number, or of the whole view, as a spreadsheet."""
    comparison = asking.work_out(scope, export=True).comparison
    rows = picked(comparison, pick)
    return csv_file(students_csv(comparison, rows, asking.desk.names(asking.session)), "students.csv")


@router.get("/compare.csv")
def compare_csv(asking: Scores, scope: AskedScope) -> Response:
    """Shares and movement, for everyone and by unit, as a spreadsheet."""
    worked = asking.work_out(scope)
    return csv_file(summary_csv(worked.summary), "compare.csv")
