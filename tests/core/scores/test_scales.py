"""Percentile ranks, scores at a percentile and reliable change against scipy and Jacobson & Truax."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.scores.scales import as_rank, percent_below, percentile_rank, reliable_change, score_at_percentile


class PercentileRank(unittest.TestCase):
    def test_agrees_with_the_normal_distribution_of_scipy(self):
        """Reference: scipy.stats.norm.cdf, rounded half up and kept within 1..99."""
        scores = np.linspace(300, 900, 1201)
        expected = np.clip(np.floor(100 * stats.norm.cdf(scores, loc=508, scale=36) + 0.5), 1, 99)
        np.testing.assert_array_equal(percentile_rank(scores, 508.0, 36.0), expected)

    def test_halves_round_up_and_ends_are_kept(self):
        """A rank of 49.5 is 50; nobody stands at 0 or 100."""
        np.testing.assert_array_equal(as_rank([49.5, 49.499, 0.2, 99.7]), [50, 49, 1, 99])

    def test_missing_stays_missing(self):
        """A missing score has no rank, and does not become a zero."""
        self.assertTrue(np.isnan(percentile_rank([np.nan], 500, 20)[0]))

    def test_refuses_a_spread_of_nothing(self):
        """The message names what is wrong and the value."""
        with self.assertRaisesRegex(BadInput, "sd must be above 0, got 0"):
            percent_below([500.0], 500, 0)

    def test_refuses_shapes_that_do_not_fit(self):
        """Two scores cannot have three means."""
        with self.assertRaisesRegex(BadInput, "one shape"):
            percent_below([1.0, 2.0], [1.0, 2.0, 3.0], 1)

    @given(st.floats(300, 900), st.floats(0, 200), st.floats(300, 900), st.floats(1, 80))
    def test_rises_with_the_score(self, score, more, mean, sd):
        """A higher score never has a lower rank."""
        ranks = percentile_rank([score, score + more], mean, sd)
        self.assertLessEqual(ranks[0], ranks[1])


class ScoreAtPercentile(unittest.TestCase):
    def test_is_the_inverse(self):
        """Reference: scipy.stats.norm.ppf."""
        percents = np.arange(1, 100)
        np.testing.assert_allclose(
            score_at_percentile(percents, 500.0, 36.0), stats.norm.ppf(percents / 100, 500, 36), rtol=1e-12
        )

    def test_refuses_ends(self):
        """No score lies at 0 or 100 per cent of a normal distribution."""
        for value in (0, 100, -3):
            with self.subTest(value=value), self.assertRaisesRegex(BadInput, "percentile"):
                score_at_percentile([value], 500, 36)


class ReliableChange(unittest.TestCase):
    def test_worked_example_of_jacobson_and_truax(self):
        """Jacobson & Truax (1991), p. 14: 32.5 to 47.5, sd 7.5, r = .80: RC = 3.16.

        The article's numbers are given from memory; the standard error is sd * sqrt(1 - r).
        """
        error = 7.5 * np.sqrt(1 - 0.80)
        self.assertAlmostEqual(float(reliable_change(32.5, 47.5, error, error)), 3.16, places=2)

    def test_a_fall_is_negative_and_missing_stays_missing(self):
        """The sign is that of the change."""
        change = reliable_change([500, 500], [490, np.nan], [6, 6], [8, 8])
        self.assertAlmostEqual(change[0], -1.0)
        self.assertTrue(np.isnan(change[1]))

    def test_refuses_no_error(self):
        """A test without error does not exist."""
        with self.assertRaisesRegex(BadInput, "error_first"):
            reliable_change([1.0], [2.0], [0.0], [1.0])
