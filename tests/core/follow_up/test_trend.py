"""Trend, aim line and the next step."""

import itertools
import statistics
import unittest

import numpy as np
from scipy import stats

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.trend import AimLine, aim_line, next_step, trend
from tests.support.extent import extent


class Trends(unittest.TestCase):
    weeks = np.array([0, 1, 2.2, 3, 4, 5.6, 7, 8])
    scores = np.array([41.0, 44, 40, 47, 49, 46, 55, 90])

    def test_least_squares_agrees_with_scipy(self):
        """Reference: scipy.stats.linregress, slope, intercept and standard error."""
        answer, reference = trend(self.weeks, self.scores), stats.linregress(self.weeks, self.scores)
        self.assertAlmostEqual(answer.slope, reference.slope)
        self.assertAlmostEqual(answer.intercept, reference.intercept)
        self.assertAlmostEqual(answer.error, reference.stderr)

    def test_the_robust_slope_agrees_with_scipy_and_is_not_led_astray(self):
        """Reference: the median over every pair of points, as Sen (1968) has it; a wild point moves it far less."""
        points = list(zip(self.weeks, self.scores, strict=True))
        slopes = [(y2 - y1) / (x2 - x1) for (x1, y1), (x2, y2) in itertools.combinations(points, 2) if x1 != x2]
        answer = trend(self.weeks, self.scores)
        self.assertAlmostEqual(answer.robust_slope, statistics.median(slopes))
        self.assertLess(answer.robust_slope, answer.slope)

    def test_order_and_missing_values_do_not_matter(self):
        """Shuffled, with a result missing in between: the same line."""
        order = np.random.default_rng(1).permutation(8)
        answer = trend(np.append(self.weeks[order], 9), np.append(self.scores[order], np.nan))
        self.assertAlmostEqual(answer.slope, trend(self.weeks, self.scores).slope)
        self.assertEqual(answer.n, 8)

    def test_few_points_are_marked_and_too_few_refused(self):
        """Three are possible but weak, two are none, three on one day are none."""
        self.assertTrue(trend([0, 1, 2], [1, 2, 4]).few)
        self.assertFalse(trend(np.arange(6.0), np.arange(6.0)).few)
        for weeks in ([0, 1], [2, 2, 2]):
            answer = trend(weeks, np.arange(float(len(weeks))))
            self.assertIsNone(answer.slope)
            self.assertIn("at least 3", answer.reason)
        with self.assertRaises(BadInput):
            trend([1, 2], [1, 2, 3])


class Aim(unittest.TestCase):
    def test_from_the_median_of_the_first_three_to_the_goal(self):
        """Baseline 42 at week 1, goal 72 at week 16: two a week."""
        aim = aim_line([2, 0, 1, 3], [50, 40, 42, 60], 16, 72)
        self.assertEqual((aim.start_week, aim.start, aim.slope), (1, 42, 2))
        np.testing.assert_allclose(aim.at([1, 16]), [42, 72])

    def test_refusals(self):
        """No baseline, a goal in the past."""
        with self.assertRaisesRegex(BadInput, "baseline of 3"):
            aim_line([0, 1], [1, 2], 9, 9)
        with self.assertRaisesRegex(BadInput, "after the baseline"):
            aim_line([0, 1, 2], [1, 2, 3], 2, 9)


class Rule(unittest.TestCase):
    aim = AimLine(0, 40, 20, 60)

    def act(self, scores, weeks=None):
        return next_step(np.arange(len(scores)) if weeks is None else weeks, scores, self.aim).act

    def test_four_in_a_row(self):
        """The last four below: change; above: raise the goal; one on the line breaks the row."""
        self.assertEqual(self.act([41, 43, 42, 42, 42, 43, 44]), "change")
        self.assertEqual(self.act([38, 40, 43, 44, 45, 46, 47]), "raise")
        self.assertEqual(self.act([40, 41, 42, 43, 44, 45, 46]), "stay")

    def test_otherwise_trend_against_aim_line(self):
        """Flat, steep, and within the error of the slope."""
        self.assertEqual(self.act([47, 46, 45.5, 45, 44.5, 44, 43.5]), "change")
        self.assertEqual(self.act([30, 33, 36, 40, 43, 46, 49]), "raise")
        self.assertEqual(self.act([39, 43, 40, 45, 42, 47, 44]), "stay")

    def test_too_little_is_refused_with_what_is_needed(self):
        """Five results, or six within two weeks."""
        answer = next_step(np.arange(5), np.arange(5.0), self.aim)
        self.assertEqual(answer.act, "none")
        self.assertIn("6 days over 3 weeks; there are 5", answer.reason)
        self.assertEqual(self.act(np.arange(6.0), np.linspace(0, 2, 6)), "none")

    def test_a_change_is_confirmed_only_beyond_chance_and_twice(self):
        """The word at the result before, four results after the baseline, and a mean off the line beyond scatter."""
        weeks = np.arange(8.0)
        line = self.aim.at(weeks)
        low = np.array([0, 1, -1, -4, -5, -4, -5, -4.0])
        self.assertTrue(next_step(weeks, line + low, self.aim).confirmed)
        # At the seventh result the word is new: look again next week.
        new = next_step(weeks[:7], (line + np.array([-9, 3, 0.5, -1, -1, -1, -1, 0]))[:7], self.aim)
        self.assertEqual((new.act, new.confirmed), ("change", False))
        self.assertEqual(next_step(weeks[:6], (line + low)[:6], self.aim).confirmed, False)
        wild = np.array([9, -12, 10, -1, -12, -0.1, -9, -0.2])
        self.assertEqual(next_step(weeks, line + wild, self.aim).confirmed, False)
        self.assertIsNone(next_step(weeks, line + np.array([1, -1] * 4), self.aim).confirmed)
        # The limit itself: t(0.95, n - 2) s / 2, s about the trend (scipy.stats.linregress).
        for off in np.linspace(-6, -0.2, 30):
            scores = line + np.array([0.5, 1, -1, off, off - 1, off + 1, off - 1.5, off])
            fit = stats.linregress(weeks, scores)
            scatter = np.sqrt(((scores - fit.intercept - fit.slope * weeks) ** 2).sum() / 6)
            said = next_step(weeks, scores, self.aim)
            if said.act == "change" and next_step(weeks[:7], scores[:7], self.aim).act == "change":
                beyond = (scores - line)[-4:].mean() < -stats.t.ppf(0.95, 6) * scatter / 2
                self.assertEqual(said.confirmed, bool(beyond))

    def test_lower_is_better_and_the_goal_s_date(self):
        """Scores and aim turned round first; results after the goal do not count; adaptive tests give no rule."""
        weeks = np.arange(8.0)
        up = self.aim.at(weeks) + np.array([0, 1, -1, -4, -5, -4, -5, -4.0])
        down = AimLine(0, 60, 20, 40)
        turned = next_step(weeks, 100 - up, down, lower_is_better=True)
        plain = next_step(weeks, up, self.aim)
        self.assertEqual((turned.act, turned.confirmed), (plain.act, plain.confirmed))
        late = next_step([*weeks, 21.0, 22.0, 23.0, 24.0], [*up, 90, 90, 90, 90], self.aim)
        self.assertEqual((late.act, late.confirmed), (plain.act, plain.confirmed))
        self.assertEqual(next_step(weeks, up, self.aim, few_is_no_rule=True).act, "none")

    def test_how_often_it_is_wrong(self):
        """Simulation, noise of 5 and an aim of 1.5 a week: what docs/figures promises of three limits, within error.

        On the line: a confirmed change within 15 weekly results; at a third of the aim: found within 10.
        """
        rng = np.random.default_rng(5)
        aim = AimLine(0, 40, 30, 85)

        students = extent(100, 250)

        def told(rate, weeks, sure):
            week, hits = np.arange(float(weeks)), 0
            for _ in range(students):
                score = 40 + rate * week + rng.normal(0, 5, weeks)
                steps = (next_step(week[:n], score[:n], aim, sure=sure) for n in range(7, weeks + 1))
                hits += any(step.act == "change" and step.confirmed for step in steps)
            return hits / students

        for sure, alarm, found in ((0.95, 0.17, 0.82), (0.975, 0.10, 0.77)):
            self.assertAlmostEqual(told(1.5, 15, sure), alarm, delta=0.07)
            self.assertAlmostEqual(told(0.5, 10, sure), found, delta=0.08)
