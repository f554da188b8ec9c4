"""The plain files of a headless run, written from the database, with a package that describes them."""

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.load import load_score_table
from bodkin.store.tables import Closure

TYPES: dict[Any, str] = {
    pl.Float64: "number",
    pl.Int64: "integer",
    pl.Boolean: "boolean",
    pl.Date: "date",
}
"""Types of the Table Schema for what a column holds; anything else is text."""


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
    package = folder / "datapackage.json"
    package.write_text(json.dumps(describe(folder, frames), indent=2, ensure_ascii=False), encoding="utf-8")
    return [*(folder / name for name in frames), package]


def describe(folder: Path, frames: Mapping[str, pl.DataFrame]) -> dict[str, Any]:
    """A tabular data package of files that lie in ``folder``: fields with their types, sizes and digests.

    Source: Data Package and Table Schema, version 1 (specs.frictionlessdata.io).
    """
    resources = []
    for name, frame in frames.items():
        content = (folder / name).read_bytes()
        fields = [
            {"name": column, "type": TYPES.get(kind.base_type(), "string")} for column, kind in frame.schema.items()
        ]
        resources.append(
            {
                "name": Path(name).stem.replace("_", "-"),
                "path": name,
                "profile": "tabular-data-resource",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "bytes": len(content),
                "hash": f"sha256:{hashlib.sha256(content).hexdigest()}",
                "schema": {"fields": fields, "missingValues": [""]},
            }
        )
    return {"name": "bodkin-plain-files", "profile": "tabular-data-package", "resources": resources}
