"""What students are grouped by, foci that are given, moves by hand, two arrangements side by side."""

import unittest

import numpy as np
import pandas as pd

from bodkin.answers.groups.arrangements import ArrangedGroup, arrangements_answer
from bodkin.answers.groups.measures import (
    NeedPart,
    focus_words,
    given_foci,
    need_table,
    needs_from_score,
    needs_from_standards,
)
from bodkin.answers.groups.proposal import AskedGroups, asked_grouping
from bodkin.core.errors import BadInput

STUDENTS = [f"s{at}" for at in range(12)]
NAN = float("nan")


def table(values, names=("Words", "Story")):
    values = np.array(values, dtype=float)
    students = [f"s{at}" for at in range(len(values))]
    return need_table(students, [NeedPart("strands", list(names), students, values)])


def drawn(n=12, seed=4):
    return table(np.random.default_rng(seed).normal(-0.5, 1, (n, 2)).round(2))


class Measures(unittest.TestCase):
    def test_scores_as_spreads(self):
        """As pandas has it: from the mean in standard deviations with n - 1; missing stays missing, alike is 0."""
        scores = [500.0, 510.0, NAN, 530.0]
        series = pd.Series(scores)
        np.testing.assert_allclose(needs_from_score(np.array(scores)), (series - series.mean()) / series.std())
        np.testing.assert_array_equal(needs_from_score(np.array([5.0, 5.0, NAN])), [0, 0, NAN])

    def test_standards_as_needs(self):
        """Mastered 0, nearly -1, not yet -2; thin and no evidence are not known."""
        np.testing.assert_array_equal(needs_from_standards(np.array([[0, 1, 2, 3, 4]])), [[0, -1, -2, NAN, NAN]])

    def test_several_side_by_side(self):
        """Parts over different students: in the order asked for, missing where a part does not have one."""
        found = need_table(
            ["b", "a", "c"],
            [NeedPart("strands", ["Words"], ["a", "b"], np.array([[1.0], [2.0]])),
             NeedPart("score", ["Tide score"], ["c", "b"], np.array([[510.0], [500.0]]))],
        )  # fmt: skip
        np.testing.assert_allclose(found.values, [[2, -(0.5**0.5)], [1, NAN], [NAN, 0.5**0.5]])
        self.assertEqual(found.known.students, ["b", "a", "c"])

    def test_given_foci(self):
        """The mean of those who stand lowest in a measure; nobody does: the lowest value there, means elsewhere."""
        found = given_foci(table([[-2, 0], [-1, 1], [0, 3]]), ["Words", "Story"])
        np.testing.assert_allclose(found[0], [-1, 4 / 3])
        np.testing.assert_allclose(found[1], [-1, -2])
        with self.assertRaisesRegex(BadInput, 'there is no "Luck"'):
            given_foci(table([[0, 0]]), ["Luck"])

    def test_focus_in_words(self):
        """The lowest, and a second one that is nearly as low and below the line."""
        needs = drawn()
        self.assertEqual(focus_words(needs, np.array([-1.5, 0.2])), "Words −1.5")
        self.assertEqual(focus_words(needs, np.array([-1.5, -1.2])), "Words −1.5, Story −1.2")


class Proposed(unittest.TestCase):
    def asked(self, **more):
        return AskedGroups(**({"number": 3, "fewest": 3, "most": 5} | more))

    def test_a_followed_search_gives_the_same_groups(self):
        """Each better one is handed on, none worse than the last; the last word is that of an unfollowed search."""
        grouping, better = asked_grouping(drawn(40), self.asked(number=6, fewest=5, most=9)), []
        last = grouping.search({}, grouping.following({}, better.append))
        self.assertEqual(last, grouping.search({}))
        totals = [one.total for one in better]
        self.assertEqual(totals, sorted(totals, reverse=True))
        self.assertAlmostEqual(totals[-1], last.total)

    def test_a_stopped_search_keeps_the_best_so_far(self):
        """Stopped at the first grouping: that one, whole and within the sizes, and not called proven."""
        grouping = asked_grouping(drawn(60), self.asked(number=8, fewest=6, most=9))
        search = grouping.following({}, lambda _: search.stop())
        found = grouping.search({}, search)
        sizes = [len(one.students) for one in found.groups]
        self.assertEqual(sum(sizes), 60)
        self.assertTrue(all(6 <= n <= 9 for n in sizes))
        self.assertFalse(found.proven)
        self.assertGreaterEqual(found.total, grouping.search({}).total)

    def test_given_foci_make_so_many_groups(self):
        """One group for each focus, by its name."""
        found = asked_grouping(drawn(), self.asked(foci=["Story", "Words"], most=9)).search({})
        self.assertEqual(len(found.groups), 2)
        self.assertTrue(found.groups[0].focus.startswith("Story"))

    def test_a_move_by_hand_is_checked_and_costed(self):
        """The cost is the difference of the distances; a full group and a pair kept apart are said in words."""
        needs = drawn()
        grouping = asked_grouping(needs, self.asked(most=4, fewest=4, apart=[("s0", "s1")]))
        found = grouping.search({})
        place = {one.student_id: at for at, group in enumerate(found.groups) for one in group.students}
        target = place["s1"]
        move = grouping.move([place[one] for one in needs.students], [None] * 3, "s0", target, {})
        away = np.linalg.norm(needs.values[0] - np.array([group.centre for group in found.groups]), axis=1)
        self.assertAlmostEqual(move.cost, away[target] - away[place["s0"]])
        self.assertAlmostEqual(move.distance, away[target])
        self.assertEqual(len(move.broken), 3, move.broken)
        with self.assertRaisesRegex(BadInput, "not among those placed"):
            grouping.move([0] * 12, [None] * 3, "nobody", 0, {})


class Arrangements(unittest.TestCase):
    def test_told_a_second_time(self):
        """Mean distance from the middle of the group, by NumPy; who changes company; minutes add up."""
        needs = drawn(6)
        before = [ArrangedGroup("A", ["s0", "s1", "s2"], 90.0), ArrangedGroup("B", ["s3", "s4"], 60.0)]
        after = [ArrangedGroup("One", ["s0", "s1", "s3"], 90.0), ArrangedGroup("Two", ["s4", "s5"], None)]
        found = arrangements_answer(needs, before, after, {})
        at = {one: needs.values[place] for place, one in enumerate(needs.students)}
        for side, groups in ((found.before, before), (found.after, after)):
            away = [
                float(np.linalg.norm(at[one] - np.mean([at[s] for s in group.students], axis=0)))
                for group in groups for one in group.students
            ]  # fmt: skip
            self.assertAlmostEqual(side.distance, float(np.mean(away)))
        self.assertEqual((found.before.minutes, found.after.minutes), (150.0, None))
        self.assertEqual({(one.student_id, one.before, one.after) for one in found.moves},
                         {("s2", "A", None), ("s3", "B", "One"), ("s5", None, "Two")})  # fmt: skip
        self.assertEqual(found.same, 3)

    def test_the_same_arrangement_moves_nobody(self):
        """Whatever the groups are called."""
        needs = drawn(4)
        before = [ArrangedGroup("A", ["s0", "s1"], None), ArrangedGroup("B", ["s2", "s3"], None)]
        after = [ArrangedGroup("X", ["s2", "s3"], None), ArrangedGroup("Y", ["s1", "s0"], None)]
        found = arrangements_answer(needs, before, after, {})
        self.assertEqual((found.moves, found.same, found.said), ([], 4, "Nobody moves."))
