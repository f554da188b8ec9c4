"""Weeks of instruction: the days on which school was open, counted in fives."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput

Dates = NDArray[np.datetime64]


def closed_days(closures: Sequence[tuple[np.datetime64, np.datetime64]]) -> Dates:
    """Every day of the closures, both ends included, as an array of days.

    Raises BadInput where a closure ends before it begins.
    """
    spans = []
    for first, last in closures:
        if last < first:
            raise BadInput(f"a closure ends ({last}) before it begins ({first})")
        spans.append(np.arange(first, last + np.timedelta64(1, "D"), dtype="datetime64[D]"))
    return np.concatenate(spans) if spans else np.array([], dtype="datetime64[D]")


def instructional_weeks(start: Dates, end: Dates, closed: Dates) -> FloatArray:
    """Weeks of instruction from ``start`` up to, not including, ``end``.

    Weekdays (Monday to Friday) on which school was open, divided by five. ``start`` and ``end``
    are days of one shape; NaT gives NaN. Negative where ``end`` comes first.
    Source: common practice; numpy.busday_count does the counting.
    """
    begin, stop = np.broadcast_arrays(start.astype("datetime64[D]"), end.astype("datetime64[D]"))
    known = ~(np.isnat(begin) | np.isnat(stop))
    weeks = np.full(begin.shape, np.nan)
    weeks[known] = np.busday_count(begin[known], stop[known], holidays=closed) / 5.0
    return weeks


@dataclass(frozen=True, slots=True)
class SchoolYear:
    """The days of one school year; ``closed`` are the closed days within it."""

    first_day: np.datetime64
    last_day: np.datetime64
    closed: Dates

    def week_of(self, days: Dates) -> FloatArray:
        """Instructional week of each day, counted from the first school day (0 on that day)."""
        return instructional_weeks(np.broadcast_to(self.first_day, days.shape), days, self.closed)
