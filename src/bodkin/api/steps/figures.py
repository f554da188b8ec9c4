"""How every figure is worked out, for the page that the screens link to."""

from typing import Annotated

from fastapi import Depends

from bodkin.answers.figures import Figures, figures
from bodkin.api.context import Context, need
from bodkin.api.routing import Part
from bodkin.policy.rights import Right

router = Part(tags=["figures"])


@router.get("/figures")
def explained(context: Annotated[Context, Depends(need(Right.SIGNED_IN))]) -> Figures:  # noqa: ARG001 (guards the route)
    """Every figure, in plain words and symbols, with its source."""
    return figures()
