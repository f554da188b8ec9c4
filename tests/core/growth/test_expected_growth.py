"""Expected growth against the bivariate normal distribution of scipy, by numerical integration."""

import unittest

import numpy as np
import pandas as pd
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.growth.expected_growth import (
    BY_CHANCE,
    CLEARLY,
    ExpectedGrowth,
    error_away,
    expected_growth,
    growth_seen,
    summarise_growth,
    summarise_growth_of_each,
)

NOBODY = ExpectedGrowth(*[np.array([])] * 4)


class Expectation(unittest.TestCase):
    def test_conditional_mean_and_spread_by_numerical_integration(self):
        """Reference: scipy.stats.multivariate_normal, integrated over the second score."""
        mu1, sd1, mu2, sd2, rho = 508.0, 36.0, 521.0, 33.0, 0.83
        joint = stats.multivariate_normal([mu1, mu2], [[sd1**2, rho * sd1 * sd2], [rho * sd1 * sd2, sd2**2]])
        second = np.linspace(mu2 - 9 * sd2, mu2 + 9 * sd2, 40001)
        for first in (430.0, 508.0, 577.0):
            with self.subTest(first=first):
                density = joint.pdf(np.column_stack([np.full_like(second, first), second]))
                weight = density / density.sum()
                mean = float((weight * second).sum())
                spread = float(np.sqrt((weight * (second - mean) ** 2).sum()))
                answer = expected_growth([first], mu1, sd1, mu2, sd2, rho)
                self.assertAlmostEqual(answer.score[0], mean, places=6)
                self.assertAlmostEqual(answer.spread[0], spread, places=6)
                self.assertAlmostEqual(answer.gain[0], mean - first, places=6)

    @given(st.floats(300, 800), st.floats(0.5, 100), st.floats(5, 60), st.floats(5, 60), st.floats(-0.99, 0.99))
    def test_higher_starters_are_expected_to_gain_less(self, score, more, sd1, sd2, rho):
        """Where rho * sd2 / sd1 lies below 1 the expected gain falls with the start score."""
        gain = expected_growth([score, score + more], 500, sd1, 510, sd2, rho).gain
        if rho * sd2 / sd1 < 0.999:
            self.assertGreater(gain[0], gain[1])
        elif rho * sd2 / sd1 > 1.001:
            self.assertLess(gain[0], gain[1])

    def test_the_range_is_one_spread_each_way(self):
        """Low and high stand one spread below and above."""
        answer = expected_growth([480.0], 500, 20, 510, 20, 0.8)
        self.assertAlmostEqual(answer.high[0] - answer.score[0], 12.0)
        self.assertAlmostEqual(answer.score[0] - answer.low[0], 12.0)

    def test_missing_stays_missing(self):
        """Without a start score or a norm nothing is expected."""
        answer = expected_growth([np.nan, 500.0], [500, np.nan], 20, 510, 20)
        self.assertTrue(np.isnan(answer.score).all() and np.isnan(answer.spread).all())

    def test_refuses_an_impossible_correlation(self):
        """The message names the correlation and its value."""
        with self.assertRaisesRegex(BadInput, "correlation must be from -1 to 1, got 1.2"):
            expected_growth([500.0], 500, 20, 510, 20, 1.2)


class Seen(unittest.TestCase):
    def seen(self, second, error=8.0):
        expectation = expected_growth([500.0], 500, 20, 510, 20, 0.8)
        return growth_seen([500.0], [second], expectation, error, error)

    def test_distance_and_growth_percentile(self):
        """Gain 22 where 10 is expected and the spread 12: one spread above, percentile 84 of scipy's normal."""
        answer = self.seen(522.0)
        self.assertAlmostEqual(answer.distance[0], 1.0)
        self.assertEqual(answer.percentile[0], np.floor(100 * stats.norm.cdf(1.0) + 0.5))

    def test_met_is_decided_unrounded_and_includes_equal(self):
        """Exactly the expected gain is met, in whatever order its digits were added up; a hair less is not."""
        self.assertEqual(self.seen(510.0).met[0], 1)
        self.assertEqual(self.seen(510.0 - 2e-13).met[0], 1)
        self.assertEqual(self.seen(509.999).met[0], 0)

    def test_the_verdict_stands_beyond_the_error_of_the_gain(self):
        """1.645 sqrt(8^2 + (0.8 * 8)^2) = 16.853: a shortfall or surplus within it is as expected."""
        self.assertEqual([self.seen(score).verdict[0] for score in (493.1, 493.2, 526.8, 526.9)], [-1, 0, 0, 1])
        limit = 1.645 * np.hypot(8.0, 0.8 * 8.0)
        self.assertAlmostEqual(error_away(0.8, 8.0, 8.0) * CLEARLY, limit)
        self.assertTrue(np.isnan(error_away([0.8], [np.nan], [8.0])[0]))

    def test_chance_alone_says_clearly_in_five_of_a_hundred_each_way(self):
        """Simulation, 100,000 students of whom nobody grew otherwise than expected: the verdict is test error alone."""
        rng = np.random.default_rng(41)
        n, s1, s2 = 100_000, 9.0, 12.0
        true = rng.normal(500, 20, n)
        for rho in (0.95, 0.6):
            grown = expected_growth(true, 500.0, 20.0, 512.0, 22.0, rho).score
            first = true + rng.normal(0, s1, n)
            expectation = expected_growth(first, 500.0, 20.0, 512.0, 22.0, rho)
            verdict = growth_seen(first, grown + rng.normal(0, s2, n), expectation, s1, s2).verdict
            for way in (-1, 1):
                self.assertAlmostEqual((verdict == way).mean(), BY_CHANCE, delta=0.003)
        self.assertAlmostEqual(BY_CHANCE, stats.norm.sf(CLEARLY), places=4)

    def test_no_verdict_without_both_errors(self):
        """Without an error there is no verdict, but met stands."""
        answer = self.seen(530.0, np.nan)
        self.assertTrue(np.isnan(answer.verdict[0]))
        self.assertEqual(answer.met[0], 1)

    def test_a_second_result_still_to_come(self):
        """Nothing is said of growth that has not been seen."""
        answer = self.seen(np.nan)
        for name in ("gain", "distance", "percentile", "met", "verdict"):
            self.assertTrue(np.isnan(getattr(answer, name)[0]), name)

    def test_a_spread_of_zero_has_no_distance(self):
        """A correlation of 1 leaves no spread: no distance rather than an infinite one."""
        expectation = expected_growth([500.0], 500, 20, 510, 20, 1.0)
        answer = growth_seen([500.0], [520.0], expectation)
        self.assertTrue(np.isnan(answer.distance[0]) and np.isnan(answer.percentile[0]))
        self.assertEqual(answer.met[0], 1)


class Summary(unittest.TestCase):
    def test_counts_only_students_with_both_results_and_an_expectation(self):
        """Means, share met and median over two of four students."""
        expectation = expected_growth([500.0, 480, 500, np.nan], [500, 500, np.nan, 500], 20, 510, 20, 0.8)
        seen = growth_seen([500.0, 480, 500, np.nan], [515.0, 490, 520, 510], expectation)
        answer = summarise_growth(seen, expectation)
        self.assertEqual((answer.n, answer.met_n, answer.met_share), (2, 1, 0.5))
        self.assertAlmostEqual(answer.mean_gain, 12.5)
        self.assertAlmostEqual(answer.mean_expected, 12.0)
        self.assertEqual(answer.median_percentile, np.median(seen.percentile[:2]))

    def test_nobody_gives_nothing(self):
        """No students: no means, no zeroes."""
        answer = summarise_growth(growth_seen([], [], NOBODY), NOBODY)
        self.assertEqual(
            (answer.n, answer.mean_gain, answer.met_share, answer.median_percentile), (0, None, None, None)
        )

    def test_groups_agree_with_pandas(self):
        """Reference: pandas groupby over students in several groups, some without a rank or a result."""
        rng = np.random.default_rng(3)
        n = 300
        first = rng.normal(500, 20, n)
        second = np.where(rng.random(n) < 0.1, np.nan, first + rng.normal(8, 9, n))
        rho = np.where(rng.random(n) < 0.1, 1.0, 0.8)  # a correlation of 1: growth, but no rank
        expectation = expected_growth(first, 500.0, 20.0, 508.0, 20.0, rho)
        seen = growth_seen(first, second, expectation)
        groups = [np.sort(rng.choice(n, size, replace=False)) for size in (0, 1, 2, 7, 60, 300)]
        answer = summarise_growth_of_each(seen, expectation, groups)
        frame = pd.concat(
            pd.DataFrame(
                {"group": at, "gain": seen.gain[places], "expected": expectation.gain[places],
                 "met": seen.met[places], "rank": seen.percentile[places]}
            )
            for at, places in enumerate(groups)
        ).dropna(subset=["gain", "expected"])  # fmt: skip
        for at, reference in frame.groupby("group"):
            one = answer[at]
            self.assertEqual(one.n, len(reference))
            self.assertAlmostEqual(one.mean_gain, reference.gain.mean(), places=10)
            self.assertAlmostEqual(one.mean_expected, reference.expected.mean(), places=10)
            self.assertEqual(one.met_n, reference.met.sum())
            self.assertAlmostEqual(one.met_share, reference.met.mean(), places=12)
            median = reference["rank"].median()
            self.assertEqual(one.median_percentile, None if np.isnan(median) else median)
        self.assertEqual(answer[0], summarise_growth(growth_seen([], [], NOBODY), NOBODY))
        self.assertEqual(answer[5], summarise_growth(seen, expectation))
