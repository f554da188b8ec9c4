"""The invented unit checks: items with their standards, every answer; what teachers entered; material."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.random import Generator
from scipy.special import expit

from bodkin.core.arrays import FloatArray, IntArray
from bodkin.demo.district import CAUSEWAY, SCHOOLS, YEARS
from bodkin.demo.pupils import AWAY, Pupils
from bodkin.demo.results import Standing

OPTIONS = "ABCD"

PLACE_VALUE = ("M3-NP-2", "M4-NP-1", "M5-NP-1")
"""The ground under grade 5 decimals that is missing at Causeway."""

SHARPNESS = 1.25


@dataclass(frozen=True, slots=True)
class UnitCheck:
    """A common test: grade, subject (0 reading, 1 mathematics), day, and the standards of its items in turn."""

    name: str
    grade: int
    subject: int
    day: date
    standards: tuple[str, ...]
    items: int
    wrong_key: int | None = None
    strong_wrong: int | None = None


CHECKS = (
    UnitCheck("Unit check: place value", 4, 1, date(2026, 10, 8), ("M3-NP-2", "M4-NP-1", "M4-NP-2"), 12),
    UnitCheck(
        "Unit check: story structure", 4, 0, date(2026, 11, 5), ("R4-SS-1", "R3-SS-2", "R3-RC-2"), 10, wrong_key=6,
    ),
    UnitCheck(
        "Unit check: decimals", 5, 1, date(2026, 12, 3),
        ("M5-FD-1", "M5-FD-2", "M5-NP-1", "M4-NP-1", "M3-NP-2", "M4-FD-2"), 24, strong_wrong=8,
    ),
    UnitCheck("Unit check: ratios", 6, 1, date(2026, 12, 9), ("M6-FD-2", "M6-FD-1", "M5-FD-2", "M5-NP-2"), 16),
    UnitCheck("Unit check: weighing reasons", 7, 0, date(2027, 1, 20), ("R7-IT-2", "R6-RC-2", "R6-IT-2"), 12),
    UnitCheck("Unit check: equal parts", 3, 1, date(2027, 1, 14), ("M3-FD-1", "M3-FD-2", "M2-FD-1"), 12),
)  # fmt: skip


def item_rows(check: UnitCheck) -> list[dict[str, Any]]:
    """The items with the key as the test has it: one check has one that is wrong."""
    return [
        {
            "test": check.name, "item": str(at + 1), "key": _key(check, at), "points": 1.0, "options": "A;B;C;D",
            "dropped": False,
            "standards": check.standards[at % len(check.standards)],
        }
        for at in range(check.items)
    ]  # fmt: skip


def _true(at: int) -> int:
    return (at * 7 + 2) % 4


def _key(check: UnitCheck, at: int) -> str:
    return OPTIONS[(_true(at) + 1) % 4 if check.wrong_key == at else _true(at)]


def _able(pupils: Pupils, standing: Standing, check: UnitCheck, who: IntArray) -> FloatArray:
    """Ability for each item in logits, shape (students, items)."""
    z = np.nan_to_num(standing[YEARS[-1], "fall", check.subject][who], nan=-0.3)
    able = np.tile(SHARPNESS * z[:, None] + 1.5, (1, check.items))
    here = (pupils.school[-1][who] == SCHOOLS.index(CAUSEWAY)) & (pupils.grade[-1][who] == 5)
    standards = np.array([check.standards[at % len(check.standards)] for at in range(check.items)])
    able -= 2.4 * np.outer(here, np.isin(standards, PLACE_VALUE))
    # Decimals rest on place value: whoever lacks it cannot have them either.
    able -= 2.2 * np.outer(here, np.isin(standards, ("M5-FD-1", "M5-FD-2")))
    return able


@dataclass(frozen=True, slots=True)
class Sat:
    """A check as it was sat: students, the option of each item (-1: left out), points as keyed."""

    who: IntArray
    chosen: IntArray
    points: FloatArray


def sit(rng: Generator, pupils: Pupils, standing: Standing, check: UnitCheck) -> Sat:
    """Everybody of the grade who was there that day."""
    there = (pupils.school[-1] != AWAY) & (pupils.grade[-1] == check.grade) & (pupils.missing_until <= 6)
    who = np.flatnonzero(there & (rng.random(pupils.n) > 0.05))
    able = _able(pupils, standing, check, who)
    difficulty = rng.normal(0.0, 0.6, check.items)
    right = rng.random(able.shape) < expit(able - difficulty)
    truth = np.array([_true(at) for at in range(check.items)])
    wrong = (truth + 1 + rng.integers(0, 3, able.shape)) % 4
    chosen = np.where(right, truth, wrong)
    if check.strong_wrong is not None:
        # A wrong answer that tempts those who know something: the longer decimal looks the larger.
        at = check.strong_wrong
        tempted = rng.random(who.size) < 0.38
        chosen[:, at] = np.where(tempted, (truth[at] + 2) % 4, chosen[:, at])
    chosen = np.where(rng.random(able.shape) < 0.012, -1, chosen)
    keyed = np.array([OPTIONS.index(_key(check, at)) for at in range(check.items)])
    return Sat(who, chosen, (chosen == keyed).astype(float))


def answer_rows(check: UnitCheck, sat: Sat, item_keys: list[int]) -> Iterator[dict[str, Any]]:
    """Every answer of a check."""
    for who, row in zip(sat.who.tolist(), sat.chosen.tolist(), strict=True):
        for item, option in zip(item_keys, row, strict=True):
            yield {
                "student_id": who + 1, "item_id": item, "tested_on": check.day,
                "option": OPTIONS[option] if option >= 0 else None,
            }  # fmt: skip


SAID_FROM, SAID_BY = "quick check", ("not yet", "nearly", "mastered")
SAID = (
    # grade, subject, day, standards, whose school, and how well the class does there
    (5, 1, date(2027, 1, 26), ("M5-OP-1", "M5-OP-2"), CAUSEWAY, 0.3),
    (4, 1, date(2027, 1, 19), ("M4-OP-1", "M4-NP-1", "M4-MD-1"), "Saltgrass Primary", 0.5),
    (4, 0, date(2027, 1, 21), ("R4-RC-1", "R4-RC-2"), "Saltgrass Primary", -0.2),
    (3, 1, date(2027, 2, 2), ("M3-OP-1", "M3-NP-1"), "Osier Bank Primary", 0.4),
)
"""What teachers said of their classes: a few standards looked at in a lesson."""


def entry_rows(pupils: Pupils, standing: Standing, standard_keys: dict[str, int]) -> Iterator[dict[str, Any]]:
    """What teachers entered of their students, from a seed of its own."""
    draw = np.random.default_rng(20270212)
    for grade, subject, day, standards, school, ease in SAID:
        here = (pupils.school[-1] == SCHOOLS.index(school)) & (pupils.grade[-1] == grade)
        who = np.flatnonzero(here & (pupils.missing_until <= 6))
        z = np.nan_to_num(standing[YEARS[-1], "fall", subject][who], nan=-0.3)
        for standard in standards:
            able = z + ease + draw.normal(0.0, 0.7, who.size)
            state = (able > -0.5).astype(int) + (able > 0.3)
            for one, code in zip(who.tolist(), state.tolist(), strict=True):
                yield {
                    "student_id": one + 1, "standard_id": standard_keys[standard], "state": SAID_BY[code], "day": day,
                    "source": SAID_FROM, "note": None, "by_id": None,
                }  # fmt: skip


MATERIAL = (
    (
        "M3-NP-2",
        "Place value mats",
        "Binder Number, pages 12 to 19: build numbers with hundreds, tens and ones.",
        "What is the 7 worth in 3,715? Write 4 hundreds 12 tens as one number.",
    ),
    (
        "M4-NP-1",
        "Ten times the next place",
        "Binder Number, pages 31 to 36: slide digits on the place strip.",
        "How many times as much is the 5 in 5,200 as the 5 in 520?",
    ),
    (
        "M5-NP-1",
        "To the right of the point",
        "Binder Number, pages 44 to 50: tenths and hundredths on squared paper.",
        "What is the 6 worth in 2.46? Which is more: 0.4 or 0.38?",
    ),
    (
        "M5-FD-1",
        "Longer is not larger",
        "Binder Fractions, pages 22 to 27: order decimals on a line.",
        "Put 0.7, 0.65 and 0.702 in order.",
    ),
    (
        "M4-FD-2",
        "Hundred square",
        "Binder Fractions, pages 9 to 14: color tenths and hundredths.",
        "Write 37/100 as a decimal.",
    ),
    (
        "M3-FD-1",
        "Fraction line",
        "Binder Fractions, pages 2 to 6: fold strips, mark halves and quarters.",
        "Mark 3/4 on a line from 0 to 1.",
    ),
    (
        "R4-SS-1",
        "What the story says about life",
        "Reading corner, cards 14 to 18: find two details for a theme.",
        "Name the theme of the story and one detail for it.",
    ),
    (
        "R3-SS-2",
        "Because, so, then",
        "Reading corner, cards 4 to 9: chains of events.",
        "What made the ferry turn back?",
    ),
    ("R6-RC-2", "Fact or judgement", "Reading corner, cards 31 to 34.", None),
)
"""Invented material: standard, title, where it is, and a short check."""


def material_rows(standard_keys: dict[str, int]) -> Iterator[dict[str, Any]]:
    """The material that is kept."""
    for standard, title, link, check in MATERIAL:
        yield {
            "standard_id": standard_keys[standard], "title": title, "link": link, "check": check, "by_id": None,
        }  # fmt: skip
