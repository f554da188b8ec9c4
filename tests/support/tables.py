"""Small score tables for the tests of the answers."""

from dataclasses import replace

import numpy as np
import polars as pl

from bodkin.answers.comparison.summary import summarise
from bodkin.answers.growth.step import growth_answer, growth_rows
from bodkin.store.reads.table.score_table import (
    CUTS,
    GROWTH_NORMS,
    NORMS,
    RESULTS,
    ScoreTable,
    empty,
)

FALL, WINTER = "2025-26 fall", "2025-26 winter"
BASE = {"assessment": "Tide", "subject": "reading", "from_window": FALL, "to_window": WINTER}


def result(line, student, window, score, **more):
    row = dict.fromkeys(RESULTS, None) | {
        "line": line,
        "student_id": student,
        "assessment": "Tide",
        "subject": "reading",
        "window": window,
        "grade": "4",
        "school": "North",
        "section": "4A",
        "programs": [],
        "language": "English",
        "score": float(score),
    }
    return row | more


def table_of(rows, **more):
    cuts = [
        {"assessment": "Tide", "subject": "reading", "grade": "4", "season": None, "order": order, "band": band,
         "min_score": low, "min_percentile": None}
        for order, (band, low) in enumerate((("Low", None), ("Mid", 490.0), ("High", 510.0)), 1)
    ]  # fmt: skip
    norms = [
        {
            "assessment": "Tide",
            "subject": "reading",
            "grade": "4",
            "season": season,
            "week": week,
            "mean": mean,
            "sd": 20.0,
        }
        for season, week, mean in (("fall", 4.0, 500.0), ("winter", 19.0, 508.0))
    ]
    frames = {
        "norms": pl.DataFrame(norms, schema=NORMS),
        "growth_norms": empty(GROWTH_NORMS),
        "cuts": pl.DataFrame(cuts, schema=CUTS),
    } | more
    return ScoreTable(pl.DataFrame(rows, schema=RESULTS), **frames)


def pairs(seed=1, n=60, **more):
    rng = np.random.default_rng(seed)
    rows = []
    for at in range(n):
        score = rng.normal(500, 18)
        place = {"school": "North" if at % 3 else "South", "section": f"4{'ABC'[at % 3]}"} | more
        rows.append(result(2 * at, f"s{at:03}", FALL, round(score), standard_error=8.0, **place))
        rows.append(
            result(2 * at + 1, f"s{at:03}", WINTER, round(score + rng.normal(7, 10)), standard_error=8.0, **place)
        )
    return rows


def moved_rows(moved, place, size, seed):
    """Students of several schools or classes (``place`` names which) whose winter score is moved by so much."""
    rng = np.random.default_rng(seed)
    rows = []
    for name, points in moved.items():
        for at in range(size):
            start = rng.normal(500, 18)
            later = round(508 + 0.85 * (start - 500) + rng.normal(points, 8))
            for window, score in ((FALL, round(start)), (WINTER, later)):
                more = {place: name, "standard_error": 8.0}
                rows.append(result(len(rows), f"{name}{at:03}", window, score, **more))
    return rows


def grown_of(comparison):
    summary = summarise(comparison)
    return growth_answer(comparison, summary, growth_rows(comparison, summary, {}), 1)


SPRING = "2025-26 spring"
WINDOWS = (FALL, WINTER, SPRING)


def three_windows(n=40, seed=3):
    rng = np.random.default_rng(seed)
    rows, ability = [], rng.normal(0, 18, n)
    for at in range(n):
        programs = ["ML"] if at % 4 == 0 else []
        for place, window in enumerate(WINDOWS):
            if (at, place) in ((3, 1), (5, 2)):
                continue
            score = round(500 + 8 * place + ability[at] - 12 * bool(programs) + rng.normal(0, 6))
            rows.append(result(len(rows), f"s{at:03}", window, score, standard_error=8.0, programs=programs))
    return rows


def with_spring(table):
    row = {"assessment": "Tide", "subject": "reading", "grade": "4", "season": "spring", "week": 32.0, "mean": 515.0,
           "sd": 20.0}  # fmt: skip
    return replace(table, norms=pl.concat([table.norms, pl.DataFrame([row], schema=NORMS)]))
