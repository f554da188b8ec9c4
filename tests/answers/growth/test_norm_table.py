"""Usual scores for a family."""

import unittest

from bodkin.answers.growth.norm_table import norm_table
from bodkin.core.errors import NotFound
from tests.support.tables import pairs, table_of


class UsualScores(unittest.TestCase):
    def test_the_middle_half_about_each_mean(self):
        """Quarters of a normal distribution: 0.6745 spreads either way, from a table of it."""
        answer = norm_table(table_of(pairs(n=3)), "Tide", "reading")
        row = answer.rows[0]
        self.assertEqual((answer.title, row.grade, row.means), ("Tide Reading", "4", [500.0, 508.0, None]))
        self.assertEqual(answer.seasons, ["fall", "winter", "spring"])
        self.assertAlmostEqual(row.lows[0], 500 - 0.6745 * 20, places=2)
        self.assertAlmostEqual(row.highs[1], 508 + 0.6745 * 20, places=2)
        self.assertIsNone(row.lows[2])

    def test_a_test_without_norms_has_none(self):
        """Said, not shown empty."""
        with self.assertRaises(NotFound):
            norm_table(table_of(pairs(n=3)), "Other", "reading")
