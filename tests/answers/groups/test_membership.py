"""Entry and exit rules held against results: told a second time by plain loops over the same rows."""

import unittest
from datetime import date, timedelta
from statistics import NormalDist, median

from bodkin.answers.groups.membership import RuledGroup, membership, membership_answer
from tests.support.tables import FALL, WINTER, pairs, result, table_of

TODAY = date(2026, 2, 12)
BELOW = "Tide, reading: percentile below 30 in the latest window"
ABOVE = "Tide, reading: percentile at least 40 in the latest window"
NORM = NormalDist(508, 20)
"""The winter norm of ``table_of``."""


def group(key=1, members=(), entry=None, leave=None, measure=("Tide", "reading")):
    return RuledGroup(key, f"Group {key}", measure, frozenset(members), entry, leave)


def said(groups, table, reach=None, goals=None):
    return membership_answer(membership(groups, table, TODAY, lambda *_: goals or {}, reach), {})


def who(students):
    return {one.student_id for one in students}


class Window(unittest.TestCase):
    def setUp(self):
        self.rows = pairs()
        self.table = table_of(self.rows)
        self.winter = {row["student_id"]: row for row in self.rows if row["window"] == WINTER}

    def rank(self, student):
        """The percentile rank by the norm's own definition."""
        return min(99, max(1, int(100 * NORM.cdf(self.winter[student]["score"]) + 0.5)))

    def test_leaves_and_waits_are_those_of_a_plain_loop(self):
        """Percentiles by the norm, members for the exit, the members' school and grade for the entry."""
        members = {f"s{at:03}" for at in range(0, 60, 4)}
        found = said([group(members=members, entry=BELOW, leave=ABOVE)], self.table).groups[0]
        schools = {self.winter[one]["school"] for one in members}
        self.assertEqual(who(found.leaves), {one for one in members if self.rank(one) >= 40})
        waits = {
            one for one in self.winter
            if one not in members and self.rank(one) < 30 and self.winter[one]["school"] in schools
        }  # fmt: skip
        self.assertEqual(who(found.waits), waits)
        self.assertTrue(waits)

    def test_only_the_school_of_the_members(self):
        """A group of one school is no place for another's students."""
        north = {one for one, row in self.winter.items() if row["school"] == "North"}
        found = said([group(members=sorted(north)[:3], entry=BELOW)], self.table).groups[0]
        self.assertTrue(found.waits)
        self.assertLessEqual(who(found.waits), north)

    def test_who_is_in_such_a_group_does_not_wait(self):
        """A second group of the measure takes students off both lists; one of another measure does not."""
        low = sorted(one for one in self.winter if self.rank(one) < 30)
        first = group(members=low[:1], entry=BELOW)
        alone = said([first], self.table).groups[0]
        other = said([first, group(2, low[1:3])], self.table).groups[0]
        self.assertEqual(who(alone.waits) - who(other.waits), set(low[1:3]) & who(alone.waits))
        elsewhere = said([first, group(2, low[1:3], measure=("Tide", "mathematics"))], self.table).groups[0]
        self.assertEqual(who(elsewhere.waits), who(alone.waits))

    def test_nobody_out_of_reach_is_named(self):
        """Who the reader may not know of does not wait; the counts are of the reader's own."""
        reach = frozenset(sorted(self.winter)[:20])
        answer = said([group(entry=BELOW)], self.table, reach=reach)
        self.assertLessEqual(who(answer.groups[0].waits), reach)
        self.assertEqual(answer.waits, len(answer.groups[0].waits))

    def test_without_a_result_the_rule_cannot_be_told(self):
        """A member who did not sit the window is neither out nor in: unknown, and said so."""
        rows = [row for row in self.rows if not (row["student_id"] == "s000" and row["window"] == WINTER)]
        found = said([group(members=["s000", "s001"], leave=ABOVE)], table_of(rows)).groups[0]
        self.assertEqual(who(found.unknown), {"s000"})
        self.assertNotIn("s000", who(found.leaves))

    def test_bands_and_scores(self):
        """Bands by order with the cuts 490 and 510; a score at the limit meets "at least"."""
        members = list(self.winter)
        for rule, holds in (
            ("Tide, reading: band at least 3 in the latest window", lambda row: row["score"] >= 510),
            ("Tide, reading: band below 2 in the latest window", lambda row: row["score"] < 490),
            ("Tide, reading: score at least 500 in the latest window", lambda row: row["score"] >= 500),
        ):
            found = said([group(members=members, leave=rule)], self.table).groups[0]
            self.assertEqual(who(found.leaves), {one for one, row in self.winter.items() if holds(row)}, rule)

    def test_words_that_are_no_rule_and_no_results_are_said(self):
        """Prose from an import and a test without results: no student, a note that says why."""
        answer = said(
            [group(entry="when ready", leave="Ebb, reading: score at least 3 in the latest window")], self.table
        )
        notes = answer.groups[0].notes
        self.assertEqual((answer.leaves, answer.waits, answer.line), (0, 0, ""))
        self.assertRegex(notes[0], "^exit rule: no results in Ebb, reading")
        self.assertRegex(notes[1], "^entry rule: it is kept in words")

    def test_the_line_counts_each_student_once(self):
        """Two groups with the same entry rule have the same student waiting: one student waits."""
        low = [one for one in self.winter if self.rank(one) < 30]
        answer = said([group(entry=BELOW), group(2, entry=BELOW)], self.table)
        self.assertEqual(answer.line, f"{len(low)} wait for a place")


class Results(unittest.TestCase):
    def table(self, scores):
        """Weekly results of students outside the windows."""
        first = date(2026, 1, 5)
        rows = [
            result(at * 100 + week, student, None, score, tested_on=first + timedelta(weeks=week))
            for at, (student, own) in enumerate(scores.items()) for week, score in enumerate(own)
            if score is not None
        ]  # fmt: skip
        return table_of(rows)

    def test_the_last_results_each_count(self):
        """Three results in a row; one with fewer cannot be told; results after today are left out."""
        rule = "Tide, reading: score at least 20 in the last 3 results"
        scores = {
            "up": [9, 20, 21, 22],
            "slip": [30, 30, 19, 30],
            "few": [30, 30],
            "later": [9, 9, 9, 9, 9, 9, 30, 30, 30],
        }
        found = said([group(members=scores, leave=rule)], self.table(scores)).groups[0]
        self.assertEqual((who(found.leaves), who(found.unknown)), ({"up"}, {"few"}))

    def test_points_above_the_aim_line(self):
        """The aim line from the median of the first three results to the goal, by its definition."""
        rule = "Tide, reading: points above the aim line at least 4 in the last 2 results"
        scores = {"a": [10, 12, 11, 20, 21], "b": [10, 12, 11, 13, 14], "c": [10, 12, 11, 30, 30]}
        goals = {"a": (21.0, date(2026, 3, 16)), "b": (21.0, date(2026, 3, 16))}

        def above(own, week):
            start = median(own[:3])
            return own[week] - (start + (21.0 - start) * (week - 1) / 9)

        met = {one for one in goals if all(above(scores[one], week) >= 4 for week in (3, 4))}
        found = said([group(members=scores, leave=rule)], self.table(scores), goals=goals).groups[0]
        self.assertEqual(met, {"a"})
        self.assertEqual((who(found.leaves), who(found.unknown)), (met, {"c"}))

    def test_one_result_a_day(self):
        """Of two on one day the later line counts."""
        day = date(2026, 1, 5)
        rows = [result(1, "s", FALL, 10, tested_on=day), result(2, "s", FALL, 30, tested_on=day)]
        rule = "Tide, reading: score at least 20 in the last 1 result"
        found = said([group(members=["s"], leave=rule)], table_of(rows)).groups[0]
        self.assertEqual(who(found.leaves), {"s"})
