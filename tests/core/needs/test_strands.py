"""Strand profiles."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.needs.strands import strand_profile, strand_verdicts


class Strands(unittest.TestCase):
    def test_against_the_own_whole_the_norm_or_one_target(self):
        """In the strand's own errors; a missing strand stays missing."""
        strands = np.array([[500.0, 480, np.nan], [520, 530, 500]])
        own = strand_profile(strands, 10.0, [490.0, 520.0])
        np.testing.assert_allclose(own, [[1, -1, np.nan], [0, 1, -2]])
        norm = strand_profile(strands, np.full((2, 3), 5.0), [500.0, 480, 490])
        np.testing.assert_allclose(norm, [[0, 0, np.nan], [4, 10, 2]])
        np.testing.assert_allclose(strand_profile(strands, 10.0, 500.0)[1], [2, 3, 0])

    def test_a_flat_profile_has_a_low_or_high_strand_in_at_most_ten_of_a_hundred(self):
        """Simulation, 20,000 students whose strands are alike: against the own whole and against a fixed line."""
        rng = np.random.default_rng(17)
        for k in (2, 3, 5, 8):
            error = rng.uniform(6, 14, (20_000, k))
            scores = 500 + rng.normal(0, 1, (20_000, k)) * error
            for against in (None, 500.0):
                found = (strand_verdicts(scores, error, against) != 0).any(axis=1).mean()
                self.assertTrue(0.05 < found <= 0.105, (k, against, found))

    def test_a_low_strand_is_found_beyond_its_limit(self):
        """Three strands of error 10: the error from the own whole is 10 sqrt(2/3), the limit 2.128 of it."""
        limit = stats.norm.ppf(1 - 0.1 / 6) * 10 * np.sqrt(2 / 3)
        for short, verdict in ((limit * 1.5 + 0.01, -1), (limit * 1.5 - 0.01, 0)):
            self.assertEqual(strand_verdicts([[500 - short, 500, 500]], 10.0)[0, 0], verdict)
        one = strand_verdicts([[500.0, np.nan, np.nan], [500, 460, np.nan]], 10.0)
        np.testing.assert_array_equal(one, [[np.nan] * 3, [1, -1, np.nan]])
        np.testing.assert_array_equal(strand_verdicts([[480.0, 521]], [[10.0, 10]], 500.0), [[-1, 1]])

    def test_what_could_mean_two_things_is_refused(self):
        """Two students, two strands and two values."""
        with self.assertRaisesRegex(BadInput, "a student or a strand"):
            strand_profile(np.ones((2, 2)), 1.0, [1.0, 2.0])
