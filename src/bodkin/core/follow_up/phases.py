"""Phases of help: what a team can decide, and where a trend starts anew."""

from collections.abc import Sequence
from datetime import date
from typing import Literal, get_args

from bodkin.core.errors import BadInput

Kind = Literal["stay", "change", "pause", "raise", "end", "other"]
KINDS: tuple[Kind, ...] = get_args(Kind)
"""Stay with the help, change it (a new focus), pause it, raise the goal, end it, or something else."""

RESTARTS = frozenset({"change", "pause", "raise"})
"""After these what came before says nothing of the help or the goal of today."""


def phase_start(decided: Sequence[tuple[date, str]], on: date) -> date | None:
    """The first day of the present phase: the latest decision up to ``on`` that changes the help or its goal.

    ``decided``: days and kinds, in any order. None where nothing was changed. A result of that very day belongs to
    the phase before: the decision rests on it. Raises BadInput for an unknown kind.
    Common practice in progress monitoring: a phase line ends one trend and begins another.
    """
    for _, kind in decided:
        if kind not in KINDS:
            raise BadInput(f'there is no decision "{kind}"; take one of {", ".join(KINDS)}')
    return max((day for day, kind in decided if kind in RESTARTS and day <= on), default=None)
