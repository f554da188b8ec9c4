"""The files of a headless run: the very columns and keys that the screens stand on."""

import json
import os
import tempfile
from pathlib import Path

import polars as pl

from bodkin.answers.comparison.comparison import STUDENT_COLUMNS, Comparison
from bodkin.answers.comparison.summary_parts import Summary


def students_frame(comparison: Comparison) -> pl.DataFrame:
    """The rows of ``students.csv``, unrounded, what cannot be computed left empty."""
    return comparison.students.select(STUDENT_COLUMNS)


def summary_text(summary: Summary) -> str:
    """The text of ``summary.json``."""
    return json.dumps(summary.model_dump(mode="json", by_alias=True), indent=2, ensure_ascii=False) + "\n"


def write_run(folder: Path, comparison: Comparison, summary: Summary) -> list[Path]:
    """Write ``students.csv`` and ``summary.json``; both are there in the end, or neither is new."""
    folder.mkdir(parents=True, exist_ok=True)
    written: list[tuple[Path, Path]] = []
    try:
        for name, text in (
            ("students.csv", students_frame(comparison).write_csv()),
            ("summary.json", summary_text(summary)),
        ):
            with tempfile.NamedTemporaryFile("w", encoding="utf-8", dir=folder, delete=False) as draft:
                written.append((Path(draft.name), folder / name))
                draft.write(text)
        for source, target in written:
            source.chmod(0o644)
            os.replace(source, target)
    finally:
        for source, _ in written:
            source.unlink(missing_ok=True)
    return [target for _, target in written]
