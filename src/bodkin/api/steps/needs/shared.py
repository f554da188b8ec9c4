"""What the routes of the Needs step share: who may ask, and what an act answers."""

from typing import Annotated

from fastapi import Depends
from pydantic import BaseModel

from bodkin.api.context import Context, need
from bodkin.policy.rights import Right

Scores = Annotated[Context, Depends(need(Right.SCORES))]
Export = Annotated[Context, Depends(need(Right.EXPORT_NAMES))]
COUNT = 400
MOST = 5000


class ActDone(BaseModel):
    """An act that was kept; its key undoes it."""

    id: int
    said: str
