"""One student's practice: the log of a period, week by week, and the patterns found in it."""

from datetime import date, timedelta

import numpy as np
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.practice.seen import PeriodSeen, PracticeSeen, entries_within, of_students
from bodkin.answers.words import percent, plural, signed
from bodkin.core.arrays import FloatArray
from bodkin.core.follow_up.patterns import Pattern, practice_patterns
from bodkin.core.follow_up.practice import PracticeLog

MOST = 400
"""Entries that are listed, the latest first."""
HUNDRED = 100.0
"""Words that a slope over length is said for."""


class LogEntry(BaseModel):
    """An entry of the log."""

    on: date
    text: str
    kind: str | None
    length: float | None
    level: float | None
    minutes: float | None
    help: str | None
    items: float | None
    right: float | None


class WeekOfPractice(BaseModel):
    """Minutes of the week that begins on a Monday, and its accuracy (0..1)."""

    monday: date
    minutes: float
    accuracy: float | None


class PatternSaid(BaseModel):
    """A pattern looked for: claimed or not, or not to be told from so few entries; with its evidence."""

    name: str
    claimed: bool | None
    n: int
    sentence: str
    evidence: str


class PracticeLogAnswer(BaseModel):
    """One student's log in a period with the patterns in it, those that are claimed first."""

    student_id: str
    name: str
    first: date
    last: date
    period: str
    headline: str
    n: int
    patterns: list[PatternSaid]
    weeks: list[WeekOfPractice]
    entries: list[LogEntry] = Field(description="the latest first")


_FOUND = {
    "longer": "Longer texts go worse", "harder": "Harder texts go worse", "too hard": "Most texts are too hard",
    "too easy": "Most texts are too easy",
}  # fmt: skip
_LOOKED = {
    "longer": "Longer texts", "harder": "Harder texts", "kind": "One kind beside the others", "help": "Alone or helped",
    "one kind only": "One kind only", "too hard": "Too hard", "too easy": "Too easy",
}  # fmt: skip


_NOT = {
    "one kind only": "Reads more than one kind", "too hard": "Too hard: not for sure",
    "too easy": "Too easy: not for sure",
}  # fmt: skip
"""What is said of a pattern that is no test against chance, where it is not claimed."""


ALONE = frozenset({"by self", "self", "alone", "independent", "independently", "by myself", "own", "none", "no help"})
"""How logs write that a student had no help."""


def _alone(log: PracticeLog) -> str:
    """The log's own word for no help."""
    return next((str(word) for word in log.helps if str(word).strip().lower() in ALONE), "by self")


def _points(share: float) -> str:
    """A difference of shares in points of a hundred."""
    return signed(100 * share, 0)


def _sentence(one: Pattern) -> str:
    if one.claimed is None:
        return f"{_LOOKED[one.name]}: too few entries to tell"
    if not one.claimed:
        return _NOT.get(one.name, f"{_LOOKED[one.name]}: nothing beyond chance")
    if one.name == "kind":
        return f"Texts of the kind {one.about} go worse than the others"
    if one.name == "help":
        return "Goes worse alone than helped" if (one.size or 0) < 0 else "Goes better alone than helped"
    if one.name == "one kind only":
        return f"Reads one kind only: {one.about}"
    return _FOUND[one.name]


def _evidence(one: Pattern) -> str:
    entries = plural(one.n, "entry", "entries")
    if one.size is None or (one.name != "one kind only" and (one.low is None or one.high is None)):
        return f"{entries}; {one.reason}"
    if one.name in ("too hard", "too easy", "one kind only"):
        of = f"of the kind {one.about}" if one.name == "one kind only" else "outside the reader's range"
        return f"{percent(one.size)} of {entries} {of}"
    times, beside = 1.0, "for one level more"
    if one.name == "longer":
        times, beside = HUNDRED, "for 100 more words"
    elif one.name in ("kind", "help"):
        beside = "beside the others"
    low, high = (one.low or 0.0) * times, (one.high or 0.0) * times
    return f"{_points(one.size * times)} points right {beside} ({_points(low)} to {_points(high)}); {entries}"


def practice_log_answer(
    seen: PracticeSeen, student: str, looked: PeriodSeen, reader: tuple[float | None, float | None], names: Names
) -> PracticeLogAnswer:
    """One student's log in a period; ``reader``: the easiest and hardest level of the student's range."""
    log = entries_within(of_students(seen, [student]), looked.first, min(looked.last, looked.today))
    easiest, hardest = (np.nan if end is None else end for end in reader)
    found = practice_patterns(log, easiest, hardest, _alone(log))
    found.sort(key=lambda one: {True: 0, False: 1, None: 2}[one.claimed])
    claimed = [one for one in found if one.claimed]
    days = log.day.astype(object).tolist()
    mondays: dict[date, list[int]] = {}
    for at, day in enumerate(days):
        mondays.setdefault(day - timedelta(days=day.weekday()), []).append(at)
    weeks = []
    for monday, mine in sorted(mondays.items()):
        known = ~np.isnan(log.items[mine] + log.right[mine])
        items = float(log.items[mine][known].sum())
        weeks.append(
            WeekOfPractice(monday=monday, minutes=float(np.nansum(log.minutes[mine])),
                           accuracy=float(log.right[mine][known].sum()) / items if items else None)
        )  # fmt: skip
    return PracticeLogAnswer(
        student_id=student, name=display_name(names, student), first=looked.first, last=looked.last,
        period=looked.name, n=len(days), headline=_headline(claimed, len(days)),
        patterns=[
            PatternSaid(name=one.name, claimed=one.claimed, n=one.n, sentence=_sentence(one), evidence=_evidence(one))
            for one in found
        ],
        weeks=weeks, entries=_entries(seen, student, looked),
    )  # fmt: skip


def _headline(claimed: list[Pattern], n: int) -> str:
    if not n:
        return "No practice in this period"
    if not claimed:
        return "No pattern beyond chance"
    first = _sentence(claimed[0])
    return first if len(claimed) == 1 else f"{first}, and {plural(len(claimed) - 1, 'more pattern')}"


def _entries(seen: PracticeSeen, student: str, looked: PeriodSeen) -> list[LogEntry]:
    """The entries of a period, the latest first."""
    log, place = seen.log, seen.place.get(student)
    if place is None:
        return []
    first, last = (np.datetime64(day, "D") for day in (looked.first, min(looked.last, looked.today)))
    mine = np.flatnonzero((log.student == place) & (log.day >= first) & (log.day <= last))
    mine = mine[np.argsort(log.day[mine], kind="stable")][::-1][:MOST]

    def known(values: FloatArray, at: int) -> float | None:
        return None if np.isnan(values[at]) else float(values[at])

    return [
        LogEntry(
            on=log.day[at].item(), text=seen.text[at], kind=str(log.kinds[log.kind[at]]) or None,
            length=known(log.length, at),
            level=known(log.level, at), minutes=known(log.minutes, at), help=str(log.helps[log.help[at]]) or None,
            items=known(log.items, at), right=known(log.right, at),
        )
        for at in mine.tolist()
    ]  # fmt: skip
