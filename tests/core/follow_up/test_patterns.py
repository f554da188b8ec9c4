"""Patterns in practice: found where they are, rarely where there is none, never below their number of entries."""

import unittest

import numpy as np
import statsmodels.api as sm
from scipy.stats import ttest_1samp
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.weightstats import CompareMeans, DescrStatsW

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.patterns import accuracy_gaps, practice_patterns
from bodkin.core.follow_up.practice import practice_log
from tests.support.extent import extent

DAY = np.datetime64("2027-01-11")


def log_of(accuracy, students=None, items=10, **more):
    n = len(accuracy)
    student = np.zeros(n, dtype=int) if students is None else students
    right = np.round(np.clip(accuracy, 0, 1) * items)
    return practice_log(student, np.full(n, DAY), np.full(n, 10.0), np.full(n, float(items)), right, **more)


def accuracy_gap(log, which, students):
    """The gap over all students as one unit."""
    return accuracy_gaps(log, which, np.zeros(students, dtype=int), 1)[0]


def named(patterns):
    return {one.name: one for one in patterns}


class OneStudent(unittest.TestCase):
    def drawn(self, seed, n=30):
        draw = np.random.default_rng(seed)
        length, level = draw.integers(2, 20, n) * 100.0, np.round(draw.normal(4, 1, n), 1)
        kind, help_ = draw.choice(["story", "fact"], n), draw.choice(["by self", "shared"], n)
        return draw, length, level, kind, help_

    def test_lines_agree_with_least_squares(self):
        """Reference: statsmodels OLS of the entries' accuracy on length and on level, slope, interval and p."""
        draw, length, level, kind, help_ = self.drawn(1)
        log = log_of(draw.random(30), length=length, level=level, kind=kind, help=help_)
        found = named(practice_patterns(log))
        accuracy = log.right / log.items
        for name, x in (("longer", length), ("harder", level)):
            fit = sm.OLS(accuracy, sm.add_constant(x)).fit()
            one = found[name]
            np.testing.assert_allclose((one.size, one.p), (fit.params[1], fit.pvalues[1]), atol=1e-10)
            np.testing.assert_allclose((one.low, one.high), fit.conf_int()[1], atol=1e-10)

    def test_sorts_agree_with_welch(self):
        """Reference: statsmodels CompareMeans with unequal variances, difference, interval and p."""
        draw, length, level, kind, help_ = self.drawn(2)
        log = log_of(draw.random(30), length=length, level=level, kind=kind, help=help_)
        found = named(practice_patterns(log))
        accuracy = log.right / log.items
        for one, inside in ((found["kind"], kind == found["kind"].about), (found["help"], help_ == "by self")):
            both = CompareMeans(DescrStatsW(accuracy[inside]), DescrStatsW(accuracy[~inside]))
            np.testing.assert_allclose(one.p, both.ttest_ind(usevar="unequal")[1], atol=1e-10)
            np.testing.assert_allclose((one.low, one.high), both.tconfint_diff(usevar="unequal"), atol=1e-10)
            self.assertAlmostEqual(one.size, accuracy[inside].mean() - accuracy[~inside].mean())

    def test_claims_are_holm_s(self):
        """Reference: statsmodels multipletests (Holm) over what was tested, for what goes down or differs by help."""
        claimed = 0
        for seed in range(60):
            draw, length, level, kind, help_ = self.drawn(seed, 24)
            accuracy = 0.8 - 0.25 * (kind == "fact") * (seed % 3 == 0) - 0.0001 * length * (seed % 4 == 0)
            log = log_of(accuracy + draw.normal(0, 0.12, 24), length=length, level=level, kind=kind, help=help_)
            tested = [one for one in practice_patterns(log) if one.p is not None]
            sure = multipletests([one.p for one in tested], method="holm")[0]
            for one, is_sure in zip(tested, sure, strict=True):
                with self.subTest(seed=seed, name=one.name):
                    self.assertEqual(one.claimed, bool(is_sure and (one.name == "help" or one.size < 0)))
                    claimed += one.claimed
        self.assertGreater(claimed, 10)

    def test_without_a_pattern_few_are_told_one(self):
        """Simulated: of students whose entries are all alike at most 5 of 100 are told anything (3.5 errors)."""
        told, students = 0, extent(120, 400)
        for seed in range(students):
            draw, length, level, kind, help_ = self.drawn(1000 + seed, 20)
            log = log_of(draw.binomial(10, 0.75, 20) / 10, length=length, level=level, kind=kind, help=help_)
            told += any(one.claimed for one in practice_patterns(log) if one.p is not None)
        self.assertLess(told / students, 0.05 + 3.5 * np.sqrt(0.05 * 0.95 / students))

    def test_none_is_claimed_below_its_number(self):
        """Seven entries have no line, three of a sort are not compared, four entries no kind and no level."""
        few = log_of([0.9] * 4, length=[100, 200, 300, 400], level=[9.0] * 4, kind=["story"] * 4, help=["by self"] * 4)
        for one in practice_patterns(few, 1, 3):
            self.assertIsNone(one.claimed, one)
            self.assertRegex(one.reason, "needs")
        seven = log_of(np.linspace(1, 0.3, 7), length=np.arange(7) * 100.0)
        self.assertIsNone(named(practice_patterns(seven))["longer"].claimed)
        eight = log_of(np.linspace(1, 0.2, 8), length=np.arange(8) * 100.0)
        self.assertTrue(named(practice_patterns(eight))["longer"].claimed)

    def test_one_kind_and_levels_out_of_range(self):
        """Five of one kind; most texts above or below the range; a range that is not known says nothing."""
        log = log_of([0.8] * 6, level=[5.0] * 6, kind=["story"] * 6)
        found = named(practice_patterns(log, 2, 4))
        self.assertEqual((found["one kind only"].claimed, found["one kind only"].about), (True, "story"))
        self.assertEqual((found["too hard"].claimed, found["too easy"].claimed), (True, False))
        self.assertTrue(named(practice_patterns(log, 6, 8))["too easy"].claimed)
        self.assertNotIn("too hard", named(practice_patterns(log)))
        mixed = log_of([0.8] * 6, level=[5.0, 5, 5, 3, 3, 3], kind=["story"] * 5 + ["fact"])
        found = named(practice_patterns(mixed, 2, 4))
        self.assertEqual((found["one kind only"].claimed, found["too hard"].claimed), (False, False))

    def test_alike_entries_are_no_pattern(self):
        """Accuracy that never changes: no line, no difference, and nothing breaks."""
        log = log_of([0.8] * 10, length=np.arange(10) * 100.0, kind=["a", "b"] * 5, help=["by self", "shared"] * 5)
        for one in practice_patterns(log):
            self.assertFalse(one.claimed, one)
        with self.assertRaisesRegex(BadInput, "one student"):
            practice_patterns(log_of([0.5, 0.5], np.array([0, 1])))


class AClass(unittest.TestCase):
    def test_each_student_beside_themselves(self):
        """Reference: a one-sample t test (SciPy) of each student's own difference, worked out by hand here."""
        draw = np.random.default_rng(8)
        student = np.repeat(np.arange(14), 8)
        which = np.tile([True, False], 56)
        ability = draw.normal(0.75, 0.1, 14)[student]
        log = log_of(ability - 0.2 * which + draw.normal(0, 0.05, 112), student)
        found = accuracy_gap(log, which, 14)
        own = np.array([
            log.right[(student == one) & which].sum() / 40 - log.right[(student == one) & ~which].sum() / 40
            for one in range(14)
        ])  # fmt: skip
        test = ttest_1samp(own, 0)
        self.assertEqual(found.n, 14)
        np.testing.assert_allclose((found.gap, found.p), (own.mean(), test.pvalue))
        np.testing.assert_allclose((found.low, found.high), test.confidence_interval(0.95))

    def test_who_counts(self):
        """Three entries of each sort; fewer than ten such students say nothing."""
        student = np.repeat(np.arange(12), 6)
        which = np.tile([True, True, True, False, False, False], 12)
        log = log_of(np.random.default_rng(3).random(72), student)
        self.assertIsNotNone(accuracy_gap(log, which, 12).gap)
        which[:18] = True
        less = accuracy_gap(log, which, 12)
        self.assertEqual((less.n, less.gap), (9, None))
        halves = accuracy_gaps(log, which, np.repeat([0, 1], 6), 2, among=np.ones(72, dtype=bool))
        self.assertEqual([one.n for one in halves], [3, 6])
        with self.assertRaisesRegex(BadInput, "from 0 to below 1"):
            accuracy_gaps(log, which, np.repeat([0, 1], 6), 1)
        with self.assertRaisesRegex(BadInput, "an entry for each"):
            accuracy_gap(log, which[:5], 12)
        with self.assertRaisesRegex(BadInput, "about student"):
            accuracy_gap(log, which, 3)
