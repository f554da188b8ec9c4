"""Bringing in scores: who and what they name, and each result against what is there."""

from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.windows import parse_window
from bodkin.exchange.import_tables import add_assessments, assessment_keys
from bodkin.exchange.ledger import Ledger
from bodkin.exchange.plain_files import split_programs, window_by_date
from bodkin.exchange.plans import SHOWN, Plan, PlannedRow, difference
from bodkin.exchange.reading import Reading
from bodkin.exchange.roster import Roster
from bodkin.store.load import load_calendar, window_names
from bodkin.store.tables import Person, Result, School, SchoolYear, Section, Student

VALUES = (
    "grade",
    "school",
    "section",
    "teacher",
    "programs",
    "score",
    "standard_error",
    "percentile",
    "percentile_basis",
    "minutes",
    "items_tried",
    "items_right",
    "points",
    "points_possible",
    "accommodations",
)
"""What can change about a result that is there already."""

KEY = ("student_id", "assessment", "subject", "window", "tested_on", "language", "nth")
"""What makes a result the same one: a second result of the same day and language is the nth."""


def _school_year(day: date | None, years: dict[str, tuple[date | None, date | None]]) -> str | None:
    """The school year of a day: by the calendar where known, else from August to July."""
    if day is None:
        return None
    for name, (first, last) in years.items():
        if first is not None and last is not None and first <= day <= last:
            return name
    begins = day.year if day.month >= 8 else day.year - 1
    return f"{begins}-{(begins + 1) % 100:02d}"


def _prepared(session: Session, reading: Reading) -> tuple[pl.DataFrame, list[str]]:
    """The good rows with window by date, school year, programs as kept, and which of a kind."""
    rows = reading.good()
    notices: list[str] = []
    calendar = load_calendar(session)
    if calendar.windows:
        rows = rows.with_columns(file_window=pl.col("window")).with_columns(window=window_by_date(calendar))
        moved = rows.filter(pl.col("file_window").is_not_null() & pl.col("window").ne_missing(pl.col("file_window")))
        if moved.height:
            notices.append(f"{moved.height} results are dated outside the window they name; they go by their date")
    years = {
        name: (first, last)
        for name, first, last in session.execute(select(SchoolYear.name, SchoolYear.first_day, SchoolYear.last_day))
    }
    named = [
        parse_window(window).school_year if window is not None else _school_year(day, years)
        for window, day in rows.select("window", "tested_on").iter_rows()
    ]
    # A result without window and date is taken to be of the latest year that is known.
    latest = max(filter(None, named), default=max(years, default=None))
    named = [year or latest for year in named]
    programs = split_programs(pl.col("programs")).list.join(";")
    rows = rows.with_columns(
        pl.Series("school_year", named, dtype=pl.String),
        programs=pl.when(programs == "").then(None).otherwise(programs),
    ).with_columns(section=pl.when(pl.col("school_year").is_null()).then(None).otherwise(pl.col("section")))
    scored = rows.filter(pl.col("score").is_not_null())
    # Several results of one student that nothing else tells apart keep the order of the file.
    nth = pl.int_range(pl.len()).over([name for name in KEY if name != "nth"], order_by="line")
    scored = scored.with_columns(nth=nth)
    unscored = rows.filter(pl.col("score").is_null()).with_columns(nth=pl.lit(0, dtype=pl.Int64))
    return pl.concat([scored, unscored], how="diagonal_relaxed").sort("line"), notices


def _there(session: Session, rows: pl.DataFrame) -> pl.DataFrame:
    """Results that are there already for the measures of the file, with names in place of keys."""
    keys = assessment_keys(session)
    wanted = [keys[key] for key in rows.select("assessment", "subject").unique().rows() if key in keys]
    plain = [name for name in VALUES if name not in ("school", "section", "teacher")]
    query = (
        select(
            Result.id, Student.student_id, Result.assessment_id, Result.window_id, Result.tested_on, Result.language,
            School.name, Section.name, Person.name, *(getattr(Result, name) for name in plain),
        )
        .join(Student, Student.id == Result.student_id)
        .outerjoin(School, School.id == Result.school_id)
        .outerjoin(Section, Section.id == Result.section_id)
        .outerjoin(Person, Person.id == Result.teacher_id)
        .where(Result.assessment_id.in_(wanted))
        .order_by(Result.id)
    )  # fmt: skip
    types: dict[str, Any] = {name: rows.schema[name] for name in plain}
    schema = {
        "id": pl.Int64, "student_id": pl.String, "assessment_id": pl.Int64, "window_id": pl.Int64,
        "tested_on": pl.Date, "language": pl.String, "school": pl.String, "section": pl.String,
        "teacher": pl.String, **types,
    }  # fmt: skip
    frame = pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")
    names, windows = {key: measure for measure, key in keys.items()}, window_names(session)
    frame = frame.with_columns(
        pl.Series("assessment", [names[key][0] for key in frame["assessment_id"]], dtype=pl.String),
        pl.Series("subject", [names[key][1] for key in frame["assessment_id"]], dtype=pl.String),
        pl.Series("window", [windows.get(key) for key in frame["window_id"]], dtype=pl.String),
    )
    nth = pl.int_range(pl.len()).over([name for name in KEY if name != "nth"], order_by="id")
    return frame.with_columns(nth=nth)


def plan_scores(session: Session, reading: Reading) -> Plan:
    """What a file of scores would do."""
    rows, notices = _prepared(session, reading)
    scored = rows.filter(pl.col("score").is_not_null())
    there = _there(session, scored).select("id", *KEY, *VALUES)
    both = scored.join(there, on=list(KEY), how="left", suffix="_before", nulls_equal=True)
    # Rows go in by the order of the file: of two results of one day the later line counts.
    both = both.sort("line")
    new = both.filter(pl.col("id").is_null())
    differs = pl.any_horizontal([pl.col(name).ne_missing(pl.col(f"{name}_before")) for name in VALUES])
    changed = both.filter(pl.col("id").is_not_null() & differs)
    roster = Roster.plan(session, rows)
    told = [
        PlannedRow(row["line"], _what(row), "changed", _changes(row))
        for row in changed.head(SHOWN).iter_rows(named=True)
    ]
    told += [PlannedRow(row["line"], _what(row), "new") for row in new.head(SHOWN - len(told)).iter_rows(named=True)]
    counts = {
        "new": new.height,
        "changed": changed.height,
        "same": scored.height - new.height - changed.height,
        "without_score": rows.height - scored.height,
    }
    measures: list[tuple[str, str]] = [
        (name, subject)
        for name, subject in rows.select("assessment", "subject").unique(maintain_order=True).iter_rows()
    ]

    def apply(ledger: Ledger) -> None:
        add_assessments(session, ledger, measures)
        roster.apply(session, ledger)
        keys = roster.keys(session)
        assessments = assessment_keys(session)
        fixed = [name for name in VALUES if name not in ("school", "section", "teacher")]

        def values(row: dict[str, Any]) -> dict[str, Any]:
            return {
                **{name: row[name] for name in fixed},
                "school_id": keys.school(row["school"]),
                "section_id": keys.section(row["school_year"], row["school"], row["section"]),
                "teacher_id": keys.teacher(row["teacher"]),
            }

        ledger.change(Result, [{"id": row["id"], **values(row)} for row in changed.iter_rows(named=True)])
        ledger.add(
            Result,
            [
                {
                    "student_id": keys.students[row["student_id"]],
                    "assessment_id": assessments[row["assessment"], row["subject"]],
                    "window_id": keys.windows.get(row["window"]),
                    "tested_on": row["tested_on"],
                    "language": row["language"],
                    **values(row),
                }
                for row in new.iter_rows(named=True)
            ],
        )

    known = assessment_keys(session)
    adds = {"assessments": sum(measure not in known for measure in measures), **roster.counts}
    return Plan(counts, sorted(told, key=lambda row: row.line), apply, adds, notices)


def _changes(row: dict[str, Any]) -> str:
    return difference({name: row[f"{name}_before"] for name in VALUES}, {name: row[name] for name in VALUES})


def _what(row: dict[str, Any]) -> str:
    parts = (row["student_id"], row["assessment"], row["subject"], row["window"] or "outside the windows")
    return " · ".join(parts) + f" · {row['score']:g}"
