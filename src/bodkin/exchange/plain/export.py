"""Every table as its plain file, written from the database, with a package that describes them."""

import hashlib
import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.core.errors import NotFound
from bodkin.exchange.plain.import_rows import rows_out
from bodkin.exchange.plain.plain_files import CUT_ROWS, GROWTH_NORM_ROWS, NORM_ROWS, SCORES
from bodkin.exchange.plain.row_files import ROW_FILES
from bodkin.exchange.tables_in.reading import Layout
from bodkin.store.reads.table.load import NOT_COUNTED, load_calendar, window_names
from bodkin.store.tables import (
    Assessment,
    Base,
    Closure,
    Cut,
    GrowthNorm,
    Norm,
    Person,
    Result,
    School,
    Section,
    Student,
)

TYPES: dict[Any, str] = {
    pl.Float64: "number",
    pl.Int64: "integer",
    pl.Boolean: "boolean",
    pl.Date: "date",
}
"""Types of the Table Schema for what a column holds; anything else is text."""


def _scores(session: Session) -> pl.DataFrame:
    """Every result that counts with all that a file of scores can say of it, in the order of arrival."""
    query = (
        select(
            Student.student_id, Assessment.name, Assessment.subject, Result.window_id, Result.grade, Result.score,
            School.name, Section.name, Person.name, Student.given_name, Student.family_name, Result.tested_on,
            Result.language, Result.standard_error, Result.percentile, Result.percentile_basis, Result.minutes,
            Result.items_tried, Result.items_right, Result.points, Result.points_possible, Result.accommodations,
            Result.programs,
        )
        .join(Student, Student.id == Result.student_id)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .outerjoin(School, School.id == Result.school_id)
        .outerjoin(Section, Section.id == Result.section_id)
        .outerjoin(Person, Person.id == Result.teacher_id)
        # A headless run over these files tells what the screens tell.
        .where(Result.state.is_(None) | Result.state.not_in(NOT_COUNTED))
        .order_by(Result.id)
    )  # fmt: skip
    schema: dict[str, Any] = {column.name: column.kind.dtype for column in SCORES.columns} | {"window": pl.Int64}
    rows = [tuple(row) for row in session.execute(query)]
    names = window_names(session)
    window = pl.col("window").replace_strict(names, default=None, return_dtype=pl.String)
    return pl.DataFrame(rows, schema=schema, orient="row").with_columns(window)


def _of_measures(session: Session, table: type[Norm | GrowthNorm | Cut], layout: Layout) -> pl.DataFrame:
    """Norms, growth norms or cuts as their file has them."""
    columns = [
        getattr(Assessment, "name" if column.name == "assessment" else column.name)
        if column.name in ("assessment", "subject")
        else getattr(table, column.name)
        for column in layout.columns
    ]
    query = select(*columns).join(Assessment, Assessment.id == table.assessment_id).order_by(table.id)
    schema = {column.name: column.kind.dtype for column in layout.columns}
    return pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")


def _calendar(session: Session) -> pl.DataFrame:
    calendar = load_calendar(session)
    years = [
        ("school year", name, year.first_day.item(), year.last_day.item()) for name, year in calendar.years.items()
    ]
    windows = [("window", name, *span) for name, span in calendar.windows.items()]
    closures = [("closure", *row) for row in session.execute(select(Closure.name, Closure.first_day, Closure.last_day))]
    return pl.DataFrame([*years, *windows, *closures], schema=["kind", "name", "from", "to"], orient="row")


HEADLESS = ("scores", "norms", "growth_norms", "cuts", "calendar")
"""Files that a headless run reads; they are written even where they are empty."""


def plain_table(session: Session, name: str) -> pl.DataFrame:
    """One table as its plain file has it. Raises NotFound for a kind of file that there is none of."""
    if name == "scores":
        return _scores(session)
    if name == "norms":
        return _of_measures(session, Norm, NORM_ROWS)
    if name == "growth_norms":
        return _of_measures(session, GrowthNorm, GROWTH_NORM_ROWS)
    if name == "cuts":
        return _of_measures(session, Cut, CUT_ROWS)
    if name == "calendar":
        return _calendar(session)
    if name not in ROW_FILES:
        raise NotFound("There is no such table.")
    return rows_out(session, ROW_FILES[name])


def table_sizes(session: Session) -> dict[str, int]:
    """How many rows each plain file has."""

    def count(*tables: type[Base]) -> int:
        return sum(session.scalar(select(func.count()).select_from(table)) or 0 for table in tables)

    sizes = {
        "scores": count(Result),
        "norms": count(Norm),
        "growth_norms": count(GrowthNorm),
        "cuts": count(Cut),
        "calendar": _calendar(session).height,
    }
    return sizes | {name: count(kind.table) for name, kind in ROW_FILES.items()}


def neutral(frame: pl.DataFrame) -> pl.DataFrame:
    """Text that a spreadsheet would run begins with an apostrophe, which reading takes off again."""
    texts = frame.with_columns(pl.col(pl.Categorical).cast(pl.String))
    return texts.with_columns(pl.col(pl.String).str.replace(r"^([=+@-])", "'${1}"))


def write_plain_files(
    session: Session, folder: Path, progress: Callable[[str, int, int], None] | None = None
) -> list[Path]:
    """Write every table as its plain file, and a package that describes them; returns what was written.

    ``progress`` hears of each table: its name, how many are done, how many there are.
    """
    folder.mkdir(parents=True, exist_ok=True)
    names = [*HEADLESS, *ROW_FILES]
    frames: dict[str, pl.DataFrame] = {}
    for at, name in enumerate(names):
        if progress is not None:
            progress(name, at, len(names))
        frame = plain_table(session, name)
        if name in HEADLESS or frame.height:
            frames[f"{name}.csv"] = frame
            neutral(frame).write_csv(folder / f"{name}.csv")
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
