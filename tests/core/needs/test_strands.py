"""Strand profiles."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.needs.strands import strand_profile


class Strands(unittest.TestCase):
    def test_against_the_own_whole_the_norm_or_one_target(self):
        """In the strand's own errors; a missing strand stays missing."""
        strands = np.array([[500.0, 480, np.nan], [520, 530, 500]])
        own = strand_profile(strands, 10.0, [490.0, 520.0])
        np.testing.assert_allclose(own, [[1, -1, np.nan], [0, 1, -2]])
        norm = strand_profile(strands, np.full((2, 3), 5.0), [500.0, 480, 490])
        np.testing.assert_allclose(norm, [[0, 0, np.nan], [4, 10, 2]])
        np.testing.assert_allclose(strand_profile(strands, 10.0, 500.0)[1], [2, 3, 0])

    def test_what_could_mean_two_things_is_refused(self):
        """Two students, two strands and two values."""
        with self.assertRaisesRegex(BadInput, "a student or a strand"):
            strand_profile(np.ones((2, 2)), 1.0, [1.0, 2.0])
