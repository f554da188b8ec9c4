"""The score table filled from the database, and kept until the data change."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import BigInteger, ColumnClause, Select, literal_column, or_, select
from sqlalchemy.orm import Session

from bodkin.core.calendar import SchoolYear as CoreYear
from bodkin.core.calendar import closed_days
from bodkin.core.scores.scales import percent_of_points
from bodkin.core.windows import SEASONS
from bodkin.store.bulk import Columns, frame_of, read_rows
from bodkin.store.database import two_columns, versions
from bodkin.store.ledger import REMOVED
from bodkin.store.reads.people import current_year
from bodkin.store.reads.section_names import shared_names_kept, with_schools
from bodkin.store.reads.table.score_table import (
    CUTS,
    FIELDS,
    GROWTH_NORMS,
    NORMS,
    RESULTS,
    ROSTER,
    WORD,
    Calendar,
    ScoreTable,
    numbers_of,
    shaped,
)
from bodkin.store.tables import (
    Assessment,
    Closure,
    Cut,
    Enrolment,
    Field,
    GrowthNorm,
    Norm,
    Person,
    Program,
    Result,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Strand,
    StrandResult,
    Student,
    StudentField,
    StudentProgram,
    StudentYear,
    Window,
)

PERFORMANCE, TEXT = "performance", pl.String()
NOT_COUNTED = ("beside", "set aside")

RESULT_VERSION: ColumnClause[int] = literal_column("result.data_version", BigInteger)
"""The version at which the database noted that a result was last written; no model has it."""
RESULT_REMOVALS = frozenset(REMOVED + name for name in ("result", "student", "assessment"))
"""Rows of these that were removed may have taken results along."""


def window_names(session: Session) -> dict[int, str]:
    """Names of all windows, such as ``2026-27 fall``, by their key."""
    rows = session.execute(
        select(Window.id, SchoolYear.name, Window.season).join(SchoolYear, SchoolYear.id == Window.school_year_id)
    )
    return {key: f"{year} {season}" for key, year, season in rows}


def load_calendar(session: Session) -> Calendar:
    """School years and windows whose days are known."""
    closures = session.execute(select(Closure.first_day, Closure.last_day))
    closed = closed_days([(np.datetime64(first, "D"), np.datetime64(last, "D")) for first, last in closures])
    years = {
        name: CoreYear(np.datetime64(first, "D"), np.datetime64(last, "D"), closed)
        for name, first, last in session.execute(
            select(SchoolYear.name, SchoolYear.first_day, SchoolYear.last_day).where(
                SchoolYear.first_day.is_not(None), SchoolYear.last_day.is_not(None)
            )
        )
    }
    names = window_names(session)
    windows: dict[str, tuple[date, date]] = {}
    for key, first, last in session.execute(select(Window.id, Window.first_day, Window.last_day)):
        if first is not None and last is not None:
            windows[names[key]] = (first, last)
    order = sorted(windows, key=lambda name: (name.split(" ")[0], SEASONS.index(name.split(" ")[1])))
    return Calendar(years, {name: windows[name] for name in order})


RESULT_COLUMNS: Columns = {
    "line": (Result.id, pl.Int64()),
    "student_id": (Result.student_id, pl.Int64()),
    "measure": (Result.assessment_id, pl.Int64()),
    "window": (Result.window_id, pl.Int64()),
    "tested_on": (Result.tested_on, pl.Date()),
    "grade": (Result.grade, WORD),
    "school": (Result.school_id, pl.Int64()),
    "section": (Result.section_id, pl.Int64()),
    "teacher": (Result.teacher_id, pl.Int64()),
    "programs": (Result.programs, pl.String()),
    "language": (Result.language, WORD),
    "score": (Result.score, pl.Float64()),
    "standard_error": (Result.standard_error, pl.Float64()),
    "percentile": (Result.percentile, pl.Float64()),
}
"""Columns of a result as they are kept, keys instead of names."""


def needed(names: dict[int, str], keys: pl.Series) -> dict[int, str]:
    """Those of many names that a few rows need."""
    return {key: names[key] for key in keys.unique().to_list() if key in names} if keys.len() < len(names) else names


def named(column: str, names: dict[int, str], kind: Any = TEXT) -> pl.Expr:
    """A key as the name it stands for; ``kind``: what the column of names is to be."""
    if not names:
        return pl.lit(None, dtype=kind).alias(column)
    return pl.col(column).replace_strict(names, default=None, return_dtype=kind)


_PLACES: tuple[tuple[str, Any, Any], ...] = (
    ("student_id", Student, Student.student_id), ("school", School, School.name), ("section", Section, Section.name),
    ("teacher", Person, Person.name),
)  # fmt: skip
"""Columns of a result that hold keys of students, and of where they were tested."""


@dataclass(frozen=True, slots=True)
class KeyNames:
    """What the keys of a result stand for, each by its key; ``shared``: names that classes of several schools have."""

    measures: dict[int, tuple[str, str]]
    windows: dict[int, str]
    places: dict[str, dict[int, str]]
    shared: frozenset[str]

    def holds(self, other: "KeyNames") -> bool:
        """Whether all that another one names is named alike here."""
        return (
            other.measures.items() <= self.measures.items() and other.windows.items() <= self.windows.items()
            and all(names.items() <= self.places[kind].items() for kind, names in other.places.items())
            and other.shared == self.shared
        )  # fmt: skip


def load_naming(session: Session) -> KeyNames:
    """What keys of results stand for."""
    measures = {
        key: (name, subject)
        for key, name, subject in session.execute(select(Assessment.id, Assessment.name, Assessment.subject))
    }
    places = {name: two_columns(session, select(table.id, column)) for name, table, column in _PLACES}
    return KeyNames(measures, window_names(session), places, shared_names_kept(session))


def counts() -> Any:
    """Results that count: what was set aside, or stands beside another one of its window, counts nowhere."""
    return or_(Result.state.is_(None), Result.state.not_in(NOT_COUNTED))


def kept_results(session: Session, among: Callable[[Select[Any]], Select[Any]]) -> pl.DataFrame:
    """Results as they are kept, with keys, in the order in which they came."""
    return read_rows(session, RESULT_COLUMNS, lambda query: among(query).order_by(Result.id))


def named_results(kept: pl.DataFrame, naming: KeyNames) -> pl.DataFrame:
    """Results with names instead of keys, as the score table holds them."""
    programs = pl.col("programs").fill_null("").str.split(";")
    results = kept.with_columns(
        named("measure", {key: name for key, (name, _) in naming.measures.items()}, WORD).alias("assessment"),
        named("measure", {key: subject for key, (_, subject) in naming.measures.items()}, WORD).alias("subject"),
        named("window", naming.windows, WORD),
        *(named(name, needed(names, kept[name]), RESULTS[name]) for name, names in naming.places.items()),
        programs=programs.list.eval(pl.element().filter(pl.element() != "")),
    )
    return with_schools(shaped(results, RESULTS), naming.shared)


def load_results(session: Session) -> pl.DataFrame:
    """Every result that counts, as the score table holds it."""
    return named_results(kept_results(session, lambda query: query.where(counts())), load_naming(session))


def _on(first: Any, last: Any, today: date) -> Any:
    """Rows that hold on a day; an end that is not known is open."""
    return first.is_(None) | (first <= today), last.is_(None) | (last >= today)


def load_roster(session: Session, today: date) -> pl.DataFrame:
    """Where each student is today: grade, school, class (the home class first), its teacher, programs."""
    year = current_year(session, today)
    teachers: dict[int, str] = {}
    taught = select(SectionTeacher.section_id, Person.name).join(Person, Person.id == SectionTeacher.person_id)
    for key, name in session.execute(taught.order_by(SectionTeacher.id)):
        teachers.setdefault(key, name)
    text = pl.String()
    who = {"student_id": (Student.student_id, text)}
    places = read_rows(
        session, {**who, "key": (Section.id, pl.Int64()), "section": (Section.name, text)},
        lambda query: query.select_from(Student)
        .join(Enrolment, Enrolment.student_id == Student.id)
        .join(Section, Section.id == Enrolment.section_id)
        .where(Section.school_year_id == year, *_on(Enrolment.first_day, Enrolment.last_day, today))
        .order_by(Section.kind != "home", Section.id),
    )  # fmt: skip
    programs = read_rows(
        session, {**who, "programs": (Program.name, text)},
        lambda query: query.select_from(Student)
        .join(StudentProgram, StudentProgram.student_id == Student.id)
        .join(Program, Program.id == StudentProgram.program_id)
        .where(*_on(StudentProgram.first_day, StudentProgram.last_day, today))
        .order_by(Program.id),
    )  # fmt: skip
    here = read_rows(
        session, {**who, "grade": (StudentYear.grade, text), "school": (School.name, text)},
        lambda query: query.select_from(Student)
        .join(StudentYear, StudentYear.student_id == Student.id)
        .outerjoin(School, School.id == StudentYear.school_id)
        .where(StudentYear.school_year_id == year)
        .order_by(StudentYear.id),
    )  # fmt: skip
    roster = (
        _first(here)
        .join(_first(places), on="student_id", how="left", maintain_order="left")
        .join(programs.group_by("student_id", maintain_order=True).agg("programs"), on="student_id", how="left",
              maintain_order="left")
        .with_columns(named("key", teachers, WORD).alias("teacher"), pl.col("programs").fill_null([]))
    )  # fmt: skip
    return with_schools(shaped(roster, ROSTER), shared_names_kept(session))


def _first(rows: pl.DataFrame) -> pl.DataFrame:
    """The first row of each student."""
    return rows.unique("student_id", keep="first", maintain_order=True)


def load_fields(session: Session) -> pl.DataFrame:
    """Values of the roster's other fields that are not switched off."""
    query = (
        select(Student.student_id, Field.name, StudentField.value)
        .join(StudentField, StudentField.student_id == Student.id)
        .join(Field, Field.id == StudentField.field_id)
        .where(Field.shown)
        .order_by(Field.id)
    )
    return frame_of(session, query, FIELDS)


STRAND_SCORES = pl.Schema({"line": pl.Int64(), "score": pl.Float64(), "standard_error": pl.Float64()})


def load_strand_scores(session: Session, assessment: str, subject: str, strand: str) -> pl.DataFrame:
    """Scores of one strand, by the ``line`` of their result.

    Where a strand has points and no score, the per cent of its points stands for the score.
    """
    tests = (
        select(Strand.id)
        .join(Assessment, Assessment.id == Strand.assessment_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, Strand.name == strand)
    )
    return _with_percents(read_rows(session, _STRAND, lambda query: query.where(StrandResult.strand_id.in_(tests))))


def load_strand_norms(session: Session, assessment: str, subject: str, strand: str) -> pl.DataFrame:
    """A strand's own norms."""
    norms = (
        select(Assessment.name, Assessment.subject, Norm.grade, Norm.season, Norm.week, Norm.mean, Norm.sd)
        .join(Assessment, Assessment.id == Norm.assessment_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, Norm.strand == strand)
    )
    return frame_of(session, norms, NORMS)


_STRAND: Columns = {
    "line": (StrandResult.result_id, pl.Int64()),
    "score": (StrandResult.score, pl.Float64()),
    "standard_error": (StrandResult.standard_error, pl.Float64()),
    "points": (StrandResult.points, pl.Float64()),
    "possible": (StrandResult.points_possible, pl.Float64()),
}


def _with_percents(kept: pl.DataFrame) -> pl.DataFrame:
    """Strand scores; of results with points alone their per cent and its error."""
    alone = (pl.col("score").is_null() & (pl.col("points") <= pl.col("possible"))).fill_null(value=False)
    only_points = kept.select(alone).to_series().to_numpy()
    if only_points.any():
        columns = (numbers_of(kept[name]) for name in ("points", "possible"))
        percent, error = percent_of_points(*(np.where(only_points, column, np.nan) for column in columns))
        found = {"score": percent, "standard_error": error}
        kept = kept.with_columns(
            pl.when(alone).then(pl.Series(values, nan_to_null=True)).otherwise(name).alias(name)
            for name, values in found.items()
        )
    # In the order of results, so that all strands of a sitting mostly have the same lines.
    return kept.filter(pl.col("score").is_not_null()).select(list(STRAND_SCORES)).sort("line")


def strand_names(session: Session) -> dict[tuple[str, str], list[str]]:
    """Names of the strands of each test in a subject that has any with scores or points, in their order."""
    # One look for each strand. As a condition the database may lay out all strand results instead, a million of them.
    scored = (
        select(StrandResult.id)
        .where(StrandResult.strand_id == Strand.id)
        .where(or_(StrandResult.score.is_not(None), StrandResult.points.is_not(None)))
        .limit(1)
        .scalar_subquery()
    )
    query = (
        select(Assessment.name, Assessment.subject, Strand.name, scored)
        .join(Strand, Strand.assessment_id == Assessment.id)
        .order_by(Strand.id)
    )
    found: dict[tuple[str, str], list[str]] = {}
    for assessment, subject, name, any_result in session.execute(query):
        if any_result is not None:
            found.setdefault((assessment, subject), []).append(name)
    return found


def strands_of_points(session: Session, assessment: str, subject: str) -> bool:
    """Whether the strands of a test have points only, and no score of their own."""
    scored = (
        select(StrandResult.id)
        .join(Strand, Strand.id == StrandResult.strand_id)
        .join(Assessment, Assessment.id == Strand.assessment_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, StrandResult.score.is_not(None))
        .limit(1)
    )
    return session.scalar(scored) is None


_MEASURE = (Assessment.name, Assessment.subject)


def load_norms(session: Session) -> pl.DataFrame:
    """Norms of whole tests."""
    norms = (
        select(*_MEASURE, Norm.grade, Norm.season, Norm.week, Norm.mean, Norm.sd)
        .join(Assessment, Assessment.id == Norm.assessment_id)
        .where(Norm.strand.is_(None))
    )
    return frame_of(session, norms, NORMS)


def load_growth_norms(session: Session) -> pl.DataFrame:
    """Correlations between seasons."""
    growth = select(
        *_MEASURE, GrowthNorm.grade, GrowthNorm.from_season, GrowthNorm.to_season, GrowthNorm.correlation
    ).join(Assessment, Assessment.id == GrowthNorm.assessment_id)
    return frame_of(session, growth, GROWTH_NORMS)


def load_cuts(session: Session) -> pl.DataFrame:
    """Performance cuts."""
    cuts = (
        select(*_MEASURE, Cut.grade, Cut.season, Cut.order, Cut.band, Cut.min_score, Cut.min_percentile)
        .join(Assessment, Assessment.id == Cut.assessment_id)
        .where(Cut.purpose == PERFORMANCE)
    )
    return frame_of(session, cuts, CUTS)


def load_score_table(session: Session, today: date | None = None) -> ScoreTable:
    """The whole score table at the score version that the session sees.

    With ``today``, also where each student is on that day; without it the roster is empty.
    """
    version = versions(session)[1]
    return ScoreTable(
        load_results(session), load_norms(session), load_growth_norms(session), load_cuts(session),
        load_calendar(session), version,
        roster=load_roster(session, today) if today is not None else pl.DataFrame(schema=ROSTER),
        fields=load_fields(session), mark=version,
    )  # fmt: skip
