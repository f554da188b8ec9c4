"""What the steps of the big district rest on, done with straightforward pandas from frames in memory; no answer is
written. Compare and Growth stand in bench_steps.py, Needs in bench_needs.py, practice in bench_follow_up.py."""

import math

import numpy as np
import pandas as pd
from scipy.stats import ttest_ind
from sklearn.linear_model import LogisticRegression

WINDOWS = [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27") for season in ("fall", "winter", "spring")]
BEFORE, NOW = "2026-27 fall", "2026-27 winter"
OUTCOME = "Regional Spring Test"


def counted(results, subject, window, test="Saltgauge"):
    """The result of each student that counts in a window."""
    rows = results[(results.assessment == test) & (results.subject == subject) & (results.window == window)]
    return rows.sort_values(["tested_on", "line"], na_position="first").groupby("student_id").tail(1)


def banded(rows, cuts, subject, season):
    """Rows with the band of each score, by the cuts of its grade."""
    lines = cuts[(cuts.subject == subject) & (cuts.season == season)].dropna(subset="min_score")
    rows = rows.assign(band=0)
    for grade, own in lines.groupby("grade"):
        mine = rows.grade == grade
        edges = [-math.inf, *own.sort_values("order").min_score, math.inf]
        rows.loc[mine, "band"] = pd.cut(rows.score[mine], edges, right=False, labels=False)
    return rows


def trend(results, cuts):
    """Mean and shares by band of nine windows."""
    told = []
    for window in WINDOWS:
        rows = banded(counted(results, "reading", window), cuts, "reading", window.split()[1])
        told.append((rows.score.mean(), rows.score.std(), rows.band.value_counts(normalize=True)))
    return told


def history(results, cuts):
    """Every student's scores and bands in nine windows, by student."""
    rows = [banded(counted(results, "reading", one), cuts, "reading", one.split()[1]) for one in WINDOWS]
    return pd.concat(rows).pivot(index="student_id", columns="window", values=["score", "band"]).sort_index()


def two(results, cuts):
    """Who reached the benchmark in both subjects, in one or neither, before and now."""
    told = []
    for window in (BEFORE, NOW):
        sides = [
            banded(counted(results, subject, window), cuts, subject, window.split()[1]).set_index("student_id").band
            >= 2
            for subject in ("reading", "mathematics")
        ]
        told.append(pd.concat(sides, axis=1, join="inner").astype(int) @ [2, 1])
    both = pd.concat(told, axis=1, keys=["before", "now"])
    return pd.crosstab(both.before, both.now), both


def outcome(results, cuts):
    """The chance of each level of the outcome test by a logistic curve for each grade, from the years before."""
    past = []
    for year in ("2023-24", "2024-25", "2025-26"):
        spring = banded(counted(results, "reading", f"{year} spring", OUTCOME), cuts, "reading", "spring")
        past.append(
            counted(results, "reading", f"{year} winter").merge(spring[["student_id", "band"]], on="student_id")
        )
    past, now, told = pd.concat(past), counted(results, "reading", NOW), []
    for grade, own in past.groupby("grade"):
        mine = now[now.grade == grade]
        if len(own) < 30 or not len(mine):
            continue
        for level in range(1, int(own.band.max()) + 1):
            reached = own.band >= level
            if reached.any() and not reached.all():
                curve = LogisticRegression(C=1e9).fit((own[["score"]] - 500) / 25, reached)
                told.append(curve.predict_proba((mine[["score"]] - 500) / 25)[:, 1])
    return told


def home(results, cuts):
    """Every grade of every school beside the same grade elsewhere, in both subjects."""
    told = []
    for subject in ("reading", "mathematics"):
        sides = [banded(counted(results, subject, one), cuts, subject, one.split()[1]) for one in (BEFORE, NOW)]
        both = sides[0].merge(sides[1], on="student_id", suffixes=("_1", "_2"))
        both["gain"] = both.score_2 - both.score_1
        for grade, alike in both.groupby("grade_2"):
            for school, own in alike.groupby("school_2"):
                others = alike[alike.school_2 != school]
                told.append((grade, school, ttest_ind(own.gain, others.gain, equal_var=False)))
    return told


def check(sittings, roster):
    """Who is missing class by class, results that are hard to believe, classes that rushed, tests sat twice."""
    test = ["student_id", "language"]
    rows = sittings.sort_values(["tested_on", "result_id"], na_position="first")
    rows = rows.assign(place=rows.window.map({name: at for at, name in enumerate(WINDOWS)}))
    now, past = rows[rows.window == NOW], rows[rows.place < WINDOWS.index(NOW)]
    tested = roster.assign(tested=roster.student_id.isin(now.student_id))
    classes = tested.groupby(["school", "section"]).tested.agg(["size", "sum"])
    missing = tested[~tested.tested].groupby(["school", "section"]).student_id.agg(list)
    last = past.sort_values("place", kind="stable").groupby(test).tail(1)
    own = past.drop_duplicates([*test, "window"], keep="last").groupby(test).minutes.agg(["median", "count"])
    alike = now.groupby(["grade", "language"]).minutes
    limit = np.minimum(alike.transform(lambda times: times.quantile(0.05)), 0.6 * alike.transform("median"))
    both = now.merge(last[[*test, "score", "standard_error"]], on=test, how="left", suffixes=("", "_1"))
    both = both.merge(own.reset_index(), on=test, how="left")
    pace = both["median"].where(both["count"] >= 2)
    both["fast"] = (both.minutes < limit.to_numpy()) | (both.minutes < 0.5 * pace)
    both["below"] = (both.score - both.score_1) / np.hypot(both.standard_error, both.standard_error_1) < -1.96
    doubtful = both[both.fast | both.below]
    rushed = both.groupby(["school", "section"]).fast.agg(["sum", "size"])
    rushed = rushed[(rushed["sum"] >= 6) & (rushed["sum"] >= rushed["size"] / 3)]
    twice = now[now.duplicated(test, keep=False)]
    ends = twice.groupby(test)[["score", "standard_error"]].agg(["first", "last"])
    languages = now.drop_duplicates(test, keep="last").pivot(index="student_id", columns="language", values="score")
    return classes, missing, doubtful.to_dict("records"), rushed, ends, languages.dropna(thresh=2)


def day(log, first):
    """When each student practiced last and before, and whether the last three and five were passed."""
    rows = log.sort_values(["student_id", "day"])
    last_two = rows.drop_duplicates(["student_id", "day"]).groupby("student_id").tail(2)
    found = last_two.groupby("student_id").day.agg(["max", "min"])
    from_end = rows.groupby("student_id").cumcount(ascending=False)
    tails = [rows[from_end < n].groupby("student_id").passed.agg(["sum", "size"]) for n in (3, 5)]
    return found[found["max"] >= first], tails


def student(results, one):
    """Every result of a student beside the district's mean of its window."""
    mine = results[results.student_id == one]
    means = results.groupby(["assessment", "subject", "window"]).score.mean()
    return mine.merge(means.rename("mean"), left_on=["assessment", "subject", "window"], right_index=True)
