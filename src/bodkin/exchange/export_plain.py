"""The plain files of a headless run, written from the database."""

from pathlib import Path

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.load import load_score_table
from bodkin.store.tables import Closure


def write_plain_files(session: Session, folder: Path) -> list[Path]:
    """Write scores, norms, growth norms, cuts and calendar; the headless run reads them as they are."""
    table = load_score_table(session)
    folder.mkdir(parents=True, exist_ok=True)
    scores = table.results.drop("line").with_columns(pl.col("programs").list.join(";"))
    years = [
        ("school year", name, year.first_day.item(), year.last_day.item())
        for name, year in table.calendar.years.items()
    ]
    windows = [("window", name, *span) for name, span in table.calendar.windows.items()]
    closures = [("closure", *row) for row in session.execute(select(Closure.name, Closure.first_day, Closure.last_day))]
    calendar = pl.DataFrame([*years, *windows, *closures], schema=["kind", "name", "from", "to"], orient="row")
    frames = {
        "scores.csv": scores,
        "norms.csv": table.norms,
        "growth_norms.csv": table.growth_norms,
        "cuts.csv": table.cuts,
        "calendar.csv": calendar,
    }
    for name, frame in frames.items():
        frame.write_csv(folder / name)
    return [folder / name for name in frames]
