"""The file of ``./bodkin progress``: one row a student and measure."""

from collections.abc import Mapping
from datetime import date
from typing import Any

import polars as pl

from bodkin.answers.follow_up.progress import GoalLine, days_by_seven, progress, weeks_of_instruction
from bodkin.store.reads.table.score_table import Calendar

_TEXT, _NUMBER, _TRUTH = pl.String(), pl.Float64(), pl.Boolean()
PROGRESS_FILE = pl.Schema(
    {
        "student_id": _TEXT, "measure": _TEXT, "n": pl.Int64(), "first_on": pl.Date(), "last_on": pl.Date(),
        "last_score": _NUMBER, "slope": _NUMBER, "slope_error": _NUMBER, "robust_slope": _NUMBER, "few": _TRUTH,
        "baseline": _NUMBER, "goal": _NUMBER, "by": pl.Date(), "aim_slope": _NUMBER, "aim_now": _NUMBER, "act": _TEXT,
        "confirmed": _TRUTH, "reason": _TEXT, "projected": _NUMBER,
    }
)  # fmt: skip


def _aims(goals: pl.DataFrame) -> Mapping[tuple[str, str], GoalLine]:
    return {
        (row["student_id"], row["measure"]): GoalLine(
            row["goal"], row["by"], row["start"], row["start_on"], row["direction"] == "down"
        )
        for row in goals.iter_rows(named=True)
    }


def progress_texts(
    results: pl.DataFrame, goals: pl.DataFrame, calendar: Calendar | None, today: date | None
) -> dict[str, str]:
    """The text of the run's file; ``today`` leaves later results out."""
    weeks = days_by_seven if calendar is None else weeks_of_instruction(calendar)
    aims = _aims(goals)
    rows: list[list[Any]] = []
    for (student, measure), mine in results.sort("line").group_by("student_id", "measure", maintain_order=True):
        seen = mine.filter(pl.col("score").is_not_null())
        if today is not None:
            seen = seen.filter(pl.col("on") <= today)
        aim = aims.get((str(student), str(measure)))
        found = progress(seen["on"].to_list(), seen["score"].to_list(), aim, weeks)
        line = found.line
        rows.append(
            [student, measure, found.n, found.first_on, found.last_on, found.last_score, line.slope, line.error,
             line.robust_slope, found.few, found.baseline, aim.goal if aim else None, aim.by if aim else None,
             found.aim.slope if found.aim else None, found.aim_now, found.step.act, found.step.confirmed,
             found.step.reason, found.projected]
        )  # fmt: skip
    return {"progress.csv": pl.DataFrame(rows, schema=PROGRESS_FILE, orient="row").write_csv()}
