"""Units beside the whole: against reference libraries, and promises held by simulation."""

import unittest

import numpy as np
from scipy import optimize, stats
from statsmodels.stats import multitest
from statsmodels.stats.meta_analysis import combine_effects

from bodkin.core.compare.units import (
    STIFFEST,
    between_units,
    compare_means,
    compare_net_moves,
    compare_shares,
    false_discoveries,
    net_move_interval,
    prior_strength,
)
from tests.support.extent import extent


def described(groups):
    """Sizes, means and standard deviations of groups, and the same of all together."""
    everyone = np.concatenate(groups)
    return (
        [g.size for g in groups], [g.mean() if g.size else np.nan for g in groups],
        [g.std(ddof=1) if g.size > 1 else np.nan for g in groups],
        (everyone.size, everyone.mean(), everyone.std(ddof=1)),
    )  # fmt: skip


class References(unittest.TestCase):
    def test_false_discoveries_agree_with_statsmodels(self):
        """Reference: multipletests(method="fdr_bh"); missing tests neither stand nor count."""
        rng = np.random.default_rng(2)
        for _ in range(50):
            p = np.where(rng.random(30) < 0.3, rng.random(30) * 0.02, rng.random(30))
            np.testing.assert_array_equal(false_discoveries(p), multitest.multipletests(p, 0.05, method="fdr_bh")[0])
            some = np.insert(p, 4, np.nan)
            np.testing.assert_array_equal(np.delete(false_discoveries(some), 4), false_discoveries(p))
        self.assertFalse(false_discoveries([np.nan, np.nan]).any())

    def test_the_spread_between_units_agrees_with_statsmodels(self):
        """Reference: combine_effects(method_re="iterated"), the same estimate of Paule and Mandel."""
        rng = np.random.default_rng(4)
        for spread in (0.0, 0.3, 2.0):
            variance = rng.uniform(0.02, 0.4, 25)
            effect = rng.normal(0, spread, 25) + rng.normal(0, np.sqrt(variance))
            reference = combine_effects(effect, variance, method_re="iterated").tau2
            self.assertAlmostEqual(between_units(effect, variance), max(0.0, reference), delta=1e-4 * max(1.0, spread))
        self.assertEqual(between_units([1.0, np.nan], [0.1, 0.1]), 0.0)

    def test_means_against_scipy(self):
        """The interval is scipy's t interval; the estimate lies between own and whole, closer for a large unit."""
        rng = np.random.default_rng(5)
        groups = [rng.normal(shift, 1, n) for shift, n in ((0.0, 80), (0.6, 80), (0.6, 8), (-0.5, 40), (0, 1))]
        found = compare_means(*described(groups))
        for at, group in enumerate(groups[:4]):
            low, high = stats.t.interval(0.95, group.size - 1, group.mean(), stats.sem(group))
            np.testing.assert_allclose([found.low[at], found.high[at]], [low, high])
        self.assertTrue(np.isnan(found.low[4]) and np.isnan(found.p[4]) and not found.different[4])
        drawn = (found.estimate - found.whole) / (found.raw - found.whole)
        self.assertTrue(((drawn > 0) & (drawn < 1)).all())
        self.assertGreater(drawn[1], drawn[2])
        self.assertGreater(drawn[2], drawn[4])

    def test_the_chance_of_a_mean_is_that_of_the_lot(self):
        """Reference: scipy.stats.permutation_test of the unit against the others."""
        rng = np.random.default_rng(6)
        unit, rest = rng.normal(0.35, 1, 30), rng.normal(0, 1, 150)
        found = compare_means(*described([unit, rest]))
        reference = stats.permutation_test(
            (unit, rest), lambda a, b: a.mean() - b.mean(), n_resamples=extent(5_000, 20_000), rng=1
        )
        self.assertAlmostEqual(found.p[0], reference.pvalue, delta=0.01)

    def test_shares_against_fisher_and_the_beta_binomial(self):
        """References: scipy.stats.fisher_exact, and the likeliest strength by scipy.stats.betabinom."""
        rng = np.random.default_rng(7)
        n = rng.integers(3, 60, 40)
        count = rng.binomial(n, rng.beta(6, 4, 40))
        found = compare_shares(count, n, (count.sum(), n.sum()))
        for at in range(40):
            others = count.sum() - count[at], (n - count).sum() - (n - count)[at]
            p = stats.fisher_exact([[count[at], n[at] - count[at]], others])[1]
            self.assertAlmostEqual(found.p[at], p, places=9)
        share = count.sum() / n.sum()
        strength = prior_strength(count, n, share)
        best = optimize.minimize_scalar(
            lambda m: -stats.betabinom.logpmf(count, n, m * share, m * (1 - share)).sum(), bounds=(0.5, 200),
            method="bounded",
        )  # fmt: skip
        self.assertAlmostEqual(strength, best.x, delta=0.01 * best.x)
        np.testing.assert_allclose(found.estimate, (count + strength * share) / (n + strength))
        self.assertGreater(prior_strength([5] * 30, [10] * 30, 0.5), 0.99 * STIFFEST)

    def test_shares_of_all_or_none_stay_where_they_are(self):
        """Everybody met it, nobody did, nobody there."""
        found = compare_shares([4, 6, 0], [4, 6, 0], (10, 10))
        np.testing.assert_array_equal(found.estimate, [1, 1, np.nan])
        self.assertFalse(found.different.any())
        self.assertTrue(np.isnan(found.raw[2]))

    def test_the_interval_of_a_net_move_by_brute_force(self):
        """Reference: the likelihood maximised by scipy under each net move, and the score statistic of Tango (1998)."""
        z = stats.norm.ppf(0.975)

        def statistic(b, c, n, d):
            def unlikely(q):
                cells = np.array([q + d, q, 1 - 2 * q - d])
                return -(np.array([b, c, n - b - c]) @ np.log(np.maximum(cells, 1e-300)))

            ends = max(0.0, -d) + 1e-12, (1 - d) / 2 - 1e-12
            q = optimize.minimize_scalar(unlikely, bounds=ends, method="bounded", options={"xatol": 1e-12}).x
            return (b - c - n * d) / np.sqrt(n * (2 * q + d * (1 - d)))

        for b, c, n in ((12, 2, 50), (1, 0, 12), (4, 9, 30), (7, 7, 20)):
            low, high = net_move_interval([b], [c], [n])
            self.assertAlmostEqual(statistic(b, c, n, low[0]), z, places=3)
            self.assertAlmostEqual(statistic(b, c, n, high[0]), -z, places=3)
        low, high = net_move_interval([0, 5, 0, 0], [0, 0, 5, 0], [10, 5, 5, 0])
        self.assertTrue(low[0] < 0 < high[0])
        self.assertEqual((high[1], low[2]), (1.0, -1.0))
        self.assertTrue(np.isnan(low[3]) and np.isnan(high[3]))

    def test_the_chance_of_a_net_move_by_drawing(self):
        """Reference: 20,000 draws of as many students from the whole."""
        rng = np.random.default_rng(8)
        whole = np.repeat([1, -1, 0], [30, 20, 70])
        found = compare_net_moves([9, 21], [1, 19], [20, 100], (30, 20, 120))
        drawn = np.array([rng.choice(whole, 20, replace=False).sum() for _ in range(20_000)])
        far = np.abs(drawn - 20 * whole.mean()) >= abs(8 - 20 * whole.mean()) - 1e-9
        self.assertAlmostEqual(found.p[0], far.mean(), delta=0.01)
        self.assertAlmostEqual(found.p[0], found.p[1], places=6)


class Promises(unittest.TestCase):
    def test_two_hundred_equal_classes(self):
        """Simulation, 200 equal classes, 30 districts: any class at all is called different in at most 5 of 100.

        With no class different, each one called so is a false discovery, so the rate is that of districts with one.
        """
        rng = np.random.default_rng(11)
        called = np.zeros(3)
        for _ in range(30):
            n = rng.integers(5, 31, 200)
            where = np.repeat(np.arange(200), n)
            gain = rng.normal(0, 1, n.sum())
            move = rng.choice([1, 0, -1], n.sum(), p=[0.18, 0.64, 0.18])
            groups = np.split(gain, np.cumsum(n)[:-1])
            met = np.bincount(where, weights=gain > 0).astype(int)
            up, down = (np.bincount(where, weights=move == way).astype(int) for way in (1, -1))
            called += [
                compare_means(*described(groups)).different.any(),
                compare_shares(met, n, (met.sum(), n.sum())).different.any(),
                compare_net_moves(up, down, n, (up.sum(), down.sum(), n.sum())).different.any(),
            ]
        # 5 in 100 of 30 districts are one or two; more than 5 would come up about once in three hundred.
        self.assertTrue((called <= 5).all(), called)

    def test_a_class_that_fell_is_found_and_a_small_one_does_not_lead(self):
        """One class of 25 a whole spread below stands out; the raw lowest is a class of five, the estimate is not."""
        rng = np.random.default_rng(12)
        led, found = 0, 0
        for _ in range(40):
            sizes = [25] * 30 + [5] * 10
            groups = [rng.normal(-1.0 if at == 0 else rng.normal(0, 0.15), 1, n) for at, n in enumerate(sizes)]
            answer = compare_means(*described(groups))
            found += answer.different[0]
            led += int(np.argmin(answer.estimate)) == 0
        self.assertGreaterEqual(found, 36)
        self.assertGreaterEqual(led, 36)

    def test_intervals_hold_the_truth(self):
        """About 95 in 100 of the intervals of a net move and of a mean hold the unit's true figure."""
        rng = np.random.default_rng(13)
        n = np.full(4000, 24)
        moves = rng.multinomial(24, [0.25, 0.15, 0.6], 4000)
        low, high = net_move_interval(moves[:, 0], moves[:, 1], n)
        self.assertAlmostEqual(((low <= 0.1) & (high >= 0.1)).mean(), 0.95, delta=0.015)
        values = rng.normal(0.3, 1, (2000, 12))
        found = compare_means([12] * 2000, values.mean(axis=1), values.std(axis=1, ddof=1),
                              (24_000, values.mean(), values.std(ddof=1)))  # fmt: skip
        self.assertAlmostEqual(((found.low <= 0.3) & (found.high >= 0.3)).mean(), 0.95, delta=0.015)
