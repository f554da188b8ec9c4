"""Setup: tests with their norms and cuts."""

from typing import Annotated

from fastapi import APIRouter, Depends

from bodkin.answers.measures import MeasureAnswer, MeasureLine, measure, measures
from bodkin.api.asking import Asking, need
from bodkin.api.rights import Right

router = APIRouter(prefix="/measures", tags=["measures"])
Setup = Annotated[Asking, Depends(need(Right.SETUP))]


@router.get("")
def all_measures(asking: Setup) -> list[MeasureLine]:
    """Every test in every subject that anything is known of."""
    return measures(asking.table)


@router.get("/one")
def one_measure(asking: Setup, assessment: str, subject: str) -> MeasureAnswer:
    """Norms and cuts of one test in one subject, and what is missing or wrong."""
    return measure(asking.table, assessment, subject)
