"""The Compare step, and the students behind any of its numbers."""

from typing import Annotated

from fastapi import Depends, Query, Response

from bodkin.answers.compare.step import CompareAnswer, compare_answer
from bodkin.answers.compare.units import Order, UnitColumn, counted_units, units_of
from bodkin.answers.comparison.drill_down import DrillDown, Pick, drill_down, picked
from bodkin.answers.comparison.exports import students_table, summary_table
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.parameters import ROWS, AskedPick, AskedScope, RowCount, Withhold
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.api.runtime import Worked
from bodkin.policy.rights import Right
from bodkin.store.database import versions

router = Part(tags=["compare"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


def _withheld(worked: Worked, withhold: int | None) -> Summary:
    """The summary, with small cells withheld where the view leaves the classroom."""
    if withhold is None:
        return worked.summary
    return suppress_small_cells(worked.summary, withhold, worked.comparison)


@router.get("/compare", response_model=CompareAnswer)
def compare(
    context: Scores, scope: AskedScope, withhold: Withhold = None,
    sort: UnitColumn | None = None, down: bool = False, count: RowCount = ROWS,
) -> Response:  # fmt: skip
    """Where students stand and what moved between two windows, with the first so many units of the breakdown."""

    def made() -> Response:
        worked, order = context.work_out(scope), Order(sort, down, count)
        comparison, version = worked.comparison, versions(context.session)[0]
        bands = len(comparison.bands)
        if withhold is None:
            units = counted_units(worked.counted, comparison.scope, bands, order)
            return answered(compare_answer(comparison, worked.whole, version, None, units))
        safe = _withheld(worked, withhold)
        units = units_of(safe.by, comparison.scope, bands, order, safe.movement.net if safe.movement else None)
        return answered(compare_answer(comparison, safe, version, withhold, units))

    return context.unless_known(made)


def _for_pick(scope: Scope, pick: Pick) -> Scope:
    """The scope with the breakdown whose units a pick names, for units that are not on every row."""
    return scope.model_copy(update={"by": pick.unit, "by2": pick.unit2 if pick.unit else None})


@router.get("/drill-down", response_model=DrillDown)
def drill_down_students(
    context: Scores, scope: AskedScope, pick: AskedPick, count: Annotated[int, Query(ge=1, le=5_000)] = 5_000
) -> Response:
    """The students behind a number of a scope, the first so many of them."""
    worked = context.work_out(_for_pick(scope, pick))
    return answered(drill_down(worked.comparison, pick, context.names, count))


@router.get("/drill-down.{form}", response_class=Response, responses=TABLE_FILES)
def drill_down_file(form: Form, context: Export, scope: AskedScope, pick: AskedPick) -> Response:
    """The students behind a number, or of the whole view, as a spreadsheet."""
    comparison = context.work_out(_for_pick(scope, pick), export=True).comparison
    rows = picked(comparison, pick)
    return export_file(context, students_table(comparison, rows, context.names), "students", form)


@router.get("/compare.{form}", response_class=Response, responses=TABLE_FILES)
def compare_file(form: Form, context: Scores, scope: AskedScope, withhold: Withhold = None) -> Response:
    """Shares and movement, for everyone and by unit, as a spreadsheet."""
    worked = context.work_out(scope)
    return export_file(context, summary_table(_withheld(worked, withhold)), "compare", form)
