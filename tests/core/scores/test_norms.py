"""Norms between their rows and beyond them."""

import unittest

import numpy as np
from scipy.interpolate import make_interp_spline

from bodkin.core.errors import BadInput
from bodkin.core.scores.norms import middle_row, norm_curve


class NormCurve(unittest.TestCase):
    def test_linear_between_rows_whatever_their_order(self):
        """Reference: a B-spline of degree one of scipy."""
        curve = norm_curve([19, 4, 32], [520, 508, 534], [36, 34, 37])
        weeks = np.linspace(4, 32, 57)
        values = curve.at(weeks)
        np.testing.assert_allclose(values.mean, make_interp_spline([4, 19, 32], [508, 520, 534], k=1)(weeks))
        np.testing.assert_allclose(values.sd, make_interp_spline([4, 19, 32], [34, 36, 37], k=1)(weeks))
        self.assertFalse(values.beyond.any())

    def test_end_values_beyond_the_rows_and_says_so(self):
        """Before the first and after the last row the value at the end is used, marked; missing stays missing."""
        values = norm_curve([4, 19], [508, 520], [36, 36]).at([2, 4, 19, 30, np.nan])
        np.testing.assert_array_equal(values.mean, [508, 508, 520, 520, np.nan])
        np.testing.assert_array_equal(values.beyond, [True, False, False, True, False])

    def test_refusals_name_the_fault(self):
        """No rows, a missing value, a week twice, no spread."""
        for rows, words in (
            (([], [], []), "at least one"),
            (([1, np.nan], [1, 2], [1, 1]), "missing"),
            (([4, 4], [1, 2], [1, 1]), "two rows for week 4"),
            (([4, 5], [1, 2], [1, -1]), "sd must be above 0"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                norm_curve(*rows)

    def test_the_middle_row_of_a_season(self):
        """Of three the middle one, of two the earlier, whatever their order."""
        self.assertEqual([middle_row([6, 2, 4]), middle_row([6, 2]), middle_row([3])], [2, 1, 0])
        with self.assertRaises(BadInput):
            middle_row([])
