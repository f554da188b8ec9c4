"""What an address says, read into the scope and the students asked for."""

from typing import Annotated, Any

from annotated_types import Ge, Le
from fastapi import Depends, Query
from pydantic import ConfigDict, StringConstraints, ValidationError

from bodkin.answers.comparison.drill_down import Pick
from bodkin.answers.scope.scope import Scope, ScopeFields
from bodkin.core.errors import BadInput

NO_CONTROLS = r"^[^\x00-\x1f\x7f\u2028\u2029]*$"
"""Text on one line, without characters that cannot be seen."""
OneLine = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=160, pattern=NO_CONTROLS)]
"""A name as it is shown and exported."""
Key = Annotated[int, Ge(0), Le(2**31 - 1)]
"""The number of a row."""


class ScopeQuery(ScopeFields):
    """The scope as the address holds it; ``student`` are the pinned students it is narrowed to."""

    model_config = ConfigDict(extra="ignore")

    student: tuple[str, ...] = ()


def _faults_named(error: ValidationError) -> BadInput:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    return BadInput(f"{place + ': ' if place else ''}{first['msg'].removeprefix('Value error, ')}")


def scope_of(query: Annotated[ScopeQuery, Query()]) -> Scope:
    """The scope of an address. Raises BadInput that names the field."""
    values: dict[str, Any] = query.model_dump()
    students = values.pop("student")
    try:
        return Scope.model_validate({**values, "students": frozenset(students) if students else None})
    except ValidationError as error:
        raise _faults_named(error) from None


def pick_of(
    side: str | None = None,
    band: int | None = None,
    at_or_above: int | None = None,
    from_band: int | None = None,
    to_band: int | None = None,
    moved: str | None = None,
    met: bool | None = None,
    verdict: str | None = None,
    near_cut: bool | None = None,
    just_below: bool | None = None,
    lowest_fifth: bool | None = None,
    percentile_from: float | None = None,
    percentile_to: float | None = None,
    distance_from: float | None = None,
    distance_to: float | None = None,
    chance_from: float | None = None,
    chance_to: float | None = None,
    kept_pace_low: bool | None = None,
    left_out: bool | None = None,
    reason: str | None = None,
    unit: str | None = None,
    value: str | None = None,
    unit2: str | None = None,
    value2: str | None = None,
) -> Pick:
    """The students an address asks for. Raises BadInput that names the field."""
    values = dict(locals())
    try:
        return Pick.model_validate(values)
    except ValidationError as error:
        raise _faults_named(error) from None


AskedScope = Annotated[Scope, Depends(scope_of)]
AskedPick = Annotated[Pick, Depends(pick_of)]
Withhold = Annotated[int | None, Query(ge=1, le=100)]
"""Groups of fewer students are withheld; nothing is where it is not given."""
ROWS = 60
"""Rows of a long list that come with an answer where no other number is asked for."""
RowCount = Annotated[int, Query(ge=0, le=200_000)]
