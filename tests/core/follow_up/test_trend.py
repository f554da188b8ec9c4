"""Trend, aim line and the next step."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.trend import AimLine, aim_line, next_step, trend


class Trends(unittest.TestCase):
    weeks = np.array([0, 1, 2.2, 3, 4, 5.6, 7, 8])
    scores = np.array([41.0, 44, 40, 47, 49, 46, 55, 90])

    def test_least_squares_agrees_with_scipy(self):
        """Reference: scipy.stats.linregress, slope, intercept and standard error."""
        answer, reference = trend(self.weeks, self.scores), stats.linregress(self.weeks, self.scores)
        self.assertAlmostEqual(answer.slope, reference.slope)
        self.assertAlmostEqual(answer.intercept, reference.intercept)
        self.assertAlmostEqual(answer.error, reference.stderr)

    def test_the_robust_slope_agrees_with_scipy_and_is_not_led_astray(self):
        """Reference: scipy.stats.theilslopes; one wild point moves it far less."""
        answer = trend(self.weeks, self.scores)
        self.assertAlmostEqual(answer.robust_slope, stats.theilslopes(self.scores, self.weeks).slope)
        self.assertLess(answer.robust_slope, answer.slope)

    def test_order_and_missing_values_do_not_matter(self):
        """Shuffled, with a result missing in between: the same line."""
        order = np.random.default_rng(1).permutation(8)
        answer = trend(np.append(self.weeks[order], 9), np.append(self.scores[order], np.nan))
        self.assertAlmostEqual(answer.slope, trend(self.weeks, self.scores).slope)
        self.assertEqual(answer.n, 8)

    def test_few_points_are_marked_and_too_few_refused(self):
        """Three are possible but weak, two are none, three on one day are none."""
        self.assertTrue(trend([0, 1, 2], [1, 2, 4]).few)
        self.assertFalse(trend(np.arange(6.0), np.arange(6.0)).few)
        for weeks in ([0, 1], [2, 2, 2]):
            answer = trend(weeks, np.arange(float(len(weeks))))
            self.assertIsNone(answer.slope)
            self.assertIn("at least 3", answer.reason)
        with self.assertRaises(BadInput):
            trend([1, 2], [1, 2, 3])


class Aim(unittest.TestCase):
    def test_from_the_median_of_the_first_three_to_the_goal(self):
        """Baseline 42 at week 1, goal 72 at week 16: two a week."""
        aim = aim_line([2, 0, 1, 3], [50, 40, 42, 60], 16, 72)
        self.assertEqual((aim.start_week, aim.start, aim.slope), (1, 42, 2))
        np.testing.assert_allclose(aim.at([1, 16]), [42, 72])

    def test_refusals(self):
        """No baseline, a goal in the past."""
        with self.assertRaisesRegex(BadInput, "baseline of 3"):
            aim_line([0, 1], [1, 2], 9, 9)
        with self.assertRaisesRegex(BadInput, "after the baseline"):
            aim_line([0, 1, 2], [1, 2, 3], 2, 9)


class Rule(unittest.TestCase):
    aim = AimLine(0, 40, 20, 60)

    def act(self, scores, weeks=None):
        return next_step(np.arange(len(scores)) if weeks is None else weeks, scores, self.aim).act

    def test_four_in_a_row(self):
        """The last four below: change; above: raise the goal; one on the line breaks the row."""
        self.assertEqual(self.act([41, 43, 42, 42, 42, 43, 44]), "change")
        self.assertEqual(self.act([38, 40, 43, 44, 45, 46, 47]), "raise")
        self.assertEqual(self.act([40, 41, 42, 43, 44, 45, 46]), "stay")

    def test_otherwise_trend_against_aim_line(self):
        """Flat, steep, and within the error of the slope."""
        self.assertEqual(self.act([47, 46, 45.5, 45, 44.5, 44, 43.5]), "change")
        self.assertEqual(self.act([30, 33, 36, 40, 43, 46, 49]), "raise")
        self.assertEqual(self.act([39, 43, 40, 45, 42, 47, 44]), "stay")

    def test_too_little_is_refused_with_what_is_needed(self):
        """Five results, or six within two weeks."""
        answer = next_step(np.arange(5), np.arange(5.0), self.aim)
        self.assertEqual(answer.act, "none")
        self.assertIn("6 days over 3 weeks; there are 5", answer.reason)
        self.assertEqual(self.act(np.arange(6.0), np.linspace(0, 2, 6)), "none")
