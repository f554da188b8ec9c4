"""A district of 50,000 students, nine windows and two subjects, added to the invented one for benchmarks.

Norms, cuts, calendar and people are those of the demo; the students are numbers with scores.
"""

from datetime import timedelta

import numpy as np
import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.demo.district import SCALES, SEASON_WEEKS, YEARS, norm_mean, window_days
from bodkin.store.bulk import load_rows
from bodkin.store.tables import (
    Enrolment,
    Person,
    Result,
    School,
    Section,
    SectionTeacher,
    Student,
    StudentYear,
)
from district_rest import add_rest

STUDENTS = 50_000
SCHOOLS, CLASSES = 40, 2_000
FIRST = 1_000_000
"""Keys of what is added begin here, beyond those of the demo."""
ERROR = 11.0
LOWEST_GRADE, GRADES = 2, 7


def _people(session: Session, students: int) -> None:
    """Schools, classes with a teacher each, and students with their place this year."""
    who = np.arange(students)
    load_rows(
        session,
        School,
        pl.DataFrame({"id": FIRST + np.arange(SCHOOLS), "name": [f"Reach School {n:02d}" for n in range(SCHOOLS)]}),
    )
    classes = np.arange(CLASSES)
    names = [f"Class {n:04d}" for n in classes]
    load_rows(
        session,
        Section,
        pl.DataFrame(
            {
                "id": FIRST + classes,
                "school_year_id": np.full(CLASSES, len(YEARS)),
                "school_id": FIRST + classes % SCHOOLS,
                "name": names,
                "kind": ["home"] * CLASSES,
            }
        ),
    )
    load_rows(
        session,
        Person,
        pl.DataFrame(
            {"id": FIRST + classes, "name": [f"Teacher {n:04d}" for n in classes], "role": ["teacher"] * CLASSES}
        ),
    )
    load_rows(session, SectionTeacher, pl.DataFrame({"section_id": FIRST + classes, "person_id": FIRST + classes}))
    load_rows(
        session,
        Student,
        pl.DataFrame(
            {
                "id": FIRST + who,
                "student_id": [f"B{n:06d}" for n in who],
                "given_name": [f"Given{n % 400}" for n in who],
                "family_name": [f"Family{n % 700}" for n in who],
            }
        ),
    )
    place = {"student_id": FIRST + who}
    load_rows(
        session,
        StudentYear,
        pl.DataFrame(
            {
                **place,
                "school_year_id": np.full(students, len(YEARS)),
                "school_id": FIRST + who % SCHOOLS,
                "grade": (LOWEST_GRADE + who % GRADES).astype(str),
            }
        ),
    )
    load_rows(session, Enrolment, pl.DataFrame({**place, "section_id": FIRST + who % CLASSES}))


def _window_results(rng: np.random.Generator, students: int, year: int, season: str, subject: int) -> pl.DataFrame:
    """One window of one subject; about three in a hundred are not tested."""
    scale = SCALES[subject]
    who = np.flatnonzero(rng.random(students) > 0.03)
    # A student of grade 2 now was in no grade of the test two years ago; its lowest norm stands.
    grade = np.clip(LOWEST_GRADE + who % GRADES - (len(YEARS) - 1 - year), LOWEST_GRADE, None)
    ability = np.random.default_rng(subject).normal(0, 0.9, students)[who]
    means = np.array([norm_mean(scale, one, season) for one in range(LOWEST_GRADE, LOWEST_GRADE + GRADES)])
    score = means[grade - LOWEST_GRADE] + scale.sd * (ability + rng.normal(0, 0.4, who.size))
    first, last = window_days(YEARS[year], season)
    days = np.array([(first + timedelta(days=n)).isoformat() for n in range((last - first).days + 1)])
    programs = np.array([None, "Multilingual learner", "Individual plan", "Meal support"], dtype=object)
    return pl.DataFrame(
        {
            "student_id": FIRST + who,
            "assessment_id": np.full(who.size, subject + 1),
            "window_id": np.full(who.size, year * len(SEASON_WEEKS) + list(SEASON_WEEKS).index(season) + 1),
            "tested_on": days[rng.integers(0, days.size, who.size)],
            "grade": grade.astype(str),
            "school_id": FIRST + who % SCHOOLS,
            "section_id": FIRST + who % CLASSES,
            "teacher_id": FIRST + who % CLASSES,
            "programs": pl.Series(programs[who % 4].tolist(), dtype=pl.String),
            "language": ["English"] * who.size,
            "score": np.round(score),
            "standard_error": np.full(who.size, ERROR),
            "minutes": np.round(rng.gamma(30, 1.5, who.size), 1),
        }
    )


def add_big_district(session: Session, students: int = STUDENTS, seed: int = 11) -> int:
    """Add the students and all their results to a database that holds the demo; returns how many results."""
    rng = np.random.default_rng(seed)
    _people(session, students)
    key = 1 + session.scalars(select(func.max(Result.id))).one()
    total = 0
    for year in range(len(YEARS)):
        for season in SEASON_WEEKS:
            for subject in range(len(SCALES)):
                rows = _window_results(rng, students, year, season, subject)
                load_rows(session, Result, rows.with_columns(id=pl.Series(np.arange(rows.height) + key)))
                key += rows.height
                total += rows.height
    who = np.arange(students)
    add_rest(session, FIRST + who, (LOWEST_GRADE + who % GRADES).astype(str))
    return total
