"""One student on one time axis: tests as threads, weekly results, help, practice, days away, and what is due."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.norms.threads import Place, Thread
from bodkin.answers.comparison.step_answer import Names, StudentRow, display_name
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.student.parts import StandardSeen, StrandLine, part_words, scale_words, strand_lines
from bodkin.answers.student.said import SaidOfStudent, said_of
from bodkin.answers.student.threads import counted_point
from bodkin.core.windows import day_words
from bodkin.store.reads.student.record import DayRecord, PlaceRecord, SpanRecord, StudentRecord
from bodkin.store.reads.student.sittings import SittingRecord
from bodkin.store.reads.table.score_table import ScoreTable

Lane = Literal[
    "school", "group", "session", "program", "accommodation", "absence", "grade", "goal", "note", "decision", "retest"
]
SOON = timedelta(days=14)
"""Reviews so near are due."""


class WeeklyLine(BaseModel):
    """Weekly results of a test; aim line and trend of the student's group as Follow-up draws them, and its word."""

    title: str
    points: list[Place]
    aim: list[Place] = []
    trend: list[Place] = []
    said: str | None = None


class SpanSeen(BaseModel):
    """Something that was so between two days; an open end is empty."""

    lane: Lane
    first: date | None
    last: date | None
    words: str


class MarkSeen(BaseModel):
    """Something on a day; ``size``: minutes or points where they are known."""

    lane: Lane
    on: date
    kind: str
    words: str
    size: float | None


class ResultRow(BaseModel):
    """A sitting in the table; a result that does not count says so and has neither percentile nor band."""

    id: int
    title: str
    window: str | None
    on: date | None
    grade: str | None
    language: str | None
    score: float | None
    low: float | None
    high: float | None
    percentile: float | None
    basis: str | None = Field(description="the norm group of the percentile")
    band: str | None
    norm_mean: float | None
    district_mean: float | None
    since_before: float | None = Field(description="points since the counted result before it")
    minutes: float | None
    accommodations: str | None
    parts: str | None = Field(description="scores or points of the strands, in words")
    scales: str | None = Field(description="the result on its other scales, in words")
    state: str | None
    why: str | None


class StudentPage(BaseModel):
    """Everything about one student, as far as the reader may know it, up to ``last``.

    ``as_of``: the school year at whose end the page looks, None for now; ``changed``: what came since the reader
    looked on ``looked``.
    """

    student_id: str
    name: str
    as_of: str | None
    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]
    first: date
    last: date
    years: list[date] = Field(description="first days of school years on the axis")
    rosters: list[str] = Field(description="school years the student can be looked at as of")
    said: list[SaidOfStudent]
    looked: date | None
    changed: list[str]
    due: list[str]
    threads: list[Thread]
    strands: list[StrandLine]
    standards: list[StandardSeen]
    weekly: list[WeeklyLine]
    practice: list[Place] = Field(description="minutes of practice by the Monday of the week")
    spans: list[SpanSeen]
    marks: list[MarkSeen]
    results: list[ResultRow]


@dataclass(frozen=True, slots=True)
class AroundStudent:
    """What other answers say of the student: the round in each subject, what to teach next, practice, decisions.

    ``rounds``: by the name of the measure; ``next_skill`` and ``likely``, the outcome to come: a sentence and how it
    was worked out; ``weekly``: results between the windows with what Follow-up says of them.
    """

    rounds: Mapping[str, StudentRow] = field(default_factory=dict)
    next_skill: tuple[str, str] | None = None
    likely: tuple[str, str] | None = None
    practice: Mapping[date, float] = field(default_factory=dict)
    decisions: Sequence[DayRecord] = ()
    due: Sequence[str] = ()
    weekly: Sequence[WeeklyLine] = ()
    standards: Sequence[StandardSeen] = ()
    looked: date | None = None
    changed: Sequence[str] = ()


def _results(sittings: Sequence[SittingRecord], threads: Sequence[Thread]) -> list[ResultRow]:
    """Every sitting, the latest first, with what the threads say of the counted ones."""
    rows = []
    for one in sittings:
        place = counted_point(one, threads)
        point = before = None
        if place is not None:
            thread, at = place
            point, before = thread.points[at], thread.points[at - 1] if at else None
        ends = (
            (None, None) if one.score is None or one.error is None else (one.score - one.error, one.score + one.error)
        )
        rows.append(
            ResultRow(
                id=one.id, title=measure_title(one.assessment, one.subject), window=one.window, on=one.tested_on,
                grade=one.grade, language=one.language, score=one.score, low=ends[0], high=ends[1],
                percentile=point.percentile if point else None,
                basis=one.basis if point and point.percentile is not None else None,
                band=point.band if point else None, norm_mean=point.norm_mean if point else None,
                district_mean=point.district_mean if point else None,
                since_before=point.score - before.score if point and before else None, minutes=one.minutes,
                accommodations=one.accommodations, parts=part_words(one), scales=scale_words(one), state=one.state,
                why=", ".join(part for part in (one.state_why, one.state_by) if part) or None,
            )
        )  # fmt: skip
    return rows


def _spans(lane: Lane, spans: Sequence[SpanRecord]) -> list[SpanSeen]:
    return [SpanSeen(lane=lane, first=one.first, last=one.last, words=one.words) for one in spans]


def _marks(lane: Lane, days: Sequence[DayRecord]) -> list[MarkSeen]:
    return [MarkSeen(lane=lane, on=one.on, kind=one.kind, words=one.words, size=one.size) for one in days]


def due_words(record: StudentRecord, today: date) -> list[str]:
    """Retests that were asked for, and goals that are looked at again by two weeks from now, the next first."""
    near = [one for one in record.reviews if one.on <= today + SOON]
    return [
        *(f"retest in {one.words}, asked for on {day_words(one.on)}" for one in record.retests),
        *(f"review {one.words}, {day_words(one.on)}" for one in near),
    ]


def _places(places: Sequence[PlaceRecord]) -> list[SpanSeen]:
    """School and grade of each year; years whose days are not known are left out."""
    return [
        SpanSeen(
            lane="school", first=one.first, last=one.last,
            words=", ".join(part for part in (one.grade and f"grade {one.grade}", one.school) if part),
        )
        for one in places
        if one.first is not None and (one.school or one.grade)
    ]  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a student is on the page: now, or at the end of a school year."""

    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]


def _place(table: ScoreTable, student: str, record: StudentRecord, as_of: str | None) -> _Place:
    if as_of is not None:
        then = next(one for one in record.places if one.year == as_of)
        programs = sorted({
            one.words for one in record.programs
            if then.last is None or ((one.first is None or one.first <= then.last)
                                     and (one.last is None or one.last >= then.last))
        })  # fmt: skip
        return _Place(then.grade, then.school, then.section, programs)
    place = table.roster.filter(pl.col("student_id") == student)
    now = place.row(0, named=True) if place.height else {}
    return _Place(now.get("grade"), now.get("school"), now.get("section"), now.get("programs") or [])


def student_page(
    student: str, table: ScoreTable, record: StudentRecord, threads: Sequence[Thread], around: AroundStudent,
    names: Names, today: date, as_of: str | None = None,
) -> StudentPage:  # fmt: skip
    """A student's page from the record, the threads and what other answers say, up to ``today``.

    ``as_of``: the school year that ended on that day, for the page as it was then.
    """
    sessions = [one for _, one in record.sessions if one.on <= today]
    spans = [
        *_places(record.places), *_spans("group", [one for _, one in record.groups]),
        *_spans("program", record.programs), *_spans("accommodation", record.accommodations),
    ]  # fmt: skip
    marks = [
        *_marks("session", sessions), *_marks("absence", record.absences), *_marks("grade", record.grades),
        *_marks("goal", record.goals), *_marks("note", record.notes), *_marks("decision", around.decisions),
        *_marks("retest", record.retests),
    ]  # fmt: skip
    if as_of is not None:
        # What was still to come then is not told.
        spans = [one for one in spans if one.first is None or one.first <= today]
        marks = [one for one in marks if one.on <= today]
    practice = [
        Place(on=monday, score=minutes) for monday, minutes in sorted(around.practice.items()) if monday <= today
    ]
    days = [point.on for thread in threads for point in thread.points]
    days += [one.on for one in marks] + [point.on for line in around.weekly for point in line.points]
    days += [one.on for one in practice]
    first = min(days, default=today - timedelta(days=365))
    begun = [year.first_day for year in table.calendar.years.values() if year.last_day >= np.datetime64(first, "D")]
    starts: list[date] = sorted(day.astype("datetime64[D]").astype(object) for day in begun)
    years = [day for day in starts if day <= today]
    # Of a test in two languages the one that the round is in comes first.
    rounds = [row["to_score"] for row in around.rounds.values() if row["to_score"] is not None]
    first_measure = (threads[0].assessment, threads[0].subject) if threads else None
    threads = sorted(
        threads,
        key=lambda one: ((one.assessment, one.subject) != first_measure, one.points[-1].score not in rounds[:1]),
    )
    place = _place(table, student, record, as_of)
    sittings = [one for one in record.sittings if as_of is None or (one.tested_on or today) <= today]
    return StudentPage(
        student_id=student, name=display_name(names, student), as_of=as_of, grade=place.grade, school=place.school,
        section=place.section, programs=place.programs, first=min([first, *years[:1]]), last=today, years=years,
        rosters=[one.year for one in record.places if one.last is not None],
        said=said_of(around.rounds, threads, sessions, around.next_skill, around.likely), looked=around.looked,
        changed=list(around.changed), due=[] if as_of is not None else [*due_words(record, today), *around.due],
        threads=list(threads), strands=strand_lines(sittings, threads),
        standards=[one for one in around.standards if one.on <= today], weekly=list(around.weekly), practice=practice,
        spans=spans, marks=marks, results=_results(sittings, threads),
    )  # fmt: skip
