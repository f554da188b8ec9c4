"""Scales, local ranks, resembling grades and steady standing against scipy and the definitions."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.goals import steady
from bodkin.core.local_rank import class_summary, fifth, local_percentile
from bodkin.core.resembling import resembling
from bodkin.core.scales import (
    error_from_reliability,
    normal_curve_equivalent,
    percentile_rank,
    score_at_percentile,
    score_range,
    stanine,
)


class Scales(unittest.TestCase):
    def test_nce_equals_the_percentile_at_1_50_and_99(self):
        """That is what 21.063 is made for; steps are equal in between."""
        scores = score_at_percentile([1.0, 50.0, 99.0], 500.0, 36.0)
        np.testing.assert_allclose(normal_curve_equivalent(scores, 500.0, 36.0), [1, 50, 99], atol=1e-3)
        steps = np.diff(normal_curve_equivalent([464.0, 500, 536], 500.0, 36.0))
        self.assertAlmostEqual(steps[0], steps[1])

    def test_stanines_hold_their_published_shares(self):
        """4-7-12-17-20-17-12-7-4 per cent of a normal distribution (reference: scipy.stats.norm)."""
        shares = []
        for nine in range(1, 10):
            low = -np.inf if nine == 1 else (nine - 5.5) / 2
            high = np.inf if nine == 9 else (nine - 4.5) / 2
            shares.append(stats.norm.cdf(high) - stats.norm.cdf(low))
            middle = np.clip((max(low, -3) + min(high, 3)) / 2, -3, 3)
            self.assertEqual(stanine([500 + 36 * middle], 500.0, 36.0)[0], nine)
        self.assertEqual([round(100 * share) for share in shares], [4, 7, 12, 17, 20, 17, 12, 7, 4])

    def test_a_score_on_the_border_is_in_the_upper_stanine(self):
        """A quarter spread below the mean begins the fifth."""
        self.assertEqual(stanine([491.0, 490.999], 500.0, 36.0).tolist(), [5, 4])

    def test_error_from_reliability(self):
        """Worked by hand: 15 * sqrt(1 - 0.91) = 4.5."""
        self.assertAlmostEqual(float(error_from_reliability(15.0, 0.91)), 4.5)
        with self.assertRaisesRegex(BadInput, "reliability must be from 0 to 1, got 1.1"):
            error_from_reliability(15.0, 1.1)

    def test_the_range_and_the_ranks_of_its_ends(self):
        """One error each way; the ends' percentiles are those of the ends."""
        told = score_range([500.0, np.nan], [12.0, 12.0], 508.0, 36.0)
        self.assertEqual((told.low[0], told.high[0]), (488, 512))
        self.assertEqual(told.low_percentile[0], percentile_rank([488.0], 508, 36)[0])
        self.assertEqual(told.high_percentile[0], percentile_rank([512.0], 508, 36)[0])
        self.assertTrue(np.isnan(told.low[1]))
        self.assertEqual(score_range([500.0], [12.0], errors=2).high[0], 524)


class LocalRank(unittest.TestCase):
    def test_agrees_with_scipy_with_ties(self):
        """Reference: scipy.stats.percentileofscore(kind="mean"); a missing score does not count."""
        scores = np.round(np.random.default_rng(2).normal(500, 12, 90))
        ours = local_percentile(np.append(scores, np.nan))
        theirs = [stats.percentileofscore(scores, score, kind="mean") for score in scores]
        np.testing.assert_allclose(ours[:-1], theirs)
        self.assertTrue(np.isnan(ours[-1]))

    def test_fifths_keep_ties_together(self):
        """Ten different scores make fifths of two; ten alike are all in the middle one."""
        self.assertEqual(fifth(np.arange(10.0)).tolist(), [1, 1, 2, 2, 3, 3, 4, 4, 5, 5])
        self.assertEqual(set(fifth(np.ones(10)).tolist()), {3.0})

    def test_a_class_in_five_numbers(self):
        """Known scores only; nobody gives nothing."""
        told = class_summary([1.0, np.nan, 4.0, 10.0])
        self.assertEqual((told.n, told.mean, told.median, told.lowest, told.highest), (3, 5, 4, 1, 10))
        self.assertEqual(class_summary([np.nan]).mean, None)


class Resembles(unittest.TestCase):
    def test_every_row_within_an_error_and_the_closest(self):
        """Often more than one; the closest is one of them, exactly one error away counts."""
        told = resembling(500.0, 10.0, [480.0, 490, 503, 510, 530])
        self.assertEqual((told.within_error.tolist(), told.closest, told.beyond), ([1, 2, 3], 2, 0))

    def test_beyond_the_table_is_said(self):
        """Below and above every norm mean by more than the error."""
        self.assertEqual(resembling(460.0, 10.0, [480.0, 490]).beyond, -1)
        self.assertEqual(resembling(501.0, 10.0, [480.0, 490]).beyond, 1)
        self.assertEqual(resembling(499.0, 10.0, [480.0, 490]).beyond, 0)
        for arguments in ((500.0, 0.0, [1.0]), (500.0, 5.0, []), (np.nan, 5.0, [1.0])):
            with self.assertRaises(BadInput):
                resembling(*arguments)


class Steady(unittest.TestCase):
    def test_three_windows_in_the_present_band_or_higher(self):
        """Fell, rose just now, held, held from higher, a gap."""
        told = steady([[3, 3, 2, 3], [1, 2, 2, 3], [1, 3, 3, 3], [1, 4, 4, 3], [3, 3, np.nan, 3]])
        np.testing.assert_array_equal(told, [0, 0, 1, 1, np.nan])
        self.assertTrue(np.isnan(steady([[3, 3]])[0]))
