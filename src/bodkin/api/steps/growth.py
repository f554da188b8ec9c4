"""The Growth step."""

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import Depends, Query, Response

from bodkin.answers.comparison.norms.expectation import district_means
from bodkin.answers.comparison.unit_outlook import UnitOutlooks
from bodkin.answers.growth.norm_table import NormTable, norm_table
from bodkin.answers.growth.outlook import OutlookAnswer, outlook_answer, outlook_units, past_outlook
from bodkin.answers.growth.step import PAGE, GrowthAnswer, GrowthRows, Sort, growth_answer, growth_rows
from bodkin.answers.growth.units import GrowthUnits, growth_units
from bodkin.answers.scope.scope import By, Scope
from bodkin.api.context import Context, need
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import answered
from bodkin.api.routing import Part
from bodkin.policy.rights import Right
from bodkin.store.database import versions
from bodkin.store.writes.goals import goals_of, target_of

router = Part(tags=["growth"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]


MOST_ROWS = 5_000
Count = Annotated[int, Query(ge=1, le=MOST_ROWS)]


def _beside(context: Context, scope: Scope) -> Mapping[str, Any]:
    """What stands beside the students' rows: their goals, and the district's means."""
    goals = goals_of(context.session, scope.assessment, scope.subject, context.today)
    return {
        "goals": goals if scope.strand is None else {},
        "district": district_means(context.put(scope), context.narrowed(scope)),
    }


@router.get("/growth", response_model=GrowthAnswer)
def growth(context: Scores, scope: AskedScope, count: Count = PAGE) -> Response:
    """Growth against expectation: the whole, every student as a dot, and the first rows."""
    return context.unless_known(
        lambda: answered(_growth(context, scope.model_copy(update={"by": None, "by2": None}), count))
    )


def _growth(context: Context, scope: Scope, count: int) -> GrowthAnswer:
    worked = context.work_out(scope)
    first = growth_rows(worked.comparison, worked.summary, context.names, count=count, **_beside(context, scope))
    unit = context.target_unit(scope)
    target = target_of(context.session, scope.assessment, scope.subject, unit) if unit is not None else None
    return growth_answer(worked.comparison, worked.summary, first, versions(context.session)[0], target)


@router.get("/growth/rows", response_model=GrowthRows)
def rows(
    context: Scores, scope: AskedScope, sort: Sort = "distance", down: bool = False,
    start: Annotated[int, Query(ge=0, le=10_000_000)] = 0, count: Count = PAGE,
) -> Response:  # fmt: skip
    """Students' rows in an order, from a place on."""
    scope = scope.model_copy(update={"by": None, "by2": None})
    worked = context.work_out(scope)
    return answered(
        growth_rows(
            worked.comparison, worked.summary, context.names, sort=sort, down=down, start=start, count=count,
            **_beside(context, scope),
        )
    )  # fmt: skip


@router.get("/growth/units", response_model=GrowthUnits)
def units(context: Scores, scope: AskedScope, by: By = "school") -> Response:
    """Growth of each unit beside the whole."""

    def made() -> Response:
        worked = context.work_out(scope.model_copy(update={"by": by, "by2": None}))
        return answered(growth_units(worked.comparison, worked.summary))

    return context.unless_known(made)


@router.get("/growth/outlook", response_model=OutlookAnswer)
def outlook(context: Scores, scope: AskedScope, aim: Annotated[float | None, Query(gt=0, le=1)] = None) -> Response:
    """Where students will stand at a window still to come, and whom an aim would take."""
    return context.unless_known(
        lambda: answered(_outlook(context, scope.model_copy(update={"by": None, "by2": None}), aim))
    )


def _outlook(context: Context, scope: Scope, aim: float | None) -> OutlookAnswer:
    worked = context.work_out(scope)
    past = None
    if worked.summary.outlook is not None:
        table, asked = context.put(scope), context.narrowed(scope)
        key = (asked.assessment, asked.subject, asked.strand, asked.cuts, asked.against, asked.grade, asked.school)
        windows = (asked.from_window, asked.to_window)
        past = table.worked.once(("past outlook", *key, *windows, asked.reach), lambda: past_outlook(table, asked))
    return outlook_answer(worked.comparison, worked.summary, past, aim)


@router.get("/growth/outlook/units", response_model=UnitOutlooks)
def outlook_by_unit(context: Scores, scope: AskedScope, by: By = "school") -> Response:
    """Where the students of each unit will stand at a window still to come; no unit where it has come."""
    by_unit = scope.model_copy(update={"by": by, "by2": None})
    return context.unless_known(lambda: answered(outlook_units(context.work_out(by_unit).comparison)))


@router.get("/growth/norms")
def usual_scores(context: Scores, assessment: str, subject: str) -> NormTable:
    """The norm table of a test, for a talk with a family."""
    return norm_table(context.table, assessment, subject)
