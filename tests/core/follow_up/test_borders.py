"""Borders of follow-up."""

import unittest
import unittest.mock
import warnings

import numpy as np

from bodkin.core.compare import cohorts
from bodkin.core.errors import BadInput
from bodkin.core.follow_up import matched_comparison, practice, trend

NAN = np.nan


def days(*texts):
    return np.array([f"2027-{text}" for text in texts], dtype="datetime64[D]")


class FollowUp(unittest.TestCase):
    aim = trend.AimLine(0, 40, 10, 60)

    def test_six_results_over_three_weeks(self):
        """Just enough of both is enough; one less of either is not; the weeks are from the first to the last."""
        weeks = np.array([1.0, 1.6, 2.2, 2.8, 3.4, 4.0])
        self.assertEqual(trend.next_step(weeks, self.aim.at(weeks) - 5, self.aim).act, "change")
        self.assertEqual(trend.next_step(weeks[:5], self.aim.at(weeks[:5]) - 5, self.aim).act, "none")
        short = np.array([1.0, 1.1, 1.2, 1.3, 3.8, 3.9])
        answer = trend.next_step(short, self.aim.at(short) - 5, self.aim)
        self.assertEqual(answer.act, "none")
        self.assertIn("6 over 2.9", answer.reason)
        self.assertIn("0 over 0.0", trend.next_step([], [], self.aim).reason)
        one = trend.next_step([5.0], [1.0], self.aim)
        self.assertIn("1 over 0.0", one.reason)
        after = trend.next_step([50.0], [1.0], self.aim)
        self.assertIn("0 over 0.0", after.reason)

    def test_the_last_four_decide(self):
        """Half a point above is above; on the line is neither; the first ones do not matter."""
        weeks = np.arange(8.0)
        line = self.aim.at(weeks)
        self.assertEqual(trend.next_step(weeks, line + 0.5, self.aim).act, "raise")
        self.assertEqual(trend.next_step(weeks, line - 0.5, self.aim).act, "change")
        mixed = line + np.array([9, 9, 9, 9, -1, -1, -1, -1])
        self.assertEqual(trend.next_step(weeks, mixed, self.aim).act, "change")
        self.assertEqual(trend.next_step(weeks, line, self.aim).act, "stay")

    def test_results_on_few_days_have_no_rule(self):
        """Six results on two days: no trend, said in words."""
        answer = trend.next_step([0, 0, 0, 4, 4, 4], [30, 50, 41, 50, 46, 52], self.aim)
        self.assertEqual(answer.act, "none")
        self.assertIn("6 days over 3 weeks; there are 2 over 4.0", answer.reason)
        self.assertEqual(trend.trend([0, 0, 0, 4], [1, 2, 3, 4]).n, 4)

    def test_ties_in_a_week_keep_their_order(self):
        """Several results of one day: the last four are those that came last."""
        weeks = np.array([0.0, 1.0, 2.0, 3.0] + [4.0] * 18 + [5.0] * 20)
        scores = np.concatenate([np.full(22, 41.0), np.full(16, 99.0), np.full(4, 1.0)])
        self.assertEqual(trend.next_step(weeks, scores, self.aim).act, "change")

    def test_practice_on_its_last_day(self):
        """The last day counts; so does an entry on the only day; one item is an accuracy, none is not."""
        day = days("02-19")
        period = practice.Period(days("02-19")[0], day[0], days("03-01")[0])
        free = practice.PracticeGoals(*(np.array([value]) for value in (NAN, 0.5, NAN, NAN)))
        answer = practice.practice(practice.practice_log([0], day, [1.0], [1.0], [1.0]), 1, period, free)
        self.assertEqual((answer.entries[0], answer.accuracy[0], answer.days_since[0]), (1, 1.0, 6.0))
        self.assertEqual(answer.amount_of_goal[0], 2.0)
        none = practice.PracticeGoals(*(np.array([value]) for value in (0.5, 0.0, NAN, NAN)))
        answer = practice.practice(practice.practice_log([0], day, [1.0], [0.0], [0.0]), 1, period, none)
        self.assertTrue(np.isnan(answer.accuracy[0]) and np.isnan(answer.amount_of_goal[0]))
        self.assertEqual(answer.reasons, ((),))
        for items_, right in ((NAN, 1.0), (4.0, NAN)):
            log = practice.practice_log([0, 0], [day[0]] * 2, [1.0] * 2, [2.0, items_], [1.0, right])
            self.assertEqual(practice.practice(log, 1, period, free).accuracy[0], 0.5)

    def test_did_it_help_at_the_edge_of_the_caliper(self):
        """The spread is that of all of the stratum with both figures; a start just one caliper away is a pair."""
        start = np.array([0.0, 10.0, 30.0, 50.0])
        reach = 10 / start.std(ddof=1)
        answer = matched_comparison.matched_comparison(
            [1.0, 0, 0, 0], start, [True, False, False, False], ["a"] * 4, reach
        )
        self.assertEqual(answer.pairs.tolist(), [[0, 1]])
        answer = matched_comparison.matched_comparison(
            [1.0, 0, 0, 0], start, [True, False, False, False], ["a"] * 4, reach * 0.999
        )
        self.assertEqual((answer.pairs.size, answer.unmatched), (0, 1))
        for z, x, pairs in (([1.0, NAN], [5.0, 5.0], 0), ([1.0, 0.0], [5.0, NAN], 0), ([1.0, 0.0], [5.0, 5.0], 1)):
            answer = matched_comparison.matched_comparison(z, x, [True, False], ["a", "a"], 5)
            self.assertEqual(answer.pairs.shape, (pairs, 2))

    def test_those_with_fewest_candidates_choose_first(self):
        """Two members, one of them with a single candidate that the other would take too."""
        start = [500.0, 504.0, 502.0, 497.0, 300.0, 700.0]
        answer = matched_comparison.matched_comparison(
            [0.0] * 6, start, [True, True, False, False, False, False], ["a"] * 6, 3.5 / np.std(start, ddof=1)
        )
        self.assertEqual(sorted(answer.pairs.tolist()), [[0, 3], [1, 2]])
        self.assertEqual(answer.unmatched, 0)

    def test_the_nearest_is_taken(self):
        """Not the first, nor the one with the lowest start."""
        answer = matched_comparison.matched_comparison(
            [0.0] * 4, [-50.0, -80.0, -51.0, 60.0], [True, False, False, False], ["a"] * 4, 5
        )
        self.assertEqual(answer.pairs.tolist(), [[0, 2]])

    def test_ten_pairs_are_not_few(self):
        """Nine are."""
        for n, few in ((10, False), (9, True)):
            start = np.tile(np.arange(n) * 10.0, 2)
            member = np.arange(2 * n) < n
            answer = matched_comparison.matched_comparison(np.arange(2.0 * n), start, member, ["a"] * (2 * n), 0.2)
            self.assertEqual((answer.pairs.shape[0], answer.few), (n, few))

    def test_cohorts(self):
        """Two students have an interval with one degree of freedom; a window nobody sat says nothing, quietly."""
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            answer = cohorts.cohort_means([[500.0, NAN], [510.0, NAN]])
        self.assertAlmostEqual(answer.high[0] - answer.mean[0], 12.7062 * 5, places=2)
        self.assertTrue(np.isnan(answer.mean[1]))
        for confidence in (0.0, 1.0, 1.5):
            with self.assertRaisesRegex(BadInput, "between 0 and 1"):
                cohorts.cohort_means([[500.0]], confidence)
