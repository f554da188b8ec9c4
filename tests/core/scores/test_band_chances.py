"""Chances of each band."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.scores.band_chances import band_chances, expected_correct


class Chances(unittest.TestCase):
    def test_agree_with_a_simulation(self):
        """200,000 seeded true scores about the score fall into the bands as often as said."""
        truth = np.random.default_rng(6).normal(503, 11, 200_000)
        simulated = np.histogram(truth, [-np.inf, 480, 500, 520, np.inf])[0] / truth.size
        answer = band_chances([503.0], [11.0], [480, 500, 520])
        np.testing.assert_allclose(answer[0], simulated, atol=0.004)
        self.assertAlmostEqual(answer.sum(), 1)

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
