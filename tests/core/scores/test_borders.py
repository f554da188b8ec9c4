"""Borders of bands."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.compare import movement
from bodkin.core.errors import CutFault
from bodkin.core.growth import resembling
from bodkin.core.scores import band_chances, cuts, local_rank

NAN = np.nan


class Bands(unittest.TestCase):
    def test_cuts(self):
        """Cuts less than a point apart; percentiles from above 0; a student without any cut."""
        chances = band_chances.band_chances([500.0, 480.0], [10.0, 10.0], [499.5, 500.0])
        np.testing.assert_allclose(chances.sum(axis=1), [1, 1])
        rows = [cuts.CutRow(1, "a"), cuts.CutRow(2, "b", min_percentile=0.5)]
        self.assertEqual(cuts.cut_set(rows).cuts, (0.5,))
        with self.assertRaisesRegex(CutFault, "between 0 and 100"):
            cuts.cut_set([cuts.CutRow(1, "a"), cuts.CutRow(2, "b", min_percentile=0.0)])
        self.assertTrue(np.isnan(cuts.near_cut([500.0], [5.0], np.empty((1, 0)))).all())
        with self.assertRaisesRegex(CutFault, "an overlap"):
            cuts.cut_set([cuts.CutRow(1, "a"), cuts.CutRow(2, "b", 500.0), cuts.CutRow(3, "c", 500.0)])

    def test_movement_with_more_down_than_up(self):
        """Two up, three down, one the same: a net move of a sixth of them down."""
        answer = movement.movement([1, 1, 3, 3, 2, 2], [2, 3, 1, 2, 1, 2], 3)
        self.assertEqual((answer.up, answer.same, answer.down), (2, 1, 3))
        self.assertAlmostEqual(answer.net, -1 / 6)

    def test_single_movers_count_in_the_tests(self):
        """One student up and none down: a pair of cells, and a band that only one window has."""
        answer = movement.bowker([[5, 1], [0, 5]])
        self.assertEqual((answer.statistic, answer.df), (1.0, 1))
        answer = movement.stuart_maxwell([[0, 1], [0, 0]])
        self.assertEqual((answer.statistic, answer.df), (1.0, 1))
        answer = movement.stuart_maxwell([[4, 2, 0], [1, 4, 0], [2, 1, 0]])
        self.assertEqual(answer.df, 2)

    def test_local_fifths(self):
        """Of ten different scores each fifth holds two; of a hundred, twenty; ties stand at their middle."""
        np.testing.assert_array_equal(local_rank.fifth(np.arange(10.0)), np.repeat([1, 2, 3, 4, 5], 2))
        np.testing.assert_array_equal(np.bincount(local_rank.fifth(np.arange(100.0)).astype(int))[1:], [20] * 5)
        self.assertEqual(local_rank.local_percentile([7.0]).tolist(), [50.0])
        self.assertEqual(local_rank.class_summary([NAN]).n, 0)

    def test_resembling(self):
        """Just one error beyond the ends is still within; half a point of error is one."""
        rows = [480.0, 500.0]
        for score, beyond in ((475.0, 0), (474.9, -1), (505.0, 0), (505.1, 1), (490.0, 0), (482.0, 0)):
            self.assertEqual(resembling.resembling(score, 5.0, rows).beyond, beyond, score)
        self.assertEqual(resembling.resembling(480.2, 0.5, rows).within_error.tolist(), [0])
