"""Practice as it is kept, for everybody at once: entries of some students, of a period, their levels and weeks."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import repeat
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.follow_up.progress import Days
from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.follow_up.practice import Period, PracticeLog, practice_log
from bodkin.store.reads.table.keys import day_code, one_key
from bodkin.store.reads.table.score_table import numbers_of


@dataclass(frozen=True, slots=True)
class PracticeSeen:
    """The whole log as arrays, by student and day: ``log.student`` is the place of an entry's student in ``place``.

    ``text``: what was read, one string an entry.
    """

    log: PracticeLog
    place: Mapping[str, int]
    text: pl.Series


def practice_seen(entries: pl.DataFrame) -> PracticeSeen:
    """A frame of entries as the core takes them, made once while the data stay; entries of a day keep their order."""
    ids = entries["student_id"].unique().sort()
    who = pl.col("student_id").cast(pl.Enum(ids)).to_physical().cast(pl.Int64)
    each = entries.with_columns(who=who).with_columns(by=one_key(pl.col("who"), day_code("day")))
    each = each.sort("by", maintain_order=True)

    def numbers(name: str) -> FloatArray:
        return numbers_of(each[name])

    labels: dict[str, Any] = {}
    for name in ("kind", "help"):
        column = each[name].fill_null("")
        names = column.unique().sort()
        labels |= {f"{name}s": names.to_list(), name: column.cast(pl.Enum(names)).to_physical().to_numpy()}
    log = practice_log(
        each["who"].to_numpy(), each["day"].to_numpy(), numbers("minutes"), numbers("items"), numbers("right"),
        passed=numbers("passed"), level=numbers("level"), length=numbers("length"), **labels,
    )  # fmt: skip
    return PracticeSeen(log, {student: at for at, student in enumerate(ids)}, each["text"])


def places_in(seen: PracticeSeen, students: Sequence[str]) -> IntArray:
    """Where each student stands in the whole log, shape (students,); -1 for who has no entry."""
    found = map(seen.place.get, students, repeat(-1))
    return np.fromiter(found, dtype=np.int64, count=len(students))


def of_students(seen: PracticeSeen, students: Sequence[str]) -> PracticeLog:
    """The entries of some students, who stand in the log by their place in ``students``."""
    return of_places(seen, places_in(seen, students))


def of_places(seen: PracticeSeen, places: IntArray) -> PracticeLog:
    """The same of students by their places in the whole log."""
    at = np.full(len(seen.place) + 1, -1, dtype=np.int64)
    at[places] = np.arange(places.size)
    # The last place is that of who has no entry.
    at[-1] = -1
    local_of = at[seen.log.student]
    mine = local_of >= 0
    return replace(seen.log.where(mine), student=local_of[mine])


@dataclass(frozen=True, slots=True)
class PeriodSeen:
    """The period looked at: its days, the day of today, the school days up to its end, and where its goals are from."""

    first: date
    last: date
    today: date
    school_days: Days
    name: str
    goals_of: str | None
    goals_share: float = 1.0

    @property
    def core(self) -> Period:
        """The period as the core takes it."""
        return Period(
            np.datetime64(self.first, "D"), np.datetime64(self.last, "D"), np.datetime64(self.today, "D"),
            self.school_days,
        )  # fmt: skip


def entries_within(log: PracticeLog, first: date, last: date) -> PracticeLog:
    """The entries between two days, both included."""
    return log.where((log.day >= np.datetime64(first, "D")) & (log.day <= np.datetime64(last, "D")))


def levels_of(seen: PracticeSeen, students: Sequence[str], before: date) -> dict[str, float]:
    """Each student's median level of the year up to a marking period's first day, or since where there is none."""
    log, levels = of_students(seen, students), {}
    for at, student in enumerate(students):
        mine = (log.student == at) & ~np.isnan(log.level)
        day = np.datetime64(before, "D")
        earlier = mine & (log.day < day) & (log.day >= day - np.timedelta64(365, "D"))
        chosen = earlier if earlier.any() else mine
        if chosen.any():
            levels[student] = float(np.median(log.level[chosen]))
    return levels


def weekly_minutes(
    seen: PracticeSeen, students: Sequence[str], first: date, last: date
) -> dict[str, dict[date, float]]:
    """Minutes of practice of some students by the Monday of the week, in a period."""
    log = entries_within(of_students(seen, students), first, last)
    days = log.day.astype("datetime64[D]")
    # 1970-01-01 was a Thursday.
    mondays = days - ((days.astype(np.int64) + 3) % 7)
    found: dict[str, dict[date, float]] = {}
    for at, monday, minutes in zip(log.student.tolist(), mondays.tolist(), log.minutes.tolist(), strict=True):
        if not np.isnan(minutes):
            own = found.setdefault(students[at], {})
            own[monday] = own.get(monday, 0.0) + minutes
    return found
