"""The usual scores of a test, in a form a family can read."""

import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.norms.norm_points import middle_point, norm_points
from bodkin.answers.scope.sentence import measure_title
from bodkin.core.errors import NotFound
from bodkin.core.scores.scales import score_at_percentile
from bodkin.core.windows import SEASONS, grade_key
from bodkin.store.reads.table.score_table import ScoreTable


class NormLine(BaseModel):
    """A grade's usual scores: the mean of the middle norm row of each season, and the middle half about it."""

    grade: str
    means: list[float | None]
    lows: list[float | None]
    highs: list[float | None]


class NormTable(BaseModel):
    """What scores are usual, grade by grade and season by season, in a form a family can read."""

    title: str
    seasons: list[str]
    rows: list[NormLine]


QUARTERS = (25.0, 75.0)


def norm_table(table: ScoreTable, assessment: str, subject: str) -> NormTable:
    """The usual scores of a test. Raises NotFound where it has no norms."""
    norms = table.norms.filter((pl.col("assessment") == assessment) & (pl.col("subject") == subject))
    if not norms.height:
        raise NotFound("This test has no norms.")
    rows = []
    for grade in sorted(set(norms["grade"]), key=grade_key):
        points = [middle_point(season, norm_points(norms.filter(pl.col("grade") == grade))) for season in SEASONS]
        ends = [
            [float(score_at_percentile(quarter, at.mean, at.sd)) if at else None for at in points]
            for quarter in QUARTERS
        ]
        means = [at.mean if at else None for at in points]
        rows.append(NormLine(grade=grade, means=means, lows=ends[0], highs=ends[1]))
    return NormTable(title=measure_title(assessment, subject), seasons=list(SEASONS), rows=rows)
