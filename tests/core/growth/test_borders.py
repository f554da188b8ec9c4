"""Borders of growth: cases a mutated formula would get wrong."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.growth import expected_growth, goals, growth_percentiles

NAN = np.nan


class Growth(unittest.TestCase):
    def seen(self, second, errors=(3.0, 4.0), rho=0.8):
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0, rho)
        return expected_growth.growth_seen([500.0], [second], expectation, [errors[0]], [errors[1]])

    def test_a_difference_of_just_the_error_is_as_expected(self):
        """Errors of 3.75 at the start, of which 0.8 count, and 4 make 5: 8.225 points either way are within it."""
        for second, verdict in ((518.22, 0), (518.23, 1), (501.78, 0), (501.77, -1)):
            self.assertEqual(self.seen(second, (3.75, 4.0)).verdict[0], verdict)

    def test_one_error_missing_is_no_verdict(self):
        """Either one; the distance stands all the same."""
        for errors in ((NAN, 4.0), (3.0, NAN)):
            answer = self.seen(530.0, errors)
            self.assertTrue(np.isnan(answer.verdict[0]))
            self.assertFalse(np.isnan(answer.distance[0]))

    def test_a_small_spread_is_a_spread(self):
        """Half a point: distance and how usual a goal is are still told."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 0.5, 510.0, 0.5, 0.0)
        seen = expected_growth.growth_seen([500.0], [510.5], expectation)
        self.assertAlmostEqual(seen.distance[0], 1.0)
        self.assertAlmostEqual(goals.goal([500.0], [510.5], 10, expectation).usual[0], 0.1587, places=4)
        none = expected_growth.expected_growth([500.0], 500.0, 0.5, 510.0, 0.5, 1.0)
        self.assertTrue(np.isnan(goals.goal([500.0], [511.0], 10, none).usual[0]))

    def test_nobody_and_someone_without_a_rank(self):
        """Counts are 0 and not missing; with a spread of nothing there is no median."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0, 1.0)
        answer = expected_growth.summarise_growth(expected_growth.growth_seen([500.0], [NAN], expectation), expectation)
        self.assertEqual((answer.n, answer.met_n, answer.met_share), (0, 0, None))
        answer = expected_growth.summarise_growth(
            expected_growth.growth_seen([500.0], [510.0], expectation), expectation
        )
        self.assertEqual((answer.n, answer.met_n, answer.median_percentile), (1, 1, None))

    def test_goals(self):
        """The goal's own score; a target just reached; three windows are enough to be steady."""
        expectation = expected_growth.expected_growth([500.0], 500.0, 20.0, 510.0, 20.0)
        self.assertEqual(goals.goal([500.0], 512.0, 10, expectation).score.tolist(), [512.0])
        self.assertTrue(goals.growth_target([1, 1, 0, 0], 0.5).reached)
        self.assertEqual(goals.growth_target([NAN], 0.5).n, 0)
        np.testing.assert_array_equal(goals.steady([[2, 2, 3], [3, 2, 3], [2, NAN, 2]]), [0, 0, NAN])
        np.testing.assert_array_equal(goals.steady([[2, 2, 2], [1, 3, 3]]), [1, 0])
        np.testing.assert_array_equal(goals.steady([[2, 2], [3, 3], [1, 1]]), [NAN, NAN, NAN])

    def test_shares_in_words(self):
        """On the borders of each way to say it."""
        self.assertEqual(goals.one_in(0.001), "about 1 in 1,000")
        self.assertEqual(goals.one_in(0.349), "about 1 in 3")
        self.assertEqual(goals.one_in(0.35), "about 4 in 10")
        self.assertEqual(goals.one_in(0.5), "about 1 in 2")
        self.assertEqual(goals.one_in(0.6), "about 6 in 10")
        self.assertEqual(goals.one_in(0.66), "about 7 in 10")
        self.assertEqual(goals.one_in(0.97), "nearly all")


class LocalGrowth(unittest.TestCase):
    def test_no_curves_say_how_many_there_were(self):
        """And give missing percentiles in the students' own number, none of them beyond anything."""
        curves = growth_percentiles.growth_curves([[1.0, 2.0]], [3.0])
        answer = growth_percentiles.local_growth_percentile(curves, [[1.0, 2.0]] * 3, [3.0] * 3)
        self.assertEqual((answer.n, answer.percentile.shape, answer.beyond.any()), (1, (3,), False))
