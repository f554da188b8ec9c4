"""The likely outcome."""

import unittest
from dataclasses import replace

import numpy as np
import polars as pl
from scipy import stats
from sklearn.linear_model import LogisticRegression

from bodkin.answers.compare.outcome import likely_outcome, outcome_units
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.scope.scope import Scope
from bodkin.store.reads.table.score_table import Memo
from tests.support.tables import BASE, pairs, result, table_of


class Outcome(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(8)
        rows, cls.past = [], []
        for year, n in (("2023-24", 90), ("2024-25", 90), ("2025-26", 30)):
            for at in range(n):
                ability = rng.normal(500, 25)
                score, points = round(ability + rng.normal(0, 8)), round((ability - 380) / 6 + rng.normal(0, 2))
                rows.append(result(len(rows), f"{year}{at}", f"{year} winter", score, standard_error=8.0))
                if year != "2025-26":
                    rows.append(result(len(rows), f"{year}{at}", f"{year} spring", points, assessment="Spring Test"))
                    cls.past.append((score, points))
        table = table_of(rows)
        cuts = [
            {"assessment": "Spring Test", "subject": "reading", "grade": "4", "season": None, "order": order,
             "band": f"Level {order}", "min_score": low, "min_percentile": None}
            for order, low in ((1, None), (2, 17.0), (3, 21.0), (4, 25.0))
        ]  # fmt: skip
        cls.table = replace(table, cuts=pl.concat([table.cuts, pl.DataFrame(cuts, schema=table.cuts.schema)]))
        cls.found = likely_outcome(
            cls.table, compare(cls.table, Scope(**BASE, matched=False)), ("Spring Test", "reading"), {}
        )
        cls.answer = cls.found.page()

    def test_chances_equal_a_logistic_regression_of_the_years_before(self):
        """Level 3 or above, by scikit-learn without a penalty."""
        x, y = (np.array(values, dtype=float) for values in zip(*self.past, strict=True))
        fitted = LogisticRegression(C=1e12, tol=1e-10, max_iter=10_000).fit((x[:, None] - 500) / 25, y >= 21)
        rows = self.answer.rows
        scores = np.array([row.score for row in rows])
        expected = fitted.predict_proba((scores[:, None] - 500) / 25)[:, 1]
        np.testing.assert_allclose([row.on_track for row in rows], expected, atol=2e-4)
        self.assertAlmostEqual(self.answer.expected_share, expected.mean(), places=4)

    def test_the_share_has_a_range_for_everybody_and_each_unit(self):
        """Central 80 % of the count, as scipy.stats.poisson_binom has it, of all and of each class."""
        chances = {row.student_id: row.on_track for row in self.answer.rows}
        every = stats.poisson_binom(list(chances.values())).ppf([0.1, 0.9]) / len(chances)
        np.testing.assert_allclose([self.answer.expected_low, self.answer.expected_high], every)
        self.assertIn("8 times in 10 it will be", self.answer.lead)
        made = compare(self.table, Scope(**BASE, matched=False, by="section"))
        found = outcome_units(made, self.found)
        self.assertEqual(found.band, "Level 3")
        self.assertEqual(sum(row.n for row in found.rows), len(chances))
        for row in found.rows:
            own = [
                chances[student]
                for student, section in made.students.select("student_id", "section").iter_rows()
                if section == row.value and student in chances
            ]
            self.assertAlmostEqual(row.figure.raw, np.mean(own))
            ends = stats.poisson_binom(own).ppf([0.1, 0.9]) / len(own)
            np.testing.assert_allclose([row.figure.low, row.figure.high], ends)

    def test_the_likely_level_is_the_likeliest(self):
        """Chances of a student's level, of bands and of all add up as they should."""
        self.assertEqual(self.answer.years, ["2023-24", "2024-25"])
        self.assertEqual(sum(level.likely_n for level in self.answer.levels), 30)
        self.assertAlmostEqual(sum(level.expected_share for level in self.answer.levels), 1.0)
        for row in self.answer.rows:
            self.assertGreaterEqual(row.chance, 0.25)
        chances = [band.chance for band in self.answer.by_band if band.chance is not None]
        self.assertEqual(chances, sorted(chances))

    def test_the_rows_asked_for(self):
        """The least on the way first; those of one level are as many as the answer counts; no more than asked for."""
        rows = self.answer.rows
        self.assertEqual([row.on_track for row in rows], sorted(row.on_track for row in rows))
        self.assertEqual(self.answer.covered, len(rows))
        for level in self.answer.levels:
            own = self.found.page(level.order).rows
            self.assertEqual(own, [row for row in rows if row.likely_order == level.order])
            self.assertEqual(len(own), level.likely_n)
        self.assertEqual(self.found.page(n=4).rows, rows[:4])

    def test_how_well_it_told_counts_by_hand(self):
        """Warned are those below the lowest score of Mid, 490."""
        answer = self.answer.accuracy[0]
        short = [(score < 490, points < 21) for score, points in self.past]
        both = sum(warned and fell for warned, fell in short)
        self.assertAlmostEqual(answer.sensitivity, both / sum(fell for _, fell in short))
        self.assertAlmostEqual(answer.positive_value, both / sum(warned for warned, _ in short))

    def test_results_without_a_grade_belong_to_none(self):
        """Half of the years before have lost their grade: those with one still tell."""
        lost = pl.when(pl.int_range(pl.len()) // 2 % 2 == 0).then(pl.col("grade"))
        results = self.table.results.with_columns(lost.otherwise(None).alias("grade"))
        table = replace(self.table, results=results, worked=Memo())
        whole = compare(self.table, Scope(**BASE, matched=False))
        answer = likely_outcome(table, whole, ("Spring Test", "reading"), {}).whole
        self.assertLess(answer.accuracy[0].n, 180)
        self.assertGreater(answer.accuracy[0].n, 30)

    def test_without_history_it_says_so(self):
        """No earlier year: no level, and a note."""
        bare = table_of(pairs())
        answer = likely_outcome(bare, compare(bare, Scope(**BASE)), ("Spring Test", "reading"), {}).page()
        self.assertEqual((answer.rows, answer.expected_share), ([], None))
        self.assertTrue(answer.notes)
