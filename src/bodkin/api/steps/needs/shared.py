"""What the routes of the Needs step share: the scope worked out, and what an act answers."""

from typing import Annotated, Any

from fastapi import Depends
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import common_parts
from bodkin.answers.scope.scope import Scope
from bodkin.api.context import Context, need
from bodkin.api.rights import Right
from bodkin.store.database import versions

Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
COUNT = 400
MOST = 5000


class ActDone(BaseModel):
    """An act that was kept; its key undoes it."""

    id: int
    said: str


def worked(context: Context, scope: Scope, *, export: bool = False) -> tuple[Comparison, dict[str, Any]]:
    """The scope's comparison and the parts that every answer has; a strand of the sentence is its whole test."""
    plain = scope.model_copy(update={"strand": None, "by": None, "by2": None})
    found = context.work_out(plain, export=export)
    return found.comparison, common_parts(found.comparison, found.summary, versions(context.session)[0])
