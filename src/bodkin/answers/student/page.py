"""One student on one time axis: tests as threads, weekly results, help, practice, days away, and what is due."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.norms.placed import placed
from bodkin.answers.comparison.pairing import of_window, results_of
from bodkin.answers.comparison.step_answer import Names, StudentRow, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import signed
from bodkin.core.windows import day_words, parse_window
from bodkin.store.reads.score_table import ScoreTable
from bodkin.store.reads.student_data import DayRecord, SittingRecord, SpanRecord, StudentRecord

Lane = Literal["group", "session", "program", "accommodation", "absence", "grade", "goal", "note", "decision"]
SOON = timedelta(days=14)
"""Reviews so near are due."""


class Place(BaseModel):
    """A place on a line."""

    on: date
    score: float


class ThreadPoint(BaseModel):
    """A counted result: its range is one standard error either way; percentile and band by its own day and grade."""

    window: str
    on: date
    grade: str | None
    score: float
    low: float | None
    high: float | None
    percentile: float | None
    order: int | None
    band: str | None


class CutLine(BaseModel):
    """The lowest score of a band, as it rises with grade and season."""

    band: str
    order: int
    points: list[Place]


class Thread(BaseModel):
    """One test, subject and language over the years, in the order of days."""

    assessment: str
    subject: str
    language: str | None
    title: str
    bands: list[str]
    points: list[ThreadPoint]
    cuts: list[CutLine]


class Weekly(BaseModel):
    """Weekly results of a test, with every goal set for them."""

    title: str
    points: list[Place]


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
    band: str | None
    since_before: float | None = Field(description="points since the counted result before it")
    minutes: float | None
    accommodations: str | None
    state: str | None
    why: str | None


class SaidOfStudent(BaseModel):
    """One of the things one would say first; ``explained``: how it was worked out."""

    what: Literal["standing", "growth", "next", "session"]
    sentence: str
    explained: str


class StudentPage(BaseModel):
    """Everything about one student, as far as the reader may know it."""

    student_id: str
    name: str
    grade: str | None
    school: str | None
    section: str | None
    programs: list[str]
    first: date
    last: date
    years: list[date] = Field(description="first days of school years on the axis")
    said: list[SaidOfStudent]
    due: list[str]
    threads: list[Thread]
    weekly: list[Weekly]
    practice: list[Place] = Field(description="minutes of practice by the Monday of the week")
    spans: list[SpanSeen]
    marks: list[MarkSeen]
    results: list[ResultRow]


@dataclass(frozen=True, slots=True)
class Around:
    """What other answers say of the student: the round in each subject, what to teach next, practice, decisions.

    ``rounds``: by the name of the measure; ``next_skill``: a sentence and how it was worked out.
    """

    rounds: Mapping[str, StudentRow]
    next_skill: tuple[str, str] | None
    practice: Mapping[date, float]
    decisions: Sequence[DayRecord]
    due: Sequence[str]


def _thread(table: ScoreTable, student: str, scope: Scope, windows: Collection[str], title: str) -> Thread:
    """A measure in one language over the windows in which the student has a result."""
    points: list[ThreadPoint] = []
    bands: dict[int, str] = {}
    cuts: dict[int, list[Place]] = {}
    for name in sorted(windows, key=parse_window):
        window = parse_window(name)
        held = of_window(table, scope, window).filter(pl.col("student_id") == student)
        if not held.height:
            continue
        found = placed(table, scope, window, held)
        row = held.row(0, named=True)
        span = table.calendar.windows.get(name)
        on = row["tested_on"] or (span[0] if span else None)
        if on is None:
            continue
        error, rank = row["standard_error"], float(found.percentile[0])
        points.append(
            ThreadPoint(
                window=name, on=on, grade=row["grade"], score=row["score"],
                low=None if error is None else row["score"] - error,
                high=None if error is None else row["score"] + error, percentile=None if np.isnan(rank) else rank,
                order=None if np.isnan(found.order[0]) else int(found.order[0]), band=found.band(0),
            )
        )  # fmt: skip
        bands.update(found.names)
        for order, line in enumerate(found.lines[0].tolist(), start=2):
            if not np.isnan(line):
                cuts.setdefault(order, []).append(Place(on=on, score=line))
    points.sort(key=lambda one: one.on)
    names = [bands[order] for order in sorted(bands)]
    lines = [
        CutLine(band=bands.get(order, ""), order=order, points=sorted(own, key=lambda one: one.on))
        for order, own in sorted(cuts.items())
    ]
    return Thread(assessment=scope.assessment, subject=scope.subject, language=scope.language, title=title, bands=names,
                  points=points, cuts=lines)  # fmt: skip


def threads_of(table: ScoreTable, student: str, measures: Sequence[tuple[str, str]], scope: Scope) -> list[Thread]:
    """Every measure with results in windows, each language by itself, in the order of ``measures``."""
    found = []
    for assessment, subject in measures:
        mine = results_of(table, assessment, subject).filter(pl.col("student_id") == student)
        mine = mine.filter(pl.col("window").is_not_null())
        several = mine["language"].n_unique() > 1
        for (language,), own in mine.group_by("language", maintain_order=True):
            asked = Scope(
                assessment=assessment, subject=subject, from_window=scope.from_window, to_window=scope.to_window,
                matched=False, cuts=scope.cuts, language=language if several else None,
            )  # fmt: skip
            title = measure_title(assessment, subject) + (f" in {language}" if several and language else "")
            thread = _thread(table, student, asked, own["window"].unique().to_list(), title)
            if thread.points:
                found.append(thread)
    return found


def _results(sittings: Sequence[SittingRecord], threads: Sequence[Thread]) -> list[ResultRow]:
    """Every sitting, the latest first, with what the threads say of the counted ones."""
    counted = {
        (thread.assessment, thread.subject, point.on, point.score): (
            point, point.score - thread.points[at - 1].score if at else None
        )
        for thread in threads
        for at, point in enumerate(thread.points)
    }  # fmt: skip
    rows = []
    for one in sittings:
        known = None
        if one.state is None and one.tested_on is not None and one.score is not None:
            known = counted.get((one.assessment, one.subject, one.tested_on, one.score))
        point, since = known or (None, None)
        ends = (
            (None, None) if one.score is None or one.error is None else (one.score - one.error, one.score + one.error)
        )
        rows.append(
            ResultRow(
                id=one.id, title=measure_title(one.assessment, one.subject), window=one.window, on=one.tested_on,
                grade=one.grade, language=one.language, score=one.score, low=ends[0], high=ends[1],
                percentile=point.percentile if point else None, band=point.band if point else None, since_before=since,
                minutes=one.minutes, accommodations=one.accommodations, state=one.state,
                why=", ".join(part for part in (one.state_why, one.state_by) if part) or None,
            )
        )  # fmt: skip
    return rows


_VERDICTS = {
    "clearly_above": "clearly above expected, beyond test error",
    "clearly_below": "clearly below expected, beyond test error", "as_expected": "within test error of expected",
}  # fmt: skip


def _said(around: Around, threads: Sequence[Thread], sessions: Sequence[DayRecord]) -> list[SaidOfStudent]:
    """Standing, growth, what to teach next, the last session; what is not known is not said."""
    said = []
    for measure, row in around.rounds.items():
        # Of two languages the one that the round is in.
        ends = [row["to_score"], row["from_score"]]
        last = next(
            (one.points[-1] for one in threads if one.title.startswith(measure) and one.points[-1].score in ends), None
        )
        if last is not None:
            words = f"{measure}: {last.score:.0f}"
            if last.low is not None and last.high is not None:
                words += f" ({last.low:.0f} to {last.high:.0f})"
            if last.percentile is not None:
                words += f", percentile {last.percentile:.0f}"
            said.append(
                SaidOfStudent(what="standing", sentence=words + (f", {last.band}" if last.band else ""),
                              explained=row["explained"].split("\n")[0])
            )  # fmt: skip
        if row["gain"] is not None and row["expected_gain"] is not None:
            words = f"{measure}: {signed(row['gain'], 0)} points where {signed(row['expected_gain'], 0)} was expected"
            verdict = _VERDICTS.get(row["verdict"] or "", "")
            said.append(
                SaidOfStudent(what="growth", sentence=f"{words}; {verdict}".rstrip("; "), explained=row["explained"])
            )
    if around.next_skill is not None:
        said.append(SaidOfStudent(what="next", sentence=around.next_skill[0], explained=around.next_skill[1]))
    came = [one for one in sessions if one.kind == "came"]
    if came:
        last_one = came[-1]
        words = f"Last session {day_words(last_one.on)}, {last_one.words}"
        words += f", {last_one.size:.0f} minutes" if last_one.size else ""
        said.append(SaidOfStudent(what="session", sentence=words, explained=f"{len(came)} of {len(sessions)} sessions"))
    return said


def _spans(lane: Lane, spans: Sequence[SpanRecord]) -> list[SpanSeen]:
    return [SpanSeen(lane=lane, first=one.first, last=one.last, words=one.words) for one in spans]


def _marks(lane: Lane, days: Sequence[DayRecord]) -> list[MarkSeen]:
    return [MarkSeen(lane=lane, on=one.on, kind=one.kind, words=one.words, size=one.size) for one in days]


def due_words(record: StudentRecord, today: date) -> list[str]:
    """Goals that are looked at again by two weeks from now, the next first."""
    near = [one for one in record.reviews if one.on <= today + SOON]
    return [f"review {one.words}, {day_words(one.on)}" for one in near]


def student_page(
    student: str, table: ScoreTable, record: StudentRecord, threads: Sequence[Thread],
    weekly: Sequence[tuple[str, pl.DataFrame]], around: Around, names: Names, today: date,
) -> StudentPage:  # fmt: skip
    """A student's page from the record, the threads and what other answers say; ``weekly``: results by test."""
    sessions = [one for _, one in record.sessions]
    spans = [
        *_spans("group", [one for _, one in record.groups]), *_spans("program", record.programs),
        *_spans("accommodation", record.accommodations),
    ]  # fmt: skip
    marks = [
        *_marks("session", sessions), *_marks("absence", record.absences), *_marks("grade", record.grades),
        *_marks("goal", record.goals), *_marks("note", record.notes), *_marks("decision", around.decisions),
    ]  # fmt: skip
    lines = [
        Weekly(title=title, points=[Place(on=on, score=score) for on, score in own.select(
            "tested_on", "score").iter_rows() if on is not None])
        for title, own in weekly
    ]  # fmt: skip
    days = [point.on for thread in threads for point in thread.points]
    days += [one.on for one in marks] + [point.on for line in lines for point in line.points] + list(around.practice)
    first = min(days, default=today - timedelta(days=365))
    begun = [year.first_day for year in table.calendar.years.values() if year.last_day >= np.datetime64(first, "D")]
    years: list[date] = sorted(day.astype("datetime64[D]").astype(object) for day in begun)
    # Of a test in two languages the one that the round is in comes first.
    rounds = [row["to_score"] for row in around.rounds.values() if row["to_score"] is not None]
    first_measure = (threads[0].assessment, threads[0].subject) if threads else None
    threads = sorted(
        threads,
        key=lambda one: ((one.assessment, one.subject) != first_measure, one.points[-1].score not in rounds[:1]),
    )
    place = table.roster.filter(pl.col("student_id") == student)
    now = place.row(0, named=True) if place.height else {}
    return StudentPage(
        student_id=student, name=display_name(names, student), grade=now.get("grade"), school=now.get("school"),
        section=now.get("section"), programs=now.get("programs") or [], first=min([first, *years[:1]]), last=today,
        years=years, said=_said(around, threads, sessions), due=[*due_words(record, today), *around.due],
        threads=list(threads), weekly=lines,
        practice=[Place(on=monday, score=minutes) for monday, minutes in sorted(around.practice.items())],
        spans=spans, marks=marks, results=_results(record.sittings, threads),
    )  # fmt: skip
