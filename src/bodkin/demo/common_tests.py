"""The invented unit checks: items with their standards, every answer, and what they say of mastery."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.random import Generator
from scipy.special import expit

from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.needs.mastery import mastery_from_points
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


def mastery_rows(check: UnitCheck, sat: Sat, standard_keys: dict[str, int]) -> Iterator[dict[str, Any]]:
    """What a check says of each student and standard."""
    standards = np.array([check.standards[at % len(check.standards)] for at in range(check.items)])
    for standard in check.standards:
        mine = sat.points[:, standards == standard]
        states = mastery_from_points(mine.sum(axis=1), np.full(sat.who.size, float(mine.shape[1]))).states
        for who, state in zip(sat.who.tolist(), states, strict=True):
            if state in ("mastered", "nearly", "not yet"):
                yield {
                    "student_id": who + 1, "standard_id": standard_keys[standard], "state": state, "day": check.day,
                    "source": check.name, "note": None, "by_id": None,
                }  # fmt: skip
