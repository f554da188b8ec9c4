"""A simulated adaptive test: a Rasch bank of invented items, given to simulated students while one watches.

The ability of a simulated student lies about where the last score put it; how the test finds it out
again is :mod:`bodkin.core.scores.adaptive`.
"""

import itertools
import os
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from fastapi import APIRouter, HTTPException
from numpy.random import Generator
from pydantic import BaseModel, Field
from scipy.special import expit

from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.scores.adaptive import Sitting, administer, expected_ability, likeliest_ability
from bodkin.demo.district import GRADES, GROWN, SCALES, Scale

BANK = 480
POINTS_A_LOGIT = 36.0
"""Scale points a logit: one spread of a grade is one logit."""
MOST_ITEMS, ERROR_WANTED = 46, 0.33
"""An error of a third of a logit, 12 scale points, ends a test; at the latest after so many items."""
SECONDS_AN_ITEM = 46.0
LASTS = float(os.environ.get("BODKIN_SITTING_SECONDS", "20"))
"""Seconds in which a simulated class sits its test, for whoever watches; tests watch for less long."""
GROWTH_SD = 0.30
"""Spread of the growth of simulated students, in logits."""


class TestTaker(BaseModel):
    """A student who sits the test; ``last_score`` where there is one."""

    student_id: str = Field(max_length=64)
    grade: str = Field(max_length=8)
    last_score: float | None = None


class ClassSitting(BaseModel):
    """A class that sits a test of one subject in a season of the year."""

    subject: str
    season: str
    students: list[TestTaker] = Field(min_length=1, max_length=400)
    seed: int = 0


class StrandSat(BaseModel):
    """The score of a strand."""

    strand: str
    score: float
    standard_error: float


class FinishedTest(BaseModel):
    """A finished test."""

    student_id: str
    score: float
    standard_error: float
    minutes: float
    items_tried: int
    items_right: int
    strands: list[StrandSat]


class Going(BaseModel):
    """A class at its test: who has finished so far, in the order of finishing."""

    id: int
    all: int
    done: list[FinishedTest]
    finished: bool


@dataclass(frozen=True, slots=True)
class _Run:
    began: float
    at: FloatArray
    sat: list[FinishedTest]


def bank(rng: Generator) -> FloatArray:
    """Difficulties of the items in logits about the middle of a grade; wide enough for every student."""
    return np.sort(rng.normal(0.0, 1.5, BANK))


def middle(scale: Scale, grade: str, season: str) -> float:
    """Mean of a grade at a season; the nearest grade for one that is not tested."""
    known = min(GRADES, key=lambda one: abs(one - (int(grade) if grade.isdigit() else 0)))
    return scale.fall[known] + scale.gain[known] * GROWN.get(season, 0.0)


def _grown(scale: Scale, sitter: TestTaker, season: str) -> float:
    """Points gained since the season before, as the norms have it."""
    seasons = list(GROWN)
    before = seasons[max(0, seasons.index(season) - 1)] if season in seasons else seasons[0]
    return middle(scale, sitter.grade, season) - middle(scale, sitter.grade, before)


def _scored(sitting: Sitting, hard: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Ability and error of each student in logits: what the answers make likeliest.

    The expected ability, which chooses the items, is drawn to the middle, at the ends of the scale by more than half
    an error; the likeliest one is not. Where every answer was right, or none, there is no likeliest one.
    """
    given = np.where(sitting.items >= 0, sitting.right, np.nan)
    likeliest = likeliest_ability(given, hard[np.maximum(sitting.items, 0)])
    none = np.isnan(likeliest.estimate)
    estimate = np.where(none, sitting.ability.estimate, likeliest.estimate)
    return estimate, np.where(none, sitting.ability.error, likeliest.error)


def run_class(asked: ClassSitting, scale: Scale, truth: FloatArray | None = None) -> list[FinishedTest]:
    """Every student's test from the first item to the last.

    ``truth``: what each can do, in scale points; without it, about where the last score and the
    growth of the season put them.
    """
    rng = np.random.default_rng([len(asked.students), asked.seed])
    hard = bank(rng)
    strand = rng.integers(0, len(scale.strands), BANK)
    middles = np.array([middle(scale, one.grade, asked.season) for one in asked.students])
    last = np.array([np.nan if one.last_score is None else one.last_score for one in asked.students])
    grown = np.array([_grown(scale, one, asked.season) for one in asked.students])
    about = np.where(np.isnan(last), 0.9 * rng.normal(0, 1, last.size), (last + grown - middles) / POINTS_A_LOGIT)
    drawn = about + rng.normal(0.0, GROWTH_SD, last.size)
    able = drawn if truth is None else (truth - middles) / POINTS_A_LOGIT

    def answer(item: IntArray) -> BoolArray:
        right: BoolArray = rng.random(item.size) < expit(able - hard[np.maximum(item, 0)])
        return right

    sitting = administer(hard, last.size, answer, MOST_ITEMS, ERROR_WANTED)
    ability, errors = _scored(sitting, hard)
    found = []
    for at, one in enumerate(asked.students):
        given = sitting.items[at][sitting.items[at] >= 0]
        right = sitting.right[at][: given.size]
        score = middles[at] + POINTS_A_LOGIT * ability[at]
        strands = []
        for place, name in enumerate(scale.strands):
            mine = strand[given] == place
            # A strand has few items: what the whole test says is where it begins.
            part = expected_ability(right[mine][None, :], hard[given[mine]], float(ability[at]), 0.5)
            points, error = part.estimate[0] * POINTS_A_LOGIT, part.error[0] * POINTS_A_LOGIT
            strands.append(
                StrandSat(strand=name, score=_points(middles[at] + points), standard_error=round(float(error), 1))
            )
        found.append(
            FinishedTest(
                student_id=one.student_id, score=_points(score),
                standard_error=round(float(errors[at]) * POINTS_A_LOGIT, 1),
                minutes=float(np.round(given.size * SECONDS_AN_ITEM * rng.uniform(0.75, 1.3) / 60)),
                items_tried=int(given.size), items_right=int(right.sum()), strands=strands,
            )
        )  # fmt: skip
    return found


def _points(value: float) -> float:
    return float(np.clip(np.round(value), 300, 900))


def adaptive_test(clock: Callable[[], float] = time.monotonic) -> APIRouter:
    """The service: a class is sent to its test, and asked after until everybody has finished."""
    router = APIRouter(prefix="/adaptive")
    runs: dict[int, _Run] = {}
    numbers = itertools.count(1)

    @router.post("/sittings")
    def start(asked: ClassSitting) -> Going:
        scale = next((one for one in SCALES if one.subject == asked.subject), None)
        if scale is None:
            raise HTTPException(404, "there is no test in this subject")
        sat = run_class(asked, scale)
        minutes = np.array([one.minutes for one in sat])
        order = np.argsort(minutes, kind="stable")
        # Whoever needs fewer minutes is done earlier.
        at = 0.05 * LASTS + 0.95 * LASTS * (minutes[order] - minutes.min()) / max(1.0, float(np.ptp(minutes)))
        key = next(numbers)
        runs[key] = _Run(clock(), at, [sat[place] for place in order.tolist()])
        return Going(id=key, all=len(sat), done=[], finished=False)

    @router.get("/sittings/{key}")
    def going(key: int) -> Going:
        run = runs.get(key)
        if run is None:
            raise HTTPException(404, "there is no such sitting")
        n = int((run.at <= clock() - run.began).sum())
        return Going(id=key, all=len(run.sat), done=run.sat[:n], finished=n == len(run.sat))

    return router
