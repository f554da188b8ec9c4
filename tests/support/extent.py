"""How much the broad tests ask: a part for every run, all of it with ``./bodkin test --wide``."""

import os

WIDE = bool(os.environ.get("BODKIN_WIDE"))


def extent(daily: int, wide: int) -> int:
    """How many questions, students, steps or draws a broad test takes; the first ones are the same in both."""
    return wide if WIDE else daily
