"""The link to the outcome test."""

import unittest

import numpy as np
import statsmodels.api as sm
from sklearn.metrics import confusion_matrix, roc_auc_score

from bodkin.core.compare.outcome_link import (
    equipercentile,
    level_curve,
    prediction_accuracy,
    score_at_share,
    share_below,
)
from bodkin.core.errors import BadInput


class OutcomeLink(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(21)
        cls.interim = np.round(rng.normal(510, 30, 400))
        cls.outcome = 40 + 0.5 * (cls.interim - 510) + rng.normal(0, 8, 400)
        cls.reached = (cls.outcome >= 40).astype(float)

    def test_a_straight_relation_is_found(self):
        """Outcome = 2 * interim + 5 without error: the link is that line at every score met."""
        link = equipercentile(self.interim, 2 * self.interim + 5)
        np.testing.assert_allclose(link.outcome, 2 * link.interim + 5)
        self.assertTrue(np.isnan(link.at([self.interim.max() + 1])[0]))

    def test_linked_scores_have_the_outcome_s_distribution(self):
        """Mean and spread of linked scores are those of the outcome; the link rises."""
        link = equipercentile(self.interim, self.outcome)
        linked = link.at(self.interim)
        self.assertAlmostEqual(linked.mean(), self.outcome.mean(), delta=0.2)
        self.assertAlmostEqual(linked.std(), self.outcome.std(), delta=0.4)
        self.assertTrue((np.diff(link.outcome) >= 0).all())

    def test_too_few_are_refused(self):
        """With the number needed."""
        self.assertIn("needs 50", equipercentile(self.interim[:49], self.outcome[:49]).reason)
        self.assertIn("needs 50", level_curve(self.interim[:49], self.reached[:49]).reason)

    def test_the_worked_example_of_the_textbook(self):
        """Kolen & Brennan (2014), tables 2.3 and 2.5, two forms of four items (from memory).

        Frequencies .2 .3 .2 .2 .1 and .1 .2 .2 .3 .2 of the scores 0 to 4: percentile ranks 10, 35, 60, 80, 95,
        equivalents .50, 1.75, 2.8333, 3.50, 4.25.
        """
        x = np.repeat(np.arange(5.0), [2, 3, 2, 2, 1])
        y = np.repeat(np.arange(5.0), [1, 2, 2, 3, 2])
        ranks = share_below(x, np.arange(5.0))
        np.testing.assert_allclose(100 * ranks, [10, 35, 60, 80, 95])
        np.testing.assert_allclose(score_at_share(y, ranks), [0.5, 1.75, 2 + 5 / 6, 3.5, 4.25])

    def test_the_error_of_a_link_shrinks_with_the_students(self):
        """Four times the students, half the error; it is the spread of links over samples drawn anew."""
        rng = np.random.default_rng(5)
        errors = []
        for n in (200, 800, 3200):
            ability = rng.normal(0, 1, n)
            link = equipercentile(np.round(500 + 20 * ability), np.round(50 + 8 * (ability + rng.normal(0, 0.5, n))))
            errors.append(np.interp(500, link.interim, link.error))
        self.assertAlmostEqual(errors[0] / errors[2], 4.0, delta=1.2)
        self.assertGreater(errors[1], errors[2])

    def test_the_curve_agrees_with_statsmodels(self):
        """Reference: statsmodels.Logit."""
        answer = level_curve(self.interim, self.reached)
        reference = sm.Logit(self.reached, sm.add_constant(self.interim)).fit(disp=0)
        np.testing.assert_allclose([answer.intercept, answer.slope], reference.params, rtol=1e-5)
        np.testing.assert_allclose(answer.chance([500.0]), reference.predict([[1.0, 500.0]]), rtol=1e-5)

    def test_a_curve_that_cannot_be_is_refused(self):
        """Everybody on one side; scores that tell perfectly."""
        self.assertIn("one side", level_curve(self.interim, np.ones(400)).reason)
        self.assertIn("perfectly", level_curve(self.interim, (self.interim >= 510).astype(float)).reason)
        with self.assertRaisesRegex(BadInput, "0 or 1"):
            level_curve(self.interim, self.outcome)

    def test_telling_agrees_with_scikit_learn(self):
        """Reference: confusion_matrix and roc_auc_score; a score on the cut is no warning."""
        short, cut = 1 - self.reached, 500.0
        answer = prediction_accuracy(self.interim, short, cut)
        tn, fp, fn, tp = confusion_matrix(short, self.interim < cut).ravel()
        self.assertEqual(
            (answer.sensitivity, answer.specificity, answer.positive_value, answer.negative_value, answer.base_rate),
            (tp / (tp + fn), tn / (tn + fp), tp / (tp + fp), tn / (tn + fn), short.mean()),
        )
        self.assertAlmostEqual(answer.area, roc_auc_score(short, -self.interim))
        self.assertIsNone(prediction_accuracy([1.0], [0.0], 0.5).sensitivity)
