"""The Compare step, and the students behind any of its numbers."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Response

from bodkin.answers.behind import BehindAnswer, Pick, behind, picked
from bodkin.answers.compare_step import CompareAnswer, compare_answer
from bodkin.answers.exports import students_table, summary_table
from bodkin.answers.scope import Scope
from bodkin.answers.summary import Summary
from bodkin.answers.withheld import without_small_cells
from bodkin.api.asking import AskedPick, AskedScope, Asking, Form, answered, need, table_file
from bodkin.api.desk import Worked
from bodkin.api.rights import Right
from bodkin.store.database import versions

router = APIRouter(tags=["compare"])
Scores = Annotated[Asking, Depends(need(Right.SCORES))]
Export = Annotated[Asking, Depends(need(Right.EXPORT_NAMES))]


Withhold = Annotated[int | None, Query(ge=1, le=100)]


def _withheld(worked: Worked, scope: Scope, withhold: int | None) -> Summary:
    """The summary, with small cells withheld where the view leaves the classroom."""
    if withhold is None:
        return worked.summary
    many = {"program", "group"} & {scope.by, scope.by2}
    return without_small_cells(worked.summary, withhold, exclusive=not many)


@router.get("/compare", response_model=CompareAnswer)
def compare(asking: Scores, scope: AskedScope, withhold: Withhold = None) -> Response:
    """Where students stand and what moved between two windows."""
    worked = asking.work_out(scope)
    summary = _withheld(worked, scope, withhold)
    return answered(compare_answer(worked.comparison, summary, versions(asking.session)[0], withhold))


def _for_pick(scope: Scope, pick: Pick) -> Scope:
    """The scope with the breakdown whose units a pick names, for units that are not on every row."""
    return scope.model_copy(update={"by": pick.unit, "by2": pick.unit2 if pick.unit else None})


@router.get("/behind", response_model=BehindAnswer)
def students_behind(
    asking: Scores, scope: AskedScope, pick: AskedPick, count: Annotated[int, Query(ge=1, le=5_000)] = 5_000
) -> Response:
    """The students behind a number of a scope, the first so many of them."""
    worked = asking.work_out(_for_pick(scope, pick))
    return answered(behind(worked.comparison, pick, asking.names, count))


@router.get("/behind.{form}")
def students_behind_file(form: Form, asking: Export, scope: AskedScope, pick: AskedPick) -> Response:
    """The students behind a number, or of the whole view, as a spreadsheet."""
    comparison = asking.work_out(_for_pick(scope, pick), export=True).comparison
    rows = picked(comparison, pick)
    return table_file(students_table(comparison, rows, asking.desk.names(asking.session)), "students", form)


@router.get("/compare.{form}")
def compare_file(form: Form, asking: Scores, scope: AskedScope, withhold: Withhold = None) -> Response:
    """Shares and movement, for everyone and by unit, as a spreadsheet."""
    worked = asking.work_out(scope)
    return table_file(summary_table(_withheld(worked, scope, withhold)), "compare", form)
