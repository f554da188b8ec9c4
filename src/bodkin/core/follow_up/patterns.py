"""Patterns behind practice: longer or harder texts, one kind of text, alone or helped, too hard or too easy."""

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy
from numpy.typing import ArrayLike

from bodkin.core.arrays import BoolArray, FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.follow_up.practice import ENTRIES_FOR_ONE_KIND, SURE, PracticeLog
from bodkin.core.scores.shares import wilson_interval

FEWEST_ENTRIES = 8
"""Entries below which no line over length or level is claimed (common practice)."""
FEWEST_OF_EACH = 4
"""Entries of each sort, such as alone and helped, below which they are not compared (common practice)."""
LENGTHS = 3
FEWEST_STUDENTS = 10
"""Students with entries of both sorts below which nothing is claimed of a class (common practice)."""
CHANCE = 0.05
"""Chance that a student without any pattern is told one, over all that was looked at together."""

ALIKE = 1e-9
"""Shares that differ by less are the same but for rounding, and have no scatter to test with."""

Name = Literal["longer", "harder", "kind", "help", "one kind only", "too hard", "too easy"]


@dataclass(frozen=True, slots=True)
class Pattern:
    """A pattern looked for: whether it is claimed, and on what.

    ``about``: the kind or the help it is about. ``n``: entries it rests on. ``size``: for longer and harder the
    change of accuracy (share) for one more unit of length or level, for kind and help the accuracy less that of
    the other entries, for the rest the share of entries; ``low`` and ``high``: its 95 % interval (80 % for too hard
    and too easy). ``p``: chance of a size as far from 0 without a pattern. ``claimed`` is None where there are too
    few entries, and then ``reason`` says what is needed.
    """

    name: Name
    n: int
    claimed: bool | None = None
    about: str = ""
    size: float | None = None
    low: float | None = None
    high: float | None = None
    p: float | None = None
    reason: str = ""


def _line(name: Name, x: FloatArray, accuracy: FloatArray) -> Pattern:
    """Accuracy over length or level; a line needs eight entries of three different lengths."""
    known = ~np.isnan(x + accuracy)
    n = int(known.sum())
    if n < FEWEST_ENTRIES or np.unique(x[known]).size < LENGTHS:
        what = "lengths" if name == "longer" else "levels"
        return Pattern(name, n, reason=f"needs {FEWEST_ENTRIES} entries of {LENGTHS} different {what}")
    found = scipy.stats.linregress(x[known], accuracy[known])
    reach = float(scipy.stats.t.ppf(0.975, n - 2)) * float(found.stderr)
    slope = float(found.slope)
    # Where accuracy never changes there is no line and nothing to test.
    p = 1.0 if np.ptp(accuracy[known]) < ALIKE else float(found.pvalue)
    return Pattern(name, n, size=slope, low=slope - reach, high=slope + reach, p=p)


def _beside(name: Name, about: str, accuracy: FloatArray, inside: BoolArray) -> Pattern:
    """Accuracy of some entries beside that of the others: Welch's test over entries, not over single items."""
    known = ~np.isnan(accuracy)
    a, b = accuracy[known & inside], accuracy[known & ~inside]
    n = a.size + b.size
    if min(a.size, b.size) < FEWEST_OF_EACH:
        return Pattern(name, n, about=about, reason=f"needs {FEWEST_OF_EACH} entries of each sort")
    size = float(a.mean() - b.mean())
    if max(np.ptp(a), np.ptp(b)) < ALIKE:
        return Pattern(name, n, about=about, reason="every entry of a sort went alike; their scatter is not known")
    # Welch's test by its formula: one sort may well go alike throughout, at which SciPy's own warns.
    parts = np.array([a.var(ddof=1) / a.size, b.var(ddof=1) / b.size])
    error, freedom = float(np.sqrt(parts.sum())), float(parts.sum() ** 2 / (parts**2 / [a.size - 1, b.size - 1]).sum())
    reach, p = float(scipy.stats.t.ppf(0.975, freedom)) * error, 2 * float(scipy.stats.t.sf(abs(size) / error, freedom))
    return Pattern(name, n, None, about, size, size - reach, size + reach, p)


def _beyond(name: Name, level: FloatArray, outside: BoolArray) -> Pattern:
    """The share of entries beyond the reader's range; claimed where surely more than half are."""
    n = int((~np.isnan(level)).sum())
    if n < ENTRIES_FOR_ONE_KIND:
        return Pattern(name, n, reason=f"needs {ENTRIES_FOR_ONE_KIND} entries with a level")
    k = int(outside.sum())
    low, high = wilson_interval(k, n, SURE)
    return Pattern(name, n, float(low) > 0.5, size=k / n, low=float(low), high=float(high))


def _one_kind(log: PracticeLog) -> Pattern:
    counts = {kind: int(log.is_kind(kind).sum()) for kind in log.known_kinds}
    n = sum(counts.values())
    if n < ENTRIES_FOR_ONE_KIND:
        return Pattern("one kind only", n, reason=f"needs {ENTRIES_FOR_ONE_KIND} entries with a kind")
    most = max(counts, key=lambda kind: counts[kind])
    return Pattern("one kind only", n, len(counts) == 1, most, counts[most] / n)


def practice_patterns(
    log: PracticeLog, easiest: float = np.nan, hardest: float = np.nan, alone: str = "by self"
) -> list[Pattern]:
    """Patterns in one student's log, each with its evidence; none is claimed below its number of entries.

    ``easiest``, ``hardest``: the reader's range, NaN where it is not known; ``alone``: the help that stands for
    none. Longer and harder are claimed where accuracy falls with length or level, a kind where it goes worse than
    the others, help where entries alone and helped differ; all of these together by a chance of 5 % over what was
    tested (Holm 1979). Raises BadInput for a log of several students.
    Source: ordinary least squares, Welch's t test (Welch 1947), Wilson (1927); numbers of entries are common
    practice.
    """
    if np.unique(log.student).size > 1:
        raise BadInput("patterns are those of one student's log")
    accuracy = _accuracy(log)
    found = [_line("longer", log.length, accuracy), _line("harder", log.level, accuracy)]
    kinds = log.known_kinds
    if len(kinds) > 1:
        named = np.where(log.is_kind(""), np.nan, accuracy)
        # Of two kinds one is better where the other is worse: it is looked at once.
        looked = [_beside("kind", kind, named, log.is_kind(kind)) for kind in kinds]
        found += [min(looked, key=lambda one: one.size or 0.0)] if len(kinds) == 2 else looked
    unsaid = log.is_help("")
    if not unsaid.all():
        found.append(_beside("help", alone, np.where(unsaid, np.nan, accuracy), log.is_help(alone)))
    found = _claimed(found)
    found.append(_one_kind(log))
    ranges: tuple[tuple[Name, float, BoolArray], ...] = (
        ("too hard", hardest, log.level > hardest), ("too easy", easiest, log.level < easiest),
    )  # fmt: skip
    found += [_beyond(name, log.level, outside) for name, limit, outside in ranges if not np.isnan(limit)]
    return found


def _accuracy(log: PracticeLog) -> FloatArray:
    tried = np.where(log.items > 0, log.items, np.nan)
    return np.asarray(log.right / tried, dtype=np.float64)


def _claimed(found: list[Pattern]) -> list[Pattern]:
    """What can be claimed of the patterns tested together, by Holm's steps."""
    tested = sorted((one for one in found if one.p is not None), key=lambda one: one.p or 0.0)
    sure: list[Pattern] = []
    for at, one in enumerate(tested):
        if one.p is None or one.p > CHANCE / (len(tested) - at):
            break
        sure.append(one)
    claimed = {id(one) for one in sure if one.name == "help" or (one.size or 0.0) < 0}
    return [one if one.p is None else replace(one, claimed=id(one) in claimed) for one in found]


@dataclass(frozen=True, slots=True)
class AccuracyGap:
    """How a class does on some entries beside the others, each student beside themselves.

    ``inside``, ``outside``: mean accuracy (share) over the students with enough of both; ``gap``: mean of their
    differences with the 95 % interval of a paired t test; all None below ten students.
    """

    n: int
    inside: float | None = None
    outside: float | None = None
    gap: float | None = None
    low: float | None = None
    high: float | None = None
    p: float | None = None


def accuracy_gaps(
    log: PracticeLog, which: ArrayLike, unit: ArrayLike, units: int, among: ArrayLike | None = None
) -> list[AccuracyGap]:
    """By unit the accuracy of students on the entries ``which`` names (shape (entries,), bool) less that on the others.

    ``unit``: each student's unit from 0 to below ``units``, shape (students,); ``among``: the entries that count, all
    where none are named. A student counts with three entries of each sort or more. Raises BadInput for other shapes,
    a unit that is not there or an entry of a student who is not there. Source: paired t test.
    """
    inside, of = np.asarray(which, dtype=np.bool_), np.asarray(unit, dtype=np.int64)
    counted = np.ones(inside.shape, dtype=np.bool_) if among is None else np.asarray(among, dtype=np.bool_)
    if inside.shape != log.student.shape or counted.shape != inside.shape:
        raise BadInput(f"which must have an entry for each of the log: {inside.shape}, {log.student.shape}")
    if log.student.size and not 0 <= log.student.min() <= log.student.max() < of.size:
        raise BadInput(f"an entry is about student {log.student.max()}; there are {of.size}")
    if of.size and not 0 <= of.min() <= of.max() < units:
        raise BadInput(f"a unit must be from 0 to below {units}")
    counted = counted & ~np.isnan(log.items + log.right) & (log.items > 0)
    # Both sorts of each student at once: twice the student, and one more for the entries inside.
    place = (2 * log.student + inside)[counted]
    n, items, right = (
        np.bincount(place, weights=values, minlength=2 * of.size).reshape(-1, 2)
        for values in (None, log.items[counted], log.right[counted])
    )
    share = right / np.where(items > 0, items, np.nan)
    enough = (n >= LENGTHS).all(axis=1)
    # Students in the order of their units, each unit's beside one another.
    mine = np.flatnonzero(enough)
    mine = mine[np.argsort(of[mine], kind="stable")]
    ends = np.searchsorted(of[mine], np.arange(units + 1))
    return [_gap(share[mine[first:last]]) for first, last in pairwise(ends.tolist())]


def _gap(share: FloatArray) -> AccuracyGap:
    """The gap of students from their shares outside (first column) and inside."""
    n = share.shape[0]
    if n < FEWEST_STUDENTS or np.ptp(share[:, 1] - share[:, 0]) < ALIKE:
        return AccuracyGap(n)
    found = scipy.stats.ttest_rel(share[:, 1], share[:, 0])
    ends = found.confidence_interval(0.95)
    outside, inside = share.mean(axis=0)
    gap = float((share[:, 1] - share[:, 0]).mean())
    return AccuracyGap(
        n, float(inside), float(outside), gap, float(ends.low), float(ends.high), float(found.pvalue)
    )  # fmt: skip
