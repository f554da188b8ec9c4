"""Units on their borders: nobody, one student, all of them; every part against a loop of its own."""

import unittest

import numpy as np
from scipy import optimize, stats

from bodkin.core.compare.units import (
    between_units,
    compare_means,
    compare_net_moves,
    compare_shares,
    false_discoveries,
    moments_of_each,
    net_move_interval,
)
from bodkin.core.errors import BadInput

NAN = np.nan


def estimates(figures, variances, middle):
    """Figures drawn toward the whole by the variance at which Cochran's Q is what chance brings (scipy.optimize)."""
    known = ~np.isnan(figures)
    y, v = figures[known], variances[known]

    def excess(between):
        weights = 1 / (v + between)
        return np.sum(weights * (y - np.average(y, weights=weights)) ** 2) - (y.size - 1)

    between = optimize.bisect(excess, 0, 1e4, xtol=1e-15, rtol=1e-14, maxiter=500) if excess(0) > 0 else 0.0
    return middle + (figures - middle) * between / (between + variances)


class Moments(unittest.TestCase):
    def test_each_unit_as_numpy_has_it(self):
        """Units that overlap, with missing values, of one student and of none."""
        values = np.array([3.0, NAN, 7.5, 1.0, 1.0, 12.0])
        units = [np.array(one, dtype=np.int64) for one in ([0, 2, 3], [1, 2, 5], [4], [], [1], [3, 4], [0, 2, 3, 4, 5])]
        n, mean, sd = moments_of_each(values, units)
        for at, places in enumerate(units):
            own = values[places][~np.isnan(values[places])]
            self.assertEqual(n[at], own.size)
            np.testing.assert_allclose(mean[at], own.mean() if own.size else NAN)
            np.testing.assert_allclose(sd[at], own.std(ddof=1) if own.size > 1 else NAN)

    def test_places_beyond_the_students(self):
        """The first and the last place stand; one before or after them does not; no unit at all is fine."""
        values = np.array([1.0, 2.0])
        self.assertEqual(moments_of_each(values, [np.array([0, 1])])[0].tolist(), [2.0])
        for wrong in ([-1], [2], [-1, 0], [0, 2], [-1, 2]):
            with self.assertRaisesRegex(BadInput, "places from 0 to 1"):
                moments_of_each(values, [np.array(wrong)])
        self.assertEqual(moments_of_each(values, [])[0].size, 0)
        self.assertEqual(moments_of_each(values, [np.array([], dtype=np.int64)])[0].tolist(), [0.0])


class Means(unittest.TestCase):
    n = np.array([12.0, 1.0, 0.0, 2.0, 30.0, 8.0])
    mean = np.array([4.0, 9.0, NAN, 1.0, 5.0, 7.0])
    sd = np.array([2.0, NAN, NAN, 0.5, 3.0, 1.0])
    whole = (53, 5.2, 2.5)

    def test_every_part_of_every_unit(self):
        """Interval by scipy's t, estimate by Cochran's Q, chance by the lot; one student has no chance."""
        found = compare_means(self.n, self.mean, self.sd, self.whole)
        size, middle, spread = self.whole
        several = self.n > 1
        weight = self.n[several] - 1
        within = (weight * self.sd[several] ** 2).sum() / weight.sum()
        with np.errstate(divide="ignore"):
            variance = np.where(self.n > 0, within / self.n, NAN)
        np.testing.assert_allclose(found.estimate, estimates(self.mean, variance, middle), rtol=1e-8)
        for at, n in enumerate(self.n):
            if n > 1:
                low, high = stats.t.interval(0.95, n - 1, self.mean[at], self.sd[at] / np.sqrt(n))
                np.testing.assert_allclose([found.low[at], found.high[at]], [low, high])
                error = spread * np.sqrt((1 - n / size) / n)
                self.assertAlmostEqual(found.p[at], 2 * stats.norm.sf(abs(self.mean[at] - middle) / error))
            else:
                self.assertTrue(np.isnan([found.low[at], found.high[at], found.p[at]]).all())
        self.assertTrue(np.isnan(found.raw[2]) and np.isnan(found.estimate[2]))
        self.assertEqual((found.raw[1], found.whole), (9.0, middle))

    def test_units_without_any_spread(self):
        """Nobody differs within units: figures stay where they are; a unit that is all has no chance."""
        found = compare_means([3.0, 4.0], [1.0, 2.0], [0.0, 0.0], (7, 11 / 7, 0.5))
        np.testing.assert_array_equal(found.estimate, [1.0, 2.0])
        alone = compare_means([7.0], [1.5], [0.5], (7, 1.5, 0.5))
        self.assertTrue(np.isnan(alone.p[0]))
        self.assertFalse(alone.different[0])

    def test_between_units_needs_two(self):
        """None and one have nothing between them; two alike neither; a variance of 0 is refused."""
        self.assertEqual(between_units([], []), 0.0)
        self.assertEqual(between_units([5.0], [1.0]), 0.0)
        self.assertEqual(between_units([5.0, NAN], [1.0, 1.0]), 0.0)
        self.assertEqual(between_units([5.0, 5.0], [1.0, 1.0]), 0.0)
        # Two units of one variance v: t = (difference squared) / 2 - v.
        self.assertAlmostEqual(between_units([0.0, 10.0], [1.0, 1.0]), 49.0)
        self.assertAlmostEqual(between_units([0.0, 1e-4], [1e-10, 1e-10]), 4.9e-9)
        for wrong in (0.0, -1.0):
            with self.assertRaises(BadInput):
                between_units([1.0, 2.0], [1.0, wrong])


class NetMoves(unittest.TestCase):
    up = np.array([6, 0, 3, 1, 0, 20])
    down = np.array([2, 0, 3, 0, 0, 4])
    n = np.array([20, 5, 12, 1, 0, 60])
    whole = (33, 12, 120)

    def test_they_are_means_of_moves(self):
        """Each student is +1, 0 or -1: net move, spread, estimate and the whole as numpy has them of those."""
        found = compare_net_moves(self.up, self.down, self.n, self.whole)
        moves = [
            np.repeat([1.0, -1.0, 0.0], [b, c, size - b - c])
            for b, c, size in zip(self.up, self.down, self.n, strict=True)
        ]
        everybody = np.repeat([1.0, -1.0, 0.0], [33, 12, 75])
        with np.errstate(invalid="ignore"):
            raw = np.array([one.mean() if one.size else NAN for one in moves])
        sd = np.array([one.std(ddof=1) if one.size > 1 else NAN for one in moves])
        np.testing.assert_allclose(found.raw, raw)
        self.assertAlmostEqual(found.whole, everybody.mean())
        several = self.n > 1
        weight = self.n[several] - 1
        within = (weight * sd[several] ** 2).sum() / weight.sum()
        with np.errstate(divide="ignore"):
            variance = np.where(self.n > 0, within / self.n, NAN)
        np.testing.assert_allclose(found.estimate, estimates(raw, variance, everybody.mean()), rtol=1e-8)
        low, high = net_move_interval(self.up, self.down, self.n)
        np.testing.assert_array_equal(found.low, low)
        np.testing.assert_array_equal(found.high, high)

    def test_a_large_unit_goes_by_the_curve(self):
        """Too large to add up: the normal curve of a mean drawn by lot from all moves."""
        up, down, n, whole = [4_000], [3_960], [20_000], (9_000, 8_000, 60_000)
        found = compare_net_moves(up, down, n, whole)
        everybody = np.repeat([1.0, -1.0, 0.0], [9_000, 8_000, 43_000])
        error = everybody.std(ddof=1) * np.sqrt((1 - 20_000 / 60_000) / 20_000)
        away = 40 / 20_000 - everybody.mean()
        np.testing.assert_allclose(found.p[0], 2 * stats.norm.sf(abs(away) / error), rtol=1e-9)

    def test_the_whole_holds_every_unit(self):
        """All of it in one unit stands; one more of any kind does not; nobody at all is no fault."""
        self.assertEqual(compare_net_moves([3], [2], [9], (3, 2, 9)).raw.tolist(), [1 / 9])
        for whole in ((2, 2, 9), (3, 1, 9), (3, 2, 8), (5, 5, 9)):
            with self.assertRaisesRegex(BadInput, "hold every unit"):
                compare_net_moves([3], [2], [9], whole)
        self.assertTrue(np.isnan(compare_net_moves([0], [0], [0], (0, 0, 0)).whole))
        self.assertEqual(compare_net_moves([1], [0], [1], (1, 0, 1)).whole, 1.0)
        self.assertEqual(net_move_interval([4], [5], [9])[0].size, 1)
        with self.assertRaisesRegex(BadInput, "cannot exceed n"):
            net_move_interval([4], [6], [9])


class Shares(unittest.TestCase):
    def test_the_whole_holds_every_unit(self):
        """All in one unit stands; too many, or more than there are, do not."""
        self.assertEqual(compare_shares([3], [9], (3, 9)).raw.tolist(), [1 / 3])
        for whole in ((2, 9), (3, 8), (10, 9), (-1, 9)):
            with self.assertRaisesRegex(BadInput, "hold every unit"):
                compare_shares([3], [9], whole)

    def test_nobody_and_one(self):
        """Nobody has no share and no chance, one student a share and no chance."""
        found = compare_shares([0, 1, 4], [0, 1, 8], (30, 60))
        self.assertTrue(np.isnan([found.raw[0], found.estimate[0], found.p[0], found.p[1]]).all())
        self.assertEqual(found.raw.tolist()[1:], [1.0, 0.5])
        self.assertAlmostEqual(found.p[2], stats.fisher_exact([[4, 4], [26, 26]])[1])

    def test_counts_are_whole_numbers(self):
        """A part of a student, fewer than none, and a count that is missing are refused."""
        for wrong in (0.5, -1.0, NAN):
            with self.assertRaisesRegex(BadInput, "whole numbers of 0 or more"):
                compare_shares([wrong], [3.0], (3, 9))


class Discoveries(unittest.TestCase):
    def test_chances_and_rates_on_their_borders(self):
        """0 and 1 are chances, no rate; what lies beyond is no chance; a chance just at its line stands."""
        self.assertEqual(false_discoveries([0.0, 1.0]).tolist(), [True, False])
        self.assertEqual(false_discoveries([0.05]).tolist(), [True])
        self.assertEqual(false_discoveries([0.025, 0.05]).tolist(), [True, True])
        for wrong in (-0.01, 1.01):
            with self.assertRaises(BadInput):
                false_discoveries([0.5, wrong])
        for rate in (0.0, 1.0, 1.5, -0.1):
            with self.assertRaisesRegex(BadInput, "rate"):
                false_discoveries([0.5], rate)
        self.assertEqual(false_discoveries([0.9], 0.95).tolist(), [True])
