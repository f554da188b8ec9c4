"""Tests as they are set up: norms over the year, cuts beside them, and what is missing or wrong."""

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.norms.norm_points import NOMINAL_WEEKS, NormPoint, middle_point, norm_points
from bodkin.core.errors import CutFault, NotFound
from bodkin.core.scores.cuts import CutRow, cut_set
from bodkin.core.scores.scales import score_at_percentile
from bodkin.core.windows import SEASONS, grade_key
from bodkin.store.reads.table.score_table import ScoreTable


class MeasureLine(BaseModel):
    """A test in a subject, and how much of it there is."""

    assessment: str
    subject: str
    results: int
    norms: int
    growth_norms: int
    cuts: int


class CutLine(BaseModel):
    """Lowest scores of the bands above the lowest, at one season (none: the year-end cuts).

    A percentile cut stands as the score of that percentile; ``from_percentiles`` says so, and
    ``kept`` holds the cuts as they are kept. An entry of ``lows`` is missing where there are no
    norms to find it by.
    """

    season: str | None
    week: float
    lows: list[float | None]
    kept: list[float]
    from_percentiles: bool


class GradeSetup(BaseModel):
    """One grade of a test."""

    grade: str
    results: int
    bands: list[str]
    norms: list[NormPoint]
    cuts: list[CutLine]
    faults: list[str]


class MeasureAnswer(BaseModel):
    """A test in a subject as it is set up, grade by grade; ``faults`` of all grades together."""

    assessment: str
    subject: str
    grades: list[GradeSetup]
    faults: list[str]


def measures(table: ScoreTable) -> list[MeasureLine]:
    """Every test in every subject that anything is known of."""
    frames = {"results": table.results, "norms": table.norms, "growth_norms": table.growth_norms, "cuts": table.cuts}
    counted = {name: dict(_counts(frame)) for name, frame in frames.items()}
    known = sorted({measure for counts in counted.values() for measure in counts})
    return [
        MeasureLine(
            assessment=assessment,
            subject=subject,
            **{name: counts.get((assessment, subject), 0) for name, counts in counted.items()},
        )
        for assessment, subject in known
    ]


def _counts(frame: pl.DataFrame) -> list[tuple[tuple[str, str], int]]:
    rows = frame.group_by("assessment", "subject").len().iter_rows()
    return [((assessment, subject), n) for assessment, subject, n in rows]


def measure(table: ScoreTable, assessment: str, subject: str) -> MeasureAnswer:
    """A test in a subject. Raises NotFound where nothing is known of it."""
    own = (pl.col("assessment") == assessment) & (pl.col("subject") == subject)
    results, norms, cuts = (frame.filter(own) for frame in (table.results, table.norms, table.cuts))
    if not (results.height or norms.height or cuts.height):
        raise NotFound("There is no such test.")
    tested = {grade: n for grade, n in results.group_by("grade").len().iter_rows() if grade is not None}
    grades = sorted({*tested, *norms["grade"], *cuts["grade"]}, key=grade_key)
    by_grade = [_grade(grade, tested.get(grade, 0), norms, cuts) for grade in grades]
    faults = [f"Grade {one.grade}: {fault}" for one in by_grade for fault in one.faults]
    return MeasureAnswer(assessment=assessment, subject=subject, grades=by_grade, faults=faults)


def _grade(grade: str, tested: int, norms: pl.DataFrame, cuts: pl.DataFrame) -> GradeSetup:
    points = norm_points(norms.filter(pl.col("grade") == grade))
    rows = cuts.filter(pl.col("grade") == grade)
    faults: list[str] = []
    lines: list[CutLine] = []
    bands: list[str] = []
    there = set(rows["season"])
    for season in (*SEASONS, None):
        if season not in there:
            continue
        own = rows.filter(pl.col("season").eq_missing(pl.lit(season, dtype=pl.String)))
        try:
            found = cut_set(
                [CutRow(*row) for row in own.select("order", "band", "min_score", "min_percentile").iter_rows()]
            )
        except CutFault as error:
            faults.append(f"{season or 'year-end'} cuts: {error}")
            continue
        bands = list(found.bands)
        lines.append(_line(season, found.cuts, points, from_percentiles=found.kind == "percentile"))
    if tested:
        faults += _missing(tested, points, there)
    return GradeSetup(grade=grade, results=tested, bands=bands, norms=points, cuts=lines, faults=faults)


def _line(season: str | None, cuts: Sequence[float], points: Sequence[NormPoint], *, from_percentiles: bool) -> CutLine:
    at = middle_point(season, points)
    lows: list[float | None] = list(cuts)
    if from_percentiles:
        lows = [float(score_at_percentile(cut, at.mean, at.sd)) if at else None for cut in cuts]
    week = at.week if at else NOMINAL_WEEKS[season or SEASONS[-1]]
    return CutLine(season=season, week=week, lows=lows, kept=list(cuts), from_percentiles=from_percentiles)


def _missing(tested: int, points: Sequence[NormPoint], cut_seasons: set[str | None]) -> list[str]:
    """What a grade with results lacks."""
    found = []
    seasons = {point.season for point in points}
    if not points:
        found.append(f"there are {tested} results and no norms")
    elif lacking := [season for season in SEASONS if season not in seasons]:
        found.append(f"there are no norms for {' and '.join(lacking)}")
    if not cut_seasons:
        found.append(f"there are {tested} results and no cuts")
    elif None not in cut_seasons and (lacking := [season for season in SEASONS if season not in cut_seasons]):
        found.append(f"there are no cuts for {' and '.join(lacking)}, and no year-end cut in their place")
    return found
