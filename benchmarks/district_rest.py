"""What the big district has beside scores: strands, answers, mastery, practice, groups with sessions.

Each is in the proportion that the invented district has of it, a student for a student; strands of the last two
windows. The functions for groups and practice also serve other benchmarks, with students of their own.
"""

from datetime import date, timedelta

import numpy as np
import numpy.typing as npt
import polars as pl
from sqlalchemy import text
from sqlalchemy.orm import Session

from bodkin.store.bulk import load_rows
from bodkin.store.tables import (
    Answer,
    Attendance,
    Goal,
    Group,
    GroupMember,
    GroupSession,
    MasteryEntry,
    PracticeEntry,
    Result,
    StrandResult,
)

Keys = npt.NDArray[np.int64]

BEGAN, ENDS = date(2026, 10, 12), date(2027, 4, 16)
SIZE, WEEKS, SESSIONS = 12, 16, 45
FIRST_KEY = 1_000_000
"""Keys of what is added begin here, beyond those of the demo."""
LAST_WINDOWS = (7, 8)
"""Keys of the two windows that Needs is asked about."""
PRACTICE_DAYS = 120
ENTRIES_A_STUDENT = 10
IN_GROUPS = 70
"""One student in so many is in a group."""
MASTERED_EVERY = 2
"""One student in so many has an entry of a teacher."""


def probe_key(session: Session) -> int:
    """The key of the weekly test."""
    return int(session.scalars(text("SELECT id FROM assessment WHERE kind = 'probe'")).one())


def add_strands(session: Session, assessment: int, window: int, first: int) -> None:
    """Strand results of the students with keys from ``first`` on, in one window of a test."""
    strands = list(session.scalars(text(f"SELECT id FROM strand WHERE assessment_id = {assessment}")))
    found = session.execute(
        text(
            f"SELECT id, score FROM result WHERE assessment_id = {assessment} AND window_id = {window}"
            f" AND student_id >= {first}"
        )
    ).all()
    keys, scores = (np.array(column, dtype=float) for column in zip(*found, strict=True))
    draw = np.random.default_rng(window)
    for strand in strands:
        load_rows(session, StrandResult, pl.DataFrame({
            "result_id": keys.astype(np.int64), "strand_id": np.full(keys.size, strand),
            "score": np.round(scores + draw.normal(0, 14, keys.size)), "standard_error": np.full(keys.size, 17.0),
        }))  # fmt: skip


def add_answers(session: Session, students: Keys, grades: npt.NDArray[np.str_]) -> int:
    """Every student answers the common tests of the own grade; returns how many answers."""
    sat = session.execute(
        text(
            "SELECT i.id, i.key, i.options, y.grade, MIN(a.tested_on) FROM answer a JOIN item i ON i.id = a.item_id"
            " JOIN student_year y ON y.student_id = a.student_id"
            " AND y.school_year_id = (SELECT MAX(id) FROM school_year WHERE first_day <= a.tested_on)"
            " GROUP BY i.id, i.key, i.options, y.grade HAVING COUNT(*) > 20"
        )
    ).all()
    draw, total = np.random.default_rng(5), 0
    for item, key, options, grade, day in sat:
        own = students[grades == grade]
        others = [one for one in (options or "A;B;C;D").split(";") if one not in key.split(";")]
        wrong = np.array(others)[draw.integers(0, len(others), own.size)]
        load_rows(session, Answer, pl.DataFrame({
            "student_id": own, "item_id": np.full(own.size, item), "tested_on": [day] * own.size,
            "option": np.where(draw.random(own.size) < 0.65, key.split(";")[0], wrong),
        }))  # fmt: skip
        total += own.size
    return total


def add_mastery(session: Session, students: Keys) -> None:
    """A teacher's entry for every second student."""
    standards = np.array(list(session.scalars(text("SELECT id FROM standard ORDER BY id"))))
    draw, who = np.random.default_rng(6), students[::MASTERED_EVERY]
    load_rows(session, MasteryEntry, pl.DataFrame({
        "student_id": who, "standard_id": draw.choice(standards, who.size),
        "state": draw.choice(["mastered", "nearly", "not yet"], who.size), "day": [date(2027, 1, 11)] * who.size,
        "source": ["teacher"] * who.size,
    }))  # fmt: skip


def add_practice(session: Session, students: Keys, entries: int) -> None:
    """Entries of practice over the school year."""
    draw = np.random.default_rng(2)
    days = [BEGAN + timedelta(days=at) for at in range(PRACTICE_DAYS)]
    items = draw.integers(4, 12, entries)
    load_rows(session, PracticeEntry, pl.DataFrame({
        "student_id": draw.choice(students, entries),
        "day": [days[at] for at in draw.integers(0, PRACTICE_DAYS, entries)],
        "text": [f"Text {at}" for at in range(entries)], "minutes": draw.integers(3, 40, entries).astype(float),
        "kind": draw.choice(["story", "informing"], entries), "length": draw.integers(200, 2000, entries),
        "level": np.round(draw.normal(4, 1, entries), 1), "help": draw.choice(["by self", "shared"], entries),
        "items": items, "right": np.floor(items * draw.random(entries)).astype(np.int64),
        "passed": draw.random(entries) < 0.7,
    }))  # fmt: skip


def add_groups(session: Session, students: Keys) -> None:
    """Every student in a group of twelve, with a weekly result for sixteen weeks and a goal."""
    draw, n, probe = np.random.default_rng(1), len(students), probe_key(session)
    groups = np.arange(-(-n // SIZE)) + FIRST_KEY
    load_rows(session, Group, pl.DataFrame({
        "id": groups, "name": [f"Measured {at}" for at in groups], "focus": ["x"] * groups.size,
        "first_day": [BEGAN] * groups.size, "last_day": [ENDS] * groups.size, "made_by_id": [1] * groups.size,
        "tier": [2] * groups.size, "times_a_week": [3] * groups.size, "minutes": [30.0] * groups.size,
    }))  # fmt: skip
    load_rows(session, GroupMember, pl.DataFrame({
        "group_id": groups[np.arange(n) // SIZE], "student_id": students, "first_day": [BEGAN] * n,
    }))  # fmt: skip
    load_rows(session, Goal, pl.DataFrame({
        "student_id": students, "assessment_id": [probe] * n, "kind": ["own"] * n, "target": [110.0] * n,
        "by_day": [date(2027, 5, 1)] * n,
    }))  # fmt: skip
    week = np.tile(np.arange(WEEKS), n)
    scores = np.round(60 + draw.normal(1.5, 0.8, n).repeat(WEEKS) * week + draw.normal(0, 5, n * WEEKS))
    load_rows(session, Result, pl.DataFrame({
        "student_id": np.repeat(students, WEEKS), "assessment_id": [probe] * week.size,
        "tested_on": [BEGAN + timedelta(days=7 * int(at)) for at in week], "score": np.maximum(scores, 1.0),
        "grade": ["4"] * week.size,
    }))  # fmt: skip


def add_sessions(session: Session, students: Keys) -> None:
    """Forty-five sessions of every group, with who came."""
    draw = np.random.default_rng(3)
    groups = np.unique(np.arange(len(students)) // SIZE)
    days = [BEGAN + timedelta(days=int(7 * at // 3)) for at in range(SESSIONS)]
    keys = np.arange(groups.size * SESSIONS) + FIRST_KEY
    load_rows(session, GroupSession, pl.DataFrame({
        "id": keys, "group_id": np.repeat(groups + FIRST_KEY, SESSIONS), "day": days * groups.size,
        "minutes": [30.0] * keys.size,
    }))  # fmt: skip
    of_group = np.repeat(np.arange(len(students)) // SIZE, SESSIONS)
    session_of = FIRST_KEY + of_group * SESSIONS + np.tile(np.arange(SESSIONS), len(students))
    load_rows(session, Attendance, pl.DataFrame({
        "session_id": session_of, "student_id": np.repeat(students, SESSIONS),
        "minutes": 30.0 * (draw.random(session_of.size) < 0.9),
    }))  # fmt: skip


def add_rest(session: Session, students: Keys, grades: npt.NDArray[np.str_]) -> None:
    """All of it for the students of the big district, ``grades`` a student."""
    for assessment in (1, 2):
        for window in LAST_WINDOWS:
            add_strands(session, assessment, window, int(students[0]))
    answers = add_answers(session, students, grades)
    add_mastery(session, students)
    add_practice(session, students, ENTRIES_A_STUDENT * students.size)
    add_groups(session, students[::IN_GROUPS])
    add_sessions(session, students[::IN_GROUPS])
    print(f"strands of {len(LAST_WINDOWS)} windows, {answers} answers, {ENTRIES_A_STUDENT * students.size} entries of"
          f" practice, {len(students[::IN_GROUPS])} students in groups added")  # fmt: skip
