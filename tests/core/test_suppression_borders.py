"""Borders of suppression."""

import unittest
import unittest.mock

from bodkin.core import suppression
from bodkin.core.errors import BadInput


class Withholding(unittest.TestCase):
    def test_what_is_hidden_or_shown_anyway(self):
        """A large cell nobody sees may be worked out; one known from elsewhere is never withheld."""
        sums = [(0, [1, 2, 3])]
        self.assertEqual(suppression.withhold([60, 20, 20, 20], sums).tolist(), [False] * 4)
        answer = suppression.withhold([60, 20, 20, 20], sums, already_hidden=[2])
        self.assertEqual(answer.tolist(), [False, False, True, False])
        answer = suppression.withhold([45, 5, 20, 20], sums, already_hidden=[1])
        self.assertEqual(answer.tolist(), [False, True, True, False])
        answer = suppression.withhold([45, 5, 20, 20], sums, already_hidden=[1], harmless=[1])
        self.assertEqual(answer.tolist(), [False, True, False, False])
        answer = suppression.withhold([24, 4, 20], [(0, [1, 2])], always_shown=[1])
        self.assertEqual(answer.tolist(), [False, False, False])
        answer = suppression.withhold([44, 4, 20, 20], sums, always_shown=[2])
        self.assertEqual(answer.tolist(), [False, True, False, True])

    def test_a_minimum_of_one(self):
        """Only empty cells are withheld; below that there is no minimum."""
        self.assertEqual(suppression.withhold([0, 1], [], 1).tolist(), [True, False])
        self.assertEqual(suppression.withhold([1, 2], [], 2).tolist(), [True, False])
        with self.assertRaisesRegex(BadInput, "minimum must be 1 or more, got 0"):
            suppression.withhold([1], [], 0)

    def test_what_totals_tell(self):
        """One hidden part of a total, hidden parts that add up to nothing, and cells that no sum holds."""
        answer = suppression.withhold([35, 5, 15, 15], [(0, [1, 2, 3])])
        self.assertEqual(answer.tolist(), [False, True, True, False])
        answer = suppression.withhold([20, 0, 0, 20], [(0, [1, 2, 3])])
        self.assertEqual(answer.tolist(), [False, True, True, True])
        answer = suppression.withhold([5, 5, 30, 20, 10], [(2, [3, 4])])
        self.assertEqual(answer.tolist(), [True, True, False, False, False])

    def test_nothing_is_returned_that_can_be_worked_out(self):
        """A total and all parts but a small one are known: refused rather than returned."""
        with self.assertRaises(suppression.Unsafe):
            suppression.withhold([24, 4, 20], [(0, [1, 2])], always_shown=[0, 2])
        # The last free cell stands in no sum with the small one, but one further on.
        sums = [(0, [1, 2]), (3, [2, 4])]
        with self.assertRaises(suppression.Unsafe):
            suppression.withhold([24, 4, 20, 40, 20], sums, always_shown=[0, 3, 4])
        answer = suppression.withhold([24, 4, 20, 40, 20], sums, always_shown=[0, 3])
        self.assertEqual(answer.tolist(), [False, True, True, False, True])

    def test_parts_come_before_totals_and_the_smallest_first(self):
        """Of two sums with the small cell, a part of either; a total only where there is no part left."""
        answer = suppression.withhold([35, 5, 30, 17, 12], [(0, [1, 2]), (3, [1, 4])])
        self.assertEqual(answer.tolist(), [False, True, True, False, True])
        answer = suppression.withhold([5, 5], [(0, [1])])
        self.assertEqual(answer.tolist(), [True, True])
