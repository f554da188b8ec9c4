"""The score table filled from the database, and kept until the data change."""

from collections.abc import Callable
from datetime import date
from threading import Lock
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.calendar import SchoolYear as CoreYear
from bodkin.core.calendar import closed_days
from bodkin.core.windows import SEASONS
from bodkin.store.database import versions
from bodkin.store.score_table import CUTS, GROWTH_NORMS, NORMS, RESULTS, Calendar, ScoreTable
from bodkin.store.tables import (
    Assessment,
    Closure,
    Cut,
    GrowthNorm,
    Norm,
    Person,
    Result,
    School,
    SchoolYear,
    Section,
    Student,
    Window,
)

PERFORMANCE = "performance"
NOT_COUNTED = ("beside", "set aside")


def _frame(session: Session, query: Any, schema: pl.Schema) -> pl.DataFrame:
    rows = [tuple(row) for row in session.execute(query)]
    return pl.DataFrame(rows, schema=schema, orient="row")


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


def load_results(session: Session) -> pl.DataFrame:
    """Every result that counts, as the score table holds it."""
    query = (
        select(
            Result.id,
            Student.student_id,
            Assessment.name,
            Assessment.subject,
            Result.window_id,
            Result.tested_on,
            Result.grade,
            School.name,
            Section.name,
            Person.name,
            Result.programs,
            Result.language,
            Result.score,
            Result.standard_error,
            Result.percentile,
        )
        .join(Student, Student.id == Result.student_id)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .outerjoin(School, School.id == Result.school_id)
        .outerjoin(Section, Section.id == Result.section_id)
        .outerjoin(Person, Person.id == Result.teacher_id)
        # What was set aside, or stands beside another one of its window, counts nowhere.
        .where(Result.state.is_(None) | Result.state.not_in(NOT_COUNTED))
        .order_by(Result.id)
    )
    raw = pl.Schema({**RESULTS, "window": pl.Int64(), "programs": pl.String()})
    frame = _frame(session, query, raw)
    names = window_names(session)
    window = pl.col("window").replace_strict(names, default=None, return_dtype=pl.String) if names else pl.lit(None)
    programs = pl.col("programs").fill_null("").str.split(";")
    programs = programs.list.eval(pl.element().filter(pl.element() != ""))
    return frame.with_columns(window=window.cast(pl.String), programs=programs).select(list(RESULTS))


def load_score_table(session: Session) -> ScoreTable:
    """The whole score table at the score version that the session sees."""
    measure = (Assessment.name, Assessment.subject)
    norms = (
        select(*measure, Norm.grade, Norm.season, Norm.week, Norm.mean, Norm.sd)
        .join(Assessment, Assessment.id == Norm.assessment_id)
        .where(Norm.strand.is_(None))
    )
    growth = select(
        *measure, GrowthNorm.grade, GrowthNorm.from_season, GrowthNorm.to_season, GrowthNorm.correlation
    ).join(Assessment, Assessment.id == GrowthNorm.assessment_id)
    cuts = (
        select(*measure, Cut.grade, Cut.season, Cut.order, Cut.band, Cut.min_score, Cut.min_percentile)
        .join(Assessment, Assessment.id == Cut.assessment_id)
        .where(Cut.purpose == PERFORMANCE)
    )
    return ScoreTable(
        load_results(session),
        _frame(session, norms, NORMS),
        _frame(session, growth, GROWTH_NORMS),
        _frame(session, cuts, CUTS),
        load_calendar(session),
        versions(session)[1],
    )


class ScoreTables:
    """Keeps the score table of the newest version; the database stays the truth."""

    def __init__(self, load: Callable[[Session], ScoreTable] = load_score_table) -> None:
        self._load = load
        self._table: ScoreTable | None = None
        self._lock = Lock()

    def current(self, session: Session) -> ScoreTable:
        """The table for the version that the session sees, loaded where it is not held."""
        wanted = versions(session)[1]
        table = self._table
        if table is not None and table.version == wanted:
            return table
        with self._lock:
            if self._table is None or self._table.version != wanted:
                self._table = self._load(session)
            return self._table
