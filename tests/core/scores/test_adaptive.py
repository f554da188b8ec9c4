"""Adaptive testing against girth and simulation: abilities come back within their stated errors."""

import unittest

import girth
import numpy as np
from scipy.stats import kstest, norm

from bodkin.core.errors import BadInput
from bodkin.core.scores.adaptive import (
    administer,
    chance_right,
    expected_ability,
    likeliest_ability,
    most_informative,
)


def answers(rng, ability, difficulty):
    return (rng.random((ability.size, difficulty.size)) < chance_right(ability[:, None], difficulty)).astype(float)


class Recovery(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(12)
        cls.bank = np.sort(rng.uniform(-3.5, 3.5, 300))
        cls.true = rng.normal(0, 1, 2000)

        def answer(item):
            return rng.random(item.size) < chance_right(cls.true, cls.bank[item])

        cls.sitting = administer(cls.bank, 2000, answer, most_items=40, error_wanted=0.33)

    def test_known_abilities_lie_within_their_intervals(self):
        """2,000 simulated students: 93 to 97 in 100 of the 95 % intervals hold the true ability."""
        ability = self.sitting.ability
        inside = np.abs(ability.estimate - self.true) <= 1.96 * ability.error
        self.assertGreater(inside.mean(), 0.93)
        self.assertLess(inside.mean(), 0.97)
        z = (ability.estimate - self.true) / ability.error
        self.assertLess(kstest(z, norm.cdf).statistic, 0.05)
        self.assertLess(abs(z.mean()), 0.08)

    def test_the_ability_is_that_of_all_answers_together(self):
        """Learnt answer by answer, the same as from the whole table at once."""
        given = self.sitting.items[:50]
        whole = expected_ability(self.sitting.right[:50], np.where(given >= 0, self.bank[given], np.nan))
        np.testing.assert_allclose(whole.estimate, self.sitting.ability.estimate[:50])
        np.testing.assert_allclose(whole.error, self.sitting.ability.error[:50])

    def test_it_ends_when_the_error_is_small_enough(self):
        """Or at the most items; no item twice; items near the ability, so about half are right."""
        tried, error = self.sitting.tried, self.sitting.ability.error
        self.assertTrue(((error <= 0.33) | (tried == 40)).all())
        self.assertTrue((tried < 40).any())
        for row in self.sitting.items:
            given = row[row >= 0]
            self.assertEqual(np.unique(given).size, given.size)
        np.testing.assert_array_equal(self.sitting.items >= 0, ~np.isnan(self.sitting.right))
        self.assertAlmostEqual(np.nanmean(self.sitting.right), 0.5, delta=0.05)

    def test_fewer_items_than_a_test_of_items_drawn_at_random(self):
        """The same error needs more items where they are not chosen: the point of adapting."""
        rng = np.random.default_rng(5)
        n = int(self.sitting.tried.mean())
        drawn = rng.choice(self.bank, n, replace=False)
        fixed = expected_ability(answers(rng, self.true, drawn), drawn)
        self.assertGreater(fixed.error.mean(), self.sitting.ability.error.mean() * 1.05)

    def test_reliability(self):
        """The estimates' spread and error add up to the abilities' spread (Bayes): corr^2 is the reliability."""
        ability = self.sitting.ability
        whole = ability.estimate.var() + (ability.error**2).mean()
        self.assertAlmostEqual(whole, self.true.var(), delta=0.08)
        self.assertGreater(np.corrcoef(ability.estimate, self.true)[0, 1], 0.94)


class AgainstGirth(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(3)
        self.difficulty = rng.normal(0, 1.2, 25)
        self.ability = rng.normal(0, 1, 200)
        self.right = answers(rng, self.ability, self.difficulty)

    def test_expected_ability(self):
        """Reference: girth.ability_eap with a standard normal prior, to a thousandth of a logit."""
        answer = expected_ability(self.right, self.difficulty)
        reference = girth.ability_eap(self.right.T.astype(int), self.difficulty, 1.0)
        np.testing.assert_allclose(answer.estimate, reference, atol=1e-3)

    def test_likeliest_ability(self):
        """Reference: girth.ability_mle, for students with neither all right nor all wrong."""
        answer = likeliest_ability(self.right, self.difficulty)
        mixed = (self.right.sum(axis=1) > 0) & (self.right.sum(axis=1) < 25)
        reference = girth.ability_mle(self.right[mixed].T.astype(int), self.difficulty, 1.0)
        np.testing.assert_allclose(answer.estimate[mixed], reference, atol=2e-3)
        p = chance_right(answer.estimate[mixed][:, None], self.difficulty)
        np.testing.assert_allclose(answer.error[mixed], 1 / np.sqrt((p * (1 - p)).sum(axis=1)))
        # In the Rasch model the expected score at the likeliest ability is the score itself.
        np.testing.assert_allclose(p.sum(axis=1), self.right[mixed].sum(axis=1), atol=1e-9)


class Pieces(unittest.TestCase):
    def test_chances(self):
        """Even at the difficulty itself; one logit above, 73 in 100; a missing ability has none."""
        np.testing.assert_allclose(chance_right([0.0, 1.0, np.nan], 0.0), [0.5, 0.7310586, np.nan])

    def test_all_right_all_wrong_or_nothing(self):
        """No likeliest ability; the expected one is the prior where there is no answer."""
        answer = likeliest_ability([[1, 1], [0, 0], [np.nan, np.nan], [1, 0]], [0.0, 0.0])
        np.testing.assert_array_equal(np.isnan(answer.estimate), [True, True, True, False])
        np.testing.assert_array_equal(np.isnan(answer.error), [True, True, True, False])
        self.assertAlmostEqual(answer.estimate[3], 0.0)
        self.assertAlmostEqual(answer.error[3], np.sqrt(2))
        none = expected_ability([[np.nan, np.nan]], [0.0, 1.0], 0.5, 0.8)
        np.testing.assert_allclose([none.estimate[0], none.error[0]], [0.5, 0.8], atol=1e-4)

    def test_items_that_were_not_given_say_nothing(self):
        """The same answers with others left out, in another order, by columns or by student."""
        one = expected_ability([[1, 0, 1]], [0.2, -0.4, 1.0])
        other = expected_ability([[1, np.nan, 1, 0]], [1.0, 5.0, 0.2, -0.4])
        each = expected_ability([[1, 0, 1]], [[0.2, -0.4, 1.0]])
        for answer in (other, each):
            np.testing.assert_allclose([answer.estimate, answer.error], [one.estimate, one.error])
        self.assertAlmostEqual(
            likeliest_ability([[1, 0, 1]], [0.2, -0.4, 1.0]).estimate[0],
            likeliest_ability([[1, np.nan, 1, 0]], [1.0, np.nan, 0.2, -0.4]).estimate[0],
        )

    def test_far_abilities(self):
        """Very easy items with one miss: the likeliest ability is far, and found."""
        answer = likeliest_ability([[0, *[1] * 20]], [-4.0] * 21)
        self.assertAlmostEqual(answer.estimate[0], -4.0 + np.log(20), places=6)

    def test_the_item_that_tells_most(self):
        """The nearest in difficulty; the earlier of two alike; never a used one."""
        bank = [-1.0, 1.0, 0.4, 2.0]
        none = np.zeros((2, 4), bool)
        self.assertEqual(most_informative([0.0, 3.0], bank, none).tolist(), [2, 3])
        used = np.array([[False, False, True, False]])
        self.assertEqual(most_informative([0.0], bank, used).tolist(), [0])

    def test_refusals(self):
        """Values that are none, shapes that do not fit, a bank that is too small."""
        used = np.ones((1, 2), bool)
        for call, words in (
            (lambda: expected_ability([[2.0]], [0.0]), "right must be 0 or 1"),
            (lambda: expected_ability([1.0], [0.0]), "students as rows"),
            (lambda: expected_ability([[1.0]], [[0.0, 1.0]]), "students as rows"),
            (lambda: expected_ability([[1.0]], [np.nan]), "needs a difficulty"),
            (lambda: expected_ability([[1.0]], [0.0], prior_sd=0), "prior_sd"),
            (lambda: likeliest_ability([[1.0]], [np.inf]), "difficulty holds an infinite"),
            (lambda: most_informative([0.0], [0.0, 1.0], used), "student 0 has no item left"),
            (lambda: most_informative([0.0], [0.0], used), "a column an item"),
            (lambda: administer([0.0], 1, lambda item: item == 0, 2, 0.3), "from 1 to the 1 items"),
            (lambda: administer([0.0], 1, lambda item: item == 0, 1, 0.0), "error_wanted"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(BadInput, words):
                call()
