"""The Growth step."""

from typing import Annotated

from fastapi import APIRouter, Depends, Response

from bodkin.answers.growth_step import GrowthAnswer, growth_answer
from bodkin.api.asking import AskedScope, Asking, answered, need
from bodkin.api.rights import Right
from bodkin.store.database import versions

router = APIRouter(tags=["growth"])
Scores = Annotated[Asking, Depends(need(Right.SCORES))]


@router.get("/growth", response_model=GrowthAnswer)
def growth(asking: Scores, scope: AskedScope) -> Response:
    """Growth against expectation, student by student."""
    worked = asking.work_out(scope.model_copy(update={"by": None}))
    names = asking.desk.names(asking.session)
    return answered(growth_answer(worked.comparison, worked.summary, names, versions(asking.session)[0]))
