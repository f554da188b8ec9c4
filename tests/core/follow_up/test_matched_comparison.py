"""Did the help work: matched students."""

import unittest

import numpy as np
from scipy import stats
from statsmodels.stats import meta_analysis
from statsmodels.stats.weightstats import CompareMeans

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.matched_comparison import matched_comparison
from tests.support.extent import extent


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
        for one, other in answer.pairs:
            # The spread is that of the pair's own stratum.
            reach = 0.2 * self.start[self.strata == self.strata[one]].std(ddof=1)
            self.assertTrue(self.members[one] and not self.members[other])
            self.assertEqual(self.strata[one], self.strata[other])
            self.assertLessEqual(abs(self.start[one] - self.start[other]), reach)
        self.assertEqual(len(set(answer.pairs[:, 1])), len(answer.pairs))
        self.assertEqual(len(answer.pairs) + answer.unmatched, 18)

    def test_the_gap_is_that_of_the_pairs(self):
        """The difference of the means over the pairs, with its effect size."""
        answer = matched_comparison(self.distance, self.start, self.members, self.strata)
        ours, theirs = (self.distance[answer.pairs[:, side]] for side in (0, 1))
        self.assertAlmostEqual(answer.difference, ours.mean() - theirs.mean())
        self.assertFalse(answer.few)
        # Reference: scipy.stats.ttest_rel for the interval, statsmodels for the balance and Hedges' g.
        interval = stats.ttest_rel(ours, theirs).confidence_interval(0.95)
        np.testing.assert_allclose([answer.low, answer.high], interval)
        self.assertAlmostEqual(answer.p, stats.ttest_rel(ours, theirs).pvalue)
        n = ours.size
        half = 1.96 * np.sqrt(2 / n + answer.g**2 / (4 * n))
        np.testing.assert_allclose([answer.g_low, answer.g_high], [answer.g - half, answer.g + half])
        reference = meta_analysis.effectsize_smd(ours.mean(), ours.std(ddof=1), ours.size, theirs.mean(),
                                                 theirs.std(ddof=1), theirs.size)  # fmt: skip
        self.assertAlmostEqual(answer.g, reference[0])
        pooled = CompareMeans.from_data(self.start[self.members], self.start[~self.members]).std_meandiff_pooledvar
        d = (self.start[self.members].mean() - self.start[~self.members].mean()) / pooled
        scale = np.sqrt(1 / self.members.sum() + 1 / (~self.members).sum())
        self.assertAlmostEqual(answer.balance_before, d * scale)
        self.assertLess(abs(answer.balance_after), 0.2)

    def test_the_interval_holds_the_truth(self):
        """Simulation of districts with an effect of 0.5: about 95 in 100 of the paired intervals hold it."""
        rng = np.random.default_rng(77)
        held, districts = 0, extent(120, 400)
        for _ in range(districts):
            start = rng.normal(480, 20, 160)
            member = np.arange(160) < 30
            distance = 0.02 * (start - 480) + rng.normal(0, 1, 160) + 0.5 * member
            answer = matched_comparison(distance, start, member, np.zeros(160))
            held += answer.low <= 0.5 <= answer.high
        self.assertAlmostEqual(held / districts, 0.95, delta=3.2 * np.sqrt(0.95 * 0.05 / districts))

    def test_a_missing_membership_is_no_membership(self):
        """Neither member nor comparison; the stratum's own spread decides who is near enough."""
        member = self.members.astype(float)
        member[0] = np.nan
        answer = matched_comparison(self.distance, self.start, member, self.strata)
        self.assertNotIn(0, answer.pairs)
        self.assertEqual(len(answer.pairs) + answer.unmatched, 17)
        start = np.concatenate([[0.0, 5.0, 10.0, 12.0], [0.0, 500.0, 1000.0, 1100.0]])
        wide = matched_comparison(np.zeros(8), start, [1, 0, 0, 0, 1, 0, 0, 0], ["a"] * 4 + ["b"] * 4, 1.0)
        self.assertEqual(wide.pairs.tolist(), [[0, 1], [4, 5]])
        narrow = matched_comparison(np.zeros(8), start, [1, 0, 0, 0, 1, 0, 0, 0], ["a"] * 4 + ["b"] * 4, 0.95)
        self.assertEqual(narrow.pairs.tolist(), [[0, 1]])
        with self.assertRaisesRegex(BadInput, "1 or 0"):
            matched_comparison([1.0], [1.0], [2.0], ["a"])

    def test_the_caliper_is_a_fifth_of_a_spread(self):
        """Just within 0.2 of it is a pair, just beyond is none; one pair has no interval and no effect size."""
        others = np.concatenate([np.linspace(400, 440, 20), np.linspace(560, 600, 20)])
        for share, pairs in ((0.2 - 1e-6, 1), (0.2 + 1e-6, 0)):
            # The member stands so far below the lowest of the upper others as the share of the whole spread says.
            low, high = 500.0, 560.0
            for _ in range(80):
                middle = (low + high) / 2
                spread = np.append(others, middle).std(ddof=1)
                low, high = (middle, high) if 560 - middle > share * spread else (low, middle)
            start = np.append(others, (low + high) / 2)
            member = np.append(np.zeros(40), 1)
            answer = matched_comparison(np.arange(41.0), start, member, np.zeros(41))
            self.assertEqual((len(answer.pairs), answer.unmatched), (pairs, 1 - pairs))
            self.assertEqual((answer.low, answer.p, answer.g), (None, None, None))

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
