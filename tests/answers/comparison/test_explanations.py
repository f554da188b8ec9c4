"""Figures explained in their own numbers."""

import unittest

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.explanations import row_explained
from bodkin.answers.comparison.step_answer import student_rows
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, pairs, table_of, with_spring


class Explained(unittest.TestCase):
    def test_a_row_tells_the_numbers_that_went_in(self):
        """Score, norm mean and spread, expected gain and distance, as the row has them."""
        table = with_spring(table_of(pairs(n=20)))
        for row in student_rows(compare(table, Scope(**BASE)).students, {}):
            answer = row_explained(row)
            for number in (f"{row['from_score']:.0f}", "500.0", "508.0", f"{row['expected_score']:.1f}",
                           f"percentile {row['to_percentile']:.0f}"):  # fmt: skip
                self.assertIn(number, answer)
        self.assertEqual(row_explained(dict.fromkeys(row, None)), "")
