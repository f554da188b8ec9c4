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
        minutes = np.arange(10.0, 51.0)
        answer = self.doubt(minutes, np.full((41, 2), 22.0))
        self.assertEqual(answer.limit, 12.0)
        np.testing.assert_array_equal(np.flatnonzero(answer.fast_for_all), [0, 1])
        np.testing.assert_array_equal(np.flatnonzero(answer.fast_for_self), [0])
        np.testing.assert_array_equal(answer.change, np.zeros(41))
        self.assertFalse(self.doubt(minutes, np.full((41, 1), 50.0)).fast_for_self.any())
        few = self.doubt(minutes[:29], np.full((29, 2), 22.0))
        self.assertEqual((few.limit, few.fast_for_all.any()), (None, False))
        self.assertEqual(self.doubt(minutes[:30], np.full((30, 2), 22.0)).limit, 11.45)
        # Where all take about as long, the 5th percentile is not fast: the floor is 60 % of the median.
        alike = np.concatenate([[23.9, 24.1], np.linspace(39, 41, 39)])
        answer = self.doubt(alike, np.full((41, 2), 22.0))
        self.assertEqual(answer.limit, 0.6 * np.median(alike))
        np.testing.assert_array_equal(np.flatnonzero(answer.fast_for_all), [0])
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
        # 1.96 + 1.645 errors lie within half a spread of 7.21 and not of 7.20.
        self.assertEqual(credibility.language_or_skill(just, [1.01], [1.01], [7.22]), ["skill"])
        self.assertEqual(credibility.language_or_skill(just, [1.01], [1.01], [7.20]), ["cannot tell"])
        self.assertEqual(credibility.language_or_skill(just, [1.0], [1.01], [20.0]), ["cannot tell"])
        self.assertEqual(credibility.language_or_skill(just, [1.01], [1.0], [20.0]), ["cannot tell"])
        for home, english, spread in ((NAN, 2.0, 20.0), (2.0, NAN, 20.0), (2.0, 2.0, NAN)):
            self.assertEqual(credibility.language_or_skill(just, [home], [english], [spread]), [None])
        clear = credibility.Difference(np.array([2.0]), np.array([1.0]), np.array([2.0]))
        self.assertEqual(credibility.language_or_skill(clear, [NAN], [NAN], [NAN]), ["language"])
        with self.assertRaisesRegex(BadInput, "same students"):
            credibility.language_or_skill(just, [1.0, 1.0], [1.0, 1.0], [1.0])

    def test_which_counts(self):
        """A score without its day or a day without its score is refused."""
        for day, score in (([1.0, 2.0], [500.0]), ([1.0], [NAN])):
            with self.assertRaises(BadInput):
                which_counts.which_counts("latest", day, score)
