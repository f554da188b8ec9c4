"""Practice in a period, and patterns behind it."""

import unittest
from dataclasses import fields

import numpy as np
import pandas as pd
from statsmodels.stats.proportion import proportion_confint

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.practice import Period, PracticeGoals, practice, practice_log, share_by


def day(text):
    return np.datetime64(f"2027-{text}")


PERIOD = Period(day("01-11"), day("02-19"), day("02-05"))
"""Six weeks of school, 30 days, of which 20 are over."""


def goals(students, accuracy=np.nan, minutes=np.nan, easiest=np.nan, hardest=np.nan):
    return PracticeGoals(*(np.full(students, value, float) for value in (accuracy, minutes, easiest, hardest)))


def shares(labels, minutes):
    return share_by(*np.unique(np.array(labels), return_inverse=True), minutes)


class InAPeriod(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(6)
        n = 300
        self.table = pd.DataFrame(
            {
                "student": rng.integers(0, 11, n),
                "day": day("01-01") + rng.integers(0, 60, n).astype("timedelta64[D]"),
                "minutes": rng.integers(3, 40, n).astype(float),
                "items": rng.integers(4, 12, n).astype(float),
                "passed": rng.choice([0.0, 1.0, np.nan], n),
                "level": rng.normal(500, 80, n),
                "kind": rng.choice(["story", "fact", ""], n),
            }
        )
        self.table["right"] = np.floor(self.table["items"] * rng.random(n))
        self.table.loc[::17, ["items", "right"]] = np.nan
        self.log = practice_log(**{name: self.table[name].to_numpy() for name in self.table})

    def test_figures_agree_with_pandas(self):
        """Reference: pandas groupby over the entries of the period up to today."""
        answer = practice(self.log, 12, PERIOD, goals(12, minutes=200.0))
        now = self.table[(self.table.day >= "2027-01-11") & (self.table.day <= "2027-02-05")]
        by = now.groupby("student")
        index = range(12)
        np.testing.assert_array_equal(answer.entries, by.size().reindex(index, fill_value=0))
        np.testing.assert_allclose(answer.minutes, by.minutes.sum().reindex(index, fill_value=0))
        np.testing.assert_allclose(answer.accuracy, (by.right.sum() / by["items"].sum()).reindex(index))
        np.testing.assert_allclose(answer.level, by["level"].median().reindex(index))
        np.testing.assert_array_equal(answer.tried, by.passed.count().reindex(index, fill_value=0))
        np.testing.assert_array_equal(answer.passed, by.passed.sum().reindex(index, fill_value=0))
        np.testing.assert_allclose(answer.amount_of_goal, answer.minutes / 200)
        last = self.table[self.table.day <= "2027-02-05"].groupby("student").day.max().reindex(index)
        since = [
            np.nan if pd.isna(one) else np.busday_count(one.date(), "2027-02-06") - (one.weekday() < 5) for one in last
        ]
        np.testing.assert_array_equal(answer.days_since, since)

    def one(self, reason_goals, **columns):
        """Reasons of student 0; student 1 reads something else every day, so that the class has two kinds."""
        n = len(columns["day"])
        plain = {"minutes": np.full(n, 20.0), "items": np.full(n, 10.0), "right": np.full(n, 8.0)} | columns
        days = np.concatenate([plain.pop("day"), [day("02-04")]])
        more = {name: np.append(values, values[-1]) for name, values in plain.items()}
        more["kind"] = np.append(columns.get("kind", np.full(n, "fact")), "story")
        answer = practice(practice_log(np.append(np.zeros(n, int), 1), days, **more), 2, PERIOD, reason_goals)
        return answer.reasons[0]

    def days(self, *texts):
        return np.array([day(text) for text in texts], dtype="datetime64[D]")

    def test_each_reason_and_its_border(self):
        """On the border nothing is off; just beyond it the reason stands."""
        two = self.days("02-01", "02-02")
        # 16 of 20 right: the upper end of the 80 % interval of statsmodels decides.
        upper = proportion_confint(16, 20, alpha=0.2, method="wilson")[1]
        self.assertEqual(self.one(goals(2, accuracy=upper - 1e-9), day=two), ())
        self.assertEqual(self.one(goals(2, accuracy=upper + 1e-9), day=two), ("accuracy low",))
        # 20 of 30 school days: two thirds of the goal by now, of which 85 per cent are enough.
        enough = 40 / 0.85 * 30 / 20
        self.assertEqual(self.one(goals(2, minutes=enough - 0.01), day=two), ())
        self.assertEqual(self.one(goals(2, minutes=enough + 0.01), day=two), ("amount low",))
        unknown = np.array([20.0, np.nan])
        self.assertEqual(self.one(goals(2, minutes=enough + 0.01), day=two, minutes=unknown), ())
        level = np.array([500.0, 520.0])
        self.assertEqual(self.one(goals(2, easiest=510, hardest=510), day=two, level=level), ())
        self.assertEqual(self.one(goals(2, hardest=509), day=two, level=level), ("too hard",))
        self.assertEqual(self.one(goals(2, easiest=511), day=two, level=level), ("too easy",))
        self.assertEqual(self.one(goals(2), day=self.days("01-25")), ())
        self.assertEqual(self.one(goals(2), day=self.days("01-22")), ("not seen",))
        five = self.days("02-01", "02-01", "02-02", "02-03", "02-04")
        self.assertEqual(self.one(goals(2), day=five), ("one kind only",))
        self.assertEqual(self.one(goals(2), day=five[:4]), ())
        self.assertEqual(self.one(goals(2), day=five, kind=np.array(["fact"] * 4 + ["story"])), ())
        self.assertEqual(self.one(goals(2), day=five, kind=np.full(5, "story")), ())

    def test_counts_over_the_class_and_who_was_never_seen(self):
        """A student without an entry: not seen and too little, no accuracy; counts add the class up."""
        log = practice_log([0], [day("02-04")], [60.0], [20.0], [8.0])
        answer = practice(log, 3, PERIOD, goals(3, accuracy=0.7, minutes=60.0))
        self.assertEqual(answer.reasons, (("accuracy low",), ("not seen", "amount low"), ("not seen", "amount low")))
        self.assertEqual(
            (answer.counts["not seen"], answer.counts["accuracy low"], answer.counts["too easy"]), (2, 1, 0)
        )
        self.assertTrue(np.isnan(answer.days_since[1]))
        self.assertTrue(np.isnan(answer.accuracy[1]))

    def test_labels_by_name_and_by_place(self):
        """Places in names that stand in any order say the same as the names themselves."""
        more = ([0, 1, 1], [day("02-04")] * 3, *[[1.0] * 3] * 3)
        by_name = practice_log(*more, kind=["story", "", "fact"], help=["", "read aloud", ""])
        by_place = practice_log(
            *more, kind=[0, 1, 2], kinds=["story", "", "fact"], help=[1, 0, 1], helps=["read aloud", ""]
        )
        for one in fields(by_name):
            np.testing.assert_array_equal(getattr(by_place, one.name), getattr(by_name, one.name), one.name)

    def test_an_entry_before_the_period_shows_when_seen_last(self):
        """But counts for nothing else; one after today is not there yet."""
        log = practice_log([0, 0], [day("01-10"), day("02-06")], [60.0, 60.0], [5.0, 5.0], [5.0, 5.0])
        answer = practice(log, 1, PERIOD, goals(1))
        self.assertEqual((answer.days_since[0], answer.entries[0], answer.minutes[0]), (20, 0, 0))

    def test_a_period_that_is_over_asks_for_the_whole_goal(self):
        """Seen a month later the share elapsed is 1; on its first day it is one day's."""
        self.assertEqual(Period(day("01-11"), day("02-19"), day("03-19")).elapsed, 1)
        self.assertEqual(Period(day("01-11"), day("02-19"), day("01-11")).elapsed, 1 / 30)

    def test_days_without_school_do_not_count(self):
        """A closed week is neither part of the period nor time away; nobody is missed before ten days are over."""
        open_days = np.array([one for one in np.arange(day("01-11"), day("02-20"))
                              if np.is_busday(one) and not day("01-25") <= one <= day("01-29")])  # fmt: skip
        period = Period(day("01-11"), day("02-19"), day("02-05"), open_days)
        self.assertEqual((period.over, period.elapsed), (15, 15 / 25))
        log = practice_log([0, 1], [day("01-22"), day("01-15")], [9.0, 9.0], [1.0, 1.0], [1.0, 1.0])
        answer = practice(log, 3, period, goals(3))
        np.testing.assert_array_equal(answer.days_since, [5, 10, np.nan])
        self.assertEqual(answer.reasons, ((), ("not seen",), ("not seen",)))
        early = Period(day("01-11"), day("02-19"), day("01-21"), open_days)
        self.assertEqual(practice(practice_log([], [], [], [], []), 1, early, goals(1)).reasons, ((),))

    def test_unknown_minutes_are_unknown(self):
        """Known ones add up, and how many are not known is told; with none known there is no sum."""
        log = practice_log([0, 0, 1], [day("02-01")] * 3, [20.0, np.nan, np.nan], [1.0] * 3, [1.0] * 3)
        answer = practice(log, 3, PERIOD, goals(3, minutes=100.0))
        np.testing.assert_array_equal(answer.minutes, [20.0, np.nan, 0.0])
        self.assertEqual(answer.unknown_minutes.tolist(), [1, 1, 0])
        self.assertEqual(answer.counts["amount low"], 1)
        self.assertEqual(shares(["a", "b", "a"], [5.0, np.nan, 15.0]), {"a": 1.0})

    def test_refusals(self):
        """Columns that do not fit, more right than tried, periods that end before they begin."""
        one = ([0], [day("02-04")])
        for arguments, more, words in (
            (([1.0, 2.0], [1.0], [1.0]), {}, "minutes must have an entry"),
            (([1.0], [1.0], [2.0]), {}, "entry 0 has more right than tried"),
            (([-1.0], [1.0], [1.0]), {}, "minutes cannot be negative"),
            (([1.0], [1.0], [1.0]), {"passed": [2.0]}, "passed must be 0 or 1"),
            (([1.0], [1.0], [1.0]), {"kind": ["a", "b"]}, "kind must have an entry"),
            (([1.0], [1.0], [1.0]), {"kind": [0, 1], "kinds": ["a", "b"]}, "kind must have an entry"),
            (([1.0], [1.0], [1.0]), {"kind": [2], "kinds": ["a", "b"]}, "kind must be a place among the 2 labels"),
            (([1.0], [1.0], [1.0]), {"help": [-1], "helps": ["a"]}, "help must be a place among the 1 labels"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                practice_log(*one, *arguments, **more)
        log = practice_log(*one, [1.0], [1.0], [1.0])
        with self.assertRaisesRegex(BadInput, "student 0; there are 0"):
            practice(log, 0, PERIOD, goals(0))
        with self.assertRaisesRegex(BadInput, "accuracy must have a goal for each of 2 students"):
            practice(log, 2, PERIOD, goals(1))
        for first, last, today in (("02-02", "02-01", "02-02"), ("02-02", "02-03", "02-01")):
            with self.assertRaisesRegex(BadInput, "ends before it begins"):
                Period(day(first), day(last), day(today))


class Shares(unittest.TestCase):
    def test_shares_of_the_minutes(self):
        """By hand: 30 of 60 shared, 20 by self, 10 without a word; largest first."""
        answer = shares(["self", "shared", "", "self"], [15.0, 30.0, 10.0, 5.0])
        self.assertEqual(list(answer), ["shared", "self", ""])
        np.testing.assert_allclose(list(answer.values()), [1 / 2, 1 / 3, 1 / 6])
        self.assertEqual(list(shares(["b", "c", "a"], [5.0, 5.0, 5.0])), ["a", "b", "c"])
        for labels, minutes, words in (
            (["a"], [0.0], "sum of minutes"),
            (["a"], [-1.0], "negative"),
            (["a"], [], "alike"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                shares(labels, minutes)
