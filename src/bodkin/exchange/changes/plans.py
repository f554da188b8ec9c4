"""What bringing a file in would do: counts and rows to show, before anything is written."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.questions.question import Question

SHOWN = 200
"""Most rows of each sort that a preview lists; the counts are always whole."""


ReportProgress = Callable[[str, int, int], None]
"""Hears what is being done, and how much of how much of it is done."""


def no_progress(_what: str, _done: int, _all: int) -> None:
    """Nobody listens."""


@dataclass(frozen=True, slots=True)
class PlannedRow:
    """A row of the file and what would become of it: ``new`` or ``changed``."""

    line: int
    what: str
    act: str
    detail: str = ""


@dataclass(slots=True)
class Plan:
    """What a file would do.

    ``counts``: rows that are new, changed, same, and without a score. ``adds``: what else would
    be added, such as students or schools. ``apply`` writes it all through a ledger. ``questions``:
    what is doubtful about the rows; what was answered is in the plan already.
    """

    counts: dict[str, int]
    rows: list[PlannedRow]
    apply: Callable[[Ledger], None]
    adds: dict[str, int] = field(default_factory=dict)
    notices: list[str] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)

    @property
    def empty(self) -> bool:
        """Whether nothing would change."""
        return not (self.counts["new"] or self.counts["changed"] or any(self.adds.values()))


def difference(before: dict[str, Any], after: dict[str, Any]) -> str:
    """The values that differ, as ``score 512 to 521``."""
    changes = []
    for name, value in after.items():
        if before[name] != value:
            changes.append(f"{name.replace('_', ' ')} {_said(before[name])} to {_said(value)}")
    return ", ".join(changes)


def _said(value: object) -> str:
    if value is None:
        return "nothing"
    return f"{value:g}" if isinstance(value, float) else str(value)
