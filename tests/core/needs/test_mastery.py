"""Mastery of a standard."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.needs.mastery import Evidence, mastery_chance, mastery_from_points, newest


class Mastery(unittest.TestCase):
    def test_limits_belong_to_the_upper_state(self):
        """80 is mastered, 60 nearly; two points are thin, none is no evidence and not "not yet"."""
        answer = mastery_from_points([8, 7.9, 6, 5.9, 2, 0, 0], [10, 10, 10, 10, 2, 0, 10])
        self.assertEqual(
            answer.states, ["mastered", "nearly", "nearly", "not yet", "thin evidence", "no evidence", "not yet"]
        )
        self.assertTrue(np.isnan(answer.percent[5]))

    def test_the_chance_of_mastery_is_that_of_the_beta_distribution(self):
        """Reference: scipy.stats.beta, a uniform prior and each point a trial; nothing known, no chance."""
        won, possible = np.array([0.0, 3, 8, 10, 5.5, np.nan, 0]), np.array([3.0, 3, 10, 10, 7, 5, 0])
        reference = stats.beta.sf(0.8, 1 + won, 1 + possible - won)
        reference[6] = np.nan
        np.testing.assert_allclose(mastery_chance(won, possible), reference)
        self.assertAlmostEqual(mastery_chance([1.0], [1.0], 50.0)[0], 0.75)

    def test_refusals(self):
        """More won than possible, limits out of order."""
        with self.assertRaisesRegex(BadInput, "points possible"):
            mastery_from_points([3], [2])
        for won, possible in (([-1.0], [3.0]), ([0.0], [-1.0])):
            with self.assertRaisesRegex(BadInput, "points possible"):
                mastery_from_points(won, possible)
        with self.assertRaisesRegex(BadInput, "points possible"):
            mastery_chance([-1.0], [3.0])
        for limit, chance in ((0.0, 1.0), (100.0, 0.0)):
            self.assertEqual(mastery_chance([1.0], [3.0], limit)[0], chance)
        with self.assertRaisesRegex(BadInput, "limit"):
            mastery_chance([1.0], [3.0], 100.5)
        with self.assertRaisesRegex(BadInput, "must lie below"):
            mastery_from_points([1], [2], 50, 60)

    def test_the_newest_word_counts_and_a_teacher_s_on_the_same_day(self):
        """Whatever the order in which they stand."""
        monday, friday = np.datetime64("2027-02-08"), np.datetime64("2027-02-12")
        said = [
            Evidence(friday, by_teacher=True, state="nearly"),
            Evidence(friday, by_teacher=False, state="mastered"),
            Evidence(monday, by_teacher=True, state="not yet"),
        ]
        self.assertEqual(newest(said), "nearly")
        self.assertEqual(newest(said[::-1]), "nearly")
        self.assertEqual(newest([]), "no evidence")
