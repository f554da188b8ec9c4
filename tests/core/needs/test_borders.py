"""Borders of needs."""

import unittest
import unittest.mock
import warnings

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.needs import items, mastery, standards, strands

NAN = np.nan


class Needs(unittest.TestCase):
    def test_mastery(self):
        """Limits at the ends of their range; three points are enough; half a point is evidence, if thin."""
        self.assertEqual(mastery.mastery_from_points([3], [3], 100, 0).states, ["mastered"])
        self.assertEqual(mastery.mastery_from_points([3.0, 2.0], [3, 3]).states, ["mastered", "nearly"])
        self.assertEqual(mastery.mastery_from_points([3.0, 1.0], [4, 2]).percent.tolist(), [75.0, 50.0])
        answer = mastery.mastery_from_points([0.25, 0], [0.5, 0])
        self.assertEqual((answer.states, answer.percent[0]), (["thin evidence", "no evidence"], 50.0))
        self.assertTrue(np.isnan(answer.percent[1]))
        for upper, lower in ((80, 80), (101, 60), (80, -0.5)):
            with self.assertRaisesRegex(BadInput, "within 0..100"):
                mastery.mastery_from_points([1], [3], upper, lower)
        with self.assertRaises(BadInput):
            mastery.mastery_from_points([1, 1], [3])
        # Eight tenths of 0.3 + 0.6 points are mastered whatever the last digit; unknown points are none.
        self.assertEqual(mastery.mastery_from_points([0.72], [0.3 + 0.6], items=[3]).states, ["mastered"])
        answer = mastery.mastery_from_points([NAN, 4, 4, 4], [5, NAN, 5, 5], items=[5, 5, 2, NAN])
        self.assertEqual(answer.states, ["no evidence", "no evidence", "thin evidence", "thin evidence"])
        np.testing.assert_array_equal(answer.percent, [NAN, NAN, 80, 80])

    def test_the_teacher_wins_on_one_day_whatever_the_state(self):
        """Also over a state that a sort by letters would put last; the later of two equals does not matter."""
        day = np.datetime64("2027-02-01")
        later = mastery.Evidence(day + 9, by_teacher=True, state="thin evidence")
        self.assertEqual(mastery.newest([later, mastery.Evidence(day, by_teacher=False, state="not yet")]), "not yet")
        self.assertEqual(mastery.newest([later]), "thin evidence")
        one, two = (
            mastery.Evidence(day, by_teacher=False, state=s, line=n) for s, n in (("not yet", 2), ("mastered", 3))
        )
        self.assertEqual((mastery.newest([one, two]), mastery.newest([two, one])), ("mastered", "mastered"))
        teacher = mastery.Evidence(day, by_teacher=True, state="mastered", line=1)
        answer = [teacher, mastery.Evidence(day, by_teacher=False, state="thin evidence")]
        self.assertEqual(mastery.newest(answer), "mastered")
        answer = [teacher, mastery.Evidence(day, by_teacher=True, state="not yet")]
        self.assertEqual(mastery.newest(answer), "mastered")

    def test_few_students_give_counts_only(self):
        """Nine give counts, ten give figures; what stands for nothing is nothing and no surprise."""
        answer = items.item_figures(np.tile([[1.0, 0.0], [0.0, 1.0], [1.0, 1.0]], (3, 1)))
        self.assertEqual((answer.n, answer.few, answer.alpha), (9, True, None))
        for figure in (answer.difficulty, answer.discrimination, answer.upper_lower):
            np.testing.assert_array_equal(figure, [NAN, NAN])
        ten = items.item_figures(np.vstack([np.eye(2).repeat(4, axis=0), [[1, 1], [0, 0]]]))
        self.assertEqual((ten.n, ten.reason), (10, None))
        self.assertFalse(np.isnan(ten.difficulty).any())
        flags = items.item_flags([0] * 5 + [1] * 4, {0}, 3, np.zeros(9), -1.0)
        self.assertEqual(flags.chosen.tolist(), [5, 4, 0])
        self.assertEqual((flags.check_the_key, flags.shared_mistake, flags.does_not_tell), (False, None, False))
        self.assertEqual((flags.nobody_wrong, flags.nobody_right), (False, False))
        self.assertTrue(items.item_flags([1], {0}, 2, [1.0], 0.5).nobody_right)
        self.assertFalse(items.item_flags([0, 1], {0}, 2, [1.0, 1.0], 0.5).nobody_right)
        self.assertTrue(items.item_flags([0], {0}, 2, [1.0], 0.5).nobody_wrong)
        self.assertFalse(items.item_flags([], {0}, 2, [], 0.5).nobody_wrong)
        self.assertTrue(items.item_flags([0] * 20 + [1] * 10, {0}, 3, np.zeros(30), -1.0).does_not_tell)
        self.assertFalse(items.item_flags([0] * 20 + [1] * 9, {0}, 3, np.zeros(29), -1.0).does_not_tell)

    def test_the_key_is_doubted_by_two_of_the_top_third_or_more(self):
        """Of thirty students ten are the top third: a lead of two, higher scores elsewhere, and a chosen key."""
        rest = np.arange(30.0)

        def doubted(by_top, low=(0,), keys=(0,)):
            """The best ten choose as given, the others ``low`` in turn."""
            chosen = np.array([*(low[at % len(low)] for at in range(20)), *by_top])
            return items.item_flags(chosen, set(keys), 3, rest, 0.5).check_the_key

        self.assertTrue(doubted([1] * 6 + [0] * 4))
        self.assertFalse(doubted([1] * 5 + [0] * 4 + [2]))
        self.assertFalse(doubted([1] * 5 + [0] * 5))
        self.assertTrue(doubted([0] * 4 + [1] * 6, low=(0, 2)))
        # Nobody chose the key: nothing to hold the wrong answer against.
        self.assertFalse(doubted([1] * 10, low=(1,)))
        # Two keys count together.
        self.assertFalse(doubted([1] * 5 + [0] * 3 + [2] * 2, keys=(0, 2)))
        # Those who chose the wrong answer must know more elsewhere than those who chose the key.
        self.assertFalse(doubted([1] * 6 + [0] * 4, low=(1, 1, 1, 2)))

    def test_thirds_share_ties_in_equal_parts(self):
        """Five tied at the border of the top two: two fifths each; NaN is in no third."""
        for scores, size, top, bottom in (
            ([1, 5, 5, 5, 5, 5], 2, [0, 0.4, 0.4, 0.4, 0.4, 0.4], [1, 0.2, 0.2, 0.2, 0.2, 0.2]),
            ([9, 5, 5, 1], 2, [1, 0.5, 0.5, 0], [0, 0.5, 0.5, 1]),
            ([NAN, 5, 4, 1], 2, [0, 1, 1, 0], [0, 0, 1, 1]),
            ([0.1 + 0.2, 0.3, 0.1], 1, [0.5, 0.5, 0], [0, 0, 1]),
            ([NAN, 5], 2, [0, 1], [0, 1]),
            ([3, 1, 2], 3, [1, 1, 1], [1, 1, 1]),
            ([], 1, [], []),
        ):
            with self.subTest(scores=scores, size=size):
                np.testing.assert_allclose(items.end_weights(scores, size), [top, bottom])
        flags = items.item_flags([0, 1, 1, 0, 0, 1], {0}, 2, [3, 3, 3, 1, 1, 1], 0.5)
        np.testing.assert_allclose(flags.top, [2 / 3, 4 / 3])
        np.testing.assert_allclose(flags.bottom, [4 / 3, 2 / 3])
        with self.assertRaisesRegex(BadInput, "size"):
            items.end_weights([1.0], 0)

    def test_a_shared_mistake_is_half_of_all_mistakes(self):
        """At least 30 in 100 of all and half of the wrong ones, the first of two; on three options or more."""
        rest = np.arange(20.0)

        def shared(*counts, options=4):
            return items.item_flags(np.repeat(np.arange(len(counts)), counts), {0}, options, rest, 0.5).shared_mistake

        self.assertEqual(shared(8, 6, 6), 1)
        self.assertEqual(shared(9, 5, 6), 2)
        self.assertIsNone(shared(5, 5, 5, 5))
        self.assertIsNone(shared(6, 6, 4, 4))
        self.assertEqual(shared(6, 7, 4, 3), 1)
        self.assertIsNone(shared(8, 12, options=2))

    def test_points_tell_more_than_the_key(self):
        """Part credit: somebody with half the points is neither right nor wrong."""
        flags = items.item_flags([0, 0, 1], {0}, 2, np.zeros(3), 0.5, [1.0, 0.5, 0.0])
        self.assertEqual((flags.nobody_wrong, flags.nobody_right), (False, False))
        self.assertTrue(items.item_flags([0, 1], {0}, 2, np.zeros(2), 0.5, [1.0, 1.0]).nobody_wrong)
        self.assertTrue(items.item_flags([0, 0], {0}, 2, np.zeros(2), 0.5, [0.0, 0.0]).nobody_right)
        with self.assertRaisesRegex(BadInput, "same students"):
            items.item_flags([0, 0], {0}, 2, [1.0], 0.5)

    def test_items_without_spread(self):
        """One item has no alpha, nor has a test on which all did alike; two items have one, quietly."""
        one = np.array([[1.0], [0.0]] * 5)
        self.assertIsNone(items.item_figures(one).alpha)
        self.assertAlmostEqual(items.item_figures(np.array([[1.0, 1.0], [0.0, 0.0]] * 5)).alpha, 1.0)
        self.assertAlmostEqual(items.item_figures(np.array([[0.1, 0.1], [0.0, 0.0]] * 5)).alpha, 1.0)
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            self.assertIsNone(items.item_figures(np.array([[1.0, 0.0], [0.0, 1.0]] * 5)).alpha)
            items.item_figures(np.array([[1.0, 1.0], [0.0, 1.0]] * 5))

    def test_points_of_each_shape(self):
        """Each part of the shape is looked at; an item worth nothing is refused."""
        for options, keys, worth in (([0, 1], [{0}, {1}], [1, 1]), ([[0, 1]], [{0}], [1]), ([[0]], [{0}], [0])):
            with self.assertRaises(BadInput):
                items.points_won(options, keys, worth)

    def test_nobody_right_goes_by_all_points(self):
        """Half the points for everybody: nobody has the item right, and nobody sat is no finding."""
        flags = items.item_flags([0, 0, 0], {0}, 2, [1.0, 2.0, 3.0], 0.3, [0.5, 0.5, 0.5])
        self.assertEqual((flags.nobody_right, flags.nobody_wrong), (True, False))
        self.assertFalse(items.item_flags([], {0}, 2, [], 0.3).nobody_right)

    def test_standards(self):
        """The rows keep what they were worked out from; a standard nobody knows is not offered."""
        graph = standards.prerequisite_graph({"b": ["a"], "c": [], "d": ["b", "c"]})
        self.assertEqual(standards.weigh(graph, {"a": 3}, ["b"])[0].lacking, 3)
        self.assertEqual(standards.priorities(graph, {"a": 2.0}, ["b"])[0].missed, 2.0)
        self.assertEqual(standards.beyond(graph, [], ["a", "x", "c"]), ["a", "c"])
        self.assertEqual(standards.path_to(graph, "d", []), ["a", "c", "b", "d"])

    def test_strands_target_shapes(self):
        """One for all, one a strand, one a student; anything else is refused."""
        scores, errors = np.full((3, 2), 500.0), np.full((3, 2), 5.0)
        for line in (490.0, [490.0, 490.0], [[490.0]] * 3, [[490.0, 490.0]], np.full((3, 2), 490.0)):
            np.testing.assert_allclose(strands.strand_profile(scores, errors, line), 2.0)
        for line in ([490.0] * 4, np.full((2, 2), 490.0)):
            with self.assertRaises(BadInput):
                strands.strand_profile(scores, errors, line)
