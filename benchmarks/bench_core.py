"""The core at scale: a million result pairs, and local growth percentiles of 20,000 students.

Result pairs: expected growth, distance and growth percentile, met, bands and movement. Baselines: a
straightforward pandas version from the long table of results as the files have it, ids, windows
and grades as text (pivot, merge, cut, crosstab), and a
bare NumPy pass over the same columns that checks nothing and names nothing. Growth percentiles:
statsmodels' QuantReg, one fit a quantile on the same spline. Everything in this one process.
"""

import statistics
import sys
import time
import warnings
from pathlib import Path

import numpy as np
import pandas as pd
from scipy.special import ndtr
from scipy.stats import norm
from statsmodels.regression.quantile_regression import QuantReg

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from bodkin.core.compare.movement import movement  # noqa: E402
from bodkin.core.growth.expected_growth import expected_growth, growth_seen  # noqa: E402
from bodkin.core.growth.growth_percentiles import (  # noqa: E402
    QUANTILES,
    _design,
    expected_quantiles,
    growth_curves,
    local_growth_percentile,
)
from bodkin.core.scores.cuts import band_orders  # noqa: E402

PAIRS, STUDENTS, RHO = 1_000_000, 20_000, 0.85
GRADES = np.arange(2, 9)
MEANS = 440 + 15.0 * np.arange(7)
SPREADS = 42 + 1.5 * np.arange(7)
CUTS = [[mean - 30, mean, mean + 45] for mean in MEANS + 9]


def seconds(work, runs):
    """Median seconds of a call, after one that does not count, and what it gave."""
    given = work()
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return statistics.median(times), given


def a_district():
    """Columns of a million students with two results each, and the long table they come from."""
    rng = np.random.default_rng(11)
    grade = rng.integers(0, 7, PAIRS)
    ability = rng.normal(0, 1, PAIRS)
    first = np.round(MEANS[grade] + SPREADS[grade] * (0.92 * ability + 0.39 * rng.normal(size=PAIRS)))
    second = np.round(MEANS[grade] + 9 + SPREADS[grade] * (0.92 * ability + 0.39 * rng.normal(size=PAIRS)))
    error = np.round(rng.uniform(9, 14, 2 * PAIRS), 1)
    who = np.arange(PAIRS)
    long = pd.DataFrame(
        {
            "student_id": np.char.mod("S%07d", np.concatenate([who, who])),
            "window": np.repeat(["2026-27 fall", "2026-27 winter"], PAIRS),
            "grade": (np.concatenate([grade, grade]) + 2).astype(str),
            "score": np.concatenate([first, second]),
            "standard_error": error,
        }
    ).sample(frac=1, random_state=1)
    return grade, first, second, error[:PAIRS], error[PAIRS:], long


def ours(grade, first, second, error_first, error_second):
    """The core's functions, as the answers call them."""
    mean, sd = MEANS[grade], SPREADS[grade]
    expectation = expected_growth(first, mean, sd, mean + 9, sd, RHO)
    seen = growth_seen(first, second, expectation, error_first, error_second)
    before, after = np.empty(first.size), np.empty(first.size)
    for position in range(GRADES.size):
        own = grade == position
        before[own] = band_orders(first[own], CUTS[position])
        after[own] = band_orders(second[own], CUTS[position])
    return seen, movement(before, after, 4)


def bare(grade, first, second, error_first, error_second):
    """The same figures with NumPy alone: no check, no name, no missing value looked for."""
    mean, sd = MEANS[grade], SPREADS[grade]
    expected = mean + 9 + RHO * (first - mean)
    beyond = second - expected
    distance = beyond / (sd * (1 - RHO**2) ** 0.5)
    percentile = np.clip(np.floor(100 * ndtr(distance) + 0.5), 1, 99)
    error = np.sqrt(error_first**2 + error_second**2)
    verdict = (beyond > error).astype(float) - (beyond < -error)
    before, after = np.empty(first.size, int), np.empty(first.size, int)
    for position in range(GRADES.size):
        own = grade == position
        before[own] = np.searchsorted(CUTS[position], first[own], side="right")
        after[own] = np.searchsorted(CUTS[position], second[own], side="right")
    table = np.bincount(before * 4 + after, minlength=16).reshape(4, 4)
    return percentile, beyond >= 0, verdict, table


def with_pandas(long):
    """The same figures as a straightforward pandas program finds them."""
    norms = pd.DataFrame({"grade": GRADES.astype(str), "mean": MEANS, "sd": SPREADS})
    wide = long.pivot(index=["student_id", "grade"], columns="window", values=["score", "standard_error"])
    wide.columns = [f"{column}_{window.split()[1]}" for column, window in wide.columns]
    both = wide.reset_index().merge(norms, on="grade")
    expected = both["mean"] + 9 + RHO * (both.score_fall - both["mean"])
    beyond = both.score_winter - expected
    both["percentile"] = np.clip(np.floor(100 * norm.cdf(beyond / (both.sd * (1 - RHO**2) ** 0.5)) + 0.5), 1, 99)
    both["met"] = beyond >= 0
    error = (both.standard_error_fall**2 + both.standard_error_winter**2) ** 0.5
    both["verdict"] = np.select([beyond > error, beyond < -error], [1, -1], 0)
    for side in ("fall", "winter"):
        for position, grade in enumerate(GRADES.astype(str)):
            mine = both.grade == grade
            edges = [-np.inf, *CUTS[position], np.inf]
            both.loc[mine, f"band_{side}"] = pd.cut(
                both.loc[mine, f"score_{side}"], edges, right=False, labels=False
            ).astype(float)
    return both, pd.crosstab(both.band_fall, both.band_winter)


def pairs():
    """A million result pairs, three ways."""
    *columns, long = a_district()
    own, (seen, moved) = seconds(lambda: ours(*columns), 5)
    numpy, (percentile, met, verdict, table) = seconds(lambda: bare(*columns), 5)
    pandas, (both, crosstab) = seconds(lambda: with_pandas(long), 1)
    assert np.array_equal(seen.percentile, percentile) and np.array_equal(seen.met, met)
    assert np.array_equal(seen.verdict, verdict) and np.array_equal(moved.table, table)
    assert np.array_equal(moved.table, crosstab.to_numpy())
    assert np.array_equal(seen.percentile, both.sort_values("student_id").percentile)
    print(f"{PAIRS} result pairs: expected growth, index, bands, movement; the three agree")
    print(f"  core                {own:7.3f} s")
    print(f"  bare NumPy          {numpy:7.3f} s   the core takes {own / numpy:.1f} x as long (wanted: at most 3)")
    print(f"  pandas              {pandas:7.3f} s   the core is {pandas / own:.0f} x as fast (wanted: at least 20)")


def percentiles():
    """Growth percentiles of a district with its own history, two ways."""
    rng = np.random.default_rng(1)
    x = rng.normal(500, 50, STUDENTS)
    y = 500 + 0.8 * (x - 500) + rng.normal(0, 20 + 0.1 * np.abs(x - 500))
    own, answer = seconds(lambda: local_growth_percentile(growth_curves(x, y), x, y).percentile, 3)
    curves = growth_curves(x, y)
    design = _design(x[:, np.newaxis], curves.knots)
    began = time.perf_counter()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        fits = [QuantReg(y, design).fit(q=tau).fittedvalues for tau in QUANTILES]
    reference = np.sort(np.array(fits).T, axis=1)
    count = np.clip((reference <= y[:, np.newaxis]).sum(axis=1), 1, 99)
    theirs = time.perf_counter() - began
    away = np.abs(answer - count)
    apart = np.abs(expected_quantiles(curves, x) - reference)
    assert (away <= 1).mean() >= 0.99
    print(f"{STUDENTS} students, {QUANTILES.size} quantiles on a spline of {design.shape[1]} columns")
    print(f"  core                {own:7.2f} s")
    print(f"  statsmodels         {theirs:7.2f} s   the core is {theirs / own:.0f} x as fast (wanted: at least 20)")
    print(f"  the same percentile for {(away == 0).mean():.2%}, within one for {(away <= 1).mean():.2%};")
    print(f"  curves apart by {np.median(apart):.1e} points at the median, {np.quantile(apart, 0.999):.1e} at 99.9 %")


if __name__ == "__main__":
    pairs()
    percentiles()
