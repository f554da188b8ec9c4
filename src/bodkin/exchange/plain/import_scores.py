"""Bringing in scores: who and what they name, and each result against what is there."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from bodkin.core.windows import parse_window
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, Plan, PlannedRow, difference
from bodkin.exchange.plain.import_roster import Roster
from bodkin.exchange.plain.import_tables import add_assessments, assessment_keys, measures_of
from bodkin.exchange.plain.plain_files import split_programs, window_by_date
from bodkin.exchange.questions.question import NO_ANSWERS, Answers, Question, settled
from bodkin.exchange.questions.results import beyond_range, corrected_by_hand, redated, repeated, window_and_date
from bodkin.exchange.tables_in.reading import Reading
from bodkin.store.bulk import Columns, read_rows
from bodkin.store.reads.corrected import Corrected, corrected
from bodkin.store.reads.table.load import load_calendar, window_names
from bodkin.store.tables import Assessment, Norm, Person, Result, School, SchoolYear, Section, Student

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

PLAIN = tuple(name for name in VALUES if name not in ("school", "section", "teacher"))
"""Those of them that stand in the result's own row; the others are keys of rows elsewhere."""

ROSTER = (
    "line", "student_id", "given_name", "family_name", "school_year", "window", "tested_on", "grade", "school",
    "section", "teacher", "programs",
)  # fmt: skip
"""What a row says of people, schools and classes."""

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
    rows = rows.with_columns(file_window=pl.col("window"))
    if calendar.windows:
        rows = rows.with_columns(window=window_by_date(calendar))
    years = {
        name: (first, last)
        for name, first, last in session.execute(select(SchoolYear.name, SchoolYear.first_day, SchoolYear.last_day))
    }
    by_window = {name: parse_window(name).school_year for name in rows["window"].drop_nulls().unique()}
    by_day = {day: _school_year(day, years) or "" for day in rows["tested_on"].drop_nulls().unique()}
    named = pl.coalesce(
        pl.col("window").replace_strict(by_window, default=None, return_dtype=pl.String),
        pl.when(pl.col("window").is_null()).then(
            pl.col("tested_on").replace_strict(by_day, default=None, return_dtype=pl.String)
        ),
    )
    rows = rows.with_columns(school_year=named)
    rows = rows.with_columns(dated_in=_dated_in(by_day))
    # A result without window and date is taken to be of the latest year that is known.
    latest = rows["school_year"].max() or max(years, default=None)
    programs = split_programs(pl.col("programs")).list.join(";")
    rows = rows.with_columns(
        pl.col("school_year").fill_null(pl.lit(latest, dtype=pl.String)),
        programs=pl.when(programs == "").then(None).otherwise(programs),
    ).with_columns(section=pl.when(pl.col("school_year").is_null()).then(None).otherwise(pl.col("section")))
    # Several results of one student that nothing else tells apart keep the order of the file.
    return rows.with_columns(nth=_nth(rows)), notices


def _dated_in(years: Mapping[date, str]) -> pl.Expr:
    """The window or school year that the date of a result is of, where that is another one than the file names."""
    year = pl.col("tested_on").replace_strict(years, default=None, return_dtype=pl.String)
    named = pl.col("file_window")
    return (
        pl.when(named.is_null() | pl.col("tested_on").is_null())
        .then(None)
        .when(pl.col("window").is_not_null() & (pl.col("window") != named))
        .then("window")
        .when(year.is_not_null() & (year != named.str.slice(0, 7)))
        .then(pl.concat_str([pl.lit("the school year "), year]))
        .when(pl.col("window").is_null())
        .then(pl.lit("no window"))
    )


def _nth(rows: pl.DataFrame) -> pl.Series:
    """Which of several results of a student in one place each row is, from 0, in the order of the file."""
    scored = pl.col("score").is_not_null().alias("scored")
    place = [*(name for name in KEY if name != "nth"), scored]
    # Rows of one place have one hash, so those whose hash nobody shares need no closer look.
    shared = rows.select(place).hash_rows().is_duplicated()
    nth = pl.zeros(rows.height, dtype=pl.Int64, eager=True)
    looked = rows.filter(shared).select(
        pl.when(scored).then(pl.int_range(pl.len()).over(place, order_by="line")).otherwise(0)
    )
    return nth.scatter(shared.arg_true(), looked.to_series()) if looked.height else nth


def _named(column: str, names: Mapping[int, str]) -> pl.Expr:
    return pl.col(column).replace_strict(names, default=None, return_dtype=pl.String)


def _keyed(column: str, keys: Mapping[str, int]) -> pl.Expr:
    return pl.col(column).replace_strict(keys, default=None, return_dtype=pl.Int64)


def _there(session: Session, rows: pl.DataFrame) -> pl.DataFrame:
    """Results that are there already for the measures of the file, with names in place of keys."""
    keys = assessment_keys(session)
    wanted = [keys[key] for key in rows.select("assessment", "subject").unique().rows() if key in keys]
    columns: Columns = {
        "id": (Result.id, pl.Int64()), "student_id": (Student.student_id, pl.String()),
        "assessment_id": (Result.assessment_id, pl.Int64()), "window_id": (Result.window_id, pl.Int64()),
        "tested_on": (Result.tested_on, pl.Date()), "language": (Result.language, pl.String()),
        "school": (School.name, pl.String()), "section": (Section.name, pl.String()),
        "teacher": (Person.name, pl.String()),
        **{name: (getattr(Result, name), rows.schema[name]) for name in PLAIN},
    }  # fmt: skip

    def among(query: Select[Any]) -> Select[Any]:
        return (
            query.select_from(Result)
            .join(Student, Student.id == Result.student_id)
            .outerjoin(School, School.id == Result.school_id)
            .outerjoin(Section, Section.id == Result.section_id)
            .outerjoin(Person, Person.id == Result.teacher_id)
            .where(Result.assessment_id.in_(wanted))
            .order_by(Result.id)
        )

    frame = read_rows(session, columns, among)
    names, windows = {key: measure for measure, key in keys.items()}, window_names(session)
    frame = frame.with_columns(
        assessment=_named("assessment_id", {key: name for key, (name, _) in names.items()}),
        subject=_named("assessment_id", {key: subject for key, (_, subject) in names.items()}),
        window=_named("window_id", windows),
    )
    frame = _as_the_files_said(frame, corrected(session))
    nth = pl.int_range(pl.len()).over([name for name in KEY if name != "nth"], order_by="id")
    return frame.with_columns(nth=nth)


def _as_the_files_said(there: pl.DataFrame, hand: Corrected) -> pl.DataFrame:
    """Results as their files said them, where somebody has corrected a cell: a file that comes again changes nothing.

    ``score_now`` keeps a score that was corrected by hand.
    """
    kinds: dict[str, type[pl.DataType]] = {"window": pl.String, "language": pl.String}
    for name, kind in kinds.items():
        if said := hand.said.get(name):
            ours = pl.col("id").is_in(list(said))
            value = pl.col("id").replace_strict(said, default=None, return_dtype=kind)
            there = there.with_columns(pl.when(ours).then(value).otherwise(pl.col(name)).alias(name))
    days = {key: date.fromisoformat(day) if day else None for key, day in hand.said.get("tested_on", {}).items()}
    if days:
        value = pl.col("id").replace_strict(days, default=None, return_dtype=pl.Date)
        ours = pl.col("id").is_in(list(days))
        there = there.with_columns(tested_on=pl.when(ours).then(value).otherwise("tested_on"))
    scores = {key: float(score) for key, score in hand.said.get("score", {}).items() if score is not None}
    return there.with_columns(
        score_now=pl.when(pl.col("id").is_in(list(scores))).then("score"),
        score=pl.coalesce(pl.col("id").replace_strict(scores, default=None, return_dtype=pl.Float64), "score"),
    )


@dataclass(slots=True)
class _Compared:
    """The rows of a file beside what is there: ``new``, ``changed`` and ``redated`` ones, and kept results left over.

    Changed and redated rows hold what is there (``_before``) and its ``id``. All in the order of the file: of two
    results of one day the later line counts.
    """

    rows: pl.DataFrame
    scored: pl.DataFrame
    new: pl.DataFrame
    changed: pl.DataFrame
    redated: pl.DataFrame
    unmet: pl.DataFrame


def _compared(rows: pl.DataFrame, there: pl.DataFrame) -> _Compared:
    """Values are compared a column at a time, so that a large file and what is there never stand side by side."""
    # A filter that keeps everything would copy a large file for nothing.
    every = rows.filter(pl.col("score").is_not_null()) if rows["score"].null_count() else rows
    moved = every.filter(pl.col("redated").is_not_null()) if "redated" in every.columns else every.clear()
    scored = every.filter(pl.col("redated").is_null()) if moved.height else every
    place = scored.select(KEY).join(
        there.select(KEY).with_row_index("place"),
        on=list(KEY),
        how="left",
        nulls_equal=True,
        maintain_order="left",
    )["place"]
    met = place.is_not_null()
    mine, theirs = met.arg_true(), place.drop_nulls()
    differs = pl.repeat(value=False, n=len(mine), dtype=pl.Boolean, eager=True)
    for name in VALUES:
        differs = differs | scored[name].gather(mine).ne_missing(there[name].gather(theirs))
    former = {name: f"{name}_before" for name in VALUES}
    before = there.select("id", *VALUES, "score_now")[theirs.filter(differs)].rename(former)
    changed = pl.concat([scored[mine.filter(differs)], before], how="horizontal")
    redated = moved.clear()
    if moved.height:
        known = there.select("id", pl.col("tested_on").alias("tested_on_before"), *VALUES).rename(former)
        redated = moved.join(known, left_on="redated", right_on="id", maintain_order="left").rename({"redated": "id"})
    unmet = there[_others(there.height, theirs)] if there.height else there
    return _Compared(rows, every, scored.filter(~met), changed, redated, unmet)


def _others(height: int, places: pl.Series) -> pl.Series:
    """Places up to ``height`` that are not among some."""
    free = pl.repeat(value=True, n=height, dtype=pl.Boolean, eager=True)
    return free.scatter(places, values=False).arg_true()


def _norms(session: Session) -> pl.DataFrame:
    query = (
        select(Assessment.name, Assessment.subject, Norm.mean, Norm.sd)
        .join(Norm, Norm.assessment_id == Assessment.id)
        .where(Norm.strand.is_(None))
    )
    schema = {"assessment": pl.String, "subject": pl.String, "mean": pl.Float64, "sd": pl.Float64}
    return pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")


def _questions(session: Session, met: _Compared, there: pl.DataFrame) -> list[Question]:
    """What is doubtful about the results that would be written."""
    writing = pl.concat([met.new, met.changed.select(met.new.columns)])
    asked = (
        window_and_date(writing),
        repeated(met.new, met.scored),
        redated(met.new, met.unmet),
        corrected_by_hand(met.changed),
        beyond_range(writing, there, _norms(session)),
    )
    return [question for question in asked if question is not None]


def plan_scores(session: Session, reading: Reading, answers: Answers = NO_ANSWERS, *, with_roster: bool = True) -> Plan:
    """What a file of scores would do, once its questions are answered.

    Without ``with_roster`` people, schools and classes are there already from a better source, and
    only the results are written.
    """
    rows, notices = _prepared(session, reading)
    there = _there(session, rows).select("id", *KEY, *VALUES, "score_now")
    met = _compared(rows, there)
    questions = _questions(session, met, there)
    if any(question.answered(answers) for question in questions):
        rows = settled(rows, questions, answers)
        met = _compared(rows.with_columns(nth=_nth(rows)), there)
    rows, new, changed = met.rows, met.new, met.changed
    roster = Roster.plan(session, rows.select(ROSTER))
    planned = [
        PlannedRow(row["line"], _what(row), "changed", _changes(row))
        for found in (changed, met.redated)
        for row in found.head(SHOWN).iter_rows(named=True)
    ][:SHOWN]
    planned += [
        PlannedRow(row["line"], _what(row), "new") for row in new.head(SHOWN - len(planned)).iter_rows(named=True)
    ]
    written_again = changed.height + met.redated.height
    counts = {
        "new": new.height,
        "changed": written_again,
        "same": met.scored.height - new.height - written_again,
        "without_score": rows.height - met.scored.height,
    }
    measures = measures_of(rows)
    redated_rows = met.redated

    def apply(ledger: Ledger) -> None:
        add_assessments(session, ledger, measures)
        if with_roster:
            roster.apply(session, ledger)
        keys = roster.keys(session)
        assessments = assessment_keys(session)
        sections = pl.DataFrame(
            [(*name, key) for name, key in keys.sections.items()],
            schema={"school_year": pl.String, "school": pl.String, "section": pl.String, "section_id": pl.Int64},
            orient="row",
        )
        measured = pl.DataFrame(
            [(*measure, key) for measure, key in assessments.items()],
            schema={"assessment": pl.String, "subject": pl.String, "assessment_id": pl.Int64},
            orient="row",
        )

        def written(rows: pl.DataFrame, *more: str) -> pl.DataFrame:
            found = rows.join(
                sections, on=["school_year", "school", "section"], how="left", nulls_equal=True, maintain_order="left"
            ).join(measured, on=["assessment", "subject"], how="left", maintain_order="left")
            return found.with_columns(
                school_id=_keyed("school", keys.schools),
                teacher_id=_keyed("teacher", keys.teachers),
                student_id=_keyed("student_id", keys.students),
                window_id=_keyed("window", keys.windows),
            ).select(*more, *PLAIN, "school_id", "section_id", "teacher_id")

        # A score that somebody corrected by hand stands where the file says what it said before.
        by_hand = pl.col("score_now").is_not_null() & (pl.col("score") == pl.col("score_before"))
        kept = changed.with_columns(score=pl.when(by_hand).then("score_now").otherwise("score"))
        ledger.change(Result, written(kept, "id").to_dicts())
        if redated_rows.height:
            ledger.change(Result, written(redated_rows, "id", "tested_on").to_dicts())
        ledger.add_frame(Result, written(new, "student_id", "assessment_id", "window_id", "tested_on", "language"))

    known = assessment_keys(session)
    adds = {"assessments": sum(measure not in known for measure in measures), **(roster.counts if with_roster else {})}
    return Plan(counts, sorted(planned, key=lambda row: row.line), apply, adds, notices, questions)


def _changes(row: dict[str, Any]) -> str:
    names = [name for name in ("tested_on", *VALUES) if f"{name}_before" in row]
    return difference({name: row[f"{name}_before"] for name in names}, {name: row[name] for name in names})


def _what(row: dict[str, Any]) -> str:
    parts = (row["student_id"], row["assessment"], row["subject"], row["window"] or "outside the windows")
    return " · ".join(parts) + f" · {row['score']:g}"
