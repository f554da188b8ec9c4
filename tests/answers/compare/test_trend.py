"""The trend over many windows."""

import unittest

import numpy as np
from scipy import stats

from bodkin.answers.compare.trend import read_over, students_at, trend_answer
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import sentence
from bodkin.core.errors import BadInput
from tests.support.tables import BASE, SPRING, WINDOWS, WINTER, table_of, three_windows, with_spring


class Trend(unittest.TestCase):
    def setUp(self):
        self.rows = three_windows()
        self.table = with_spring(table_of(self.rows))

    def answer_for(self, over=(), **more):
        scope = Scope(**{**BASE, "to_window": SPRING, "between": (WINTER,), **more})
        return trend_answer(self.table, scope, sentence(scope, norms=True), list(over), {}, 1)

    def test_a_window_without_any_result_is_a_gap(self):
        """Nobody sat it: its points are empty, the others stand, and nobody was steady over it."""
        answer = self.answer_for(to_window="2026-27 fall", between=(WINTER, SPRING), matched=False)
        points = answer.lines[0].points
        self.assertEqual([point.n > 0 for point in points], [True, True, True, False])
        self.assertIsNone(points[-1].mean)
        self.assertEqual(answer.steady, 0)

    def scores(self, window, keep):
        return np.array([row["score"] for row in self.rows if row["window"] == window and keep(row)])

    def test_matched_means_and_intervals_equal_scipy(self):
        """The same 38 students at every window; t intervals as scipy.stats.t.interval has them."""
        answer = self.answer_for()
        whole = {f"s{at:03}" for at in range(40)} - {"s003", "s005"}
        self.assertEqual((answer.n, answer.same_students), (38, True))
        for window, point in zip(WINDOWS, answer.lines[0].points, strict=True):
            x = self.scores(window, lambda row: row["student_id"] in whole)
            low, high = stats.t.interval(0.95, x.size - 1, x.mean(), stats.sem(x))
            self.assertEqual(point.n, 38)
            np.testing.assert_allclose([point.mean, point.low, point.high], [x.mean(), low, high])
            self.assertEqual((point.median, point.lowest, point.highest), (np.median(x), x.min(), x.max()))

    def test_all_with_a_result_stand_on_their_own_windows(self):
        """Forty, thirty-nine, thirty-nine."""
        self.assertEqual([point.n for point in self.answer_for(matched=False).lines[0].points], [40, 39, 39])

    def test_a_subgroup_laid_over_and_its_gap(self):
        """Gap to all others with Welch's interval, as scipy.stats.ttest_ind gives it."""
        answer = self.answer_for(over=["program: ML"], matched=False)
        for window, point in zip(WINDOWS, answer.lines[1].points, strict=True):
            mine = self.scores(window, lambda row: row["programs"] == ["ML"])
            rest = self.scores(window, lambda row: row["programs"] == [])
            interval = stats.ttest_ind(mine, rest, equal_var=False).confidence_interval(0.95)
            np.testing.assert_allclose(
                [point.gap, point.gap_low, point.gap_high], [mine.mean() - rest.mean(), *interval]
            )
        self.assertIn("ML: ", answer.lead)

    def test_a_point_opens_its_students(self):
        """As many as it counts."""
        scope = Scope(**{**BASE, "to_window": SPRING, "between": (WINTER,)})
        answer = self.answer_for(over=["program: ML"])
        for at, point in enumerate(answer.lines[1].points):
            self.assertEqual(len(students_at(self.table, scope, at, "program: ML", {})), point.n)

    def test_what_cannot_be_laid_over_is_refused(self):
        """No subgroup, unknown kinds, five of them."""
        for wrong in (["ML"], ["shoe: 42"], ["field:x"], [f"section: {n}" for n in range(5)]):
            with self.subTest(wrong=wrong), self.assertRaises(BadInput):
                self.answer_for(over=wrong)
        self.assertEqual(read_over("field:house: red"), ("field:house", "red"))

    def test_steady_needs_three_windows_at_the_quoted_band(self):
        """Counted by hand: Mid or above in all three and not falling."""

        def order(score):
            return 1 if score < 490 else 2 if score < 510 else 3

        wide = {}
        for row in self.rows:
            wide.setdefault(row["student_id"], {})[row["window"]] = order(row["score"])
        expected = sum(
            len(own) == 3 and own[SPRING] >= 2 and all(own[w] >= own[SPRING] for w in WINDOWS) for own in wide.values()
        )
        self.assertEqual(self.answer_for().steady, expected)
        self.assertIsNone(self.answer_for(to_window=WINTER, between=()).steady)
