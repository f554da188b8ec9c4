"""Needs by strand: the picture, the students behind a part of it, and the table."""

from typing import Annotated

import numpy as np
from fastapi import Query, Response

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.drill_down import DrillDown, students_behind
from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.norms.norms_and_cuts import Notes
from bodkin.answers.comparison.step_answer import display_name
from bodkin.answers.needs.strand_scores import Line
from bodkin.answers.needs.strands import StrandsAnswer, strands_answer, verdicts_of, worked_strands
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.api.steps.needs.shared import COUNT, MOST, Export, Scores
from bodkin.core.errors import NotFound

router = Part(prefix="/needs/strands", tags=["needs"])
Away = Annotated[float | None, Query(ge=-1e6, le=1e6)]


@router.get("", response_model=StrandsAnswer)
def strands(context: Scores, scope: AskedScope, line: Line | None = None, earlier: bool = False) -> Response:
    """Strand by strand: each student's distance from the line, in the strand's own standard errors.

    With ``earlier`` also where each was in the earlier window.
    """

    def made() -> Response:
        comparison, parts = context.of_students(scope)
        own = context.strands(scope)
        return answered(
            strands_answer(
                comparison, own.names, context.table, own.table, context.names, parts, line,
                of_points=own.of_points, earlier=earlier,
            )
        )  # fmt: skip

    return context.unless_known(made)


def _distances(
    context: Context, scope: Scope, line: Line | None, comparison: Comparison
) -> tuple[list[str], list[str], np.ndarray, np.ndarray, np.ndarray]:
    """Strands, students, scores, distances and verdicts of a scope."""
    own = context.strands(scope)
    worked_out = worked_strands(comparison, own.names, context.table, own.table, line, Notes(), of_points=own.of_points)
    now, who = worked_out.now, worked_out.students["student_id"].to_list()
    if now is None:
        nothing = np.full((len(who), len(own.names)), np.nan)
        return own.names, who, nothing, nothing, nothing
    return own.names, who, now.score, now.distance, verdicts_of(now, worked_out.line)


@router.get("/drill-down", response_model=DrillDown)
def behind(
    context: Scores, scope: AskedScope, strand: str, line: Line | None = None, away_from: Away = None,
    away_to: Away = None, count: Annotated[int, Query(ge=1, le=MOST)] = COUNT,
) -> Response:  # fmt: skip
    """The students of a part of a strand: at least ``away_from`` and less than ``away_to`` errors from the line."""
    comparison, _ = context.of_students(scope)
    names, who, _, distance, _ = _distances(context, scope, line, comparison)
    if strand not in names:
        raise NotFound("There is no such strand.")
    mine = distance[:, names.index(strand)]
    low, high = (-np.inf if away_from is None else away_from), (np.inf if away_to is None else away_to)
    inside = np.flatnonzero((mine >= low) & (mine < high))
    ordered = inside[np.argsort(mine[inside], kind="stable")]
    title = strand
    if away_to is not None:
        title += f", less than {away_to:g} errors from the line"
    if away_from is not None:
        title += f", {'and ' if away_to is not None else ''}at least {away_from:g}"
    found = students_behind(comparison, [who[at] for at in ordered.tolist()], title, context.names, count)
    return answered(found)


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def strands_file(form: Form, context: Export, scope: AskedScope, line: Line | None = None) -> Response:
    """Students x strands as a spreadsheet: score, distance in errors, and below or above beyond error."""
    comparison, parts = context.of_students(scope, export=True)
    names, who, score, distance, verdict = _distances(context, scope, line, comparison)
    places = {row[0]: row[1:] for row in comparison.students.select("student_id", "grade", "section").iter_rows()}
    header = ["student_id", "name", "grade", "section"]
    for strand in names:
        header += [strand, f"{strand}: distance", f"{strand}: beyond error"]
    words = {-1.0: "below", 0.0: "no", 1.0: "above"}
    rows: list[list[object]] = []
    for at, student in enumerate(who):
        row: list[object] = [student, display_name(context.names, student), *places[student]]
        for column in range(len(names)):
            values = (score[at, column], distance[at, column])
            row += [None if np.isnan(value) else float(value) for value in values]
            row.append(words.get(float(verdict[at, column])))
        rows.append(row)
    return export_file(context, Table(header, rows, parts["caption"]), "strands", form)
