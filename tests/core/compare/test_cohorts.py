"""Cohort means with their intervals."""

import unittest

import numpy as np
from scipy import stats

from bodkin.core.compare.cohorts import cohort_means
from bodkin.core.errors import BadInput


class Means(unittest.TestCase):
    def test_mean_and_interval_of_each_window(self):
        """Reference: scipy.stats.t.interval over the students with a result."""
        rng = np.random.default_rng(4)
        scores = rng.normal(500, 30, (25, 4))
        scores[rng.random(scores.shape) < 0.2] = np.nan
        answer = cohort_means(scores, 0.9)
        for window in range(4):
            known = scores[:, window][~np.isnan(scores[:, window])]
            low, high = stats.t.interval(0.9, known.size - 1, known.mean(), stats.sem(known))
            self.assertEqual(answer.n[window], known.size)
            np.testing.assert_allclose(
                [answer.mean[window], answer.low[window], answer.high[window]], [known.mean(), low, high]
            )

    def test_one_student_has_a_mean_but_no_interval(self):
        """And nobody has neither: a window that was not given leaves a gap."""
        answer = cohort_means([[500.0, np.nan]])
        self.assertEqual((answer.mean[0], np.isnan(answer.low[0])), (500, True))
        self.assertTrue(np.isnan(answer.mean[1]))
        with self.assertRaisesRegex(BadInput, "students as rows"):
            cohort_means([1.0, 2.0])
