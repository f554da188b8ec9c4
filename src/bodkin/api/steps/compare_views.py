"""Further views of Compare: the trend over many windows, the history grid, the likely outcome."""

from typing import Annotated

from fastapi import Depends, Query, Response

from bodkin.answers.compare.history_grid import PAGE, HistoryGrid, columns_of, grid_table, history_grid
from bodkin.answers.compare.outcome import OutcomeAnswer, OutcomeFound, likely_outcome, outcome_table, outcome_units
from bodkin.answers.compare.trend import TrendAnswer, students_at, trend_answer
from bodkin.answers.comparison.comparison import Members
from bodkin.answers.comparison.drill_down import DrillDown, Pick, drill_down
from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.unit_outlook import UnitOutlooks
from bodkin.answers.scope.scope import By, Scope
from bodkin.answers.scope.sentence import caption
from bodkin.api.context import Context, need
from bodkin.api.parameters import ROWS, AskedScope, RowCount, Withhold
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.core.errors import BadInput, NotFound
from bodkin.policy.rights import Right
from bodkin.store.database import versions
from bodkin.store.reads.assessments import outcome_tests
from bodkin.store.reads.table.load import strand_names

router = Part(prefix="/compare", tags=["compare"])
Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
Over = Annotated[list[str], Query(max_length=4)]
Measures = Annotated[list[str], Query(max_length=12)]


def _members(context: Context) -> Members:
    return {group.name: group.members for group in context.groups()}


def _trend(context: Context, scope: Scope, over: list[str], withhold: int | None) -> TrendAnswer:
    asked, version = context.narrowed(scope), versions(context.session)[0]
    return trend_answer(context.put(scope), asked, context.pieces(scope), over, _members(context), version, withhold)


@router.get("/trend", response_model=TrendAnswer)
def trend(context: Scores, scope: AskedScope, over: Over = [], withhold: Withhold = None) -> Response:  # noqa: B006
    """Means and shares over all windows of the scope, with subgroups laid over."""
    return context.unless_known(lambda: answered(_trend(context, scope, over, withhold)))


@router.get("/trend.{form}", response_class=Response, responses=TABLE_FILES)
def trend_file(
    form: Form,
    context: Scores,
    scope: AskedScope,
    over: Over = [],  # noqa: B006
    withhold: Withhold = None,
) -> Response:
    """The trend as a spreadsheet, a line for each line and window."""
    answer = _trend(context, scope, over, withhold)
    names = list(answer.lines[0].points[0].__class__.model_fields)
    rows = [
        [line.name, window, *(getattr(point, name) for name in names)]
        for line in answer.lines
        for window, point in zip(answer.windows, line.points, strict=True)
    ]
    return export_file(context, Table(["line", "window", *names], rows, answer.caption), "trend", form)


@router.get("/trend/drill-down", response_model=DrillDown)
def drill_down_point(
    context: Scores, scope: AskedScope, at: Annotated[int, Query(ge=0)], over: str | None = None
) -> Response:
    """The students whom a point of the trend stands on, at its window."""
    windows = scope.windows
    if at >= len(windows):
        raise BadInput(f"at: there are {len(windows)} windows, counted from 0")
    students = students_at(context.put(scope), context.narrowed(scope), at, over, _members(context))
    window = str(windows[at])
    only = Scope.model_validate(
        {"assessment": scope.assessment, "subject": scope.subject, "strand": scope.strand, "language": scope.language,
         "cuts": scope.cuts, "from_window": window, "to_window": window, "students": students}
    )  # fmt: skip
    worked = context.runtime.work_out(context.put(scope), context.narrowed(only), context.pieces(scope), {})
    answer = drill_down(worked.comparison, Pick(side="to"), context.names, 5_000)
    value = over.partition(": ")[2] if over else ""
    answer.title = " · ".join(filter(None, [value, f"With a result in {windows[at].label}"]))
    return answered(answer)


def _grid(
    context: Context, scope: Scope, measure: list[str], years: int, strands: bool, sort: str, down: bool, start: int,
    count: int | None, *, export: bool = False,
) -> HistoryGrid:  # fmt: skip
    comparison = context.work_out(scope.model_copy(update={"by": None, "by2": None}), export=export).comparison
    measures = [(scope.assessment, scope.subject)]
    if measure:
        measures = [(first, second) for first, _, second in (one.partition("|") for one in measure)]
    known = strand_names(context.session)
    students = comparison.students["student_id"]
    for assessment, subject in measures:
        reach = context.students_for(assessment, subject)
        if reach is not None and not set(students) <= reach:
            raise NotFound("There is no such test.")
    columns = columns_of(
        scope, students, measures, context.put, back=years,
        strands=(lambda assessment, subject: known.get((assessment, subject), [])) if strands else None,
    )  # fmt: skip
    return history_grid(comparison, columns, context.names, sort=sort, down=down, start=start, count=count)


@router.get("/history", response_model=HistoryGrid)
def history(
    context: Scores, scope: AskedScope, measure: Measures = [], years: Annotated[int, Query(ge=0, le=12)] = 1,  # noqa: B006
    strands: bool = False, sort: str = "name", down: bool = False,
    start: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    count: Annotated[int, Query(ge=1, le=500)] = PAGE,
) -> Response:  # fmt: skip
    """A page of the history grid; ``measure`` as ``assessment|subject``."""
    return context.unless_known(
        lambda: answered(_grid(context, scope, measure, years, strands, sort, down, start, count))
    )


@router.get("/history.{form}", response_class=Response, responses=TABLE_FILES)
def history_file(
    form: Form, context: Export, scope: AskedScope, measure: Measures = [],  # noqa: B006
    years: Annotated[int, Query(ge=0, le=12)] = 1, strands: bool = False, sort: str = "name", down: bool = False,
) -> Response:  # fmt: skip
    """The whole grid as a spreadsheet."""
    grid = _grid(context, scope, measure, years, strands, sort, down, 0, None, export=True)
    return export_file(context, grid_table(grid), "history", form)


def _outcome(context: Context, scope: Scope, assessment: str | None) -> tuple[str, str] | None:
    """The outcome test of the scope's subject: the one named, else the first."""
    same = outcome_tests(context.session, scope.assessment, scope.subject)
    if assessment is not None:
        same = [key for key in same if key[0] == assessment]
    return same[0] if same else None


def _likely(
    context: Context, scope: Scope, assessment: str | None, *, export: bool = False
) -> tuple[OutcomeFound, str] | None:
    found = _outcome(context, scope, assessment)
    if found is None or scope.strand is not None:
        return None
    worked = context.work_out(scope.model_copy(update={"by": None, "by2": None}), export=export)
    answer = likely_outcome(context.table, worked.comparison, found, context.names)
    return answer, caption(worked.comparison.pieces)


@router.get("/outcome", response_model=OutcomeAnswer | None)
def outcome(
    context: Scores, scope: AskedScope, outcome: str | None = None, level: Annotated[int | None, Query(ge=1)] = None,
    count: RowCount = ROWS,
) -> Response:  # fmt: skip
    """The likely outcome in spring; nothing where there is no outcome test in the subject.

    ``rows``: the first ``count`` students, those of one likely level where ``level`` names it.
    """

    def made() -> Response:
        found = _likely(context, scope, outcome)
        return answered(found[0].page(level, count)) if found else Response("null", media_type="application/json")

    return context.unless_known(made)


@router.get("/outcome/units", response_model=UnitOutlooks)
def outcome_by_unit(context: Scores, scope: AskedScope, by: By = "school", outcome: str | None = None) -> Response:
    """The share of each unit expected at the level that counts or above; no unit where nothing can be told."""
    found = _likely(context, scope, outcome)
    worked = context.work_out(scope.model_copy(update={"by": by, "by2": None}))
    if found is None:
        return answered(UnitOutlooks(by=by, band="", whole=None, rows=[]))
    return answered(outcome_units(worked.comparison, found[0]))


@router.get("/outcome.{form}", response_class=Response, responses=TABLE_FILES)
def outcome_file(form: Form, context: Export, scope: AskedScope, outcome: str | None = None) -> Response:
    """Every student's likely level as a spreadsheet."""
    found = _likely(context, scope, outcome, export=True)
    if found is None:
        raise NotFound("There is no outcome test in this subject.")
    return export_file(context, outcome_table(*found), "outcome", form)
