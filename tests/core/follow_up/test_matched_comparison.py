"""Did the help work: matched students."""

import unittest

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.matched_comparison import matched_comparison


class Helped(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(30)
        self.start = rng.normal(480, 20, 120)
        self.strata = np.array(["3"] * 60 + ["4"] * 60)
        self.members = np.zeros(120, dtype=bool)
        self.members[:12] = self.members[60:66] = True
        self.distance = rng.normal(0, 1, 120) + 0.8 * self.members

    def test_pairs_keep_their_rules(self):
        """Members with others, of one stratum, within the caliper, nobody twice."""
        answer = matched_comparison(self.distance, self.start, self.members, self.strata)
        reach = 0.2 * self.start.std(ddof=1)
        for one, other in answer.pairs:
            self.assertTrue(self.members[one] and not self.members[other])
            self.assertEqual(self.strata[one], self.strata[other])
            self.assertLessEqual(abs(self.start[one] - self.start[other]), reach)
        self.assertEqual(len(set(answer.pairs[:, 1])), len(answer.pairs))
        self.assertEqual(len(answer.pairs) + answer.unmatched, 18)

    def test_the_gap_is_that_of_the_pairs(self):
        """The difference of the means over the pairs, with its effect size."""
        answer = matched_comparison(self.distance, self.start, self.members, self.strata)
        difference = self.distance[answer.pairs[:, 0]].mean() - self.distance[answer.pairs[:, 1]].mean()
        self.assertAlmostEqual(answer.gap.difference, difference)
        self.assertFalse(answer.few)

    def test_few_pairs_are_marked_and_nobody_far_is_taken(self):
        """Five members; one whose start lies far from everybody stays without a partner."""
        self.members[:] = False
        self.members[:5] = True
        self.start[0] = 900
        answer = matched_comparison(self.distance, self.start, self.members, self.strata)
        self.assertTrue(answer.few)
        self.assertNotIn(0, answer.pairs[:, 0])

    def test_refusals(self):
        """Two shapes, no caliper."""
        with self.assertRaisesRegex(BadInput, "alike"):
            matched_comparison([1.0], [1.0, 2.0], [True], ["a"])
        with self.assertRaisesRegex(BadInput, "caliper"):
            matched_comparison([1.0], [1.0], [True], ["a"], 0)
