"""Pages of students' rows, dots, and the words beside them, on small tables made here."""

import math
import unittest
from dataclasses import replace
from datetime import date

import numpy as np
import polars as pl
from scipy import stats

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.explanations import compare_explained, growth_explained, row_explained
from bodkin.answers.comparison.step_answer import common_parts, student_rows
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.growth.step import growth_answer, growth_rows
from bodkin.answers.scope.scope import Scope
from bodkin.core.calendar import SchoolYear
from bodkin.store.reads.table.score_table import Calendar
from tests.support.tables import BASE, FALL, WINTER, grown_of, pairs, result, table_of


class Pages(unittest.TestCase):
    def setUp(self):
        rows = pairs(n=25)
        rows += [result(800, "x1", FALL, 500), result(801, "x2", WINTER, 505)]
        self.comparison = compare(table_of(rows), Scope(**BASE))
        self.summary = summarise(self.comparison)
        self.names = {f"s{at:03}": (f"Family{at % 5}", f"Given{at:02}") for at in range(25)}

    def ids(self, **more):
        return [row["student_id"] for row in growth_rows(self.comparison, self.summary, self.names, **more).rows]

    def test_every_order_is_that_of_its_column(self):
        """Either way; students who are equal stand in the order of identifiers both times."""
        students = self.comparison.students.filter("matched")
        for sort, column in (("percentile", "from_percentile"), ("from", "from_score"), ("to", "to_score"),
                             ("gain", "gain"), ("distance", "gain_z"), ("verdict", "verdict")):  # fmt: skip
            for down in (False, True):
                with self.subTest(sort=sort, down=down):
                    wanted = students.sort([column, "student_id"], descending=[down, False], nulls_last=True)
                    self.assertEqual(self.ids(sort=sort, down=down), wanted["student_id"].to_list())

    def test_names_sort_as_they_are_read(self):
        """Given name first, as the rows show them; without case."""
        answer = [row["name"] for row in growth_rows(self.comparison, self.summary, self.names, sort="name").rows]
        self.assertEqual(answer, sorted(answer, key=str.lower))

    def test_only_students_with_both_and_n_of_all(self):
        """Those with one result have no growth; a page says how many there are beyond it."""
        page = growth_rows(self.comparison, self.summary, self.names, start=20, count=50)
        self.assertEqual((page.n, page.start, len(page.rows)), (25, 20, 5))
        self.assertEqual(growth_rows(self.comparison, self.summary, {}, start=90).rows, [])
        self.assertNotIn("x1", self.ids())

    def test_goals_and_district_means_stand_beside(self):
        """Of those who have one; sorted by goal the others come last."""
        goals = {"s003": (530.0, "catch up"), "s007": (520.0, "keep pace"), "nobody": (1.0, "own")}
        page = growth_rows(self.comparison, self.summary, self.names, sort="goal", goals=goals, district={"4": 512.5})
        self.assertEqual(page.with_goal, 2)
        answer = [(row["student_id"], row["goal"], row["goal_kind"]) for row in page.rows[:3]]
        self.assertEqual(answer[:2], [("s007", 520.0, "keep pace"), ("s003", 530.0, "catch up")])
        self.assertIsNone(answer[2][1])
        self.assertEqual({row["district_mean"] for row in page.rows}, {512.5})

    def test_the_answer_holds_the_first_page_and_every_dot(self):
        """Dots in the order of distance, so that a dot's place is its row's."""
        first = growth_rows(self.comparison, self.summary, self.names, count=4)
        answer = growth_answer(self.comparison, self.summary, first, 7)
        self.assertEqual((answer.n, len(answer.rows), len(answer.dots.ids)), (25, 4, 25))
        self.assertEqual(answer.dots.ids[:4], [row["student_id"] for row in answer.rows])
        self.assertEqual(answer.dots.distance, sorted(answer.dots.distance))
        low, high = answer.met_low, answer.met_high
        self.assertTrue(0 <= low <= answer.growth.met_share <= high <= 1)


class Coming(unittest.TestCase):
    """Before the second test: the talk in autumn."""

    def setUp(self):
        rows = [row for row in pairs(n=30) if row["window"] == FALL]
        year = SchoolYear(np.datetime64("2025-09-01"), np.datetime64("2026-06-12"), np.array([], "datetime64[D]"))
        days = Calendar({"2025-26": year}, {WINTER: (date(2026, 1, 5), date(2026, 1, 30))})
        for row in rows:
            row["tested_on"] = date(2025, 9, 22)
        self.table = replace(table_of(rows), calendar=days)
        self.comparison = compare(self.table, Scope(**BASE))
        self.answer = grown_of(self.comparison)

    def test_the_weeks_ahead_are_said(self):
        """From the day of the test to the middle of the window to come, weekdays over five."""
        weeks = np.busday_count("2025-09-22", "2026-01-17") / 5
        self.assertAlmostEqual(self.answer.weeks, weeks, delta=0.2)
        self.assertIn(f"about {weeks:.0f} weeks of instruction lie ahead", self.answer.lead)

    def test_everybody_with_a_start_is_covered(self):
        """Nobody is left out of a window that nobody could have sat."""
        summary = summarise(self.comparison)
        parts = common_parts(self.comparison, summary.counts, summary.notes, 1)
        self.assertEqual((parts["covered"], parts["left_out"]), (30, []))

    def test_ranges_of_percentiles(self):
        """Of the start within its error, of the projection within its range: scipy.stats.norm at both ends."""
        row = self.answer.rows[0]
        for side, way in (("low", -1), ("high", 1)):
            start = stats.norm.cdf((row["from_score"] + way * 8 - row["from_norm_mean"]) / row["from_norm_sd"])
            ahead = stats.norm.cdf((row[f"expected_{side}"] - row["to_norm_mean"]) / row["to_norm_sd"])
            self.assertEqual(row[f"from_percentile_{side}"], min(99, max(1, math.floor(100 * start + 0.5))))
            self.assertEqual(row[f"expected_percentile_{side}"], min(99, max(1, math.floor(100 * ahead + 0.5))))
        self.assertIn("weeks of instruction", row["explained"])


class Words(unittest.TestCase):
    def made(self, **more):
        made = compare(table_of(pairs(n=250)), Scope(**{**BASE, **more}))
        return made, summarise(made)

    def test_against_what_is_said(self):
        """Local history and the district name themselves; norms need no name."""
        for against, words in (("norms", "norm mean"), ("local", "by the district's own history"),
                               ("district", "by the district's own line")):  # fmt: skip
            made, _ = self.made(against=against)
            row = student_rows(made.students, {}, against)[0]
            with self.subTest(against=against):
                self.assertIn(words, row["explained"])
                self.assertIn(f"{row['expected_score']:.1f}", row["explained"])

    def test_a_student_with_a_start_only_has_no_gain_in_the_words(self):
        """Score and expectation, nothing of growth."""
        rows = [*pairs(n=5), result(900, "x1", FALL, 500, standard_error=8.0)]
        made = compare(table_of(rows), Scope(**BASE, matched=False))
        row = next(row for row in student_rows(made.students, {}) if row["student_id"] == "x1")
        self.assertIn("projects to", row["explained"])
        self.assertNotIn("Gained", row["explained"])

    def test_headline_figures_tell_their_counts(self):
        """The very counts of the summary."""
        made, summary = self.made()
        answer = compare_explained(made, summary, 2)
        above = sum(row.to_n for row in summary.bands[1:])
        self.assertIn(f"= {above} of 250 students are in Mid and High", answer["quoted"])
        self.assertIn(f"{summary.movement.up} moved up less {summary.movement.down} down, of 250", answer["net"])
        self.assertIn("about 8 points", answer["near_cut"])
        grown = growth_explained(made, summary, 0.4, 0.6)
        self.assertIn(f"{summary.growth.met_n} of 250 students", grown["met"])
        self.assertIn("95 % range 40\u00a0% to 60\u00a0%", grown["met"])

    def test_just_below_is_below_by_no_more_than_the_error(self):
        """Counted by hand: the quoted band of three begins at 490; the error is 8."""
        made, _ = self.made()
        scores = made.students["to_score"].to_numpy()
        self.assertEqual(int(made.students["just_below"].sum()), int(np.sum((scores < 490) & (scores >= 482))))
        near = made.students.filter(pl.col("just_below"))["near_cut"]
        self.assertTrue(near.all())

    def test_nothing_to_explain_is_empty(self):
        """No growth: no words; a row without anything: no words."""
        made, summary = self.made(from_window=WINTER)
        self.assertEqual(growth_explained(made, summary, None, None), {})
        nothing = dict.fromkeys(student_rows(made.students, {})[0], None)
        self.assertEqual(row_explained(nothing), "")
