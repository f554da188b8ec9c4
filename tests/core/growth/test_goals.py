"""Goals and what they take."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.growth.expected_growth import expected_growth
from bodkin.core.growth.goals import goal, growth_target, one_in
from bodkin.core.scores.scales import score_at_percentile


class Goals(unittest.TestCase):
    expectation = expected_growth([480.0, 480.0], 500, 20, 510, 20, 0.8)

    def test_keeping_pace_is_reached_by_half(self):
        """The goal at the projected score: usual for a half of those who start here."""
        answer = goal([480.0, 480.0], self.expectation.score, 15.0, self.expectation)
        np.testing.assert_allclose(answer.usual, 0.5)
        np.testing.assert_allclose(answer.points, 14)
        np.testing.assert_allclose(answer.a_week, 14 / 15)
        self.assertFalse(answer.below_pace.any())

    def test_catching_up_is_as_usual_as_the_normal_distribution_says(self):
        """Reference: scipy.stats.norm.sf about the expected gain; the 50th percentile at the target."""
        aim = score_at_percentile([50.0, 50.0], 510.0, 20.0)
        answer = goal([480.0, 480.0], aim, 15.0, self.expectation)
        np.testing.assert_allclose(answer.usual, stats.norm.sf(30, loc=14, scale=12))
        self.assertEqual(one_in(answer.usual[0]), "about 1 in 11")

    def test_a_goal_below_pace_is_marked(self):
        """Asking for less than expected growth is said."""
        self.assertTrue(goal([480.0, 480.0], 490.0, 15.0, self.expectation).below_pace.all())
        with self.assertRaisesRegex(BadInput, "weeks must be above 0"):
            goal([480.0], 490.0, 0.0, self.expectation)

    def test_a_share_in_words(self):
        """Rounded to the nearest whole number, never a false precision."""
        words = {0.5: "about 1 in 2", 0.33: "about 1 in 3", 0.8: "about 8 in 10", 0.01: "about 1 in 100"}
        self.assertEqual({share: one_in(share) for share in words}, words)
        self.assertEqual(one_in(float("nan")), "not known")

    def test_a_class_target(self):
        """Three of four known met it; the target of 0.7 is reached, of 0.8 not."""
        answer = growth_target([1, 1, 0, 1, np.nan], 0.7)
        self.assertEqual((answer.n, answer.share, answer.reached), (4, 0.75, True))
        self.assertTrue(answer.low < 0.75 < answer.high)
        self.assertFalse(growth_target([1, 1, 0, 1], 0.8).reached)
        self.assertIsNone(growth_target([np.nan], 0.5).share)
