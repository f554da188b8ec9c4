"""Tests as threads over the years: each counted result with its range, place and band; of many students at once."""

from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import date

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.norms.expectation import window_means
from bodkin.answers.comparison.norms.placed import placed
from bodkin.answers.comparison.pairing import counted, results_of_students
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.core.windows import parse_window
from bodkin.store.reads.table.score_table import ScoreTable


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


class BandLine(BaseModel):
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
    cuts: list[BandLine]
    scales: list[ScaleLine] = []


def kept_points(threads: Sequence[Thread], keep: Callable[[ThreadPoint], bool]) -> list[Thread]:
    """Threads with some of their points, and the cuts and scales of the same days; those without any are left out."""
    found = []
    for thread in threads:
        points = [one for one in thread.points if keep(one)]
        days = {one.on for one in points}
        cuts = [
            line.model_copy(update={"points": [one for one in line.points if one.on in days]}) for line in thread.cuts
        ]
        scales = [
            line.model_copy(update={"points": [one for one in line.points if one.on in days]}) for line in thread.scales
        ]
        if points:
            more = {"cuts": [one for one in cuts if one.points], "scales": [one for one in scales if one.points]}
            found.append(thread.model_copy(update={"points": points, **more}))
    return found


class _Lines:
    """Points, bands and cuts of each student while the windows are gone through."""

    def __init__(self) -> None:
        self.points: dict[str, list[ThreadPoint]] = {}
        self.bands: dict[str, dict[int, str]] = {}
        self.cuts: dict[str, dict[int, list[Place]]] = {}

    def thread(self, student: str, scope: Scope, title: str) -> Thread:
        """The thread of a student with points."""
        bands, cuts = self.bands[student], self.cuts.get(student, {})
        return Thread(
            assessment=scope.assessment, subject=scope.subject, language=scope.language, title=title,
            bands=[bands[order] for order in sorted(bands)],
            points=sorted(self.points[student], key=lambda one: one.on),
            cuts=[
                BandLine(band=bands.get(order, ""), order=order, points=sorted(own, key=lambda one: one.on))
                for order, own in sorted(cuts.items())
            ],
        )  # fmt: skip


def _lines(table: ScoreTable, held: pl.DataFrame, scope: Scope) -> _Lines:
    """A measure in one language from the counted results in windows of some students."""
    found = _Lines()
    # The district's mean is that of the whole test, as beside the rows of Growth.
    means = window_means(table, scope)
    windows = {str(name): rows for (name,), rows in held.partition_by("window", as_dict=True).items()}
    for name in sorted(windows, key=parse_window):
        rows = windows[name]
        at = placed(table, scope, parse_window(name), rows)
        span, districts = table.calendar.windows.get(name), means.get(name, {})
        for place, row in enumerate(rows.iter_rows(named=True)):
            on = row["tested_on"] or (span[0] if span else None)
            if on is None:
                continue
            student, error, rank = row["student_id"], row["standard_error"], float(at.percentile[place])
            order, norm_mean = at.order[place], float(at.norm_mean[place])
            found.points.setdefault(student, []).append(
                ThreadPoint(
                    window=name, on=on, grade=row["grade"], score=row["score"],
                    low=None if error is None else row["score"] - error,
                    high=None if error is None else row["score"] + error,
                    percentile=None if np.isnan(rank) else rank, order=None if np.isnan(order) else int(order),
                    band=at.band(place), norm_mean=None if np.isnan(norm_mean) else norm_mean,
                    district_mean=districts.get(row["grade"] or ""),
                )
            )  # fmt: skip
            found.bands.setdefault(student, {}).update(at.names)
            for cut, line in enumerate(at.lines[place].tolist(), start=2):
                if not np.isnan(line):
                    found.cuts.setdefault(student, {}).setdefault(cut, []).append(Place(on=on, score=line))
    return found


def _languages(rows: pl.DataFrame) -> dict[str | None, list[str]]:
    """Who has results in a language beside another one, by the language; under None who has one language only."""
    spoken = rows.group_by("student_id", maintain_order=True).agg(pl.col("language").unique(maintain_order=True))
    languages: dict[str | None, list[str]] = {}
    for student, own in spoken.iter_rows():
        for language in own if len(own) > 1 else [None]:
            languages.setdefault(language, []).append(student)
    return languages


def threads_of_many(
    table: ScoreTable, students: Collection[str], measures: Sequence[tuple[str, str]], scope: Scope
) -> Mapping[str, list[Thread]]:
    """Every measure with results in windows, each language by itself, in the order of ``measures``, by student.

    A student with results in one language only has one thread without a language. ``scope`` says which cuts hold
    and, by its reach, how much of the district's means may be told.
    """
    found: dict[str, list[Thread]] = {}
    in_windows = results_of_students(table, students).filter(
        pl.col("window").is_not_null(), pl.col("score").is_not_null()
    )
    for assessment, subject in measures:
        mine = in_windows.filter(pl.col("assessment") == assessment, pl.col("subject") == subject)
        for language, speakers in _languages(mine).items():
            asked = Scope(
                assessment=assessment, subject=subject, from_window=scope.from_window, to_window=scope.to_window,
                matched=False, cuts=scope.cuts, language=language, reach=scope.reach,
            )  # fmt: skip
            title = measure_title(assessment, subject) + (f" in {language}" if language else "")
            own = mine if language is None else mine.filter(pl.col("language") == language)
            held = counted(own.filter(pl.col("student_id").is_in(speakers)), ["student_id", "window"])
            lines = _lines(table, held, asked)
            for student in speakers:
                if student in lines.points:
                    found.setdefault(student, []).append(lines.thread(student, asked, title))
    return found
