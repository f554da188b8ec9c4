"""Borders of the outcome link and of intervals."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.compare import outcome_link
from bodkin.core.errors import BadInput
from bodkin.core.scores import shares


class Outcome(unittest.TestCase):
    def test_fifty_are_enough(self):
        """Fifty pairs are a link and a curve, forty-nine are told with their number."""
        rng = np.random.default_rng(3)
        x = rng.normal(500, 20, 50)
        y = (x + rng.normal(0, 20, 50) > 500).astype(float)
        self.assertIsNone(outcome_link.equipercentile(x, x + 5).reason)
        self.assertEqual(outcome_link.equipercentile(x, x + 5).n, 50)
        curve = outcome_link.level_curve(x, y)
        self.assertEqual((curve.reason, curve.n), (None, 50))
        few = outcome_link.equipercentile(x[:49], x[:49])
        self.assertEqual((few.n, few.interim.size, few.outcome.size), (49, 0, 0))
        self.assertTrue(np.isnan(few.at([500.0, 510.0])).all())
        self.assertEqual(few.at([500.0, 510.0]).shape, (2,))
        none = outcome_link.level_curve(x[:49], y[:49])
        self.assertEqual(none.n, 49)
        self.assertEqual(none.chance([500.0, 510.0]).shape, (2,))
        self.assertTrue(np.isnan(none.chance([500.0])).all())
        same = outcome_link.level_curve(x, np.ones(50))
        self.assertEqual((same.n, same.slope), (50, None))

    def test_below_the_lowest_score_met_nothing_is_said(self):
        """Nor above the highest."""
        x = np.arange(50.0)
        answer = outcome_link.equipercentile(x, x).at([-1.0, 0.0, 49.0, 50.0])
        np.testing.assert_array_equal(np.isnan(answer), [True, False, False, True])

    def test_scores_that_tell_the_level_perfectly(self):
        """Either way round, and with a shared score at the border."""
        x = np.arange(50.0)
        for scores in (x, -x, np.where(x < 25, 10.0, 10.0 + (x > 25))):
            answer = outcome_link.level_curve(scores, (x >= 25).astype(float))
            self.assertIn("perfectly", answer.reason)
            self.assertEqual(answer.n, 50)
        back = np.where(x < 25, 10.0, 10.0 - (x > 25))
        self.assertIn("perfectly", outcome_link.level_curve(back, (x >= 25).astype(float)).reason)

    def test_ten_on_either_side_of_the_level(self):
        """Ten are enough, nine are told; a curve that falls, and one score for all, are refused with the reason."""
        rng = np.random.default_rng(8)
        x = rng.normal(500, 20, 60)
        for few, refused in ((10, False), (9, True)):
            reached = np.zeros(60)
            reached[np.argsort(x + rng.normal(0, 25, 60))[-few:]] = 1
            for side in (reached, 1 - reached):
                answer = outcome_link.level_curve(x if side is reached else -x, side)
                self.assertEqual("either side" in (answer.reason or ""), refused)
        falls = outcome_link.level_curve(-x, (x + rng.normal(0, 20, 60) > 500).astype(float))
        self.assertIn("falls", falls.reason)
        self.assertTrue(np.isnan(falls.chance([500.0])[0]))
        self.assertIn("same score", outcome_link.level_curve(np.full(60, 5.0), np.arange(60) % 2.0).reason)

    def test_the_area_needs_both_kinds(self):
        """Nobody or everybody fell short: no area, and nothing over nothing."""
        for short in ([0, 0, 0], [1, 1, 1]):
            answer = outcome_link.prediction_accuracy([1.0, 2.0, 3.0], short, 2.5)
            self.assertEqual((answer.area, answer.n), (None, 3))


class Intervals(unittest.TestCase):
    def test_confidence(self):
        """Strictly between 0 and 1, and passed on to every band; everybody and nobody touch the ends."""
        for confidence in (0.0, 1.0):
            with self.assertRaisesRegex(BadInput, "between 0 and 1"):
                shares.wilson_interval([1], [2], confidence)
        wide, narrow = shares.band_shares([1, 1, 2], 2, 0.99), shares.band_shares([1, 1, 2], 2, 0.5)
        self.assertTrue((wide.low < narrow.low).all() and (wide.high > narrow.high).all())
        low, high = shares.wilson_interval([0, 4], [4, 4])
        self.assertEqual((low[0], high[1]), (0.0, 1.0))
        self.assertTrue(low[1] < 1.0 and high[0] > 0.0)
        self.assertTrue(np.isnan(shares.wilson_interval([0], [0])).all())
        self.assertTrue(np.isnan(shares.band_shares([], 2).share).all())
