"""The gap between two groups."""

import unittest

import numpy as np
from scipy import stats
from statsmodels.stats.meta_analysis import effectsize_smd
from statsmodels.stats.proportion import proportion_effectsize, proportions_ztest

from bodkin.core.scores.gap import difference_of_moments, gap, gap_of_moments, gap_of_shares
from tests.support.extent import extent


class Gaps(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(9)
        self.a, self.b = rng.normal(510, 30, 14), rng.normal(495, 36, 22)

    def test_moments_say_the_same(self):
        """From size, mean and variance as numpy has them; one student says nothing, nobody differing only how far."""
        x, y = (values[~np.isnan(values)] for values in (np.asarray(self.a, float), np.asarray(self.b, float)))
        given = [(values.size, values.mean(), values.var(ddof=1)) for values in (x, y)]
        self.assertEqual(gap_of_moments(*given), gap(x, y))
        self.assertIsNone(gap_of_moments((1, 3.0, 0.0), given[1]).difference)
        alike = gap_of_moments((3, 2.0, 0.0), (4, 1.5, 0.0))
        self.assertEqual((alike.difference, alike.p, alike.reason), (0.5, None, "nobody differs within the groups"))

    def test_difference_alone_is_scipys_welch_test(self):
        """Reference: scipy.stats.ttest_ind_from_stats(equal_var=False); nobody differing leaves p open.

        One pair at a time and all together.
        """
        pairs = [((14, 510.0, 900.0), (22, 495.0, 1300.0)), ((2, 1.0, 0.5), (3, -4.0, 0.0))]
        together = difference_of_moments(
            *(tuple(map(np.array, zip(*side, strict=True))) for side in zip(*pairs, strict=True))
        )
        for at, (first, second) in enumerate(pairs):
            (n, mean, va), (m, other, vb) = first, second
            wanted = stats.ttest_ind_from_stats(mean, va**0.5, n, other, vb**0.5, m, equal_var=False)
            for difference, p in (difference_of_moments(first, second), (one[at] for one in together)):
                self.assertAlmostEqual(difference, mean - other, 12)
                self.assertAlmostEqual(p, wanted.pvalue, 12)
        difference, p = difference_of_moments((3, 2.0, 0.0), (4, 1.5, 0.0))
        self.assertEqual(difference, 0.5)
        self.assertTrue(np.isnan(p))

    def test_difference_with_the_welch_interval(self):
        """Reference: scipy.stats.ttest_ind(equal_var=False).confidence_interval."""
        answer = gap(self.a, np.append(self.b, np.nan))
        ends = stats.ttest_ind(self.a, self.b, equal_var=False).confidence_interval(0.95)
        np.testing.assert_allclose([answer.low, answer.high], [ends.low, ends.high])
        self.assertAlmostEqual(answer.difference, self.a.mean() - self.b.mean())
        self.assertEqual(answer.n, (14, 22))

    def test_hedges_g(self):
        """Reference: statsmodels.stats.meta_analysis.effectsize_smd, the bias-corrected standardized difference."""
        answer = gap(self.a, self.b)
        parts = [figure for x in (self.a, self.b) for figure in (x.mean(), x.std(ddof=1), x.size)]
        self.assertAlmostEqual(answer.g, effectsize_smd(*parts)[0], places=12)
        self.assertAlmostEqual(gap(self.b, self.a).g, -answer.g, places=12)
        self.assertTrue(answer.g_low < answer.g < answer.g_high)

    def test_the_interval_of_g_covers(self):
        """Of seeded samples about 95 % of the intervals hold the true effect of 0.5, within three standard errors."""
        rng = np.random.default_rng(12)
        held, samples = 0, extent(600, 2000)
        for _ in range(samples):
            answer = gap(rng.normal(0.5, 1, 20), rng.normal(0, 1, 20))
            held += answer.g_low <= 0.5 <= answer.g_high
        self.assertAlmostEqual(held / samples, 0.95, delta=3 * np.sqrt(0.95 * 0.05 / samples))

    def test_too_few_are_refused_with_the_reason(self):
        """One student, or nobody who differs."""
        self.assertIn("at least 2", gap([1.0], [1.0, 2.0]).reason)
        answer = gap([1.0, 1.0], [2.0, 2.0])
        self.assertEqual((answer.difference, answer.g), (-1, None))

    def test_two_shares(self):
        """References: statsmodels proportions_ztest (pooled) and proportion_effectsize; one pair, and all together."""
        pairs = [((115, 30), (124, 137)), ((1, 5), (12, 40)), ((0, 3), (12, 30))]
        together = gap_of_shares(*(np.array(part).T for part in zip(*pairs, strict=True)))
        for at, (count, n) in enumerate(pairs):
            found = gap_of_shares(count, n)
            for p, size in ((found.p, found.size), (together.p[at], together.size[at])):
                self.assertAlmostEqual(p, proportions_ztest(count, n)[1])
                self.assertAlmostEqual(size, proportion_effectsize(count[0] / n[0], count[1] / n[1]))
        self.assertEqual(gap_of_shares((4, 9), (4, 9)).p, 1.0)
