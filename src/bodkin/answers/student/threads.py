"""Tests of one student over the years with the other scales of each result, and where a sitting stands in them."""

from collections.abc import Sequence

from bodkin.answers.comparison.norms.threads import ScaleLine, ScalePoint, Thread, threads_of_many
from bodkin.answers.scope.scope import Scope
from bodkin.store.reads.student.sittings import SittingRecord
from bodkin.store.reads.table.score_table import ScoreTable

SET_ASIDE = ("beside", "set aside")
"""States of results that count nowhere."""


def threads_of(
    table: ScoreTable, student: str, measures: Sequence[tuple[str, str]], scope: Scope,
    sittings: Sequence[SittingRecord],
) -> list[Thread]:  # fmt: skip
    """Threads of a student as ``threads_of_many`` has them, with the other scales that ``sittings`` hold."""
    found = threads_of_many(table, [student], measures, scope).get(student, [])
    return [one.model_copy(update={"scales": _scales(one, sittings)}) for one in found]


def counted_point(sitting: SittingRecord, threads: Sequence[Thread]) -> tuple[Thread, int] | None:
    """The thread and the place in it that a sitting stands at; None for one that counts in no window."""
    if sitting.state in SET_ASIDE or sitting.tested_on is None or sitting.score is None:
        return None
    for thread in threads:
        if (thread.assessment, thread.subject) != (sitting.assessment, sitting.subject):
            continue
        if thread.language not in (None, sitting.language):
            continue
        for at, point in enumerate(thread.points):
            if (point.on, point.score) == (sitting.tested_on, sitting.score):
                return thread, at
    return None


def _scales(thread: Thread, sittings: Sequence[SittingRecord]) -> list[ScaleLine]:
    """Other scales of a thread's results, in the order in which they came."""
    lines: dict[str, list[ScalePoint]] = {}
    for sitting in reversed(sittings):
        if counted_point(sitting, [thread]) is None or sitting.tested_on is None:
            continue
        for one in sitting.scales:
            ends = [end for end in (one.low, one.high) if end is not None]
            middle = sum(ends) / len(ends) if ends else _number(one.value)
            point = ScalePoint(on=sitting.tested_on, words=one.value, value=middle, low=one.low, high=one.high)
            lines.setdefault(one.scale, []).append(point)
    return [ScaleLine(scale=scale, points=points) for scale, points in lines.items()]


def _number(text: str) -> float | None:
    """The number that a value is, if it is one."""
    try:
        return float(text)
    except ValueError:
        return None
