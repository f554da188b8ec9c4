"""Borders of shapes and missing values."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.check import credibility
from bodkin.core.compare import outcome_link
from bodkin.core.errors import BadInput
from bodkin.core.follow_up import practice, trend
from bodkin.core.growth import expected_growth, goals
from bodkin.core.scores import band_chances, cuts, norms, scales

NAN = np.nan


def days(*texts):
    return np.array([f"2027-{text}" for text in texts], dtype="datetime64[D]")


class Shapes(unittest.TestCase):
    def test_each_array_of_another_length_is_refused(self):
        """Two students in one array, three in another: whichever of a function's arrays is the odd one."""
        expectation = expected_growth.expected_growth([500.0, 510.0], 500.0, 20.0, 510.0, 20.0)
        two = [1.0, 2.0]
        functions = [
            (scales.score_at_percentile, [two, two, two]),
            (scales.reliable_change, [two, two, two, two]),
            (scales.normal_curve_equivalent, [two, two, two]),
            (scales.stanine, [two, two, two]),
            (scales.error_from_reliability, [two, [0.5, 0.6]]),
            (scales.score_range, [two, two]),
            (expected_growth.expected_growth, [two, two, two, two, two, [0.5, 0.6]]),
            (lambda *given: expected_growth.growth_seen(given[0], given[1], expectation, *given[2:]), [two] * 4),
            (lambda *given: goals.goal(*given, expectation), [two, two, two]),
            (cuts.near_cut, [two, two, [500.0]]),
            (lambda score, error: band_chances.band_chances(score, error, [1.0]), [two, two]),
            (lambda one, *rest: credibility.doubt(one, [[1.0]] * len(one), *rest), [two] * 5),
            (lambda *given: practice.practice_log([0, 1], days("02-01", "02-02"), *given), [two, two, two]),
            (norms.norm_curve, [two, two, two]),
            (outcome_link.equipercentile, [two, two]),
            (trend.trend, [two, two]),
        ]
        for function, fitting in functions:
            function(*fitting)
            # A list of cuts is no array of students.
            for place in [at for at, given in enumerate(fitting) if len(given) == 2]:
                odd = list(fitting)
                odd[place] = [0.5, 0.6, 0.7]
                with self.subTest(function=function, place=place), self.assertRaises(BadInput):
                    function(*odd)

    def test_an_expectation_of_other_students_is_refused(self):
        """Three students' scores against the expectation of two."""
        expectation = expected_growth.expected_growth([500.0, 510.0], 500.0, 20.0, 510.0, 20.0)
        three = [500.0, 510.0, 520.0]
        with self.assertRaises(BadInput):
            expected_growth.growth_seen(three, three, expectation)
        with self.assertRaises(BadInput):
            goals.goal(three, three, 10, expectation)

    def test_a_missing_value_on_either_side_leaves_the_pair_out(self):
        """First or second missing: the student does not count, whichever it is."""
        for first, second in ((NAN, 1.0), (1.0, NAN)):
            answer = trend.trend([0.0, 1.0, 2.0, first], [1.0, 2.0, 3.0, second])
            self.assertEqual(answer.n, 3)
            chances = band_chances.band_chances([first], [second], [500.0])
            self.assertTrue(np.isnan(chances).all())
