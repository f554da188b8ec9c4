"""Ranks among one's own students."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.scores.local_rank import class_summary, fifth, local_percentile, lowest_fifth


class LocalRank(unittest.TestCase):
    def test_agrees_with_scipy_with_ties(self):
        """Reference: scipy.stats.percentileofscore(kind="mean"); a missing score does not count."""
        scores = np.round(np.random.default_rng(2).normal(500, 12, 90))
        ours = local_percentile(np.append(scores, np.nan))
        theirs = [stats.percentileofscore(scores, score, kind="mean") for score in scores]
        np.testing.assert_allclose(ours[:-1], theirs)
        self.assertTrue(np.isnan(ours[-1]))

    def test_the_lowest_fifth_is_that_of_the_fifths(self):
        """For 400 draws with many ties and gaps the quick line and the whole ranking name the same students."""
        draw = np.random.default_rng(20)
        for n in range(400):
            score = draw.integers(0, draw.integers(1, 40), n % 61).astype(float)
            score[draw.random(score.size) < 0.1] = np.nan
            ranked = fifth(score)
            np.testing.assert_array_equal(lowest_fifth(score), np.where(np.isnan(ranked), np.nan, ranked == 1))

    def test_fifths_keep_ties_together(self):
        """Ten different scores make fifths of two; ten alike are all in the middle one."""
        self.assertEqual(fifth(np.arange(10.0)).tolist(), [1, 1, 2, 2, 3, 3, 4, 4, 5, 5])
        self.assertEqual(set(fifth(np.ones(10)).tolist()), {3.0})

    def test_a_class_in_five_numbers(self):
        """Known scores only; nobody gives nothing."""
        answer = class_summary([1.0, np.nan, 4.0, 10.0])
        self.assertEqual((answer.n, answer.mean, answer.median, answer.lowest, answer.highest), (3, 5, 4, 1, 10))
        self.assertEqual(class_summary([np.nan]).mean, None)
