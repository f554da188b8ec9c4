"""Normal curve equivalents, stanines and score ranges."""

import unittest

import numpy as np
from scipy import stats
from statsmodels.stats.proportion import proportion_confint

from bodkin.core.errors import BadInput
from bodkin.core.scores.scales import (
    error_from_reliability,
    normal_curve_equivalent,
    percent_of_points,
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
        answer = score_range([500.0, np.nan], [12.0, 12.0], 508.0, 36.0)
        self.assertEqual((answer.low[0], answer.high[0]), (488, 512))
        self.assertEqual(answer.low_percentile[0], percentile_rank([488.0], 508, 36)[0])
        self.assertEqual(answer.high_percentile[0], percentile_rank([512.0], 508, 36)[0])
        self.assertTrue(np.isnan(answer.low[1]))
        self.assertEqual(score_range([500.0], [12.0], errors=2).high[0], 524)

    def test_per_cent_of_points_with_its_error(self):
        """Reference: statsmodels proportion_confint (Agresti-Coull at one standard error either way)."""
        won, possible = np.array([0.0, 3, 20, np.nan, 0]), np.array([20.0, 20, 20, 20, 0])
        percent, error = percent_of_points(won, possible)
        np.testing.assert_allclose(percent, [0, 15, 100, np.nan, np.nan])
        for at in range(3):
            low, high = proportion_confint(won[at], possible[at], 2 * stats.norm.sf(1), "agresti_coull")
            centre = (won[at] + 0.5) / (possible[at] + 1)
            # The published interval is cut at 0 and 1; the uncut side tells the error.
            self.assertAlmostEqual(error[at], 100 * max(centre - low, high - centre))
        self.assertTrue(np.isnan(error[3:]).all())
