"""What stands within the results of one student: strands over the years, part scores in words, and standards by day."""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Literal

from pydantic import BaseModel

from bodkin.answers.comparison.norms.threads import Place, Thread
from bodkin.answers.student.threads import counted_point
from bodkin.store.reads.student.sittings import PartRecord, SittingRecord

State = Literal["mastered", "nearly", "not yet", "thin evidence"]


class StrandLine(BaseModel):
    """A strand over the years: its score, or the percent of its points."""

    title: str
    strand: str
    of_points: bool
    points: list[Place]


class StandardSeen(BaseModel):
    """A standard with the state that counts, by the day of its evidence."""

    on: date
    standard: str
    text: str
    state: State


def _value(part: PartRecord) -> float | None:
    """A strand's score, else the percent of its points."""
    if part.score is not None:
        return part.score
    if part.points is None or not part.possible:
        return None
    return 100.0 * part.points / part.possible


def strand_lines(sittings: Sequence[SittingRecord], threads: Sequence[Thread]) -> list[StrandLine]:
    """The strands of the counted results, test by test in the order of the threads, by day."""
    lines: dict[tuple[str, str, bool], list[Place]] = {}
    titles = {thread.title: at for at, thread in enumerate(threads)}
    for sitting in reversed(sittings):
        found = counted_point(sitting, threads)
        if found is None or sitting.tested_on is None:
            continue
        for part in sitting.parts:
            value = _value(part)
            if value is not None:
                key = (found[0].title, part.strand, part.score is None)
                lines.setdefault(key, []).append(Place(on=sitting.tested_on, score=value))
    return [
        StrandLine(title=title, strand=strand, of_points=of_points, points=points)
        for (title, strand, of_points), points in sorted(lines.items(), key=lambda one: titles[one[0][0]])
    ]


def part_words(sitting: SittingRecord) -> str | None:
    """Strands of a result in words: scores, or points of the possible ones."""
    said = []
    for part in sitting.parts:
        if part.score is not None:
            said.append(f"{part.strand} {part.score:.0f}")
        elif part.points is not None:
            said.append(f"{part.strand} {part.points:g}" + (f" of {part.possible:g}" if part.possible else ""))
    return "; ".join(said) or None


def scale_words(sitting: SittingRecord) -> str | None:
    """Other scales of a result in words."""
    return "; ".join(f"{one.scale} {one.value}" for one in sitting.scales) or None


def standards_by_day(counting: Sequence[tuple[str, date | None, str]], texts: Mapping[str, str]) -> list[StandardSeen]:
    """Standards with evidence by day; ``counting``: standard, day and state. Evidence without a day is left out."""
    states: dict[str, State] = {"mastered": "mastered", "nearly": "nearly", "not yet": "not yet",
                                "thin evidence": "thin evidence"}  # fmt: skip
    found = [
        StandardSeen(on=on, standard=standard, text=texts.get(standard, standard), state=states[state])
        for standard, on, state in counting
        if on is not None and state in states
    ]
    return sorted(found, key=lambda one: (one.on, one.standard))
