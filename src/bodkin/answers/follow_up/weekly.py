"""Weekly results as they are typed in: those that are far from what is usual for the student ask first."""

from collections.abc import Mapping, Sequence
from datetime import date

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.store.reads.table.score_table import ScoreTable

WILD_TIMES, WILD_POINTS, WILD_AFTER = 2.0, 10.0, 3
"""So many times the usual or a part of it, and so many points away, after so many results (common practice)."""


class Wild(BaseModel):
    """A result that is far from what is usual for the student."""

    student_id: str
    name: str
    score: float
    usual: float


def usual_of(before: Sequence[float]) -> float | None:
    """The median of the last three results; None with fewer."""
    return float(np.median(before[-WILD_AFTER:])) if len(before) >= WILD_AFTER else None


def is_wild(score: float, usual: float | None) -> bool:
    """Whether a result may be a slip of the keys: twice the usual or half of it, and ten points away at least."""
    if usual is None:
        return False
    return (score > WILD_TIMES * usual or score < usual / WILD_TIMES) and abs(score - usual) >= WILD_POINTS


def wild_results(
    table: ScoreTable, measure: tuple[str, str], day: date, scores: Mapping[str, float], names: Names
) -> list[Wild]:
    """Those of the typed results that are far from usual, in their order."""
    mine = pl.col("student_id").is_in(list(scores))
    rows = results_of(table, *measure, mine, pl.col("tested_on") < day).sort("tested_on", "line")
    before = {str(key[0]): mine["score"].to_list() for key, mine in rows.group_by("student_id", maintain_order=True)}
    found = []
    for student, score in scores.items():
        usual = usual_of(before.get(student, []))
        if usual is not None and is_wild(score, usual):
            found.append(Wild(student_id=student, name=display_name(names, student), score=score, usual=usual))
    return found
