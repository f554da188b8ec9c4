"""The headless runs ``progress`` and ``helped`` against plain second tellings, and their refusals."""

import json
import math
import random
import statistics
from datetime import date, timedelta

import numpy as np
import pandas as pd
from scipy import stats

from tests.support import files
from tests.support.runs import CommandRun

RESULTS = "student_id,measure,on,score\n"
GOALS = "student_id,measure,goal,by,start,start_on,direction\n"


def series(seed):
    """Days and scores of one series, with two results on one day now and then."""
    draw = random.Random(seed)
    day, rows = date(2026, 9, 7), []
    slope = draw.choice((-0.5, 0.2, 1.0, 3.0))
    for at in range(draw.choice((1, 2, 3, 5, 8, 14, 20))):
        day += timedelta(days=draw.choice((0, 5, 7, 7, 9))) if at else timedelta()
        rows.append((day, round(50 + slope * (day - date(2026, 9, 7)).days / 7 + draw.gauss(0, 4), 1)))
    return rows


def told(
    rows, goal=None, by=None, start=None, start_on=None, *, down=False, week=lambda day, first: (day - first).days / 7
):
    """What progress.csv must say of a series, from the words of the format."""
    latest = dict(rows)
    days = sorted(latest)
    first = days[0]
    x, y = [week(day, first) for day in days], [latest[day] for day in days]
    n, found = len(days), {"n": len(days), "few": len(days) < 6, "act": "none", "confirmed": None}
    fit = stats.linregress(x, y) if len(set(x)) >= 3 else None
    if fit is not None:
        found |= {"slope": fit.slope, "slope_error": fit.stderr, "robust_slope": stats.theilslopes(y, x)[0]}
    found["baseline"] = start if start is not None else statistics.median(y[:3]) if n >= 3 else None
    if goal is None:
        return found
    until = week(by, first)
    if fit is not None:
        found["projected"] = fit.intercept + fit.slope * until
    if start is None and n < 3:
        return found
    begin = (week(start_on, first) if start_on else x[0]) if start is not None else statistics.median(x[:3])
    if until <= begin:
        return found
    slope = (goal - found["baseline"]) / (until - begin)
    found |= {"aim_slope": slope, "aim_now": found["baseline"] + slope * (x[-1] - begin)}
    sign = -1 if down else 1
    baseline = sum(one <= begin for one in x) if start is not None else 3

    def word(k):
        u, v = [a for a in x[:k] if a <= until], [b for a, b in zip(x[:k], y[:k], strict=True) if a <= until]
        if len(u) < 6 or u[-1] - u[0] < 3:
            return "none"
        away = [sign * (b - found["baseline"] - slope * (a - begin)) for a, b in zip(u, v, strict=True)][-4:]
        if all(one < 0 for one in away):
            return "change"
        if all(one > 0 for one in away):
            return "raise"
        line = stats.linregress(u, [sign * b for b in v])
        if line.slope < sign * slope - line.stderr:
            return "change"
        return "raise" if line.slope > sign * slope + line.stderr else "stay"

    inside = sum(a <= until for a in x)
    found["act"] = word(inside)
    if found["act"] in ("change", "raise"):
        u, v = x[:inside], [sign * b for b in y[:inside]]
        line = stats.linregress(u, v)
        rest = np.array(v) - line.intercept - line.slope * np.array(u)
        s = math.sqrt(rest @ rest / (inside - 2))
        mean = statistics.mean(b - sign * (found["baseline"] + slope * (a - begin))
                               for a, b in zip(u[-4:], v[-4:], strict=True))  # fmt: skip
        limit = stats.t.ppf(0.95, inside - 2) * s / 2
        beyond = mean < -limit if found["act"] == "change" else mean > limit
        found["confirmed"] = word(inside - 1) == found["act"] and inside >= baseline + 4 and beyond
    return found


class Progress(CommandRun):
    NUMBERS = ("slope", "slope_error", "robust_slope", "baseline", "aim_slope", "aim_now", "projected")

    def same(self, line, wanted):
        for name in self.NUMBERS:
            self.close(line[name], wanted.get(name), name)
        self.assertEqual((line["n"], line["act"]), (str(wanted["n"]), wanted["act"]))
        self.assertEqual(line["few"], str(wanted["few"]).lower())
        confirmed = wanted["confirmed"]
        self.assertEqual(line["confirmed"], "" if confirmed is None else str(bool(confirmed)).lower())

    def test_sixty_series_against_the_second_telling(self):
        """Goals with and without a start, lower is better, one result, results on one day, goals in the past."""
        draw = random.Random(4)
        results, goals, wanted = RESULTS, GOALS, []
        for seed in range(60):
            rows = series(seed)
            results += "".join(f"s{seed},words,{day},{score}\n" for day, score in rows)
            by = date(2026, 9, 7) + timedelta(weeks=draw.choice((2, 6, 12, 30)))
            kind = seed % 4
            start, start_on = (48.0, date(2026, 9, 1)) if kind == 1 else (52.0, None) if kind == 2 else (None, None)
            down = seed % 5 == 0
            if kind == 3:
                wanted.append(told(rows))
                continue
            goals += f"s{seed},words,70,{by},{start or ''},{start_on or ''},{'down' if down else ''}\n"
            wanted.append(told(rows, 70.0, by, start, start_on, down=down))
        self.write(results=results, goals=goals)
        self.done("progress", results="results", goals="goals")
        lines = self.read("progress").to_dict("records")
        self.assertEqual(len(lines), 60)
        for line, one in zip(lines, wanted, strict=True):
            with self.subTest(student=line["student_id"]):
                self.same(line, one)
        self.assertGreater(len({line["act"] for line in lines}), 3)

    def test_weeks_of_instruction_and_today(self):
        """With a calendar weeks are school days over five; later results than today are left out."""
        calendar = "kind,name,from,to\nschool year,2026-27,2026-09-01,2027-06-15\n"
        calendar += "closure,autumn,2026-10-12,2026-10-16\n"
        rows = [(date(2026, 9, 7) + timedelta(weeks=at), 40.0 + 2 * at + at % 3) for at in range(12)]
        self.write(results=RESULTS + "".join(f"s,w,{day},{score}\n" for day, score in rows), calendar=calendar,
                   goals=GOALS + "s,w,70,2027-01-11,,,\n")  # fmt: skip
        holidays = np.arange("2026-10-12", "2026-10-17", dtype="datetime64[D]")

        def week(day, first):
            return np.busday_count(first, day, holidays=holidays) / 5

        today = date(2026, 11, 9)
        self.done("progress", "--today", str(today), results="results", goals="goals", calendar="calendar")
        kept = [row for row in rows if row[0] <= today]
        self.same(self.read("progress").iloc[0].to_dict(), told(kept, 70.0, date(2027, 1, 11), week=week))

    def test_faults_name_their_place(self):
        """Somebody whom the results do not know, two goals, a date that is none, a direction that is none."""
        for change, words, more in (
            ({"goals": GOALS + "q,w,70,2027-01-11,,,\n"}, ("goals.csv, line 2, column student_id", '"q"'), ()),
            ({"goals": GOALS + "s,w,70,2027-01-11,,,\ns,w,80,2027-01-11,,,\n"}, ("line 3",), ()),
            ({"goals": GOALS + "s,w,70,2027-01-11,,,sideways\n"}, ("line 2, column direction",), ()),
            ({"results": RESULTS + "s,w,2026-13-01,4\n"}, ("results.csv, line 2, column on",), ()),
            ({}, ("--today", "not a date"), ("--today", "soon")),
        ):
            with self.subTest(words=words):
                self.write(**{"results": RESULTS + "s,w,2026-10-01,4\n", "goals": GOALS, **change})
                self.refused("progress", *words, more=more, results="results", goals="goals")


class Helped(CommandRun):
    MEASURE = ("--assessment", files.MEASURE[0], "--subject", files.MEASURE[1], "--from", files.FALL,
               "--to", files.WINTER)  # fmt: skip

    def test_pairs_against_plain_loops(self):
        """Two files of strange scores, by grade and by grade and program: every pair and figure."""
        for seed, strata in ((1, "grade"), (2, "grade,program")):
            self.write(scores=files.scores(seed, n=220), norms=files.norms())
            frame = pd.read_csv(self.folder / "scores.csv", dtype=str, keep_default_na=False)
            students = list(dict.fromkeys(frame.student_id))
            members = [one for at, one in enumerate(students) if at % 7 == 3]
            quoted = pd.DataFrame({"student_id": members}).to_csv(index=False)
            self.write(members=quoted)
            inputs = {"scores": "scores", "norms": "norms"}
            self.done("compare", *self.MEASURE, **inputs)
            rows = self.read("students").set_index("student_id")
            self.done("helped", *self.MEASURE, "--strata", strata, members="members", **inputs)
            programs = self.programs(frame)
            known = [one for one in students if one in rows.index and rows.gain_z[one] != "" and rows.from_score[one]]
            stratum = {
                one: rows.from_grade[one] + ("|" + programs[one] if "program" in strata else "") for one in known
            }
            x = {one: float(rows.from_score[one]) for one in known}
            z = {one: float(rows.gain_z[one]) for one in known}
            pairs = {}
            for label in sorted(set(stratum.values())):
                mine = [one for one in known if stratum[one] == label]
                inside = [one for one in mine if one in members]
                others = [one for one in mine if one not in members]
                if not inside or not others:
                    continue
                reach = 0.2 * statistics.stdev(x[one] for one in mine)
                near = {one: [o for o in others if abs(x[o] - x[one]) <= reach + 1e-9] for one in inside}
                free = set(others)
                for one in sorted(inside, key=lambda m: (len(near[m]), known.index(m))):
                    left = [o for o in near[one] if o in free]
                    if left:
                        taken = min(left, key=lambda o: (round(abs(x[o] - x[one]), 9), known.index(o)))
                        pairs[one] = taken
                        free.remove(taken)
            found = self.read("pairs")
            self.assertEqual(dict(zip(found.student_id, found.matched_with, strict=True)), pairs)
            summary = json.loads((self.out / "summary.json").read_text())
            differences = [z[one] - z[other] for one, other in pairs.items()]
            ours, theirs = [z[one] for one in pairs], [z[other] for other in pairs.values()]
            interval = stats.ttest_rel(ours, theirs).confidence_interval()
            for name, number in (("difference", statistics.mean(differences)), ("low", interval.low),
                                 ("high", interval.high)):  # fmt: skip
                self.assertAlmostEqual(summary[name], number)
            n = len(pairs)
            pooled = math.sqrt((statistics.variance(ours) + statistics.variance(theirs)) / 2)
            g = statistics.mean(differences) / pooled * (1 - 3 / (4 * (2 * n - 2) - 1))
            self.assertAlmostEqual(summary["g"], g)
            self.assertAlmostEqual(summary["g_high"] - g, 1.96 * math.sqrt(2 / n + g * g / (4 * n)))
            inside = [one for one in known if one in members]
            self.assertEqual((summary["members"], summary["matched"], summary["unmatched"]),
                             (len(inside), n, len(inside) - n))  # fmt: skip
            self.assertEqual(summary["few"], n < 10)
            start = next(one for one in summary["balance"] if one["what"] == "start")
            a, b = [x[one] for one in inside], [x[one] for one in known if one not in members]
            spread = math.sqrt(((len(a) - 1) * statistics.variance(a) + (len(b) - 1) * statistics.variance(b))
                               / (len(a) + len(b) - 2))  # fmt: skip
            self.assertAlmostEqual(start["before"], (statistics.mean(a) - statistics.mean(b)) / spread)

    def programs(self, frame):
        """Programs of each student's later result, as the run takes them."""
        mine = frame[frame.window.isin([files.FALL, files.WINTER]) & (frame.score != "")].copy()
        mine["order"] = mine.window.map({files.FALL: 0, files.WINTER: 1})
        mine["place"] = range(len(mine))
        mine = mine.sort_values(["order", "tested_on", "place"]).drop_duplicates("student_id", keep="last")
        return {
            row.student_id: ";".join(sorted({one.strip() for one in row.programs.split(";") if one.strip()}))
            for row in mine.itertuples()
        }

    def test_faults_name_their_place(self):
        """A member whom the scores do not know, strata that are none."""
        self.write(scores=files.scores(3, n=30), members="student_id\nnobody\n")
        inputs = {"scores": "scores", "members": "members"}
        self.refused("helped", "members.csv, line 2, column student_id", more=self.MEASURE, **inputs)
        self.refused("helped", "--strata", more=(*self.MEASURE, "--strata", "shoe"), **inputs)
