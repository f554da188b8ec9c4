"""Doubts about results, and the need behind two languages."""

import unittest

import numpy as np
from scipy.stats import norm

from bodkin.core.check.credibility import doubt, language_or_skill, two_sittings
from bodkin.core.errors import BadInput


class Doubts(unittest.TestCase):
    def answer_for(self, **changed):
        n = 40
        known = {
            "minutes": np.linspace(10, 49, n),
            "earlier_minutes": np.full((n, 2), 40.0),
            "score": np.full(n, 500.0),
            "error": np.full(n, 10.0),
            "last_score": np.full(n, 498.0),
            "last_error": np.full(n, 10.0),
        }
        for name, (place, value) in changed.items():
            known[name][place] = value
        return doubt(**known)

    def test_below_the_fifth_percentile_of_all(self):
        """Reference: numpy.percentile; two of forty lie below it."""
        answer = self.answer_for()
        self.assertAlmostEqual(answer.limit, np.percentile(np.linspace(10, 49, 40), 5))
        self.assertEqual(answer.fast_for_all.sum(), 2)
        self.assertFalse(answer.retest.any())

    def test_below_half_the_own_median(self):
        """Twenty minutes are fast for one who took eighty and a hundred before."""
        answer = self.answer_for(earlier_minutes=(10, [80.0, 100.0]))
        self.assertTrue(answer.fast_for_self[10])
        self.assertEqual(answer.own_median[10], 90)
        self.assertFalse(answer.fast_for_self[11])

    def test_far_below_needs_more_than_the_error_and_a_retest_needs_both(self):
        """27.7 points are 1.96 errors of 14.14; fast and far below together suggest a retest."""
        self.assertTrue(self.answer_for(score=(0, 470.2)).retest[0])
        self.assertFalse(self.answer_for(score=(0, 470.4)).far_below[0])
        slow = self.answer_for(score=(30, 400.0))
        self.assertTrue(slow.far_below[30] and not slow.retest[30])

    def test_what_is_missing_raises_no_doubt(self):
        """No minutes, no earlier result."""
        answer = self.answer_for(minutes=(0, np.nan), last_score=(1, np.nan), earlier_minutes=(2, np.nan))
        self.assertFalse(answer.too_fast[0] or answer.far_below[1] or answer.fast_for_self[2])
        with self.assertRaisesRegex(BadInput, "row a student"):
            doubt([1.0], [1.0], [1.0], [1.0], [1.0], [1.0])


class Languages(unittest.TestCase):
    def test_language_skill_or_cannot_tell(self):
        """Home higher by more than 1.96 errors; both clearly below and alike; neither; a missing result; no target."""
        home = two_sittings([530.0, 480, 530, np.nan, 480], 9.0, [490.0, 478, 528, 480, 478], 12.0)
        self.assertAlmostEqual(home.error[0], 15.0)
        self.assertAlmostEqual(home.errors[0], 40 / 15)
        answer = language_or_skill(home, [-1.0, 3.0, -1.0, 3.0, np.nan], [2.0, 2.5, -1.0, 2.5, 2.5], 60.0)
        self.assertEqual(answer, ["language", "skill", "cannot tell", None, None])

    def test_alike_is_shown_and_not_taken_for_granted(self):
        """Reference: two one-sided tests by scipy's normal distribution; students alike, and half a spread apart.

        With errors too large for the margin nobody is ever called "skill"; with small ones those alike are.
        """
        rng = np.random.default_rng(4)
        n, spread = 4000, 40.0
        for error, gap, most, least in ((15.0, 0.0, 0.0, 0.0), (4.0, 0.0, 1.0, 0.9), (4.0, 20.0, 0.05, 0.0)):
            home = 450 + gap + rng.normal(0, error, n)
            found = language_or_skill(two_sittings(home, error, 450 + rng.normal(0, error, n), error),
                                      np.full(n, 5.0), np.full(n, 5.0), spread)  # fmt: skip
            share = found.count("skill") / n
            self.assertTrue(least <= share <= most, (error, gap, share))
        margins, sd = (-0.5 * spread, 0.5 * spread), 4.0 * np.sqrt(2)
        for difference in (10.0, 10.69, 10.70, 12.0):
            chance = max(1 - norm.cdf((difference - margins[0]) / sd), norm.cdf((difference - margins[1]) / sd))
            one = two_sittings([450 + difference], 4.0, [450.0], 4.0)
            skill = language_or_skill(one, [5.0], [5.0], spread) == ["skill"]
            self.assertEqual(skill, bool(chance < 0.05) and difference <= 1.96 * sd)
