"""Two measures at once: the four standings and who moved between them."""

from typing import Annotated

from fastapi import Depends, Response

from bodkin.answers.comparison.exports import Table
from bodkin.answers.follow_up.two_measures import Standing, TwoStudent
from bodkin.api.context import Context, need
from bodkin.api.following.two import TwoSeen, two_taken
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import TABLE_FILES, Form, answered, export_file
from bodkin.api.routing import Part
from bodkin.policy.rights import Right

router = Part(prefix="/follow-up/two", tags=["follow-up"])
Scores = Annotated[Context, Depends(need(Right.TEAM))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]


@router.get("", response_model=TwoSeen)
def two(context: Scores, scope: AskedScope, first: str | None = None, second: str | None = None) -> Response:
    """The sentence's students by two measures; without a choice the sentence's test and another one."""
    return context.unless_known(lambda: answered(two_taken(context, scope, first, second).answer))


@router.get("/students")
def two_students(
    context: Scores, scope: AskedScope, standing: Standing, before: Standing | None = None,
    first: str | None = None, second: str | None = None,
) -> list[TwoStudent]:  # fmt: skip
    """The students of a standing, or those of it who had another one before."""
    return two_taken(context, scope, first, second).found.named(standing, before)


HEADER = ["student_id", "name", "first_percentile", "second_percentile", "standing", "before", "moved"]


@router.get(".{form}", response_class=Response, responses=TABLE_FILES)
def two_file(
    form: Form, context: Export, scope: AskedScope, first: str | None = None, second: str | None = None
) -> Response:
    """The same students as a spreadsheet."""
    found, reach = two_taken(context, scope, first, second).found, context.export_reach
    rows = [
        [one.student_id, one.name, one.first, one.second, one.standing, one.before, one.moved]
        for one in found.named()
        if reach is None or one.student_id in reach
    ]
    said = f"{found.whole.first_measure} and {found.whole.second_measure}: {found.whole.caption}"
    return export_file(context, Table(HEADER, rows, said), "two-measures", form)
