"""What happens between the windows: absences, reading practice, course grades, who was not tested and why."""

from collections.abc import Iterator
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.random import Generator

from bodkin.core.arrays import BoolArray
from bodkin.demo.district import OSIER, SCHOOLS, YEARS, school_days, window_days
from bodkin.demo.pupils import AWAY, Pupils, arrived_on
from bodkin.demo.results import Standing

REASONS = ("illness", "illness", "illness", "appointment", "family", "unexplained")
PERIODS = 4
SYMBOLS = (("A", 4.0), ("B", 3.0), ("C", 2.0), ("D", 1.0), ("F", 0.0))
GRADED_FROM = 5
"""Lowest grade with teachers' term grades."""

TITLES = (
    ("The Lamp at Low Water", "story", 620), ("Otters of the Reach", "informing", 540),
    ("Nine Knots and a Promise", "story", 1450), ("How a Lock Fills", "informing", 700),
    ("The Ferry That Would Not Wait", "story", 980), ("Eels Go Home", "informing", 860),
    ("Grandmother's Tide Table", "story", 1120), ("Bridges That Turn", "informing", 1240),
    ("A Coat for the Heron", "story", 410), ("Salt from the Sea", "informing", 630),
    ("Five Bells at Marrow Point", "story", 2100), ("Storm Glass", "story", 1680),
    ("What Mud Remembers", "informing", 1530), ("Boats Made of Reeds", "informing", 920),
    ("The Quiet Oar", "story", 760), ("Kelp, Crabs and Company", "informing", 480),
    ("Letters in a Bottle Rack", "story", 1890), ("Reading the Wind", "informing", 1710),
    ("Tilda Minds the Sluice", "story", 530), ("Where Fog Begins", "informing", 1010),
    ("The Painter of Buoys", "story", 1340), ("Bees on the Dyke", "informing", 590),
    ("Two Lanterns", "story", 870), ("The Town Under the Tide", "story", 2350),
)  # fmt: skip
"""Invented titles of Ferry Shelf with kind of text and length in words."""

HELP = ("by self", "shared", "listened")
PRACTICE_GRADES = (2, 3, 4, 5)
QUESTIONS = 5


def _now(pupils: Pupils) -> BoolArray:
    there: BoolArray = pupils.school[-1] != AWAY
    return there


def absences(rng: Generator, pupils: Pupils, until: date) -> Iterator[dict[str, Any]]:
    """Days away in this school year; a few students are away often."""
    days = [day for day in school_days(YEARS[-1]) if day <= until]
    rate = rng.beta(1.1, 26.0, pupils.n)
    for who in np.flatnonzero(_now(pupils)).tolist():
        since = arrived_on(pupils, who, YEARS[-1])
        for place in np.flatnonzero(rng.random(len(days)) < rate[who]).tolist():
            if days[place] >= since:
                yield {
                    "student_id": who + 1, "day": days[place],
                    "reason": REASONS[int(rng.integers(0, len(REASONS)))], "minutes": None,
                }  # fmt: skip


def practice(rng: Generator, pupils: Pupils, standing: Standing, until: date) -> Iterator[dict[str, Any]]:
    """The log of Ferry Shelf: fourth graders at Osier Bank do worse on informing texts, some stop logging on."""
    year = YEARS[-1]
    days = [day for day in school_days(year) if day <= until]
    z = np.nan_to_num(standing[year, "fall", 0], nan=-0.3)
    readers = np.flatnonzero(_now(pupils) & np.isin(pupils.grade[-1], PRACTICE_GRADES) & (pupils.missing_until <= 6))
    for who in readers.tolist():
        weekly = rng.gamma(2.2, 0.5)
        # One in fourteen has not logged on for weeks.
        stopped = until - timedelta(days=int(rng.integers(24, 70))) if rng.random() < 0.07 else until
        own_level = float(np.clip(2.0 + pupils.grade[-1][who] - 2 + 0.8 * z[who], 1.0, 9.0))
        picks = np.flatnonzero(rng.random(len(days)) < weekly / 5)
        osier = pupils.school[-1][who] == SCHOOLS.index(OSIER) and pupils.grade[-1][who] == 4
        for place in picks.tolist():
            if days[place] > stopped:
                break
            title, kind, length = TITLES[int(rng.integers(0, len(TITLES)))]
            help_ = HELP[int(rng.choice(3, p=(0.62, 0.23, 0.15)))]
            level = round(own_level + float(rng.normal(0.1, 0.6)), 1)
            chance = 0.84 - 0.09 * (level - own_level) - 0.05 * (length > 1500) + 0.05 * (help_ != "by self")
            chance -= 0.24 * (osier and kind == "informing")
            right = int(rng.binomial(QUESTIONS, float(np.clip(chance, 0.05, 0.98))))
            yield {
                "student_id": who + 1, "day": days[place], "text": title,
                "minutes": float(np.round(max(3.0, length / 90 + rng.normal(2.0, 2.0)))), "kind": kind,
                "length": length, "level": level, "help": help_, "items": QUESTIONS, "right": right,
                "passed": right >= 4,
            }  # fmt: skip


def periods() -> Iterator[tuple[int, str, date, date]]:
    """Marking periods: place of the school year, name, first and last day."""
    for at, year in enumerate(YEARS):
        days = school_days(year)
        size = len(days) / PERIODS
        for quarter in range(PERIODS):
            first, last = days[round(quarter * size)], days[round((quarter + 1) * size) - 1]
            yield at, f"quarter {quarter + 1}", first, last


def course_grades(rng: Generator, pupils: Pupils, standing: Standing, until: date) -> Iterator[dict[str, Any]]:
    """Grades in reading and mathematics for every marking period that is over."""
    for key, (at, _, _, last) in enumerate(periods(), start=1):
        if last > until:
            continue
        year = YEARS[at]
        graded = np.flatnonzero((pupils.school[at] != AWAY) & (pupils.grade[at] >= GRADED_FROM))
        for subject, name in enumerate(("reading", "mathematics")):
            z = np.nan_to_num(standing[year, "winter", subject], nan=-0.2)
            worth = 2.6 + 0.62 * z[graded] + rng.normal(0.0, 0.6, graded.size)
            for who, points in zip(graded.tolist(), np.clip(np.round(worth), 0, 4).astype(int).tolist(), strict=True):
                if pupils.missing_until[who] > 3 * at + 2:
                    continue
                symbol, value = SYMBOLS[4 - points]
                yield {
                    "student_id": who + 1, "subject": name, "marking_period_id": key, "symbol": symbol, "points": value,
                }  # fmt: skip


def not_tested(rng: Generator, pupils: Pupils, standing: Standing, window_key: int) -> Iterator[dict[str, Any]]:
    """Why some have no result in this winter's window; of the others nobody knows yet."""
    year = YEARS[-1]
    missing = _now(pupils) & np.isnan(standing[year, "winter", 0]) & np.isnan(standing[year, "winter", 1])
    for who in np.flatnonzero(missing).tolist():
        if arrived_on(pupils, who, year) > window_days(year, "winter")[0]:
            reason = "newly arrived"
        else:
            reason = ("absent", "absent", "excused", "")[int(rng.integers(0, 4))]
        if reason:
            yield {"student_id": who + 1, "window_id": window_key, "reason": reason}


GOAL_PERIOD = 11
"""The marking period of the demo's day: quarter 3 of the third year."""
GOAL_ACCURACY, GOAL_MINUTES, GOAL_ROOM = 0.7, 120.0, 1.2


def practice_goals(pupils: Pupils, standing: Standing) -> Iterator[dict[str, Any]]:
    """Goals of the present quarter for the readers: the same minutes and accuracy, and a range about the own level."""
    z = np.nan_to_num(standing[YEARS[-1], "fall", 0], nan=-0.3)
    for who in np.flatnonzero(_now(pupils) & np.isin(pupils.grade[-1], PRACTICE_GRADES)).tolist():
        level = round(float(np.clip(2.0 + pupils.grade[-1][who] - 2 + 0.8 * z[who], 1.0, 9.0)), 1)
        yield {
            "student_id": who + 1, "marking_period_id": GOAL_PERIOD, "accuracy": GOAL_ACCURACY,
            "minutes": GOAL_MINUTES, "easiest": round(level - GOAL_ROOM, 1), "hardest": round(level + GOAL_ROOM, 1),
        }  # fmt: skip
