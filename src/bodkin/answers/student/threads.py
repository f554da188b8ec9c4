"""Tests of one student as threads over the years: each result with its range, place and band, gaps left open."""

from collections.abc import Collection, Sequence
from datetime import date

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.norms.expectation import district_means
from bodkin.answers.comparison.norms.placed import placed
from bodkin.answers.comparison.pairing import of_window, results_of
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.core.windows import parse_window
from bodkin.store.reads.score_table import ScoreTable
from bodkin.store.reads.student.sittings import SittingRecord

SET_ASIDE = ("beside", "set aside")
"""States of results that count nowhere."""


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
    norm_mean: float | None
    district_mean: float | None = Field(description="of the same grade at the same window, from 30 students")


class ScalePoint(BaseModel):
    """A counted result on another of its scales: in words, and the middle of its range where it is a number."""

    on: date
    words: str
    value: float | None
    low: float | None
    high: float | None


class ScaleLine(BaseModel):
    """Another scale of a test over the years."""

    scale: str
    points: list[ScalePoint]


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
    scales: list[ScaleLine] = []


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
        # The district's mean is that of the whole test, as beside the rows of Growth.
        there = scope.model_copy(update={"from_window": name, "to_window": name, "language": None})
        district = district_means(table, there).get(row["grade"] or "")
        points.append(
            ThreadPoint(
                window=name, on=on, grade=row["grade"], score=row["score"],
                low=None if error is None else row["score"] - error,
                high=None if error is None else row["score"] + error, percentile=None if np.isnan(rank) else rank,
                order=None if np.isnan(found.order[0]) else int(found.order[0]), band=found.band(0),
                norm_mean=None if np.isnan(found.norm_mean[0]) else float(found.norm_mean[0]), district_mean=district,
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


def threads_of(
    table: ScoreTable,
    student: str,
    measures: Sequence[tuple[str, str]],
    scope: Scope,
    sittings: Sequence[SittingRecord],
) -> list[Thread]:
    """Every measure with results in windows, each language by itself, in the order of ``measures``.

    ``scope`` says which cuts hold and, by its reach, how much of the district's means may be told; ``sittings`` hold
    the other scales of the results.
    """
    found = []
    for assessment, subject in measures:
        mine = results_of(table, assessment, subject).filter(pl.col("student_id") == student)
        mine = mine.filter(pl.col("window").is_not_null())
        several = mine["language"].n_unique() > 1
        for (language,), own in mine.group_by("language", maintain_order=True):
            asked = Scope(
                assessment=assessment, subject=subject, from_window=scope.from_window, to_window=scope.to_window,
                matched=False, cuts=scope.cuts, language=language if several else None, reach=scope.reach,
            )  # fmt: skip
            title = measure_title(assessment, subject) + (f" in {language}" if several and language else "")
            thread = _thread(table, student, asked, own["window"].unique().to_list(), title)
            if thread.points:
                found.append(thread.model_copy(update={"scales": _scales(thread, sittings)}))
    return found


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
