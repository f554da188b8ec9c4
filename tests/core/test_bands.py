"""Cut sets and shares against pandas.cut and statsmodels; near a cut."""

import unittest

import numpy as np
import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st
from statsmodels.stats.proportion import proportion_confint

from bodkin.core.cuts import CutRow, band_orders, cut_set, near_cut
from bodkin.core.errors import BadInput, CutFault
from bodkin.core.shares import band_shares, wilson_interval


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
        told = band_orders(scores, cuts)
        for score, own, order in zip(scores, cuts, told, strict=True):
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
        told = cut_set([CutRow(3, "High", 520), CutRow(1, "Low"), CutRow(2, "Mid", 500)])
        self.assertEqual((told.bands, told.cuts, told.kind), (("Low", "Mid", "High"), (500, 520), "score"))
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
        told = near_cut([490.0, 489.9, 510, 510.1, 500, np.nan], [10.0, 10, 10, 10, np.nan, 10], [500.0])
        np.testing.assert_array_equal(told, [1, 0, 1, 0, np.nan, np.nan])

    def test_near_a_cut_of_ones_own(self):
        """Each student can have own cuts; without any there is no answer."""
        own = np.array([[500.0, 520.0], [np.nan, 600.0], [np.nan, np.nan]])
        np.testing.assert_array_equal(near_cut([515.0, 515, 515], [9.0, 9, 9], own), [1, 0, np.nan])


class Shares(unittest.TestCase):
    def test_wilson_agrees_with_statsmodels(self):
        """Reference: statsmodels.stats.proportion.proportion_confint(method='wilson')."""
        for n in (1, 2, 7, 24, 310, 20000):
            count = np.unique(np.linspace(0, n, 9).astype(int))
            for confidence in (0.68, 0.95, 0.99):
                with self.subTest(n=n, confidence=confidence):
                    low, high = wilson_interval(count, n, confidence)
                    reference = proportion_confint(count, n, alpha=1 - confidence, method="wilson")
                    np.testing.assert_allclose(low, reference[0], atol=1e-12)
                    np.testing.assert_allclose(high, reference[1], atol=1e-12)

    def test_nobody_has_no_interval(self):
        """A share of nobody is missing, not zero."""
        low, high = wilson_interval([0], [0])
        self.assertTrue(np.isnan(low[0]) and np.isnan(high[0]))

    def test_refusals(self):
        """More than there are, less than none, a confidence that is none."""
        for arguments in ((5, 4), (-1, 4), (1, 4, 1.0)):
            with self.subTest(arguments=arguments), self.assertRaises(BadInput):
                wilson_interval(*arguments)

    @given(st.lists(st.one_of(st.just(float("nan")), st.integers(1, 4).map(float)), max_size=60))
    @settings(max_examples=150, deadline=None)
    def test_shares_add_up(self, orders):
        """Shares sum to one, at-or-above falls from one, and missing bands are not counted."""
        told = band_shares(orders, 4)
        known = [order for order in orders if order == order]
        self.assertEqual(told.n, len(known))
        self.assertEqual(told.count.tolist(), [known.count(band) for band in (1, 2, 3, 4)])
        if known:
            self.assertAlmostEqual(told.share.sum(), 1)
            self.assertAlmostEqual(told.at_or_above[0], 1)
            np.testing.assert_allclose(-np.diff(told.at_or_above), told.share[:-1], atol=1e-12)
            self.assertTrue((told.low <= told.share).all() and (told.share <= told.high).all())
        else:
            self.assertTrue(np.isnan(told.share).all())

    def test_refuses_a_band_that_is_not_there(self):
        """The message says which orders there are."""
        with self.assertRaisesRegex(BadInput, "from 1 to 4"):
            band_shares([5.0], 4)
