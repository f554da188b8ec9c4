"""Standing that is steady."""

import unittest

import numpy as np

from bodkin.core.growth.goals import steady


class Steady(unittest.TestCase):
    def test_three_windows_in_the_present_band_or_higher(self):
        """Fell, rose just now, held, held from higher, a gap."""
        answer = steady([[3, 3, 2, 3], [1, 2, 2, 3], [1, 3, 3, 3], [1, 4, 4, 3], [3, 3, np.nan, 3]])
        np.testing.assert_array_equal(answer, [0, 0, 1, 1, np.nan])
        self.assertTrue(np.isnan(steady([[3, 3]])[0]))
