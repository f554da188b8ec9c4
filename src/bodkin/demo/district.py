"""Sallow Reach Schools: schools, calendar, classes, the tests with their invented norms and cuts."""

from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache

import numpy as np

NAME = "Sallow Reach Schools"

OSIER, SALTGRASS, CAUSEWAY, MARROW = (
    "Osier Bank Primary",
    "Saltgrass Primary",
    "Causeway Intermediate",
    "Marrow Point Middle",
)
SCHOOLS = (OSIER, SALTGRASS, CAUSEWAY, MARROW)

CLASSES = {
    OSIER: ("Heron", "Plover", "Teal", "Egret", "Wren"),
    SALTGRASS: ("Curlew", "Avocet", "Dunlin", "Tern", "Sanderling"),
    CAUSEWAY: ("Knot", "Gannet", "Petrel", "Siskin", "Swift"),
    MARROW: ("Cutter", "Ketch", "Yawl", "Lugger", "Sloop", "Dory", "Punt", "Skiff", "Wherry", "Barge"),
}
"""Names of classes, no two schools sharing one; a class is called by grade and name."""

YEARS = ("2024-25", "2025-26", "2026-27")
FIRST_DAYS = {"2024-25": date(2024, 8, 26), "2025-26": date(2025, 8, 25), "2026-27": date(2026, 8, 24)}

CLOSURES = (
    ("autumn week", date(2024, 10, 21), date(2024, 10, 25)),
    ("year end", date(2024, 12, 23), date(2025, 1, 3)),
    ("spring week", date(2025, 3, 31), date(2025, 4, 4)),
    ("autumn week", date(2025, 10, 20), date(2025, 10, 24)),
    ("year end", date(2025, 12, 22), date(2026, 1, 2)),
    ("storm week", date(2026, 2, 9), date(2026, 2, 13)),
    ("spring week", date(2026, 3, 30), date(2026, 4, 3)),
    ("autumn week", date(2026, 10, 19), date(2026, 10, 23)),
    ("year end", date(2026, 12, 21), date(2027, 1, 1)),
    ("spring week", date(2027, 3, 29), date(2027, 4, 2)),
)

SEASON_WEEKS = {"fall": (3, 6), "winter": (18, 21), "spring": (31, 34)}
"""First and last week of instruction of each window, the first week of school being week 1."""

WEEKS_A_YEAR = 38


@cache
def school_days(year: str) -> tuple[date, ...]:
    """Every day of a school year on which school is open."""
    days: list[date] = []
    day = FIRST_DAYS[year]
    while len(days) < WEEKS_A_YEAR * 5:
        if day.weekday() < 5 and not any(first <= day <= last for _, first, last in CLOSURES):
            days.append(day)
        day += timedelta(days=1)
    return tuple(days)


@cache
def _places(year: str) -> dict[date, int]:
    return {day: place for place, day in enumerate(school_days(year))}


def school_days_behind(year: str, day: date) -> int:
    """Days of instruction before a school day."""
    return _places(year)[day]


def window_days(year: str, season: str) -> tuple[date, date]:
    """First and last day of a window."""
    first, last = SEASON_WEEKS[season]
    days = school_days(year)
    return days[(first - 1) * 5], days[last * 5 - 1]


@dataclass(frozen=True, slots=True)
class Scale:
    """The invented norms of one subject: fall mean by grade, growth within the year, spread."""

    subject: str
    fall: dict[int, float]
    gain: dict[int, float]
    sd: float
    strands: tuple[str, ...]


SCALES = (
    Scale(
        "reading",
        {2: 440.0, 3: 478.0, 4: 508.0, 5: 532.0, 6: 551.0, 7: 566.0, 8: 578.0},
        {2: 40.0, 3: 32.0, 4: 26.0, 5: 21.0, 6: 17.0, 7: 14.0, 8: 11.0},
        36.0,
        ("Word work", "Vocabulary", "Story structure", "Informing texts", "Reading closely"),
    ),
    Scale(
        "mathematics",
        {2: 430.0, 3: 474.0, 4: 511.0, 5: 542.0, 6: 566.0, 7: 585.0, 8: 600.0},
        {2: 47.0, 3: 40.0, 4: 33.0, 5: 27.0, 6: 22.0, 7: 18.0, 8: 15.0},
        34.0,
        ("Number and place value", "Operations", "Fractions and decimals", "Measures and data", "Shape"),
    ),
)

ASSESSMENT = "Saltgauge"
GRADES = tuple(range(2, 9))
NORM_WEEKS = {"fall": (2, 4, 6), "winter": (17, 19, 21), "spring": (30, 32, 34)}
"""Weeks of instruction behind a student at which each season has a norm row."""
GROWN = {"fall": 0.0, "winter": 0.56, "spring": 1.0}
"""Share of a year's growth that lies behind by the middle of each window: faster before winter."""

BANDS = ("Starting", "Gaining", "Steady", "Leading")
BAND_Z = (-0.84, -0.13, 0.67)
HELP = (("much", None), ("some", 20.0), ("none", 40.0))

CORRELATIONS = {
    ("fall", "winter"): 0.88,
    ("winter", "spring"): 0.88,
    ("fall", "spring"): 0.85,
    ("spring", "fall"): 0.87,
    ("winter", "fall"): 0.84,
    ("spring", "winter"): 0.84,
    ("fall", "fall"): 0.82,
    ("winter", "winter"): 0.82,
    ("spring", "spring"): 0.82,
}


def grown_by(week: float) -> float:
    """Share of a year's growth that lies behind after so many weeks of instruction."""
    middles = [weeks[1] for weeks in NORM_WEEKS.values()]
    return float(np.interp(week, [0.0, *middles, 38.0], [-0.15, *GROWN.values(), 1.2]))


def norm_mean(scale: Scale, grade: int, season: str) -> float:
    """Mean of the invented norm group."""
    return scale.fall[grade] + scale.gain[grade] * GROWN[season]


PROGRAMS = {
    "Accommodation plan": 0.05,
    "Advanced": 0.06,
    "Individual plan": 0.12,
    "Meal support": 0.35,
    "Multilingual learner": 0.15,
}
"""Programs and the share of students in each."""

PASSWORD = "tideline-demo"  # noqa: S105 (the demo's own, printed at its start)

SIGN_INS = (
    ("coach", "Maren Tolliver", "coach"),
    ("lead", "Hollis Carrow", "school_lead"),
    ("teacher", "Ione Bexley", "teacher"),
    ("specialist", "Caio Valadao", "interventionist"),
    ("aide", "Fern Oxley", "aide"),
)
"""Login, name and role of the people one can sign in as."""

LEAD_SCHOOL = SALTGRASS
TEACHER_CLASS = (SALTGRASS, "4 Curlew")
