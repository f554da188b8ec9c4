"""What the steps of the big district rest on, done with straightforward pandas from frames in memory; no answer is
written. Compare and Growth stand in bench_steps.py, Needs in bench_needs.py."""

import math

import numpy as np
import pandas as pd
import scipy
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


def _wilson(right, items, z=1.2815515655446004):
    """Both ends of an 80 % interval of a share."""
    p = right / items
    middle, half = p + z**2 / (2 * items), z * np.sqrt(p * (1 - p) / items + z**2 / (4 * items**2))
    return (middle - half) / (1 + z**2 / items), (middle + half) / (1 + z**2 / items)


def _worse_kinds(now, rows):
    """Kinds of text that go worse than the others at a grade of a school, by a paired test, false ones held."""
    scored = now[now["items"].notna() & now.right.notna() & (now["items"] > 0)]
    kinds, looked = sorted(now.kind.dropna().unique()), []
    for kind in kinds if len(kinds) > 2 else kinds[:1]:
        sums = scored.groupby(["student_id", scored.kind == kind]).agg(
            n=("items", "size"), items=("items", "sum"), right=("right", "sum")
        ).unstack()  # fmt: skip
        enough = sums[(sums.n >= 3).all(axis=1)]
        share = (enough.right / enough["items"]).join(rows[["school", "grade"]])
        for unit, own in share.groupby(["school", "grade"]):
            if len(own) >= 10 and np.ptp(own[True] - own[False]) > 1e-9:
                found = scipy.stats.ttest_rel(own[True], own[False])
                looked.append(
                    (unit, kind, found.pvalue, found.confidence_interval(0.95), own[True].mean(), own[False].mean())
                )
    stands = scipy.stats.false_discovery_control([one[2] for one in looked]) <= 0.05 if looked else []
    return [one for one, stays in zip(looked, stands, strict=True) if stays]


def practice(log, roster, goals, days, period, today):
    """Each student's practice in a period, what is off and who is strong, as Follow-up has it.

    With it shares by kind and by help and the kinds that go worse at a grade of a school. Rows with most that is off
    first, then by name. ``days``: those on which school was open; ``period``: first and last day.
    """
    first, last = period
    rows = roster[roster.student_id.isin(log.student_id) | roster.student_id.isin(goals.student_id)]
    rows = rows.merge(goals, on="student_id", how="left", suffixes=("", "_goal")).set_index("student_id")
    until = log[(log.day <= today) & log.student_id.isin(rows.index)]
    now = until[(until.day >= first) & (until.day <= last)]
    by, known = now.groupby("student_id"), now[now["items"].notna() & now.right.notna()]
    rows["entries"] = by.size().reindex(rows.index, fill_value=0)
    rows["spent"], rows["untimed"] = by.minutes.sum(min_count=1), now.minutes.isna().groupby(now.student_id).sum()
    rows[["items", "right"]] = known.groupby("student_id")[["items", "right"]].sum()
    rows["level"], rows["tried"], rows["passed"] = by["level"].median(), by["passed"].count(), by["passed"].sum()
    rows["kinds"], rows["latest"] = by.kind.nunique(), until.groupby("student_id").day.max()
    begins = days.searchsorted(first, "left")
    over, whole = (days.searchsorted(end, "right") - begins for end in (min(today, last), last))
    away = days.searchsorted(today, "right") - days.searchsorted(rows.latest.fillna(first) + pd.Timedelta(days=1))
    rows["since"] = np.where(rows.latest.notna(), away, np.nan)
    low, high = _wilson(rows.right, rows["items"].where(rows["items"] > 0))
    due = rows.minutes * over / whole
    off = pd.DataFrame({
        "not seen": (rows.since.fillna(over) >= 10) & (over >= 10),
        "amount low": (rows.spent.fillna(0) < 0.85 * due) & (rows.untimed.fillna(0) == 0),
        "accuracy low": high < rows.accuracy, "too hard": rows.level > rows.hardest,
        "too easy": rows.level < rows.easiest,
        "one kind only": (rows.kinds == 1) & (rows.entries >= 5) & (now.kind.nunique() > 1),
    })  # fmt: skip
    rows["strong"] = (low >= rows.accuracy) & ~off.iloc[:, :4].any(axis=1) & ((rows.spent >= due) | due.isna())
    rows["reasons"], rows["off"] = off.to_numpy() @ (1 << np.arange(6)), off.sum(axis=1)
    parts = [
        (timed := known.groupby(name).agg(n=("items", "size"), items=("items", "sum"), right=("right", "sum"))).assign(
            share=now.groupby(name).minutes.sum() / now.minutes.sum(), accuracy=timed.right / timed["items"]
        )
        for name in ("kind", "help")
    ]
    worse = _worse_kinds(now, rows)
    return rows.sort_values(["off", "name"], ascending=[False, True]), off.sum(), parts, worse
