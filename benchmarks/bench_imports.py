"""Half a million results brought in, beside a bare LOAD DATA of the same rows into a table of the same shape.

The file holds 50,000 students of 40 schools, two subjects in five windows, with class, teacher,
programs, error, minutes and items: everything a vendor's file has. The import reads, checks,
compares with what is there, adds students, schools and classes, and writes, in one transaction, in
a process of its own whose largest memory is told. The baseline gets the finished rows as a text
file and has only to load them; the table has the same columns and indexes.
"""

import io
import subprocess
import sys
import tempfile
import time
from datetime import datetime
from pathlib import Path

import numpy as np
import polars as pl

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from sqlalchemy import text  # noqa: E402
from tests.support import stage  # noqa: E402

from bodkin.exchange.imports import imports  # noqa: E402
from bodkin.store.database import Store  # noqa: E402

STUDENTS, WINDOWS = 50_000, ("2024-25 spring", "2025-26 fall", "2025-26 winter", "2025-26 spring", "2026-27 fall")
SUBJECTS = ("reading", "mathematics")


def a_file() -> bytes:
    """The file: 500,000 lines."""
    rng = np.random.default_rng(4)
    n = STUDENTS * len(WINDOWS) * len(SUBJECTS)
    who = np.tile(np.arange(STUDENTS), len(WINDOWS) * len(SUBJECTS))
    window = np.repeat(np.arange(len(WINDOWS)), STUDENTS * len(SUBJECTS))
    subject = np.tile(np.repeat(np.arange(len(SUBJECTS)), STUDENTS), len(WINDOWS))
    grade = 2 + who % 7
    months = np.array(["2025-04", "2025-09", "2026-01", "2026-04", "2026-09"])[window]
    frame = pl.DataFrame(
        {
            "student_id": [f"N{one:06d}" for one in who],
            "given_name": [f"Given{one % 400}" for one in who],
            "family_name": [f"Family{one % 700}" for one in who],
            "assessment": ["Open Gauge"] * n,
            "subject": np.array(SUBJECTS)[subject],
            "window": np.array(WINDOWS)[window],
            "grade": grade.astype(str),
            "school": [f"School {one % 40:02d}" for one in who],
            "section": [f"Class {one % 2000:04d}" for one in who],
            "teacher": [f"Teacher {one % 2000:04d}" for one in who],
            "tested_on": [f"{month}-{1 + one % 28:02d}" for month, one in zip(months, who, strict=True)],
            "language": ["English"] * n,
            "score": np.round(rng.normal(450 + 15 * grade, 45)),
            "standard_error": np.round(rng.uniform(9, 14, n), 1),
            "percentile": rng.integers(1, 100, n),
            "minutes": np.round(rng.gamma(9, 5, n) + 5, 1),
            "items_tried": rng.integers(30, 45, n),
            "items_right": rng.integers(10, 30, n),
            "programs": np.where(who % 9 == 0, "multilingual learners", ""),
        }
    )
    out = io.BytesIO()
    frame.write_csv(out)
    return out.getvalue()


def largest() -> float:
    """Largest memory this process has had, in MiB (proc(5): VmHWM, which begins anew with a program)."""
    answer = Path("/proc/self/status").read_text()
    return int(answer.split("VmHWM:")[1].split()[0]) / 1024


def bring(url: str, path: str) -> None:
    """In a process of its own: the import, its seconds and its largest memory in MiB."""
    content = Path(path).read_bytes()
    before = largest()
    store = Store(url)
    began = time.perf_counter()
    with store.writing(scores=True) as session:
        _, seen = imports.bring_in(session, "scores.csv", content, None, datetime(2026, 10, 1))
    took = time.perf_counter() - began
    most = largest()
    print(took, most, before, seen.plan.counts["new"], seen.plan.counts["same"])


def in_a_process(url: str, path: Path) -> list[float]:
    """What :func:`bring` prints."""
    command = [sys.executable, __file__, "bring", url, str(path)]
    answer = subprocess.run(command, capture_output=True, text=True, check=True, cwd=ROOT).stdout
    return [float(value) for value in answer.split()]


def main() -> None:
    """Print times, the ratio and the memory."""
    store, url = stage.fresh()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "scores.csv")
        path.write_bytes(a_file())
        took, most, before, new, _ = in_a_process(url, path)
        rows = Path(folder, "rows.tsv")
        with store.reading() as session:
            names = [row[0] for row in session.execute(text("SHOW COLUMNS FROM result"))]
            with rows.open("w", encoding="utf-8") as out:
                for row in (
                    session.connection()
                    .execution_options(stream_results=True)
                    .execute(text("SELECT * FROM result ORDER BY id"))
                ):
                    out.write("\t".join("\\N" if value is None else str(value) for value in row) + "\n")
        baselines = []
        for _ in range(3):
            with store.engine.begin() as connection:
                connection.execute(text("DROP TABLE IF EXISTS bare"))
                connection.execute(text("CREATE TABLE bare LIKE result"))
            began = time.perf_counter()
            with store.engine.begin() as connection:
                columns = ", ".join(f"`{name}`" for name in names)
                connection.execute(text(f"LOAD DATA LOCAL INFILE '{rows}' INTO TABLE bare ({columns})"))
            baselines.append(time.perf_counter() - began)
        bare = sorted(baselines)[1]
        again, most_again, _, new_again, same = in_a_process(url, path)
    print(f"{new:.0f} results brought in")
    print(f"  bare LOAD DATA of the same rows  {bare:7.2f} s   (of {', '.join(f'{one:.2f}' for one in baselines)})")
    print(f"  import                           {took:7.2f} s   {took / bare:.1f} x as long (wanted: at most 2.2)")
    print(
        f"  largest memory of the process    {most:7.0f} MiB, {before:.0f} of it before it begins (wanted: below 1024)"
    )
    print(f"  the same file again: {same:.0f} the same, {new_again:.0f} new, {again:.2f} s, {most_again:.0f} MiB")


if __name__ == "__main__":
    if sys.argv[1:2] == ["bring"]:
        bring(*sys.argv[2:4])
    else:
        main()
