"""The benchmark that rises through the year, as a line behind a student's results."""

from datetime import date, timedelta

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import quoted_order
from bodkin.store.reads.table.score_table import ScoreTable


class Point(BaseModel):
    """A result, or a place on a line."""

    on: date
    score: float


def benchmarks(table: ScoreTable, assessment: str, subject: str, first: date, last: date) -> dict[str, list[Point]]:
    """By grade the score at the benchmark in the middle of each window near a period; a line through the year.

    The lowest score of the quoted band of the season's cuts, else the norm's mean of the season.
    """
    cuts = table.cuts.filter(
        (pl.col("assessment") == assessment) & (pl.col("subject") == subject) & pl.col("min_score").is_not_null()
    )
    norms = table.norms.filter((pl.col("assessment") == assessment) & (pl.col("subject") == subject))
    marks: dict[tuple[str, str], float] = {}
    for grade, season, mean in norms.select("grade", "season", "mean").iter_rows():
        marks.setdefault((grade, season), mean)
    whole = table.cuts.filter((pl.col("assessment") == assessment) & (pl.col("subject") == subject))
    for (grade, season), own in cuts.drop_nulls("season").group_by("grade", "season"):
        bands = whole.filter((pl.col("grade") == grade) & (pl.col("season") == season)).height
        at = own.filter(pl.col("order") == quoted_order(bands))
        if at.height:
            marks[str(grade), str(season)] = float(at["min_score"][0])
    near = timedelta(days=150)
    found: dict[str, list[Point]] = {}
    for window, (begin, end) in sorted(table.calendar.windows.items(), key=lambda pair: pair[1]):
        middle = begin + (end - begin) / 2
        if not first - near <= middle <= last + near:
            continue
        for (grade, season), score in marks.items():
            if window.endswith(f" {season}"):
                found.setdefault(grade, []).append(Point(on=middle, score=score))
    return found
