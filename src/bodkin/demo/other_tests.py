"""The invented district's other tests: outcome, reasoning, language proficiency, weekly probes."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.random import Generator
from scipy.special import expit
from scipy.stats import norm

from bodkin.core.arrays import FloatArray, IntArray
from bodkin.demo.district import GRADES, SCALES, SEASON_WEEKS, YEARS, norm_mean, school_days, window_days
from bodkin.demo.pupils import AWAY, Pupils, learners
from bodkin.demo.results import Helped, Standing, window_of

DEMO_DAY = date(2027, 2, 12)

OUTCOME, REASONING, PROFICIENCY, PROBE = "Regional Spring Test", "Bearings", "Harbour Tongue", "One-minute passage"

OUTCOME_GRADES = (3, 4, 5, 6, 7, 8)
SCIENCE_GRADES = (5, 8)
POINTS_A_STRAND = 20
LEVEL_CUTS = (18.0, 29.0, 40.0)
LEVEL_Z = (-1.1, -0.1, 0.9)
"""Where the outcome's levels lie among the students of a grade, in norm spreads."""

REPORTED = {
    "reading": ("Stories", "Informing texts", "Words and language"),
    "mathematics": ("Number", "Fractions and ratio", "Shape and data"),
    "science": ("Living things", "Matter and energy", "Earth and sky"),
}
PARTS = ("Words", "Numbers", "Shapes")
REASONING_GRADES = (3, 6)
PROFICIENCY_CUTS = (240.0, 290.0, 340.0)

FLUENT = {2: 58.0, 3: 84.0, 4: 104.0, 5: 122.0, 6: 136.0, 7: 146.0, 8: 152.0}
FLUENT_GAIN = {2: 44.0, 3: 36.0, 4: 30.0, 5: 24.0, 6: 20.0, 7: 14.0, 8: 10.0}
FLUENT_SD = 30.0
"""Invented norms of the one-minute passage: words correct a minute in fall, gained by spring, spread."""


@dataclass(frozen=True, slots=True)
class Test:
    """A test in a subject with its strands; ``norm_group`` where it has norms."""

    name: str
    subject: str
    kind: str
    strands: tuple[str, ...] = ()
    norm_group: str | None = None


TESTS = (
    *(Test(OUTCOME, subject, "outcome", strands) for subject, strands in REPORTED.items()),
    Test(REASONING, "reasoning", "reasoning", PARTS, "Invented age norms"),
    Test(PROFICIENCY, "English language", "language proficiency"),
    Test(PROBE, "reading", "probe", (), "Invented norms"),
)


def cut_rows() -> Iterator[dict[str, Any]]:
    """Cuts of these tests; keys ``name`` and ``subject`` say whose."""
    for subject in REPORTED:
        for grade in SCIENCE_GRADES if subject == "science" else OUTCOME_GRADES:
            yield from _bands(OUTCOME, subject, grade, None, [f"Level {n}" for n in range(1, 5)], LEVEL_CUTS)
    for grade in GRADES:
        yield from _bands(
            PROFICIENCY, "English language", grade, None, [f"Stage {n}" for n in range(1, 5)], PROFICIENCY_CUTS
        )
        for season, share in zip(SEASON_WEEKS, (0.0, 0.55, 1.0), strict=True):
            low = round(FLUENT[grade] + share * FLUENT_GAIN[grade] - 0.25 * FLUENT_SD)
            yield from _bands(PROBE, "reading", grade, season, ["Below the mark", "At the mark"], (float(low),))


def _bands(
    name: str, subject: str, grade: int, season: str | None, bands: list[str], lows: tuple[float, ...]
) -> Iterator[dict[str, Any]]:
    for order, (band, low) in enumerate(zip(bands, (None, *lows), strict=True), start=1):
        yield {
            "name": name, "subject": subject, "grade": str(grade), "season": season, "purpose": "performance",
            "order": order, "band": band, "min_score": low, "min_percentile": None,
        }  # fmt: skip


def probe_norms() -> Iterator[dict[str, Any]]:
    """Norms of the one-minute passage at the middle of each season."""
    for grade in GRADES:
        for season, week, share in zip(SEASON_WEEKS, (4, 19, 32), (0.0, 0.55, 1.0), strict=True):
            mean = FLUENT[grade] + share * FLUENT_GAIN[grade]
            yield {"grade": str(grade), "season": season, "week": week, "mean": mean, "sd": FLUENT_SD}


def link_rows() -> Iterator[dict[str, Any]]:
    """From which Saltgauge score a level of the outcome test is likely; ``subject`` says of which test."""
    for scale in SCALES:
        for grade in OUTCOME_GRADES:
            for season in SEASON_WEEKS:
                for level, z in enumerate(LEVEL_Z, start=2):
                    low = float(round(norm_mean(scale, grade, season) + z * scale.sd))
                    yield {
                        "subject": scale.subject, "grade": str(grade), "season": season, "min_score": low,
                        "outcome": OUTCOME, "level": f"Level {level}",
                    }  # fmt: skip


@dataclass(slots=True)
class OtherResult:
    """One result of another test; ``strands`` are points won, or part scores, in the test's order."""

    test: tuple[str, str]
    who: int
    year: str
    day: date
    window: tuple[str, str] | None
    values: dict[str, Any]
    strands: tuple[float, ...] = ()
    of_points: bool = False


def _z(standing: Standing, year: str, season: str, subject: int) -> FloatArray:
    return standing[year, season, subject]


def outcomes(rng: Generator, pupils: Pupils, standing: Standing) -> Iterator[OtherResult]:
    """Each spring that is over: raw points, and points a reporting strand."""
    for now, year in enumerate(YEARS[:-1]):
        first, last = window_days(year, "spring")
        days = [day for day in school_days(year) if first <= day <= last]
        reading, mathematics = (_z(standing, year, "spring", subject) for subject in (0, 1))
        for subject, z, grades in (
            ("reading", reading, OUTCOME_GRADES),
            ("mathematics", mathematics, OUTCOME_GRADES),
            ("science", 0.6 * reading + 0.4 * mathematics, SCIENCE_GRADES),
        ):
            sits = np.flatnonzero(~np.isnan(z) & np.isin(pupils.grade[now], grades))
            able = 0.88 * z[sits] + rng.normal(0.0, 0.28, sits.size)
            chance = expit(0.75 * able[:, None] + rng.normal(0.0, 0.18, (sits.size, 3)))
            points = rng.binomial(POINTS_A_STRAND, chance).astype(float)
            for who, won in zip(sits.tolist(), points.tolist(), strict=True):
                values = {"score": sum(won), "points": sum(won), "points_possible": 3.0 * POINTS_A_STRAND}
                day = days[len(days) // 2 + ("reading", "mathematics", "science").index(subject)]
                yield OtherResult(
                    (OUTCOME, subject), who, year, day, (year, "spring"), values, tuple(won), of_points=True
                )


def reasoning(rng: Generator, pupils: Pupils, standing: Standing) -> Iterator[OtherResult]:
    """One year, grades 3 and 6: three part scores and a whole, with the percentile of one's age."""
    year, now = YEARS[1], 1
    first, _ = window_days(year, "fall")
    reading, mathematics = (_z(standing, year, "fall", subject) for subject in (0, 1))
    z = (reading + mathematics) / 2
    for who in np.flatnonzero(~np.isnan(z) & np.isin(pupils.grade[now], REASONING_GRADES)).tolist():
        parts = np.round(100 + 16 * (0.7 * z[who] + rng.normal(0.0, 0.6, 3))).clip(55, 150)
        whole = float(np.round(parts.mean()))
        percentile = float(np.clip(np.floor(100 * norm.cdf((whole - 100) / 14) + 0.5), 1, 99))
        values = {
            "score": whole, "standard_error": 4.0, "percentile": percentile, "percentile_basis": "Invented age norms",
        }  # fmt: skip
        yield OtherResult(
            (REASONING, "reasoning"), who, year, first + timedelta(days=7), (year, "fall"), values, tuple(parts)
        )


def proficiency(rng: Generator, pupils: Pupils) -> Iterator[OtherResult]:
    """Multilingual learners, each spring that is over."""
    learner = learners(pupils)
    for now, year in enumerate(YEARS[:-1]):
        day = window_days(year, "spring")[0]
        there = learner & (pupils.school[now] != AWAY) & (pupils.missing_until <= 3 * now + 2)
        for who in np.flatnonzero(there).tolist():
            score = 285 + 22 * pupils.ability[who, 0] + 20 * now + 6 * (pupils.grade[now][who] - 4)
            score = float(np.clip(np.round(score + rng.normal(0.0, 14.0)), 150, 400))
            values = {"score": score, "standard_error": 12.0}
            yield OtherResult((PROFICIENCY, "English language"), who, year, day, (year, "spring"), values)


AIM_A_WEEK, AIM_BY = 1.4, date(2027, 4, 16)
"""Words a minute that weekly goals ask for, and by when."""
BEGAN = date(2026, 10, 12)


def _fluent_start(grade: int, z: float) -> float:
    """Words a minute of a student when the groups began."""
    return FLUENT[grade] + FLUENT_SD * (-1.2 if np.isnan(z) else z) * 0.8


def probe_goals(pupils: Pupils, helped: Helped, standing: Standing) -> Iterator[dict[str, Any]]:
    """A goal in the weekly minute for every student of an intervention group."""
    z = _z(standing, YEARS[-1], "fall", 0)
    for members in (helped.works, helped.works_not, helped.half_met):
        for who in members.tolist():
            start = _fluent_start(int(pupils.grade[-1][who]), z[who])
            target = round(max(5.0, start) + AIM_A_WEEK * (AIM_BY - BEGAN).days / 7)
            yield {
                "student_id": who + 1, "kind": "own", "target": float(target), "by_day": AIM_BY, "plan": None,
                "agreed_with": "student", "review_on": date(2027, 2, 19),
            }  # fmt: skip


def probes(rng: Generator, pupils: Pupils, helped: Helped, standing: Standing) -> Iterator[OtherResult]:
    """A minute a week for every student of an intervention group since the group began."""
    year, began = YEARS[-1], BEGAN
    fridays = [day for day in school_days(year) if day.weekday() == 4 and began < day <= DEMO_DAY]
    z = _z(standing, year, "fall", 0)
    for members, gain in ((helped.works, 1.9), (helped.works_not, 0.15), (helped.half_met, 0.7)):
        for who in members.tolist():
            grade = int(pupils.grade[-1][who])
            start = _fluent_start(grade, z[who])
            slope = gain + rng.normal(0.0, 0.25)
            for day in fridays:
                if rng.random() < 0.06:
                    continue
                weeks = (day - began).days / 7
                score = float(np.round(max(5.0, start + slope * weeks + rng.normal(0.0, 4.5))))
                values = {"score": score, "standard_error": 5.0, "minutes": 1.0}
                yield OtherResult((PROBE, "reading"), who, year, day, window_of(day), values)


def strand_values(sat: OtherResult) -> list[dict[str, float | None]]:
    """What each strand of a result says: points won of those possible, or a part score."""
    if sat.of_points:
        return [
            {"score": None, "standard_error": None, "points": won, "points_possible": float(POINTS_A_STRAND)}
            for won in sat.strands
        ]
    return [
        {"score": float(part), "standard_error": 6.0, "points": None, "points_possible": None} for part in sat.strands
    ]


def left_the_program(pupils: Pupils) -> IntArray:
    """Multilingual learners whose English stood so well in spring 2026 that they left the program."""
    strong = learners(pupils) & (pupils.grade[1] >= 5) & (pupils.ability[:, 0] > 0.4)
    return np.flatnonzero(strong & (pupils.school[1] != AWAY))
