"""Cut sets: bands by score and by percentile, faults named."""

import unittest

import numpy as np
import pandas as pd

from bodkin.core.errors import BadInput, CutFault
from bodkin.core.scores.cuts import CutRow, band_orders, cut_set, near_cut


class Cuts(unittest.TestCase):
    def test_bands_agree_with_pandas_cut(self):
        """Reference: pandas.cut with intervals closed on the left; a score on a cut is in the upper band."""
        scores = np.arange(440, 581, 0.5)
        cuts = [478.0, 503.0, 532.0]
        reference = pd.cut(scores, [-np.inf, *cuts, np.inf], right=False, labels=False) + 1
        np.testing.assert_array_equal(band_orders(scores, cuts), reference)

    def test_cuts_of_ones_own_agree_with_pandas_cut(self):
        """Reference: pandas.cut with each student's own cuts; a cut that is not there divides nothing."""
        rng = np.random.default_rng(4)
        scores = rng.integers(440, 580, 200).astype(float)
        scores[::17] = np.nan
        cuts = np.sort([rng.choice(np.arange(450, 570), 3, replace=False) for _ in scores], axis=1).astype(float)
        cuts[:50, 2] = np.nan
        cuts[:10] = np.nan
        answer = band_orders(scores, cuts)
        for score, own, order in zip(scores, cuts, answer, strict=True):
            edges = [-np.inf, *own[~np.isnan(own)], np.inf]
            np.testing.assert_equal(order, pd.cut([score], edges, right=False, labels=False)[0] + 1)

    def test_cuts_of_ones_own_need_a_row_for_each_score(self):
        """Shapes that do not fit are refused."""
        for scores, cuts in (([500.0], [[1.0], [2.0]]), ([[500.0]], [[1.0]]), ([500.0], [[[1.0]]])):
            with self.subTest(cuts=cuts), self.assertRaisesRegex(BadInput, "a row for each value"):
                band_orders(scores, cuts)

    def test_missing_has_no_band(self):
        """NaN in, NaN out."""
        self.assertTrue(np.isnan(band_orders([np.nan], [500.0])[0]))

    def test_rows_in_any_order_make_the_set(self):
        """Bands come out from the lowest up with the cuts between them."""
        answer = cut_set([CutRow(3, "High", 520), CutRow(1, "Low"), CutRow(2, "Mid", 500)])
        self.assertEqual((answer.bands, answer.cuts, answer.kind), (("Low", "Mid", "High"), (500, 520), "score"))
        self.assertEqual(cut_set([CutRow(1, "a"), CutRow(2, "b", None, 40.0)]).kind, "percentile")

    def test_every_fault_names_its_row(self):
        """Gaps, overlaps, unordered cuts, doubles, mixtures: the position is that of the row at fault."""
        for rows, position, words in (
            ([], 0, "at least one"),
            ([CutRow(1, "a"), CutRow(3, "c", 5)], 1, "gap: band order 2"),
            ([CutRow(1, "a"), CutRow(1, "b", 5)], 1, "order 1"),
            ([CutRow(1, "a", 3), CutRow(2, "b", 5)], 0, "gap: the lowest"),
            ([CutRow(1, "a"), CutRow(2, "b")], 1, "has no minimum"),
            ([CutRow(1, "a"), CutRow(2, "b", 5), CutRow(3, "c", 5)], 2, "overlap"),
            ([CutRow(1, "a"), CutRow(2, "b", 5), CutRow(3, "c", 4)], 2, "unordered"),
            ([CutRow(1, "a"), CutRow(2, "b", 5), CutRow(3, "c", None, 60)], 2, "cannot mix"),
            ([CutRow(1, "a"), CutRow(2, "b", 5, 60)], 1, "not both"),
            ([CutRow(1, "a"), CutRow(2, "a", 5)], 1, "stands twice"),
            ([CutRow(1, "a"), CutRow(2, "b", None, 100)], 1, "between 0 and 100"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(CutFault, words) as caught:
                cut_set(rows)
            self.assertEqual(caught.exception.position, position)

    def test_near_a_cut_on_either_side(self):
        """At most one standard error away from any cut; exactly one counts; no error, no answer."""
        answer = near_cut([490.0, 489.9, 510, 510.1, 500, np.nan], [10.0, 10, 10, 10, np.nan, 10], [500.0])
        np.testing.assert_array_equal(answer, [1, 0, 1, 0, np.nan, np.nan])

    def test_near_a_cut_of_ones_own(self):
        """Each student can have own cuts; without any there is no answer."""
        own = np.array([[500.0, 520.0], [np.nan, 600.0], [np.nan, np.nan]])
        np.testing.assert_array_equal(near_cut([515.0, 515, 515], [9.0, 9, 9], own), [1, 0, np.nan])
