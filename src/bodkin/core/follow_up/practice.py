"""Practice in a period against its goals: how accurate, how much, how hard, and the reasons when something is off."""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import ArrayLike, NDArray

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

Reason = Literal["not seen", "amount low", "accuracy low", "too hard", "too easy", "one kind only"]
REASONS: tuple[Reason, ...] = get_args(Reason)

Labels = NDArray[np.str_]


@dataclass(frozen=True, slots=True)
class PracticeLog:
    """Practice entries, one position an entry; missing numbers are NaN, missing labels "".

    ``student``: position of the student; ``day``: datetime64; ``minutes``; ``items`` and
    ``right``: tried and right; ``passed``: 1, 0 or NaN where there is nothing to pass;
    ``level``: of the text or skill, in the unit of the reader's range; ``length``: words or any
    unit; ``kind`` and ``help``: places in ``kinds`` and ``helps``, the labels by name, "" for none.
    """

    student: IntArray
    day: NDArray[np.datetime64]
    minutes: FloatArray
    items: FloatArray
    right: FloatArray
    passed: FloatArray
    level: FloatArray
    length: FloatArray
    kind: IntArray
    help: IntArray
    kinds: Labels
    helps: Labels

    def where(self, which: BoolArray) -> "PracticeLog":
        """The entries that ``which`` names, shape (entries,)."""
        if which.all():
            return self
        rest = {one.name: getattr(self, one.name)[which] for one in fields(self) if one.name not in ("kinds", "helps")}
        return replace(self, **rest)

    def is_kind(self, label: str) -> BoolArray:
        """Which entries are of a kind."""
        return _is(self.kind, self.kinds, label)

    def is_help(self, label: str) -> BoolArray:
        """Which entries were done with a help."""
        return _is(self.help, self.helps, label)

    @property
    def known_kinds(self) -> list[str]:
        """The kinds of the entries, by name, without the missing one."""
        return _met(self.kind, self.kinds)


def _is(codes: IntArray, names: Labels, label: str) -> BoolArray:
    at = np.flatnonzero(names == label)
    return codes == at[0] if at.size else np.zeros(codes.shape, dtype=np.bool_)


def _met(codes: IntArray, names: Labels) -> list[str]:
    met = np.bincount(codes, minlength=names.size) > 0
    return [str(name) for name in names[met] if name]


_LABELS = ("kind", "help")


def _labels(what: str, given: ArrayLike, among: ArrayLike | None) -> tuple[IntArray, Labels]:
    """Places of labels among their names, and the names in their order."""
    if among is None:
        names, codes = np.unique(np.asarray(given, dtype=np.str_), return_inverse=True)
        return codes.astype(np.int64), names
    places = np.asarray(given, dtype=np.int64)
    names, order = np.unique(np.asarray(among, dtype=np.str_), return_inverse=True)
    if places.size and not (places.min() >= 0 and places.max() < order.size):
        raise BadInput(f"{what} must be a place among the {order.size} labels of {what}s")
    return order[places].astype(np.int64), names


def practice_log(
    student: ArrayLike, day: ArrayLike, minutes: ArrayLike, items: ArrayLike, right: ArrayLike, **more: Any
) -> PracticeLog:
    """A log from columns; ``passed``, ``level``, ``length``, ``kind``, ``help`` may be left out.

    ``kind`` and ``help`` are labels, or places in ``kinds`` and ``helps`` where these are given. Raises BadInput for
    columns of different lengths, negative numbers, more right than tried, or a place where no label is.
    """
    who, when = np.asarray(student, dtype=np.int64), np.asarray(day, dtype="datetime64[D]")
    numbers = {"minutes": minutes, "items": items, "right": right}
    numbers |= {name: more.get(name, np.full(who.shape, np.nan)) for name in ("passed", "level", "length")}
    columns = {name: floats(name, values) for name, values in numbers.items()}
    found = {name: _labels(name, more.get(name, np.full(who.shape, "")), more.get(f"{name}s")) for name in _LABELS}
    labels = {name: codes for name, (codes, _) in found.items()}
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
    every |= {f"{name}s": names for name, (_, names) in found.items()}
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
    today, of this period or an earlier one, NaN where there is none. ``combinations``: the sets of reasons that
    occur, each in the order of REASONS, and ``combination`` each student's place among them;
    ``counts``: students with each reason. ``strong``: could try something else. ``within``: the entries of the
    period up to today.
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
    within: PracticeLog
    combinations: tuple[tuple[Reason, ...], ...] = field(default=())
    combination: IntArray = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    counts: Mapping[Reason, int] = field(default_factory=dict)
    strong: BoolArray = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))

    @property
    def reasons(self) -> tuple[tuple[Reason, ...], ...]:
        """Each student's reasons, in the order of REASONS."""
        return tuple(self.combinations[at] for at in self.combination.tolist())

    @property
    def any_reason(self) -> BoolArray:
        """Who has a reason at all, shape (students,)."""
        return np.array([bool(one) for one in self.combinations], dtype=np.bool_)[self.combination]


def _sums(log: PracticeLog, values: FloatArray, students: int) -> FloatArray:
    return np.bincount(log.student, weights=np.nan_to_num(values), minlength=students).astype(np.float64)


def _medians(student: IntArray, values: FloatArray, students: int) -> FloatArray:
    """Median of each student's known values, NaN without any; one sort for all."""
    known = ~np.isnan(values)
    who, held = student[known], values[known]
    # By value, then stably by student: small numbers are sorted by their digits, which two keys at once are not.
    order = np.argsort(held)
    small = who[order].astype(np.uint16) if students <= np.iinfo(np.uint16).max else who[order]
    held = held[order[np.argsort(small, kind="stable")]]
    n = np.bincount(who, minlength=students)
    begin = np.cumsum(n) - n
    found = np.full(students, np.nan)
    some = n > 0
    low, high = begin[some] + (n[some] - 1) // 2, begin[some] + n[some] // 2
    found[some] = (held[low] + held[high]) / 2
    return found


def _kinds(log: PracticeLog, students: int) -> tuple[IntArray, int]:
    """Different kinds of each student, and of the whole class; entries without a kind do not count."""
    named = ~log.is_kind("")
    met = np.zeros((students, max(1, log.kinds.size)), dtype=np.bool_)
    met[log.student[named], log.kind[named]] = True
    return met.sum(axis=1).astype(np.int64), int(met.any(axis=0).sum())


def practice(log: PracticeLog, students: int, period: Period, goals: PracticeGoals) -> Practice:
    """Practice of each of ``students`` in a period, against that period's goals.

    Amount low: known minutes below 85 % of the goal's part of the school days that are over, and no entry
    whose minutes are unknown. Accuracy low: the upper end of its 80 % Wilson interval below the goal. Too
    hard, too easy: the median level above or below the reader's range; one kind only: five entries or more
    of one kind where the class has others; not seen: no entry for 10 school days, once as many of the
    period are over. What is missing gives no reason. Strong: the lower end of the accuracy's interval at or above
    the goal, the amount reached so far, and at most one kind only or too easy as reasons.
    Raises BadInput for an entry of a student who is not there or goals of other shapes.
    Source: definitions; Wilson (1927); thresholds are common practice.
    """
    if log.student.size and not 0 <= log.student.min() <= log.student.max() < students:
        raise BadInput(f"an entry is about student {log.student.max()}; there are {students}")
    for own in fields(goals):
        if getattr(goals, own.name).shape != (students,):
            raise BadInput(f"{own.name} must have a goal for each of {students} students")
    known = log.where(log.day <= period.today)
    now = known.where((known.day >= period.first) & (known.day <= period.last))
    entries = np.bincount(now.student, minlength=students)
    untimed = np.bincount(now.student, weights=np.isnan(now.minutes), minlength=students).astype(np.int64)
    minutes = np.where((entries > 0) & (untimed == entries), np.nan, _sums(now, now.minutes, students))
    both = ~np.isnan(now.items + now.right)
    items = _sums(now, np.where(both, now.items, 0), students)
    right = _sums(now, np.where(both, now.right, 0), students)
    accuracy = right / np.where(items > 0, items, np.nan)
    surely_above, surely_below = wilson_interval(right, items, SURE)
    level = _medians(now.student, now.level, students)
    kinds, several = _kinds(now, students)
    latest = np.full(students, np.iinfo(np.int64).min, dtype=np.int64)
    np.maximum.at(latest, known.student, known.day.astype(np.int64))
    # The least number stands for no day.
    last: NDArray[np.datetime64] = latest.view("datetime64[D]")
    # The day of the entry is not a day without one.
    since = period.days(
        np.asarray(last + np.timedelta64(1, "D"), dtype="datetime64[D]"), np.full(students, period.today)
    )
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
    due = goals.minutes * period.elapsed
    strong = (surely_above >= goals.accuracy) & ~table[:, :4].any(axis=1) & ((minutes >= due) | np.isnan(due))
    codes, combination = np.unique(table @ (1 << np.arange(len(REASONS))), return_inverse=True)
    combinations = tuple(
        tuple(reason for at, reason in enumerate(REASONS) if code >> at & 1) for code in codes.tolist()
    )
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
        now,
        combinations,
        combination.astype(np.int64),
        {reason: int(off[reason].sum()) for reason in REASONS},
        strong,
    )


def share_by(names: Labels, codes: IntArray, minutes: ArrayLike) -> dict[str, float]:
    """Share of the minutes under each label (kind or help), largest first, then by name; adds up to 1.

    ``codes``: each entry's place in ``names``, as a log holds them. Entries without a label stand under ""; entries
    whose minutes are not known do not count. Raises BadInput for other shapes, negative minutes or no minute at all.
    """
    amount = floats("minutes", minutes)
    if codes.shape != amount.shape or codes.ndim != 1:
        raise BadInput(f"codes and minutes must be alike: {codes.shape}, {amount.shape}")
    if (amount < 0).any():
        raise BadInput("minutes cannot be negative")
    timed = ~np.isnan(amount)
    sums = np.bincount(codes[timed], weights=amount[timed], minlength=names.size)
    met = np.bincount(codes[timed], minlength=names.size) > 0
    whole = float(positive("the sum of minutes", sums.sum()))
    shares = {str(names[at]): float(sums[at]) / whole for at in np.flatnonzero(met)}
    return dict(sorted(shares.items(), key=lambda row: (-row[1], row[0])))
