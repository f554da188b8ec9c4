"""Borders of the school calendar."""

import unittest
import unittest.mock
from datetime import date

import numpy as np

from bodkin.core import calendar, windows
from bodkin.core.errors import BadInput
from bodkin.core.needs import standards
from bodkin.core.scores import norms

NAN = np.nan


def days(*texts):
    return np.array([f"2027-{text}" for text in texts], dtype="datetime64[D]")


class Calendars(unittest.TestCase):
    def test_closures_hold_both_ends(self):
        """Two spans, one of a single day; none gives no day."""
        answer = calendar.closed_days([(days("02-08")[0], days("02-10")[0]), (days("03-01")[0],) * 2])
        np.testing.assert_array_equal(answer, days("02-08", "02-09", "02-10", "03-01"))
        self.assertEqual(calendar.closed_days([]).dtype, np.dtype("datetime64[D]"))
        self.assertEqual(calendar.closed_days([]).size, 0)
        hours = tuple(np.datetime64(text) for text in ("2027-02-08T00", "2027-02-09T00"))
        np.testing.assert_array_equal(calendar.closed_days([hours]), days("02-08", "02-09"))

    def test_windows_of_one_year(self):
        """The same window is neither later nor across the summer."""
        fall = windows.Window(2026, 0)
        self.assertFalse(windows.across_summer(fall, windows.Window(2026, 2)))
        self.assertFalse(windows.within_one_year(fall, fall))
        self.assertTrue(windows.within_one_year(fall, windows.Window(2027, 0)))

    def test_grades_sort_as_in_school(self):
        """K before 1, 9 before 10, anything else last."""
        self.assertEqual(sorted(["10", "9", "x", "K", "1"], key=windows.grade_key), ["K", "1", "9", "10", "x"])

    def test_a_day_of_teaching_is_now(self):
        """A plan of one day is one."""
        day = date(2027, 2, 1)
        self.assertEqual(standards.when_taught([(day, day)], day), "now")

    def test_norm_curves(self):
        """A missing week has no norm; rows in any order; the week that stands twice is named."""
        curve = norms.norm_curve([20.0, 5.0], [520.0, 500.0], [22.0, 20.0])
        answer = curve.at([NAN, 5.0])
        np.testing.assert_array_equal(answer.mean, [NAN, 500.0])
        np.testing.assert_array_equal(answer.sd, [NAN, 20.0])
        with self.assertRaisesRegex(BadInput, "12"):
            norms.norm_curve([5.0, 12.0, 12.0, 20.0], [1.0, 2, 3, 4], [1.0, 1, 1, 1])
        for gap in ([NAN, 2.0], [1.0, 2.0], [1.0, 1.0]), ([5.0, 6.0], [NAN, 2.0], [1.0, 1.0]):
            with self.assertRaises(BadInput):
                norms.norm_curve(*gap)
        with self.assertRaises(BadInput):
            norms.norm_curve([5.0, 6.0], [1.0, 2.0], [NAN, 1.0])
