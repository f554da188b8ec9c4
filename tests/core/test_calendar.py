"""Weeks of instruction, and windows in order."""

import unittest

import numpy as np
import pandas as pd

from bodkin.core.calendar import SchoolYear, closed_days, instructional_weeks
from bodkin.core.errors import BadInput
from bodkin.core.windows import across_summer, next_grade, parse_window, within_one_year


def day(text: str) -> np.datetime64:
    return np.datetime64(text, "D")


class Calendar(unittest.TestCase):
    closed = closed_days([(day("2026-10-19"), day("2026-10-23")), (day("2026-12-21"), day("2027-01-01"))])

    def test_weeks_are_open_weekdays_by_five(self):
        """Reference: pandas' custom business days over the same closures."""
        open_days = pd.bdate_range("2026-08-24", "2027-06-30", freq="C", holidays=list(self.closed))
        for end in ("2026-08-24", "2026-09-14", "2026-10-21", "2026-12-31", "2027-02-12"):
            with self.subTest(end=end):
                weeks = instructional_weeks(np.array([day("2026-08-24")]), np.array([day(end)]), self.closed)
                self.assertEqual(weeks[0], (open_days < end).sum() / 5)

    def test_the_week_of_a_test_counts_from_the_first_school_day(self):
        """The first day is week 0; a missing date has no week."""
        year = SchoolYear(day("2026-08-24"), day("2027-06-11"), self.closed)
        weeks = year.week_of(np.array(["2026-08-24", "2026-08-31", "NaT"], dtype="datetime64[D]"))
        np.testing.assert_array_equal(weeks, [0, 1, np.nan])

    def test_a_closure_cannot_end_before_it_begins(self):
        """The message has both days."""
        with self.assertRaisesRegex(BadInput, "2026-10-01.*2026-10-02"):
            closed_days([(day("2026-10-02"), day("2026-10-01"))])


class Windows(unittest.TestCase):
    def test_windows_are_read_and_ordered(self):
        """A window is a school year and a season; the order is that of time."""
        names = ["2025-26 fall", "2025-26 winter", "2025-26 spring", "2026-27 fall"]
        windows = [parse_window(name) for name in names]
        self.assertEqual([str(window) for window in sorted(windows)], names)
        self.assertEqual(str(parse_window("1999-00 spring")), "1999-00 spring")

    def test_what_is_not_a_window_is_refused(self):
        """The message shows how one is written."""
        for text in ("2026-28 fall", "fall 2026", "2026-27 summer", "2026-27", ""):
            with self.subTest(text=text), self.assertRaisesRegex(BadInput, "2026-27 fall"):
                parse_window(text)

    def test_at_most_one_year_apart(self):
        """A season not later in the year means the next school year; further is too far."""
        for first, second, fits in (
            ("2025-26 fall", "2025-26 winter", True),
            ("2025-26 spring", "2026-27 fall", True),
            ("2025-26 fall", "2026-27 fall", True),
            ("2025-26 fall", "2026-27 winter", False),
            ("2025-26 fall", "2027-28 fall", False),
        ):
            with self.subTest(first=first, second=second):
                self.assertIs(within_one_year(parse_window(first), parse_window(second)), fits)
        self.assertTrue(across_summer(parse_window("2025-26 spring"), parse_window("2026-27 fall")))

    def test_the_next_grade(self):
        """K is followed by 1; after the last known grade nothing is known."""
        self.assertEqual([next_grade(grade) for grade in ("K", "4", "12", "x")], ["1", "5", "13", None])
