"""Shares of bands with their intervals."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.proportion import proportion_confint

from bodkin.core.errors import BadInput
from bodkin.core.scores.shares import band_shares, wilson_interval


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
    def test_shares_add_up(self, orders):
        """Shares sum to one, at-or-above falls from one, and missing bands are not counted."""
        answer = band_shares(orders, 4)
        known = [order for order in orders if order == order]
        self.assertEqual(answer.n, len(known))
        self.assertEqual(answer.count.tolist(), [known.count(band) for band in (1, 2, 3, 4)])
        if known:
            self.assertAlmostEqual(answer.share.sum(), 1)
            self.assertAlmostEqual(answer.at_or_above[0], 1)
            np.testing.assert_allclose(-np.diff(answer.at_or_above), answer.share[:-1], atol=1e-12)
            self.assertTrue((answer.low <= answer.share).all() and (answer.share <= answer.high).all())
        else:
            self.assertTrue(np.isnan(answer.share).all())

    def test_refuses_a_band_that_is_not_there(self):
        """The message says which orders there are."""
        with self.assertRaisesRegex(BadInput, "from 1 to 4"):
            band_shares([5.0], 4)
