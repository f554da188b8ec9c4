"""A slow, obvious twin of the headless run in pandas, written from the rules and not from the code."""

import math
from functools import cache

import numpy as np
import pandas as pd
from scipy import stats

SEASONS = ["fall", "winter", "spring"]


def rank(z):
    return min(99, max(1, math.floor(100 * stats.norm.cdf(z) + 0.5)))


def read(path):
    frame = pd.read_csv(path, dtype=str, keep_default_na=False, encoding="utf-8-sig")
    frame["line"] = range(2, len(frame) + 2)
    return frame


def choose(rows):
    """Of one student's results in one window: the latest date, undated first, the later line at a tie."""
    return max(rows, key=lambda row: (row.get("tested_on", "") != "", row.get("tested_on", ""), row["line"]))


def number(text):
    return float(text) if text not in ("", None) else None


class Twin:
    """Works out one student after another with plain Python."""

    def __init__(self, scores, norms=None, growth=None, cuts=None):
        self.scores, self.norms, self.growth, self.cuts = (
            read(p) if p else None for p in (scores, norms, growth, cuts)
        )
        # The same grade and season is asked for once for each student; it is looked up once.
        self.norm, self.rho, self.set_for = map(cache, (self.norm, self.rho, self.set_for))

    def norm(self, measure, grade, season):
        if self.norms is None:
            return None
        n = self.norms
        rows = n[(n.assessment == measure[0]) & (n.subject == measure[1]) & (n.grade == grade) & (n.season == season)]
        rows = sorted(rows.to_dict("records"), key=lambda row: float(row["week"]))
        if not rows:
            return None
        row = rows[(len(rows) - 1) // 2]
        return float(row["mean"]), float(row["sd"])

    def rho(self, measure, grade, first, second):
        if self.growth is None:
            return 0.85
        g = self.growth
        rows = g[
            (g.assessment == measure[0])
            & (g.subject == measure[1])
            & (g.grade == grade)
            & (g.from_season == first)
            & (g.to_season == second)
        ]
        return float(rows.correlation.iloc[0]) if len(rows) else 0.85

    def set_for(self, measure, grade, season, year_end):
        if self.cuts is None:
            return None
        c = self.cuts
        rows = c[(c.assessment == measure[0]) & (c.subject == measure[1]) & (c.grade == grade)]
        of_season = rows[rows.season == season]
        rows = of_season if len(of_season) and not year_end else rows[rows.season == ""]
        return sorted(rows.to_dict("records"), key=lambda row: int(row["order"])) or None

    def band(self, bands, score, norm, percentile):
        found = None
        for row in bands:
            if row["min_score"] == "" and row.get("min_percentile", "") == "":
                found = row
            elif row["min_score"] != "":
                found = row if score >= float(row["min_score"]) else found
            else:
                own = 100 * stats.norm.cdf((score - norm[0]) / norm[1]) if norm else percentile
                found = row if own >= float(row["min_percentile"]) else found
        return found

    def run(self, measure, first, second, year_end=False, **filters):
        """One row per student with a result in either window, by student."""
        rows = self.scores
        rows = rows[(rows.assessment == measure[0]) & (rows.subject == measure[1]) & (rows.score != "")]
        if filters.get("language"):
            rows = rows[rows.language == filters["language"]]
        self.to_come = not (rows.window == second).any()
        out = []
        for student, own in rows.groupby("student_id"):
            records = own.to_dict("records")
            pair = []
            for window in (first, second):
                there = [row for row in records if row["window"] == window]
                pair.append(choose(there) if there else None)
            if not any(pair):
                continue
            later = pair[1] or pair[0]
            if filters.get("school") and later["school"] not in filters["school"]:
                continue
            if filters.get("grade") and later["grade"] not in filters["grade"]:
                continue
            if filters.get("program") and not set(filters["program"]) & {
                p.strip() for p in later["programs"].split(";") if p.strip()
            }:
                continue
            out.append(self.student(student, records, pair, measure, first, second, year_end))
        return pd.DataFrame(out)

    def student(self, student, records, pair, measure, first, second, year_end):
        season1, season2 = first.split()[1], second.split()[1]
        years = int(second[:4]) - int(first[:4])
        answer = {"student_id": student, "left_out": ""}
        if not all(pair):
            outside = any(row["window"] == "" for row in records)
            answer["left_out"] = "outside the windows" if outside else f"no result in {second if pair[0] else first}"
        x = [number(row["score"]) if row else None for row in pair]
        s = [number(row.get("standard_error")) if row else None for row in pair]
        norms = [None, None]
        if pair[0]:
            norms[0] = self.norm(measure, pair[0]["grade"], season1)
        due = pair[1]["grade"] if pair[1] else str(int(pair[0]["grade"]) + years)
        norms[1] = self.norm(measure, due, season2)
        for at, side in enumerate(("from", "to")):
            if not pair[at]:
                continue
            answer[f"{side}_score"] = x[at]
            own = number(pair[at].get("percentile"))
            answer[f"{side}_percentile"] = rank((x[at] - norms[at][0]) / norms[at][1]) if norms[at] else own
            bands = self.set_for(measure, pair[at]["grade"], (season1, season2)[at], year_end)
            if bands:
                band = self.band(bands, x[at], norms[at], own)
                answer[f"{side}_band"] = band["band"] if band else None
        later = 1 if pair[1] else 0
        bands = self.set_for(measure, pair[later]["grade"], (season1, season2)[later], year_end)
        if bands and s[later] is not None:
            lines = []
            for row in bands:
                if row["min_score"] != "":
                    lines.append(float(row["min_score"]))
                elif row.get("min_percentile", "") != "" and norms[later]:
                    lines.append(stats.norm.ppf(float(row["min_percentile"]) / 100, *norms[later]))
            if lines:
                answer["near_cut"] = min(abs(x[later] - line) for line in lines) <= s[later]
        order = [SEASONS.index(season1), SEASONS.index(season2)]
        near = (years == 0 and order[1] > order[0]) or (years == 1 and order[1] <= order[0])
        if pair[0] and all(norms) and near:
            (mu1, sd1), (mu2, sd2) = norms
            rho = self.rho(measure, pair[0]["grade"], season1, season2)
            expected = mu2 + rho * sd2 / sd1 * (x[0] - mu1)
            spread = sd2 * math.sqrt(1 - rho**2)
            answer |= {
                "expected_score": expected,
                "expected_low": expected - spread,
                "expected_high": expected + spread,
                "expected_percentile": rank((expected - mu2) / sd2),
                "expected_gain": expected - x[0],
            }
            if self.to_come and (cuts := self.set_for(measure, due, season2, year_end)):
                quoted = cuts[len(cuts) // 2]
                line = (
                    float(quoted["min_score"]) if quoted["min_score"] != ""
                    else stats.norm.ppf(float(quoted["min_percentile"]) / 100, mu2, sd2)
                )  # fmt: skip
                answer["chance_at_or_above"] = stats.norm.sf(line, expected, spread)
            if pair[1]:
                gain = x[1] - x[0]
                beyond = gain - answer["expected_gain"]
                answer |= {"gain_z": beyond / spread, "met": beyond >= -1e-9}
                answer["growth_percentile"] = rank(answer["gain_z"])
                if None not in s:
                    # An error of the start moves the expectation by the slope of it.
                    error = 1.645 * math.hypot(s[1], rho * sd2 / sd1 * s[0])
                    beyond = gain - answer["expected_gain"]
                    answer["verdict"] = (
                        "clearly_above" if beyond > error else "clearly_below" if beyond < -error else "as_expected"
                    )
        if all(pair):
            answer["gain"] = x[1] - x[0]
        return answer


def difference(ours, theirs):
    """Where two frames of students differ, column by column; empty where they agree."""
    ours, theirs = ours.set_index("student_id"), theirs.set_index("student_id")
    wrong = []
    if list(ours.index) != list(theirs.index):
        return [f"students differ: {sorted(set(ours.index) ^ set(theirs.index))[:5]}"]
    for column in theirs.columns:
        for student, *both in zip(theirs.index, ours[column].tolist(), theirs[column].tolist(), strict=True):
            a, b = (None if v in ("", None) or (isinstance(v, float) and math.isnan(v)) else v for v in both)
            if isinstance(b, (bool, np.bool_)):
                a = {"true": True, "false": False}.get(str(a).lower(), a)
            same = a == b
            if isinstance(b, float) or (isinstance(b, int) and not isinstance(b, bool)):
                same = a is not None and abs(float(a) - float(b)) <= 1e-9 * max(1, abs(b))
            if not same:
                wrong.append(f"{student}.{column}: {a!r} instead of {b!r}")
    return wrong
