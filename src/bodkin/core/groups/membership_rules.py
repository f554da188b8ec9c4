"""Entry and exit rules of a group: written in one plain form, read back, and held against results."""

import re
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import ArrayLike

from bodkin.core.arrays import FloatArray, floats
from bodkin.core.errors import BadInput

Value = Literal["score", "percentile", "band", "points above the aim line"]
Comparison = Literal["at least", "below"]
VALUES: tuple[Value, ...] = get_args(Value)
COMPARISONS: tuple[Comparison, ...] = get_args(Comparison)
MOST_RESULTS = 12
_WINDOW_ONLY: tuple[Value, ...] = ("percentile", "band")
"""Values that only a window has: results between the windows have no norm and no cut of their own."""
_FORM = re.compile(
    rf"^(?P<assessment>.+), (?P<subject>[^,:]+): (?P<value>{'|'.join(VALUES)}) (?P<comparison>{'|'.join(COMPARISONS)}) "
    r"(?P<limit>-?\d+(?:\.\d+)?) in (?:(?P<window>the latest window)|the last (?P<last>\d+) results?)$"
)


@dataclass(frozen=True, slots=True)
class MembershipRule:
    """A rule that a student meets or not.

    ``last``: each of so many latest results must meet it; None: the result of the latest window. ``limit`` in
    score points, percentiles (1..99), bands by order (1 = lowest), or points above the aim line.
    """

    assessment: str
    subject: str
    value: Value
    comparison: Comparison
    limit: float
    last: int | None = None

    def __post_init__(self) -> None:
        """Raise BadInput for a rule that nothing could be held against."""
        if self.last is not None and not 1 <= self.last <= MOST_RESULTS:
            raise BadInput(f"a rule looks at 1 to {MOST_RESULTS} results, not {self.last}")
        if self.value in _WINDOW_ONLY and self.last is not None:
            raise BadInput(f'a {self.value} is of a window: write it with "in the latest window"')
        if self.value == "points above the aim line" and self.last is None:
            raise BadInput('points above the aim line are of results: write "in the last 4 results"')
        if self.value == "percentile" and not 1 <= self.limit <= 99:
            raise BadInput(f"a percentile lies between 1 and 99, not at {self.limit:g}")
        if self.value == "band" and (self.limit < 1 or self.limit != int(self.limit)):
            raise BadInput(f"a band is a whole number from 1 (the lowest), not {self.limit:g}")

    @property
    def text(self) -> str:
        """The rule as it is written in files and read on screen; ``parse_rule`` reads it back."""
        when = "the latest window"
        if self.last is not None:
            when = f"the last {self.last} {'result' if self.last == 1 else 'results'}"
        return f"{self.assessment}, {self.subject}: {self.value} {self.comparison} {self.limit:g} in {when}"


def parse_rule(text: str) -> MembershipRule:
    """Read a rule such as ``Saltgauge, reading: percentile at least 40 in the latest window``.

    Raises BadInput that says how a rule is written.
    """
    found = _FORM.match(text.strip())
    if found is None:
        raise BadInput(
            f'"{text}" is not a rule; write it like "Saltgauge, reading: percentile at least 40 in the latest window" '
            'or "Word reading, reading: score at least 95 in the last 3 results"'
        )
    return MembershipRule(
        found["assessment"], found["subject"],
        next(value for value in VALUES if value == found["value"]),
        next(one for one in COMPARISONS if one == found["comparison"]),
        float(found["limit"]), int(found["last"]) if found["last"] else None,
    )  # fmt: skip


def rule_holds(rule: MembershipRule, values: ArrayLike) -> FloatArray:
    """Who meets a rule: 1 met, 0 not met, NaN where it cannot be told, shape (students,).

    ``values``: what the rule looks at, shape (students, results), the latest last, NaN where missing. A student
    meets the rule where every result that it asks for does. With a result missing it cannot be told, unless one
    that is there fails it already. "At least" includes the limit, met within 1e-9; "below" does not.
    Raises BadInput for another shape or fewer columns than the rule asks for. Common practice.
    """
    table = floats("values", values)
    wanted = rule.last or 1
    if table.ndim != 2 or table.shape[1] < wanted:
        raise BadInput(f"values must have students as rows and at least {wanted} results as columns: {table.shape}")
    seen = table[:, table.shape[1] - wanted :]
    above = seen >= rule.limit - 1e-9
    meets = above if rule.comparison == "at least" else ~above
    known = ~np.isnan(seen)
    failed = (known & ~meets).any(axis=1)
    return np.where(failed, 0.0, np.where(known.all(axis=1), 1.0, np.nan))
