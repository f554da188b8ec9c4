"""The link to the outcome test."""

import unittest

import numpy as np
import statsmodels.api as sm
from sklearn.metrics import confusion_matrix, roc_auc_score

from bodkin.core.compare.outcome_link import equipercentile, level_curve, prediction_accuracy
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
        self.assertIn("needs 30", equipercentile(self.interim[:29], self.outcome[:29]).reason)
        self.assertIn("needs 30", level_curve(self.interim[:29], self.reached[:29]).reason)

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
