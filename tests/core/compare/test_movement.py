"""Movement between bands against statsmodels and a published table."""

import itertools
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.contingency_tables import SquareTable

from bodkin.core.compare.movement import (
    bowker,
    bowker_of_each,
    movement,
    movement_exact,
    movement_of_each,
    stuart_maxwell,
    stuart_maxwell_of_each,
)
from bodkin.core.errors import BadInput
from tests.support.extent import extent

VISION = [[1520, 266, 124, 66], [234, 1512, 432, 78], [117, 362, 1772, 205], [36, 82, 179, 492]]
"""Unaided distance vision of 7,477 women, right eye by left (Stuart 1953; the table and the
statistics 11.96 and 19.11 from memory, as in Agresti, Categorical Data Analysis)."""


class Table(unittest.TestCase):
    def test_counts_up_same_down_and_net(self):
        """Rows are the band before, columns the band after; who lacks one is left out."""
        answer = movement([1, 1, 2, 3, np.nan, 2], [2, 1, 1, 3, 2, np.nan], 3)
        self.assertEqual(answer.table.tolist(), [[1, 1, 0], [1, 0, 0], [0, 0, 1]])
        self.assertEqual((answer.up, answer.same, answer.down, answer.net), (1, 2, 1, 0.0))

    def test_nobody(self):
        """Without matched students there is no net move."""
        self.assertIsNone(movement([], [], 3).net)

    def test_refusals(self):
        """Two shapes, a band that is not there."""
        with self.assertRaisesRegex(BadInput, "one shape"):
            movement([1], [1, 2], 3)
        with self.assertRaisesRegex(BadInput, "from 1 to 3"):
            movement([1], [4], 3)

    @given(st.lists(st.tuples(st.integers(1, 4), st.integers(1, 4)), max_size=80))
    def test_margins_are_the_counts(self, pairs):
        """Row sums are the counts before, column sums the counts after."""
        first, second = [a for a, _ in pairs], [b for _, b in pairs]
        answer = movement(np.array(first, float), np.array(second, float), 4)
        self.assertEqual(answer.table.sum(axis=1).tolist(), [first.count(band) for band in (1, 2, 3, 4)])
        self.assertEqual(answer.table.sum(axis=0).tolist(), [second.count(band) for band in (1, 2, 3, 4)])
        self.assertEqual(answer.up + answer.same + answer.down, len(pairs))


class Tests(unittest.TestCase):
    def test_published_table(self):
        """Marginal homogeneity 11.96 on 3 degrees, symmetry 19.11 on 6 (see VISION)."""
        margins, symmetry = stuart_maxwell(VISION), bowker(VISION)
        self.assertAlmostEqual(margins.statistic, 11.96, places=2)
        self.assertAlmostEqual(symmetry.statistic, 19.11, places=2)
        self.assertEqual((margins.df, symmetry.df), (3, 6))

    def test_agree_with_statsmodels(self):
        """Reference: SquareTable(shift_zeros=False) on tables without zero pairs."""
        rng = np.random.default_rng(5)
        for size in (2, 3, 4, 6):
            table = rng.integers(1, 40, (size, size))
            reference = SquareTable(table, shift_zeros=False)
            for ours, theirs in (
                (stuart_maxwell(table), reference.homogeneity()),
                (bowker(table), reference.symmetry()),
            ):
                with self.subTest(size=size, test=theirs):
                    self.assertAlmostEqual(ours.statistic, theirs.statistic, places=9)
                    self.assertEqual(ours.df, theirs.df)
                    self.assertAlmostEqual(ours.p, theirs.pvalue, places=12)

    def test_an_empty_band_leaves_the_table(self):
        """A band nobody is in changes nothing: the reference is the smaller table of statsmodels."""
        small = np.array([[10, 4, 2], [7, 12, 5], [1, 3, 9]])
        table = np.insert(np.insert(small, 1, 0, axis=0), 1, 0, axis=1)
        answer = stuart_maxwell(table)
        reference = SquareTable(small, shift_zeros=False).homogeneity()
        self.assertAlmostEqual(answer.statistic, reference.statistic, places=9)
        self.assertEqual(answer.df, 2)

    def test_a_pair_of_zero_cells_leaves_bowker(self):
        """Worked by hand: only (1,2) and (2,3) have movers: (4-7)^2/11 + (5-3)^2/8 on 2 degrees."""
        answer = bowker([[10, 4, 0], [7, 12, 5], [0, 3, 9]])
        self.assertAlmostEqual(answer.statistic, 9 / 11 + 4 / 8)
        self.assertEqual(answer.df, 2)

    def test_what_cannot_be_computed_says_why(self):
        """No movers, one band only, bands that nobody moves between."""
        for table, words in (
            ([[5, 0], [0, 7]], "nobody changed"),
            ([[5, 0], [0, 0]], "fewer than two"),
            ([[5, 2, 0], [3, 4, 0], [0, 0, 9]], "no movers"),
        ):
            with self.subTest(table=table):
                answer = stuart_maxwell(table)
                self.assertIsNone(answer.statistic)
                self.assertIn(words, answer.reason)
        self.assertEqual(bowker([[5, 0], [0, 7]]).reason, "nobody changed band")

    def test_refusals(self):
        """A table that is not square, a negative count."""
        for table in ([[1, 2, 3], [4, 5, 6]], [[1, -1], [0, 1]], [[1, np.nan], [0, 1]]):
            with self.subTest(table=table), self.assertRaises(BadInput):
                stuart_maxwell(table)


class ManyGroups(unittest.TestCase):
    """Groups worked out together: each comes to what it comes to alone."""

    def stack(self):
        """Tables of all kinds: full, with an empty band, with two, without movers, with nobody."""
        rng = np.random.default_rng(8)
        tables = [rng.integers(0, 30, (4, 4)) for _ in range(12)]
        for at, band in ((1, 0), (3, 2), (4, 2), (5, 3)):
            tables[at][band, :] = tables[at][:, band] = 0
        tables[5][0, :] = tables[5][:, 0] = 0
        tables += [np.diag([4, 0, 3, 1]), np.zeros((4, 4), int), np.diag([0, 5, 0, 0])]
        apart = np.zeros((4, 4), int)
        apart[:2, :2], apart[2:, 2:] = [[5, 2], [3, 4]], [[1, 6], [2, 8]]
        return np.array([*tables, apart])

    def test_tests_agree_with_statsmodels_group_by_group(self):
        """Reference: SquareTable of the bands that hold students, for groups that have a test."""
        stack = self.stack()
        some = 0
        for table, margins, symmetry in zip(stack, stuart_maxwell_of_each(stack), bowker_of_each(stack), strict=True):
            held = (table.sum(axis=0) + table.sum(axis=1)) > 0
            small = table[held][:, held]
            if margins.statistic is not None:
                reference = SquareTable(small, shift_zeros=False).homogeneity()
                self.assertAlmostEqual(margins.statistic, reference.statistic, places=8)
                self.assertEqual(margins.df, held.sum() - 1)
                self.assertAlmostEqual(margins.p, reference.pvalue, places=10)
                some += 1
            if symmetry.statistic is not None and ((small + small.T) > 0).all():
                reference = SquareTable(small, shift_zeros=False).symmetry()
                self.assertAlmostEqual(symmetry.statistic, reference.statistic, places=9)
                self.assertEqual(symmetry.df, reference.df)
        self.assertEqual(some, 12)

    def test_each_group_is_what_it_is_alone(self):
        """Movement and both tests, and the words where there is none."""
        stack = self.stack()
        for of_each, alone in ((stuart_maxwell_of_each, stuart_maxwell), (bowker_of_each, bowker)):
            for table, answer in zip(stack, of_each(stack), strict=True):
                single = alone(table)
                self.assertEqual((answer.df, answer.reason), (single.df, single.reason))
                self.assertEqual(answer.statistic, single.statistic)
        for table, answer in zip(stack, movement_of_each(stack), strict=True):
            ups = [(row, column) for row in range(4) for column in range(4) if column > row]
            self.assertEqual(answer.up, sum(table[row, column] for row, column in ups))
            self.assertEqual(answer.down, sum(table[column, row] for row, column in ups))
            self.assertEqual(answer.n, table.sum())
            self.assertEqual(answer.net is None, not table.sum())

    def test_no_groups_and_one_band(self):
        """Nothing to work out gives nothing; one band is no movement."""
        none = np.zeros((0, 3, 3))
        self.assertEqual((movement_of_each(none), stuart_maxwell_of_each(none), bowker_of_each(none)), ([], [], []))
        self.assertEqual(stuart_maxwell_of_each([[[7]]])[0].reason, "fewer than two bands hold students")
        self.assertEqual(bowker_of_each([[[7]]])[0].reason, "nobody changed band")


class Exact(unittest.TestCase):
    def test_two_bands_are_the_binomial_test(self):
        """Reference: scipy.stats.binomtest of the movers, for every split of up to 24."""
        for up, down in ((1, 0), (3, 1), (13, 4), (0, 6), (12, 12), (5, 19)):
            answer = movement_exact([[7, up], [down, 9]])
            self.assertAlmostEqual(answer, stats.binomtest(up, up + down).pvalue, places=12)

    def test_every_flip_of_every_mover(self):
        """Reference: all patterns of directions one by one, over seeded tables of three bands."""
        rng = np.random.default_rng(3)
        for _ in range(6):
            table = rng.integers(0, 3, (3, 3))
            steps = []
            for i, j in itertools.product(range(3), repeat=2):
                steps += [np.eye(3)[i] - np.eye(3)[j]] * (int(table[i, j]) if i != j else 0)
            if not steps:
                continue
            steps = np.array(steps)
            inverse = np.linalg.pinv(steps.T @ steps)
            size = [
                float(d @ inverse @ d)
                for signs in itertools.product((1, -1), repeat=len(steps)) if (d := np.array(signs) @ steps) is not None
            ]  # fmt: skip
            self.assertAlmostEqual(movement_exact(table), np.mean(np.array(size) >= size[0] - 1e-9))

    def test_many_movers_are_drawn_and_agree_with_the_curve(self):
        """Beyond all patterns a fixed draw: the same twice, and near the chi-square test of many movers."""
        rng = np.random.default_rng(6)
        table = rng.poisson(9, (5, 5)) + np.triu(np.ones((5, 5), dtype=int))
        answer = movement_exact(table)
        self.assertEqual(answer, movement_exact(table))
        self.assertAlmostEqual(answer, stuart_maxwell(table).p, delta=0.02)
        self.assertIsNone(movement_exact(np.diag([3, 4])))

    def test_it_keeps_its_promise_where_the_curve_does_not(self):
        """Simulation of classes with few movers and no shift: at most 5 in 100 are called more than chance."""
        rng = np.random.default_rng(9)
        called, classes = 0, extent(500, 2000)
        for _ in range(classes):
            table = np.diag([5, 5, 5, 5])
            for _ in range(rng.integers(1, 12)):
                low = rng.integers(0, 3)
                pair = (low, low + 1) if rng.random() < 0.5 else (low + 1, low)
                table[pair] += 1
            called += movement_exact(table) < 0.05
        self.assertLessEqual(called / classes, 0.055)
