"""Norms and cuts beside each student, against the same looked up one student at a time."""

import unittest
from datetime import date, timedelta

import numpy as np
import polars as pl

from bodkin.answers.comparison.norms.norms_and_cuts import Grades, NormsAt, Notes, bands_at, norms_at, target_grades
from bodkin.answers.scope.scope import Scope
from bodkin.core.calendar import SchoolYear
from bodkin.core.scores.scales import percent_below, score_at_percentile
from bodkin.core.windows import read_window
from bodkin.store.reads.table.score_table import CUTS, NORMS, Calendar
from tests.support.tables import BASE, FALL, table_of

FIRST_DAY = date(2025, 8, 25)
YEAR = SchoolYear(np.datetime64(FIRST_DAY), np.datetime64("2026-06-12"), np.array(["2025-11-27"], "datetime64[D]"))
SPAN = (date(2025, 9, 15), date(2025, 10, 10))
ROWS = {
    # grade: norm rows of season, week, mean and spread, in no order
    "3": [("winter", 19.0, 480.0, 18.0), ("fall", 5.0, 470.0, 17.0), ("fall", 3.0, 468.0, 16.0)],
    "K": [("fall", None, 400.0, 15.0)],
    "10": [("winter", 19.0, 560.0, 22.0)],
    "12": [],
}
SETS = {
    # grade and season: the lowest scores of bands 2 and up, and whether they are percentiles
    ("3", "fall"): ([460.0, 475.0, 490.0], False),
    ("3", None): ([470.0, 485.0, 500.0], False),
    ("K", None): ([25.0, 60.0], True),
    ("10", "fall"): ([30.0, 70.0], True),
}


def frame(rows, schema):
    return pl.DataFrame([{"assessment": "Tide", "subject": "reading"} | row for row in rows], schema=schema)


def a_table(**more):
    """Four grades: dated norms, a season's row only, another season's row only, and none."""
    norms = [
        {"grade": grade, "season": season, "week": week, "mean": mean, "sd": sd}
        for grade, rows in ROWS.items()
        for season, week, mean, sd in rows
    ]
    cuts = [
        {"grade": grade, "season": season, "order": order, "band": f"Band {order}",
         "min_score": None if ranks or order == 1 else lows[order - 2],
         "min_percentile": lows[order - 2] if ranks and order > 1 else None}
        for (grade, season), (lows, ranks) in SETS.items()
        for order in range(1, len(lows) + 2)
    ]  # fmt: skip
    frames = {"norms": frame(norms, NORMS), "cuts": frame(cuts, CUTS)}
    return table_of([], **(frames | {"calendar": Calendar({"2025-26": YEAR}, {FALL: SPAN})} | more))


def students(n=400, seed=6):
    """Grades of many kinds, some unknown; days some unknown; some tests still to come."""
    rng = np.random.default_rng(seed)
    grades = rng.choice(["3", "K", "10", "12", None], n, p=[0.5, 0.2, 0.15, 0.1, 0.05])
    days = [FIRST_DAY + timedelta(days=int(day)) if day > 9 else None for day in rng.integers(0, 60, n)]
    scores = [None if rng.random() < 0.1 else float(score) for score in rng.integers(380, 620, n)]
    rows = pl.DataFrame(
        {"from_tested_on": pl.Series(days, dtype=pl.Date), "from_score": pl.Series(scores, dtype=pl.Float64)}
    )
    return pl.Series("grade", grades.tolist(), dtype=pl.String), rows


def week_of(day):
    return float(YEAR.week_of(np.array([day], "datetime64[D]"))[0])


class OneByOne(unittest.TestCase):
    """The same figures looked up for one student after another, the slow and plain way."""

    def setUp(self):
        self.grade, self.rows = students()
        self.grades, self.scope = Grades.of(self.grade), Scope(**BASE)

    def norms(self, table, notes):
        return norms_at(table, self.scope, self.scope.first, self.grades, self.rows, "from", notes)

    def plain(self, grade, day, score):
        """Mean, spread and week of one student; numpy.interp is the reference."""
        if score is None:
            day = SPAN[0] + (SPAN[1] - SPAN[0]) // 2
        rows = ROWS.get(grade, [])
        dated = sorted(row[1:] for row in rows if row[1] is not None)
        if day is not None and dated:
            week = week_of(day)
            weeks, means, sds = zip(*dated, strict=True)
            return np.interp(week, weeks, means), np.interp(week, weeks, sds), week
        season = sorted((row for row in rows if row[0] == "fall"), key=lambda row: row[1] or 0)
        if season:
            _, _, mean, sd = season[(len(season) - 1) // 2]
            return mean, sd, np.nan
        return np.nan, np.nan, np.nan

    def test_norms(self):
        """Mean, spread and week of every student."""
        answer = self.norms(a_table(), Notes())
        wanted = [
            self.plain(*one)
            for one in zip(self.grade, self.rows["from_tested_on"], self.rows["from_score"], strict=True)
        ]
        for name, values in zip(("mean", "sd", "week"), zip(*wanted, strict=True), strict=True):
            np.testing.assert_allclose(getattr(answer, name), values, rtol=1e-13, err_msg=name)

    def test_notes_of_norms_count_the_students_at_hand(self):
        """How many lie beyond the weeks, grade by grade, and which grades have no norm for the season."""
        notes = Notes()
        self.norms(a_table(), notes)
        early = {"3": 0, "10": 0}
        undated = 0
        for grade, day, score in zip(self.grade, self.rows["from_tested_on"], self.rows["from_score"], strict=True):
            seen = SPAN[0] + (SPAN[1] - SPAN[0]) // 2 if score is None else day
            if grade in early and seen is not None:
                weeks = [row[1] for row in ROWS[grade] if row[1] is not None]
                early[grade] += not min(weeks) <= week_of(seen) <= max(weeks)
            undated += grade == "10" and seen is None
        self.assertTrue(early["3"] and early["10"] and undated)
        beyond = "lie before the first or after the last week of the norms; the value at the end is used"
        self.assertEqual(
            notes.reasons,
            [
                f"{early['3']} tests of grade 3 in {self.scope.first.label} {beyond}",
                f"{early['10']} tests of grade 10 in {self.scope.first.label} {beyond}",
                "no norm for grade 10 in fall",
                "no norm for grade 12 in fall",
            ],
        )

    def test_without_a_calendar_the_season_stands(self):
        """No school year known: no week for anybody, and the middle row of the season."""
        answer = self.norms(a_table(calendar=Calendar()), Notes())
        self.assertTrue(np.isnan(answer.week).all())
        third = (self.grade == "3").fill_null(value=False).to_numpy()
        self.assertEqual(set(answer.mean[third]), {468.0})  # of two middle rows the earlier

    def test_no_norms_and_nobody(self):
        """Nothing to look up, and nobody to look it up for."""
        answer = self.norms(a_table(norms=frame([], NORMS)), Notes())
        self.assertTrue(np.isnan(answer.mean).all() and answer.mean.shape == (400,))
        nobody = Grades.of(pl.Series([], dtype=pl.String))
        answer = norms_at(a_table(), self.scope, self.scope.first, nobody, self.rows.clear(), "from", Notes())
        self.assertEqual(answer.mean.shape, (0,))

    def bands(self, notes, cuts="season"):
        table, scope = a_table(), self.scope.model_copy(update={"cuts": cuts})
        scores = self.rows["from_score"].to_numpy()
        norms = norms_at(table, scope, scope.first, self.grades, self.rows, "from", Notes())
        own = np.full(scores.shape, 42.0)
        return bands_at(table, scope, scope.first, self.grades, scores, norms, own, notes), scores, norms

    def test_bands_and_cuts(self):
        """Order and cuts of every student, by score or by percentile, the season's set or the year-end one."""
        for cuts in ("season", "year-end"):
            answer, scores, norms = self.bands(Notes(), cuts)
            met = set()
            for at, (grade, score) in enumerate(zip(self.grade, scores, strict=True)):
                found = (SETS.get((grade, "fall")) if cuts == "season" else None) or SETS.get((grade, None))
                if found is None or np.isnan(score):
                    self.assertTrue(np.isnan(answer.orders[at]) and np.isnan(answer.lines[at]).all())
                    continue
                lows, ranks = found
                value, lines = score, lows
                if ranks:
                    below = float(percent_below(score, norms.mean[at], norms.sd[at]))
                    value = 42.0 if np.isnan(below) else below
                    lines = [float(score_at_percentile(low, norms.mean[at], norms.sd[at])) for low in lows]
                self.assertEqual(answer.orders[at], 1 + sum(value >= low for low in lows))
                np.testing.assert_allclose(answer.lines[at, : len(lows)], lines, rtol=1e-13)
                self.assertTrue(np.isnan(answer.lines[at, len(lows) :]).all())
                met.add((grade, answer.orders[at]))
            self.assertGreater(len(met), 5, "the students should reach many bands")

    def test_notes_of_cuts(self):
        """A year-end set that stands in, and a grade without any; said for grades with a score only."""
        notes = Notes()
        self.bands(notes)
        self.assertEqual(
            notes.reasons, ["no fall cuts for grade K; the year-end cuts are used", "no cuts for grade 12 in fall"]
        )
        notes = Notes()
        self.bands(notes, "year-end")
        self.assertEqual(
            notes.reasons, ["no year-end cuts for grade 10 in fall", "no year-end cuts for grade 12 in fall"]
        )
        quiet, nothing = Notes(), np.full(400, np.nan)
        bands_at(
            a_table(), self.scope, self.scope.first, self.grades, nothing, NormsAt(nothing, nothing, nothing), nothing,
            quiet,
        )  # fmt: skip
        self.assertEqual(quiet.reasons, [])


class Grade(unittest.TestCase):
    def test_met_in_school_order(self):
        """Kindergarten before 3 before 10, anything else after; nobody's grade is -1."""
        answer = Grades.of(pl.Series(["10", "K", None, "3", "Ungraded", "K"]))
        self.assertEqual(answer.met, ["K", "3", "10", "Ungraded"])
        self.assertEqual(answer.place.tolist(), [2, 0, -1, 1, 3, 0])
        self.assertEqual(Grades.of(pl.Series([None, None], dtype=pl.String)).place.tolist(), [-1, -1])
        self.assertEqual(Grades.of(pl.Series([], dtype=pl.String)).met, [])

    def test_values_and_members(self):
        """What is known of a grade goes to its students; a default for others, nothing without a grade."""
        answer = Grades.of(pl.Series(["4", None, "5"]))
        np.testing.assert_equal(answer.values({"4": 1.5}, 9.0), [1.5, np.nan, 9.0])
        self.assertEqual(answer.among("5").tolist(), [False, False, True])

    def test_one_or_else_the_other(self):
        """The other's where there is none; a grade nobody is in any more is not met."""
        first, second = Grades.of(pl.Series(["4", None, None, "6"])), Grades.of(pl.Series(["3", "3", None, "4"]))
        answer = first.or_else(second)
        self.assertEqual([answer.met[at] if at >= 0 else None for at in answer.place], ["4", "3", None, "6"])
        self.assertEqual(answer.met, ["3", "4", "6"])
        self.assertEqual(second.or_else(first).met, ["3", "4"])

    def test_many_readings_at_once_do_not_mix(self):
        """Each reading numbers its grades anew, whatever was read before it."""
        for grades in (["1", "2"], ["2", "1"], ["9"], ["1", "9", "2"]):
            answer = Grades.of(pl.Series(grades))
            self.assertEqual([answer.met[at] for at in answer.place], grades)

    def test_the_grade_due(self):
        """Across the summer the next grade, unless one was seen; within a year the same; after the last none."""
        first, second = Grades.of(pl.Series(["3", "K", "13", None])), Grades.of(pl.Series([None, "2", None, "5"]))
        scope = Scope(**BASE)
        answer = target_grades(scope, first, second)
        self.assertEqual([answer.met[at] for at in answer.place], ["3", "2", "13", "5"])
        summer = scope.model_copy(update={"from_window": "2025-26 spring", "to_window": "2026-27 fall"})
        self.assertEqual(summer.second, read_window("2026-27 fall"))
        answer = target_grades(summer, first, second)
        self.assertEqual([answer.met[at] if at >= 0 else None for at in answer.place], ["4", "2", None, "5"])


if __name__ == "__main__":
    unittest.main()
