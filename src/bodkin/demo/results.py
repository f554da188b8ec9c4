"""The invented results: ability that grows with the weeks, measured with error, and the stories."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.random import Generator

from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.demo.district import (
    CAUSEWAY,
    CLASSES,
    MARROW,
    OSIER,
    SALTGRASS,
    SCALES,
    SCHOOLS,
    SEASON_WEEKS,
    YEARS,
    Scale,
    grown_by,
    norm_mean,
    school_days,
    school_days_behind,
    window_days,
)
from bodkin.demo.pupils import AWAY, Pupils, school_at

GIVEN_WINDOWS = [(year, season) for year in YEARS for season in SEASON_WEEKS][:-1]
"""All windows up to the demo's day: the spring of the last year is still to come."""

RUSHED = (MARROW, 7, "Yawl")
"""The class that hurried through its winter test in mathematics."""


STRAND_SPREAD = 13.0
"""Spread of a strand's score about the score of the whole test."""


@dataclass(slots=True)
class Sitting:
    """One window of one subject for the students who were tested; arrays run together."""

    year: str
    season: str
    scale: Scale
    language: str
    who: IntArray
    grade: IntArray
    school: IntArray
    section: IntArray
    score: FloatArray
    error: FloatArray
    minutes: FloatArray
    day: list[date]
    strands: FloatArray = field(default_factory=lambda: np.empty((0, 0)))
    inside: bool = True


@dataclass(frozen=True, slots=True)
class Helped:
    """Students of the intervention groups by story."""

    works: IntArray
    works_not: IntArray
    half_met: IntArray


Standing = dict[tuple[str, str, int], FloatArray]
"""Distance from the norm mean in norm spreads at each window and subject, NaN for who was not tested."""


def note_standing(standing: Standing, sitting: Sitting, n: int) -> None:
    """Keep where the students of a sitting stood; later sittings of the window change nothing."""
    place = (sitting.year, sitting.season, SCALES.index(sitting.scale))
    if sitting.inside and sitting.language == "English" and place not in standing:
        mean = np.array([norm_mean(sitting.scale, int(grade), sitting.season) for grade in sitting.grade])
        standing[place] = np.full(n, np.nan)
        standing[place][sitting.who] = (sitting.score - mean) / sitting.scale.sd


def window_of(day: date) -> tuple[str, str] | None:
    """The window a day lies in."""
    for year in YEARS:
        for season in SEASON_WEEKS:
            first, last = window_days(year, season)
            if first <= day <= last:
                return year, season
    return None


def choose_helped(pupils: Pupils) -> Helped:
    """Low readers of grade 3 at Saltgrass, of grade 7, and of grade 5 at Osier Bank."""

    def lowest(grade: int, school: str, n: int) -> IntArray:
        here = np.flatnonzero(
            (pupils.grade[-1] == grade)
            & (pupils.school[-1] == SCHOOLS.index(school))
            & (pupils.missing_until == 0)
            & (pupils.ability[:, 0] > -1.6)
        )
        return here[np.argsort(pupils.ability[here, 0], kind="stable")][:n]

    return Helped(lowest(3, SALTGRASS, 12), lowest(7, MARROW, 12), lowest(5, OSIER, 10))


def _story(pupils: Pupils, helped: Helped, year: str, season: str, subject: str) -> FloatArray:
    """What the planted stories add to ability in this window, in norm spreads."""
    now = YEARS.index(year)
    add = np.zeros(pupils.n)
    grade, school = pupils.grade[now], pupils.school[now]
    if year != YEARS[-1]:
        return add
    if subject == "reading":
        here = (grade == 4) & (school == SCHOOLS.index(SALTGRASS))
        add[here] += 0.20 if season == "fall" else -0.17
        if season == "winter":
            add[helped.works] += 0.75
            add[helped.works_not] -= 0.12
            # Strong readers who stopped growing.
            add[(grade == 6) & (school == SCHOOLS.index(CAUSEWAY)) & (pupils.ability[:, 0] > 0.7)] -= 0.50
    elif season == "winter":
        add[_rushed(pupils)] -= 1.05
    return add


def _rushed(pupils: Pupils) -> BoolArray:
    school, grade, name = RUSHED
    place = CLASSES[school].index(name)
    of_class = (pupils.grade[-1] == grade) & (pupils.section[-1] == place)
    rushed: BoolArray = of_class & (pupils.school[-1] == SCHOOLS.index(school))
    return rushed


def _days(rng: Generator, year: str, season: str, n: int) -> list[date]:
    first, last = window_days(year, season)
    inside = [day for day in school_days(year) if first <= day <= last]
    # Most sit the test early; a few come late.
    places = np.minimum(rng.geometric(0.16, n) - 1, len(inside) - 1)
    return [inside[place] for place in places]


def _sitting(
    rng: Generator, pupils: Pupils, drift: FloatArray, story: FloatArray, year: str, season: str, subject: int
) -> Sitting:
    now, scale = YEARS.index(year), SCALES[subject]
    at = GIVEN_WINDOWS.index((year, season))
    there = (pupils.school[now] != AWAY) & (pupils.missing_until <= at) & (rng.random(pupils.n) > 0.035)
    if (year, season) == ("2024-25", "fall"):
        # The building was flooded: the window was not given.
        there &= pupils.school[now] != SCHOOLS.index(OSIER)
    who = np.flatnonzero(there)
    grade = pupils.grade[now][who]
    # The spread of the invented norm holds true differences and error of measurement together.
    days = _days(rng, year, season, who.size)
    behind = np.array([school_days_behind(year, day) / 5 for day in days])
    mean = np.array([scale.fall[int(g)] + scale.gain[int(g)] * grown_by(w) for g, w in zip(grade, behind, strict=True)])
    true = mean + scale.sd * 0.95 * (pupils.ability[who, subject] + drift[who] + story[who])
    error = np.round(9.0 + 1.4 * np.abs(pupils.ability[who, subject]) + rng.random(who.size), 1)
    score = np.clip(np.round(true + rng.normal(0.0, 1.0, who.size) * error), 300, 900)
    minutes = np.round(rng.normal(36.0, 6.0, who.size).clip(18, 70))
    if (year, season, subject) == (YEARS[-1], "winter", 1):
        hurried = _rushed(pupils)[who]
        minutes = np.where(hurried, np.round(rng.uniform(5, 11, who.size)), minutes)
    sitting = Sitting(
        year, season, scale, "English", who, grade, school_at(pupils, year, season)[who], pupils.section[now][who],
        score, error,
        minutes, days,
    )  # fmt: skip
    sitting.strands = _strands(rng, sitting)
    return sitting


def _strands(rng: Generator, sitting: Sitting) -> FloatArray:
    """Strand scores about the whole score, with a pattern of place value under grade 5 at Causeway."""
    shape = (sitting.who.size, len(sitting.scale.strands))
    strands = sitting.score[:, None] + rng.normal(0.0, STRAND_SPREAD, shape)
    if sitting.scale.subject == "mathematics" and sitting.year == YEARS[-1]:
        here = (sitting.grade == 5) & (sitting.school == SCHOOLS.index(CAUSEWAY))
        strands[np.ix_(here, [0, 2])] -= np.array([34.0, 28.0])
    return np.clip(np.round(strands), 300, 900)


def _in_portuguese(rng: Generator, pupils: Pupils, english: Sitting) -> Sitting:
    """Multilingual learners of grades 3 to 5 read in Portuguese first, and far better."""
    pick = pupils.portuguese[english.who] & (english.grade >= 3) & (english.grade <= 5)
    pick &= rng.random(english.who.size) < 0.9
    first, _ = window_days(english.year, english.season)
    # Before the English sitting, which counts where no language is chosen.
    days = [max(first, day - timedelta(days=2)) - timedelta(days=int(day <= first + timedelta(days=1)))
            for day, chosen in zip(english.day, pick, strict=True) if chosen]  # fmt: skip
    days = [day if day >= first else first for day in days]
    score = np.clip(np.round(english.score[pick] + rng.normal(44.0, 12.0, int(pick.sum()))), 300, 900)
    return Sitting(
        english.year, english.season, english.scale, "Portuguese", english.who[pick], english.grade[pick],
        english.school[pick], english.section[pick], score, english.error[pick], english.minutes[pick], days,
        np.clip(np.round(score[:, None] + rng.normal(0, STRAND_SPREAD, (score.size, 5))), 300, 900),
    )  # fmt: skip


def _again(rng: Generator, sitting: Sitting) -> Sitting:
    """One in fifty sits the test a second time in the same window, on a later day."""
    pick = np.flatnonzero(rng.random(sitting.who.size) < 0.02)
    _, last = window_days(sitting.year, sitting.season)
    score = np.clip(np.round(sitting.score[pick] + rng.normal(4.0, 9.0, pick.size)), 300, 900)
    strands = np.clip(np.round(score[:, None] + rng.normal(0, STRAND_SPREAD, (score.size, 5))), 300, 900)
    later = np.array([sitting.day[place] < last for place in pick], dtype=np.bool_)
    pick, score, strands = pick[later], score[later], strands[later]
    days = [min(last, sitting.day[p] + timedelta(days=4)) for p in pick]
    return Sitting(
        sitting.year, sitting.season, sitting.scale, sitting.language, sitting.who[pick], sitting.grade[pick],
        sitting.school[pick], sitting.section[pick], score, sitting.error[pick], sitting.minutes[pick], days, strands,
    )  # fmt: skip


def _between(rng: Generator, sitting: Sitting) -> Sitting:
    """A few newcomers are tested between the windows."""
    pick = np.flatnonzero(rng.random(sitting.who.size) < 0.012)
    _, last = window_days(sitting.year, sitting.season)
    later = [day for day in school_days(sitting.year) if day > last][5:30]
    days = [later[place] for place in rng.integers(0, len(later), pick.size)]
    score = np.clip(np.round(sitting.score[pick] + rng.normal(3.0, 10.0, pick.size)), 300, 900)
    return Sitting(
        sitting.year, sitting.season, sitting.scale, sitting.language, sitting.who[pick], sitting.grade[pick],
        sitting.school[pick], sitting.section[pick], score, sitting.error[pick], sitting.minutes[pick], days,
        np.clip(np.round(score[:, None] + rng.normal(0, STRAND_SPREAD, (score.size, 5))), 300, 900), inside=False,
    )  # fmt: skip


def sittings(rng: Generator, pupils: Pupils, helped: Helped) -> Iterator[Sitting]:
    """Every sitting of three years in the order in which results arrived."""
    drift = np.zeros((pupils.n, len(SCALES)))
    for year, season in GIVEN_WINDOWS:
        # Students drift apart a little from window to window; over the summer a little more.
        drift += rng.normal(0.0, 0.13 if season == "fall" else 0.10, drift.shape)
        for subject, scale in enumerate(SCALES):
            story = _story(pupils, helped, year, season, scale.subject)
            sitting = _sitting(rng, pupils, drift[:, subject], story, year, season, subject)
            if (year, season, scale.subject) == (YEARS[-1], "winter", "reading"):
                # The one wild outlier: a strong reader whose winter score cannot be true.
                wild = int(np.argmax(np.where(sitting.grade == 8, pupils.ability[sitting.who, 0], -9)))
                sitting.score[wild] -= 128
                sitting.minutes[wild] = 4
            if scale.subject == "reading":
                yield _in_portuguese(rng, pupils, sitting)
            yield sitting
            yield _again(rng, sitting)
            if (year, season) != GIVEN_WINDOWS[-1]:
                yield _between(rng, sitting)


ITEMS = 42
"""Items that an adaptive sitting gives at the most."""


def result_rows(sitting: Sitting, keys: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """Rows of the table of results for a sitting; ``keys`` find what they point at."""
    assessment = keys["assessment"][sitting.scale.subject]
    window = keys["window"][sitting.year, sitting.season] if sitting.inside else None
    for at, who in enumerate(sitting.who.tolist()):
        place = (sitting.year, int(sitting.school[at]), int(sitting.grade[at]), int(sitting.section[at]))
        minutes, entitled = float(sitting.minutes[at]), keys["entitled"][who]
        tried = min(ITEMS, 34 + (who + int(minutes)) % 9)
        # An adaptive test gives what is half right by design; who hurries guesses.
        share = 0.34 if minutes < 12 else 0.55 + 0.01 * (who % 7 - 3)
        # One in four sits without what the plan promises.
        used = entitled if (who + sitting.day[at].year) % 4 else None
        yield {
            "student_id": who + 1,
            "assessment_id": assessment,
            "window_id": window,
            "tested_on": sitting.day[at],
            "grade": str(sitting.grade[at]),
            "school_id": int(sitting.school[at]) + 1,
            "section_id": keys["section"][place],
            "teacher_id": keys["teacher"][place[1:]],
            "programs": keys["programs"](who, sitting.day[at]),
            "language": sitting.language,
            "score": float(sitting.score[at]),
            "standard_error": float(sitting.error[at]),
            "minutes": minutes,
            "items_tried": tried,
            "items_right": round(tried * share),
            "accommodations": used,
        }
