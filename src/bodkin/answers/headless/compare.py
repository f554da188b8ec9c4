"""The files of the comparison: the very columns and keys that the screens stand on."""

from pathlib import Path

import polars as pl

from bodkin.answers.comparison.comparison import STUDENT_COLUMNS, Comparison
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.headless.writing import json_text, write_files


def students_frame(comparison: Comparison) -> pl.DataFrame:
    """The rows of ``students.csv``, unrounded, what cannot be computed left empty."""
    return comparison.students.select(STUDENT_COLUMNS)


def write_run(folder: Path, comparison: Comparison, summary: Summary) -> list[Path]:
    """Write ``students.csv`` and ``summary.json``; both are there in the end, or neither is new."""
    texts = {
        "students.csv": students_frame(comparison).write_csv(),
        "summary.json": json_text(summary.model_dump(mode="json", by_alias=True)),
    }
    return write_files(folder, texts)
