"""Borders of needs."""

import unittest
import unittest.mock
import warnings

import numpy as np

from bodkin.core.check import which_counts
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

    def test_the_teacher_wins_on_one_day_whatever_the_state(self):
        """Also over a state that a sort by letters would put last; the later of two equals does not matter."""
        day = np.datetime64("2027-02-01")
        teacher = mastery.Evidence(day, by_teacher=True, state="mastered")
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
        self.assertTrue(items.item_flags([0] * 7 + [1] * 3, {0}, 3, np.zeros(10), -1.0).does_not_tell)

    def test_the_top_third(self):
        """Of ten students the best three decide whether the key is doubted; a tie does not doubt it."""
        total = np.arange(10.0)
        sure = [0] * 7
        self.assertTrue(items.item_flags([*sure, 1, 1, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*sure, 1, 0, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*[1] * 7, 0, 0, 0], {0}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*[1] * 7, 0, 0, 1], {0}, 2, total, 0.5).check_the_key)
        self.assertTrue(items.item_flags([*[1] * 7, 0, 0, 1], {1}, 2, total, 0.5).check_the_key)
        self.assertFalse(items.item_flags([*sure, 1, 0, -1], {0}, 2, total, 0.5).check_the_key)
        self.assertEqual(items.item_flags([*sure, 1, 1, 1], {0}, 2, total, 0.5).shared_mistake, 1)
        self.assertIsNone(items.item_flags([*sure, 2, 1, 1], {0}, 3, total, 0.5).shared_mistake)
        self.assertIsNone(items.item_flags([0] * 10, {0, 1}, 2, total, 0.5).shared_mistake)

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

    def test_rescoring_goes_on_after_a_dropped_item(self):
        """Points of 0 are allowed; each part of the shape is looked at."""
        answer = which_counts.rescore([[0, 1, 0]], [{0}, {1}, {0}], [1, 2, 0], [True, False, False])
        self.assertEqual(answer.tolist(), [[0, 2, 0]])
        for options, keys in (([0, 1], [{0}, {1}]), ([[0, 1]], [{0}])):
            with self.assertRaises(BadInput):
                which_counts.rescore(options, keys, [1, 1], [False, False])

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
