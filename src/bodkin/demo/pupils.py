"""The invented students: who goes to which school, grade and class in each of three years."""

from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np
from numpy.random import Generator

from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.demo.district import (
    CAUSEWAY,
    CLASSES,
    FIRST_DAYS,
    GRADES,
    MARROW,
    OSIER,
    PROGRAMS,
    SALTGRASS,
    SCHOOLS,
    SEASON_WEEKS,
    YEARS,
    window_days,
)
from bodkin.demo.names import FAMILY, GIVEN

A_GRADE = 272
"""Students a grade; 1,904 in grades 2 to 8."""

AWAY = -1
"""School of a student in a year who is not in the district then."""


@dataclass(frozen=True, slots=True)
class Pupils:
    """Arrays with one entry per student; ``grade`` and ``school`` have one row per school year.

    ``school`` indexes SCHOOLS, ``section`` the classes of that school; AWAY where the student is
    not in the district. ``program`` has one column per program. ``ability`` is in norm spreads,
    one column per subject. ``missing_until`` counts windows before a late arrival; ``moved`` went
    from one primary school to the other on MOVED_ON.
    """

    given: list[str]
    family: list[str]
    grade: IntArray
    school: IntArray
    section: IntArray
    program: BoolArray
    portuguese: BoolArray
    ability: FloatArray
    missing_until: IntArray
    moved: BoolArray

    @property
    def n(self) -> int:
        """How many students there ever were."""
        return len(self.given)


def _school_of(grade: IntArray, start: IntArray, moves_at_five: BoolArray) -> IntArray:
    """School index for a grade: primaries to 4 or 5, then Causeway or Marrow Point."""
    osier, saltgrass, causeway, marrow = (SCHOOLS.index(name) for name in (OSIER, SALTGRASS, CAUSEWAY, MARROW))
    primary = np.where(start == 0, osier, saltgrass)
    at_five = np.where(moves_at_five, causeway, primary)
    at_six = np.where(moves_at_five, causeway, marrow)
    place = np.select([grade <= 4, grade == 5, grade == 6, grade <= 8], [primary, at_five, at_six, marrow], AWAY)
    return np.where((grade < GRADES[0]) | (grade > GRADES[-1]), AWAY, place)


def _names(rng: Generator, n: int) -> tuple[list[str], list[str]]:
    """Names without doubles."""
    pairs = rng.choice(len(GIVEN) * len(FAMILY), size=n, replace=False)
    return [GIVEN[p % len(GIVEN)] for p in pairs], [FAMILY[p // len(GIVEN)] for p in pairs]


def make_pupils(rng: Generator) -> Pupils:
    """All students of three years, the ones who have left included."""
    grade_now = np.repeat(np.arange(GRADES[0], GRADES[-1] + len(YEARS)), A_GRADE)
    n = grade_now.size
    given, family = _names(rng, n)
    grade = np.stack([grade_now - (len(YEARS) - 1 - year) for year in range(len(YEARS))])
    start, moves = rng.integers(0, 2, n), rng.random(n) < 0.5
    school = np.stack([_school_of(row, start, moves) for row in grade])
    slot = rng.random(n)
    sizes = np.array([len(CLASSES[name]) for name in SCHOOLS])
    # Causeway's and Marrow Point's sixth grades are half as large as the seventh: fewer classes.
    count = np.where((grade == 6) & (school == SCHOOLS.index(MARROW)), 5, sizes[school])
    count = np.where((grade == 5) & (school <= 1), 3, count)
    section = np.where(school == AWAY, AWAY, (slot * count).astype(np.int64))
    program = np.stack([rng.random(n) < share for share in PROGRAMS.values()], axis=1)
    learner = list(PROGRAMS).index("Multilingual learner")
    portuguese = program[:, learner] & (rng.random(n) < 0.8)
    # 5 % came into the district during these years: nothing is known of them before.
    missing_until = np.where(rng.random(n) < 0.05, rng.integers(1, 9, n), 0)
    general = rng.normal(0.0, 0.93, n)
    ability = np.stack([0.87 * general + 0.42 * rng.normal(0.0, 1.0, n) for _ in range(2)], axis=1)
    ability[:, 0] -= 0.35 * program[:, learner]
    ability += 0.55 * program[:, [list(PROGRAMS).index("Advanced")]]
    ability -= 0.65 * program[:, [list(PROGRAMS).index("Individual plan")]]
    moved = np.zeros(n, dtype=np.bool_)
    made = Pupils(given, family, grade, school, section, program, portuguese, ability, missing_until, moved)
    return _with_changes(made)


MOVED_ON = date(2026, 11, 16)
MOVES = 22
SEASONS_A_YEAR = len(SEASON_WEEKS)


def _with_changes(pupils: Pupils) -> Pupils:
    """Late arrivals are nowhere before they come; some change their primary school in autumn."""
    # A source of chance of its own: what else is invented stays as it was.
    rng = np.random.default_rng([A_GRADE, MOVES])
    school = pupils.school.copy()
    for at in range(len(YEARS)):
        school[at][pupils.missing_until >= SEASONS_A_YEAR * (at + 1)] = AWAY
    small = (pupils.grade[-1] <= 3) & (school[-1] <= SCHOOLS.index(SALTGRASS)) & (pupils.missing_until == 0)
    moved = np.zeros(pupils.n, dtype=np.bool_)
    moved[rng.choice(np.flatnonzero(small & (school[-1] != AWAY)), MOVES, replace=False)] = True
    return replace(pupils, school=school, moved=moved)


def ever_here(pupils: Pupils) -> BoolArray:
    """Students who are in the district in at least one year."""
    here: BoolArray = (pupils.school != AWAY).any(axis=0)
    return here


def learners(pupils: Pupils) -> BoolArray:
    """Multilingual learners, the ones who have left the program since included."""
    inside: BoolArray = pupils.program[:, list(PROGRAMS).index("Multilingual learner")]
    return inside


def school_at(pupils: Pupils, year: str, season: str) -> IntArray:
    """School of every student at a window: who moved sat the fall test at the other primary."""
    now: IntArray = pupils.school[YEARS.index(year)].copy()
    if (year, season) == (YEARS[-1], "fall"):
        now[pupils.moved] = 1 - now[pupils.moved]
    return now


def arrived_on(pupils: Pupils, who: int, year: str) -> date:
    """First day of a student in a school year: the year's own, or two weeks before the first test."""
    at, windows = YEARS.index(year), int(pupils.missing_until[who])
    if SEASONS_A_YEAR * at < windows < SEASONS_A_YEAR * (at + 1):
        first, _ = window_days(year, list(SEASON_WEEKS)[windows % SEASONS_A_YEAR])
        return first - timedelta(days=14)
    return FIRST_DAYS[year]
