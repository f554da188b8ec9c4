"""Practice in a period against its goals: how accurate, how much, how hard, and the reasons when something is off."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.stats import linregress

from bodkin.core.arrays import BoolArray, FloatArray, IntArray, floats, positive
from bodkin.core.errors import BadInput
from bodkin.core.scores.shares import wilson_interval

NOT_SEEN_DAYS = 10
"""School days without an entry after which a student has not been seen, two weeks (common practice)."""

ENOUGH_OF_GOAL = 0.85
"""Part of the goal's elapsed minutes from which the amount is not called low."""
SURE = 0.80
"""Accuracy is low only where even the upper end of its interval at this confidence lies below the goal."""

ENTRIES_FOR_ONE_KIND = 5
"""Entries from which a single kind is a pattern and not a beginning."""

LENGTHS_FOR_SLOPE = 3

REASONS = ("not seen", "amount low", "accuracy low", "too hard", "too easy", "one kind only")

Labels = NDArray[np.str_]


@dataclass(frozen=True, slots=True)
class PracticeLog:
    """Practice entries, one position an entry; missing numbers are NaN, missing labels "".

    ``student``: position of the student; ``day``: datetime64; ``minutes``; ``items`` and
    ``right``: tried and right; ``passed``: 1, 0 or NaN where there is nothing to pass;
    ``level``: of the text or skill, in the unit of the reader's range; ``length``: words or any
    unit; ``kind`` and ``help``: labels.
    """

    student: IntArray
    day: NDArray[np.datetime64]
    minutes: FloatArray
    items: FloatArray
    right: FloatArray
    passed: FloatArray
    level: FloatArray
    length: FloatArray
    kind: Labels
    help: Labels


def practice_log(
    student: ArrayLike, day: ArrayLike, minutes: ArrayLike, items: ArrayLike, right: ArrayLike, **more: Any
) -> PracticeLog:
    """A log from columns; ``passed``, ``level``, ``length``, ``kind``, ``help`` may be left out.

    Raises BadInput for columns of different lengths, negative numbers, or more right than tried.
    """
    who, when = np.asarray(student, dtype=np.int64), np.asarray(day, dtype="datetime64[D]")
    numbers = {"minutes": minutes, "items": items, "right": right}
    numbers |= {name: more.get(name, np.full(who.shape, np.nan)) for name in ("passed", "level", "length")}
    columns = {name: floats(name, values) for name, values in numbers.items()}
    labels = {name: np.asarray(more.get(name, np.full(who.shape, "")), dtype=np.str_) for name in ("kind", "help")}
    for name, column in {"day": when, **columns, **labels}.items():
        if column.shape != who.shape or who.ndim != 1:
            raise BadInput(f"{name} must have an entry for each of student: {column.shape}, {who.shape}")
    for name in ("minutes", "items", "right", "length"):
        if (columns[name] < 0).any():
            raise BadInput(f"{name} cannot be negative")
    if (columns["right"] > columns["items"]).any():
        raise BadInput(f"entry {int(np.argmax(columns['right'] > columns['items']))} has more right than tried")
    if not np.isin(columns["passed"][~np.isnan(columns["passed"])], (0, 1)).all():
        raise BadInput("passed must be 0 or 1")
    every: dict[str, Any] = {"student": who, "day": when, **columns, **labels}
    return PracticeLog(**every)


@dataclass(frozen=True, slots=True)
class PracticeGoals:
    """Goals of a period, one entry a student, NaN where there is none.

    ``accuracy``: share of items right, 0..1; ``minutes``: for the whole period; ``easiest`` and
    ``hardest``: ends of the reader's range.
    """

    accuracy: FloatArray
    minutes: FloatArray
    easiest: FloatArray
    hardest: FloatArray


@dataclass(frozen=True, slots=True)
class Period:
    """First and last day, both included, the day it is looked at, and the days on which school was open.

    ``school_days``: datetime64 days, rising; None counts every weekday. Raises BadInput for a period that
    ends before it begins.
    """

    first: np.datetime64
    last: np.datetime64
    today: np.datetime64
    school_days: NDArray[np.datetime64] | None = None

    def __post_init__(self) -> None:
        if self.last < self.first or self.today < self.first:
            raise BadInput(f"the period {self.first} to {self.last}, seen on {self.today}, ends before it begins")

    def days(self, first: NDArray[np.datetime64], last: NDArray[np.datetime64]) -> FloatArray:
        """School days from ``first`` to ``last``, both included, NaN where a day is not known."""
        known = ~(np.isnat(first) | np.isnat(last))
        begin, end = (
            np.where(known, day, np.datetime64("2000-01-01")).astype("datetime64[D]") for day in (first, last)
        )
        if self.school_days is None:
            n = np.busday_count(begin, end + np.timedelta64(1, "D"))
        else:
            n = np.searchsorted(self.school_days, end, "right") - np.searchsorted(self.school_days, begin, "left")
        return np.where(known, np.maximum(n, 0), np.nan)

    def _within(self, last: np.datetime64) -> float:
        return float(self.days(np.array([self.first]), np.array([last]))[0])

    @property
    def over(self) -> float:
        """School days of the period that are over, today included."""
        return self._within(min(self.today, self.last))

    @property
    def elapsed(self) -> float:
        """Share of the period's school days that are over, today included, 0..1; NaN for a period without any."""
        whole = self._within(self.last)
        return self.over / whole if whole else float("nan")


@dataclass(frozen=True, slots=True)
class Practice:
    """Each student's practice in the period, arrays of shape (students,), and the reasons over the class.

    ``minutes``: those that are known, NaN where a student has entries and none tells its minutes;
    ``unknown_minutes``: entries without minutes; ``accuracy``: right / tried over all items, NaN without
    items; ``level``: median level; ``amount_of_goal``: minutes by the period's goal; ``tried``, ``passed``:
    entries with something to pass, and passed; ``days_since``: school days since the last entry up to
    today, of this period or an earlier one, NaN where there is none. ``reasons``: for each student in the
    order of REASONS;
    ``counts``: students with each reason.
    """

    entries: IntArray
    minutes: FloatArray
    unknown_minutes: IntArray
    accuracy: FloatArray
    level: FloatArray
    amount_of_goal: FloatArray
    tried: IntArray
    passed: IntArray
    days_since: FloatArray
    reasons: tuple[tuple[str, ...], ...] = field(default=())
    counts: Mapping[str, int] = field(default_factory=dict)


def _chosen(log: PracticeLog, which: BoolArray) -> PracticeLog:
    return PracticeLog(*(getattr(log, column.name)[which] for column in fields(log)))


def _sums(log: PracticeLog, values: FloatArray, students: int) -> FloatArray:
    return np.bincount(log.student, weights=np.nan_to_num(values), minlength=students).astype(np.float64)


def _medians(student: IntArray, values: FloatArray, students: int) -> FloatArray:
    """Median of each student's known values, NaN without any; one sort for all."""
    known = ~np.isnan(values)
    who, held = student[known], values[known]
    order = np.lexsort((held, who))
    held = held[order]
    n = np.bincount(who, minlength=students)
    begin = np.cumsum(n) - n
    found = np.full(students, np.nan)
    some = n > 0
    low, high = begin[some] + (n[some] - 1) // 2, begin[some] + n[some] // 2
    found[some] = (held[low] + held[high]) / 2
    return found


def _kinds(student: IntArray, kind: Labels, students: int) -> tuple[IntArray, int]:
    """Different kinds of each student, and of the whole class; entries without a kind do not count."""
    named = kind != ""
    names, place = np.unique(kind[named], return_inverse=True)
    if not names.size:
        return np.zeros(students, dtype=np.int64), 0
    met = np.zeros((students, names.size), dtype=np.bool_)
    met[student[named], place] = True
    return met.sum(axis=1).astype(np.int64), int(names.size)


def practice(log: PracticeLog, students: int, period: Period, goals: PracticeGoals) -> Practice:
    """Practice of each of ``students`` in a period, against that period's goals.

    Amount low: known minutes below 85 % of the goal's part of the school days that are over, and no entry
    whose minutes are unknown. Accuracy low: the upper end of its 80 % Wilson interval below the goal. Too
    hard, too easy: the median level above or below the reader's range; one kind only: five entries or more
    of one kind where the class has others; not seen: no entry for 10 school days, once as many of the
    period are over. What is missing gives no reason.
    Raises BadInput for an entry of a student who is not there or goals of other shapes.
    Source: definitions; Wilson (1927); thresholds are common practice.
    """
    if log.student.size and not 0 <= log.student.min() <= log.student.max() < students:
        raise BadInput(f"an entry is about student {log.student.max()}; there are {students}")
    for own in fields(goals):
        if getattr(goals, own.name).shape != (students,):
            raise BadInput(f"{own.name} must have a goal for each of {students} students")
    known = _chosen(log, log.day <= period.today)
    now = _chosen(known, (known.day >= period.first) & (known.day <= period.last))
    entries = np.bincount(now.student, minlength=students)
    untimed = np.bincount(now.student, weights=np.isnan(now.minutes), minlength=students).astype(np.int64)
    minutes = np.where((entries > 0) & (untimed == entries), np.nan, _sums(now, now.minutes, students))
    both = ~np.isnan(now.items + now.right)
    items = _sums(now, np.where(both, now.items, 0), students)
    right = _sums(now, np.where(both, now.right, 0), students)
    accuracy = right / np.where(items > 0, items, np.nan)
    surely_below = wilson_interval(right, items, SURE)[1]
    level = _medians(now.student, now.level, students)
    kinds, several = _kinds(now.student, now.kind, students)
    last = np.full(students, np.datetime64("NaT", "D"))
    np.fmax.at(last, known.student, known.day)
    # The day of the entry is not a day without one.
    since = period.days(last + np.timedelta64(1, "D"), np.full(students, period.today))
    away = np.where(np.isnan(since), period.over, since)
    off = {
        "not seen": (away >= NOT_SEEN_DAYS) & (period.over >= NOT_SEEN_DAYS),
        "amount low": (minutes < ENOUGH_OF_GOAL * goals.minutes * period.elapsed) & (untimed == 0),
        "accuracy low": surely_below < goals.accuracy,
        "too hard": level > goals.hardest,
        "too easy": level < goals.easiest,
        "one kind only": (kinds == 1) & (entries >= ENTRIES_FOR_ONE_KIND) & (several > 1),
    }
    table = np.column_stack([off[reason] for reason in REASONS])
    reasons: list[tuple[str, ...]] = [()] * students
    for student in np.flatnonzero(table.any(axis=1)):
        reasons[student] = tuple(reason for reason, is_off in zip(REASONS, table[student], strict=True) if is_off)
    return Practice(
        entries,
        minutes,
        untimed,
        accuracy,
        level,
        minutes / np.where(goals.minutes > 0, goals.minutes, np.nan),
        np.bincount(now.student, weights=~np.isnan(now.passed), minlength=students).astype(np.int64),
        _sums(now, now.passed, students).astype(np.int64),
        since,
        tuple(reasons),
        {reason: int(off[reason].sum()) for reason in REASONS},
    )


@dataclass(frozen=True, slots=True)
class LengthSlope:
    """Change of accuracy (share) for one more unit of length, with its standard error; None with the reason."""

    n: int
    slope: float | None = None
    error: float | None = None
    reason: str | None = None


def accuracy_on_length(length: ArrayLike, items: ArrayLike, right: ArrayLike) -> LengthSlope:
    """Least squares slope of an entry's accuracy on the length of its text, from three different lengths.

    Shapes (entries,); entries without length or items do not count. Raises BadInput for other
    shapes or more right than tried. Source: ordinary least squares (statsmodels.OLS is the reference).
    """
    x, tried, good = floats("length", length), floats("items", items), floats("right", right)
    if not x.shape == tried.shape == good.shape or x.ndim != 1:
        raise BadInput(f"length, items and right must be alike: {x.shape}, {tried.shape}, {good.shape}")
    if (good > tried).any():
        raise BadInput(f"entry {int(np.argmax(good > tried))} has more right than tried")
    known = ~np.isnan(x + good) & (tried > 0)
    if np.unique(x[known]).size < LENGTHS_FOR_SLOPE:
        return LengthSlope(int(known.sum()), reason=f"a slope needs texts of at least {LENGTHS_FOR_SLOPE} lengths")
    line = linregress(x[known], good[known] / tried[known])
    return LengthSlope(int(known.sum()), float(line.slope), float(line.stderr))


def share_by(labels: Sequence[str] | Labels, minutes: ArrayLike) -> dict[str, float]:
    """Share of the minutes under each label (kind or help), largest first, then by name; adds up to 1.

    Entries without a label stand under ""; entries whose minutes are not known do not count. Raises
    BadInput for other shapes or no minute at all.
    """
    names, amount = np.asarray(labels, dtype=np.str_), floats("minutes", minutes)
    if names.shape != amount.shape or names.ndim != 1:
        raise BadInput(f"labels and minutes must be alike: {names.shape}, {amount.shape}")
    if (amount < 0).any():
        raise BadInput("minutes cannot be negative")
    names, amount = names[~np.isnan(amount)], amount[~np.isnan(amount)]
    whole = float(positive("the sum of minutes", amount.sum()))
    sums = {str(name): float(amount[names == name].sum()) / whole for name in np.unique(names)}
    return dict(sorted(sums.items(), key=lambda row: (-row[1], row[0])))
