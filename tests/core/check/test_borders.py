"""Borders of doubts: cases a mutated rule would get wrong."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.check import credibility, which_counts
from bodkin.core.errors import BadInput

NAN = np.nan


class Doubts(unittest.TestCase):
    def doubt(self, minutes, earlier, score=500.0, last=500.0, error=5.0):
        n = len(minutes)
        return credibility.doubt(minutes, earlier, [score] * n, [error] * n, [last] * n, [error] * n)

    def test_on_the_limits_there_is_no_doubt(self):
        """Just the 5th percentile, just half the own median, just less than 1.96 errors."""
        minutes = np.arange(10.0, 31.0)
        answer = self.doubt(minutes, np.full((21, 1), 22.0))
        self.assertEqual(answer.limit, 11.0)
        np.testing.assert_array_equal(np.flatnonzero(answer.fast_for_all), [0])
        np.testing.assert_array_equal(np.flatnonzero(answer.fast_for_self), [0])
        np.testing.assert_array_equal(answer.change, np.zeros(21))
        none = [[NAN], [NAN]]
        answer = credibility.doubt([20.0, 20.0], none, [-9.79, -9.81], [3.0] * 2, [0.0] * 2, [4.0] * 2)
        np.testing.assert_array_equal(answer.far_below, [False, True])

    def test_without_times_nobody_was_fast(self):
        """No minutes at all, and no earlier window."""
        answer = self.doubt([NAN, NAN], np.empty((2, 0)))
        self.assertEqual((answer.limit, answer.too_fast.any()), (None, False))

    def test_two_languages(self):
        """The difference itself; only one below the target cannot tell; students must be the same."""
        answer = credibility.two_sittings([520.0], [3.0], [500.0], [4.0])
        self.assertEqual((answer.difference[0], answer.error[0], answer.errors[0]), (20.0, 5.0, 4.0))
        just = credibility.Difference(np.array([1.96]), np.array([1.0]), np.array([1.96]))
        self.assertEqual(credibility.language_or_skill(just, [False], [True]), ["cannot tell"])
        self.assertEqual(credibility.language_or_skill(just, [True], [False]), ["cannot tell"])
        self.assertEqual(credibility.language_or_skill(just, [True], [True]), ["skill"])
        with self.assertRaisesRegex(BadInput, "same students"):
            credibility.language_or_skill(just, [True, True], [True, True])

    def test_which_counts(self):
        """A score without its day or a day without its score is refused."""
        for day, score in (([1.0, 2.0], [500.0]), ([1.0], [NAN])):
            with self.assertRaises(BadInput):
                which_counts.which_counts("latest", day, score)
