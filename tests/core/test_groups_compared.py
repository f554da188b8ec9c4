"""Cohort means, gaps, band chances and goals against scipy, pingouin and Monte Carlo."""

import unittest

import numpy as np
import pingouin
from scipy import stats

from bodkin.core.band_chances import band_chances, expected_correct
from bodkin.core.cohorts import cohort_means, gap
from bodkin.core.errors import BadInput
from bodkin.core.expected_growth import expected_growth
from bodkin.core.goals import goal, growth_target, one_in
from bodkin.core.scales import score_at_percentile


class Means(unittest.TestCase):
    def test_mean_and_interval_of_each_window(self):
        """Reference: scipy.stats.t.interval over the students with a result."""
        rng = np.random.default_rng(4)
        scores = rng.normal(500, 30, (25, 4))
        scores[rng.random(scores.shape) < 0.2] = np.nan
        told = cohort_means(scores, 0.9)
        for window in range(4):
            known = scores[:, window][~np.isnan(scores[:, window])]
            low, high = stats.t.interval(0.9, known.size - 1, known.mean(), stats.sem(known))
            self.assertEqual(told.n[window], known.size)
            np.testing.assert_allclose(
                [told.mean[window], told.low[window], told.high[window]], [known.mean(), low, high]
            )

    def test_one_student_has_a_mean_but_no_interval(self):
        """And nobody has neither: a window that was not given leaves a gap."""
        told = cohort_means([[500.0, np.nan]])
        self.assertEqual((told.mean[0], np.isnan(told.low[0])), (500, True))
        self.assertTrue(np.isnan(told.mean[1]))
        with self.assertRaisesRegex(BadInput, "students as rows"):
            cohort_means([1.0, 2.0])


class Gaps(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(9)
        self.a, self.b = rng.normal(510, 30, 14), rng.normal(495, 36, 22)

    def test_difference_with_the_welch_interval(self):
        """Reference: scipy.stats.ttest_ind(equal_var=False).confidence_interval."""
        told = gap(self.a, np.append(self.b, np.nan))
        ends = stats.ttest_ind(self.a, self.b, equal_var=False).confidence_interval(0.95)
        np.testing.assert_allclose([told.low, told.high], [ends.low, ends.high])
        self.assertAlmostEqual(told.difference, self.a.mean() - self.b.mean())
        self.assertEqual(told.n, (14, 22))

    def test_hedges_g(self):
        """Reference: pingouin.compute_effsize(eftype="hedges")."""
        told = gap(self.a, self.b)
        self.assertAlmostEqual(told.g, pingouin.compute_effsize(self.a, self.b, eftype="hedges"), places=12)
        self.assertAlmostEqual(gap(self.b, self.a).g, -told.g, places=12)
        self.assertTrue(told.g_low < told.g < told.g_high)

    def test_the_interval_of_g_covers(self):
        """Of 2,000 seeded samples about 95 % of the intervals hold the true effect of 0.5."""
        rng = np.random.default_rng(12)
        held = 0
        for _ in range(2000):
            told = gap(rng.normal(0.5, 1, 20), rng.normal(0, 1, 20))
            held += told.g_low <= 0.5 <= told.g_high
        self.assertTrue(0.935 <= held / 2000 <= 0.965, held)

    def test_too_few_are_refused_with_the_reason(self):
        """One student, or nobody who differs."""
        self.assertIn("at least 2", gap([1.0], [1.0, 2.0]).reason)
        told = gap([1.0, 1.0], [2.0, 2.0])
        self.assertEqual((told.difference, told.g), (-1, None))


class Chances(unittest.TestCase):
    def test_agree_with_a_simulation(self):
        """200,000 seeded true scores about the score fall into the bands as often as said."""
        truth = np.random.default_rng(6).normal(503, 11, 200_000)
        simulated = np.histogram(truth, [-np.inf, 480, 500, 520, np.inf])[0] / truth.size
        told = band_chances([503.0], [11.0], [480, 500, 520])
        np.testing.assert_allclose(told[0], simulated, atol=0.004)
        self.assertAlmostEqual(told.sum(), 1)

    def test_a_score_on_the_only_cut_is_even(self):
        """Half and half, and the expected share of correct placements is a half."""
        np.testing.assert_allclose(band_chances([500.0], [9.0], [500.0])[0], [0.5, 0.5])
        self.assertAlmostEqual(expected_correct([500.0], [9.0], [500.0]), 0.5)

    def test_expected_correct_rises_as_the_error_falls(self):
        """Far from every cut it is nearly certain; missing students do not count."""
        self.assertGreater(expected_correct([550.0, np.nan], [5.0, 5.0], [500.0]), 0.999)
        self.assertIsNone(expected_correct([np.nan], [5.0], [500.0]))
        with self.assertRaisesRegex(BadInput, "cuts must rise"):
            band_chances([1.0], [1.0], [2.0, 2.0])


class Goals(unittest.TestCase):
    expectation = expected_growth([480.0, 480.0], 500, 20, 510, 20, 0.8)

    def test_keeping_pace_is_reached_by_half(self):
        """The goal at the projected score: usual for a half of those who start here."""
        told = goal([480.0, 480.0], self.expectation.score, 15.0, self.expectation)
        np.testing.assert_allclose(told.usual, 0.5)
        np.testing.assert_allclose(told.points, 14)
        np.testing.assert_allclose(told.a_week, 14 / 15)
        self.assertFalse(told.below_pace.any())

    def test_catching_up_is_as_usual_as_the_normal_distribution_says(self):
        """Reference: scipy.stats.norm.sf about the expected gain; the 50th percentile at the target."""
        aim = score_at_percentile([50.0, 50.0], 510.0, 20.0)
        told = goal([480.0, 480.0], aim, 15.0, self.expectation)
        np.testing.assert_allclose(told.usual, stats.norm.sf(30, loc=14, scale=12))
        self.assertEqual(one_in(told.usual[0]), "about 1 in 11")

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
        told = growth_target([1, 1, 0, 1, np.nan], 0.7)
        self.assertEqual((told.n, told.share, told.reached), (4, 0.75, True))
        self.assertTrue(told.low < 0.75 < told.high)
        self.assertFalse(growth_target([1, 1, 0, 1], 0.8).reached)
        self.assertIsNone(growth_target([np.nan], 0.5).share)
