"""Goals: what it takes to get there."""

import math
import unittest
from dataclasses import replace
from datetime import date

from scipy import stats

from bodkin.answers.goals.goals import chosen_scores, goal_offers, next_target
from bodkin.answers.scope.scope import Scope
from bodkin.core.errors import BadInput
from bodkin.core.windows import Window, parse_window
from bodkin.store.reads.table.score_table import Calendar
from tests.support.tables import BASE, FALL, SPRING, WINTER, pairs, table_of, with_spring


class Goals(unittest.TestCase):
    def setUp(self):
        self.table = with_spring(table_of(pairs(n=30)))
        self.scope = Scope(**BASE)

    def offers(self, *students, **more):
        return goal_offers(self.table, self.scope, frozenset(students), {}, **more)

    def test_what_it_takes_by_hand(self):
        """Keeping pace and the lowest score of Mid in spring, from the winter score; as the formula has it."""
        answer = self.offers("s000", "s001", "s002")
        self.assertEqual((answer.until, answer.band), (SPRING, 2))
        for row in answer.rows:
            x = row.start
            expected = 515 + 0.85 * (x - 508)
            spread = 20 * math.sqrt(1 - 0.85**2)
            self.assertEqual(row.keep_pace.score, math.ceil(expected - 1e-9))
            self.assertEqual(row.weeks, 13.0)
            self.assertEqual(row.catch_up.score, 490)
            self.assertEqual(row.catch_up.there, x >= 490)
            needed = row.keep_pace.score
            self.assertAlmostEqual(row.keep_pace.usual, stats.norm.sf((needed - expected) / spread), places=12)
            self.assertAlmostEqual(row.keep_pace.a_week, (needed - x) / 13)

    def test_a_window_to_come_is_the_date_itself(self):
        """Fall to winter with nobody tested in winter yet: goals are for winter, from the fall score."""
        rows = [row for row in pairs(n=30) if row["window"] == FALL]
        table = with_spring(table_of(rows))
        answer = goal_offers(table, self.scope, frozenset({"s000"}), {}, today=date(2025, 10, 20))
        self.assertEqual((answer.until, answer.latest), (WINTER, parse_window(FALL).label))
        row = answer.rows[0]
        self.assertEqual(row.weeks, 15.0)
        self.assertEqual(row.keep_pace.score, math.ceil(508 + 0.85 * (row.start - 500) - 1e-9))
        self.assertGreater(row.keep_pace.usual, 0.4)
        with self.assertRaises(BadInput):
            goal_offers(table, self.scope, frozenset({"s000"}), {}, until=parse_window(FALL))

    def test_a_window_that_is_over_is_not_to_come(self):
        """Nobody was tested in a winter that the calendar says is past: goals are for spring."""
        rows = [row for row in pairs(n=30) if row["window"] == FALL]
        days = Calendar({}, {WINTER: (date(2026, 1, 5), date(2026, 1, 30))})
        table = replace(with_spring(table_of(rows)), calendar=days)
        for today, until in ((date(2026, 1, 30), WINTER), (date(2026, 1, 31), SPRING)):
            answer = goal_offers(table, self.scope, frozenset({"s000"}), {}, today=today)
            self.assertEqual(answer.until, until)

    def test_percentile_goals_and_own_ones(self):
        """The 75th percentile of spring: 515 + 0.6745 x 20, from a table of the normal distribution."""
        answer = self.offers("s000", percentile=75)
        self.assertEqual(answer.rows[0].catch_up.score, 529)
        start = answer.rows[0].start
        self.assertEqual(chosen_scores(answer, "own", 12.0), [("s000", start + 12)])
        for wrong in (None, 0.0):
            with self.assertRaises(BadInput):
                chosen_scores(answer, "own", wrong)

    def test_who_is_there_already_gets_no_goal(self):
        """Catching up to where one is is no goal."""
        answer = self.offers(*(f"s{at:03}" for at in range(30)))
        wanted = {row.student_id for row in answer.rows if row.start < 490}
        self.assertEqual({student for student, _ in chosen_scores(answer, "catch up", None)}, wanted)

    def test_a_student_without_the_later_result_starts_from_the_earlier(self):
        """And one without any stands apart."""
        rows = [row for row in pairs(n=30) if not (row["student_id"] == "s004" and row["window"] == WINTER)]
        answer = goal_offers(with_spring(table_of(rows)), self.scope, frozenset({"s004", "s900"}), {})
        self.assertEqual([(row.student_id, row.start_window) for row in answer.rows], [("s004", FALL)])
        self.assertEqual(answer.without, ["s900"])

    def test_the_window_of_a_goal_lies_ahead(self):
        """Spring of the year, after spring that of the next; an earlier one is refused."""
        self.assertEqual(next_target(parse_window(WINTER)), Window(2025, 2))
        self.assertEqual(next_target(parse_window(SPRING)), Window(2026, 2))
        with self.assertRaises(BadInput):
            self.offers("s000", until=parse_window(FALL))
