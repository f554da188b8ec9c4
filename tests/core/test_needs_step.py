"""Mastery, standards that rest on one another, the link to the outcome test, and whether help helped."""

import unittest
from datetime import date

import networkx as nx
import numpy as np
import statsmodels.api as sm
from hypothesis import given, settings
from hypothesis import strategies as st
from sklearn.metrics import confusion_matrix, roc_auc_score

from bodkin.core.errors import BadInput
from bodkin.core.helped import did_it_help
from bodkin.core.mastery import Evidence, mastery_from_points, newest
from bodkin.core.outcome_link import equipercentile, level_curve, telling
from bodkin.core.standards import beyond, path_to, prerequisite_graph, priorities, weigh, when_taught
from bodkin.core.strands import strand_profile
from bodkin.core.which_counts import rescore, which_counts

RESTS_ON = {
    "decimals": ["place value", "fractions"],
    "place value": ["counting on"],
    "fractions": ["sharing"],
    "counting on": [],
    "sharing": [],
    "percent": ["decimals"],
}


class Mastery(unittest.TestCase):
    def test_limits_belong_to_the_upper_state(self):
        """80 is mastered, 60 nearly; two points are thin, none is no evidence and not "not yet"."""
        told = mastery_from_points([8, 7.9, 6, 5.9, 2, 0, 0], [10, 10, 10, 10, 2, 0, 10])
        self.assertEqual(
            told.states, ["mastered", "nearly", "nearly", "not yet", "thin evidence", "no evidence", "not yet"]
        )
        self.assertTrue(np.isnan(told.percent[5]))

    def test_refusals(self):
        """More won than possible, limits out of order."""
        with self.assertRaisesRegex(BadInput, "points possible"):
            mastery_from_points([3], [2])
        with self.assertRaisesRegex(BadInput, "must lie below"):
            mastery_from_points([1], [2], 50, 60)

    def test_the_newest_word_counts_and_a_teacher_s_on_the_same_day(self):
        """Whatever the order in which they stand."""
        monday, friday = np.datetime64("2027-02-08"), np.datetime64("2027-02-12")
        said = [
            Evidence(friday, by_teacher=True, state="nearly"),
            Evidence(friday, by_teacher=False, state="mastered"),
            Evidence(monday, by_teacher=True, state="not yet"),
        ]
        self.assertEqual(newest(said), "nearly")
        self.assertEqual(newest(said[::-1]), "nearly")
        self.assertEqual(newest([]), "no evidence")


class Standards(unittest.TestCase):
    graph = prerequisite_graph(RESTS_ON)

    def test_a_cycle_is_named(self):
        """The message walks round it."""
        with self.assertRaisesRegex(BadInput, "a -> b -> a|b -> a -> b"):
            prerequisite_graph({"a": ["b"], "b": ["a"]})

    def test_weight_counts_later_standards_in_reach_directly_or_not(self):
        """Ten lack counting on, on which place value, decimals and percent rest."""
        told = weigh(self.graph, {"counting on": 10, "sharing": 12, "percent": 30}, {"decimals", "place value"})
        self.assertEqual([(row.standard, row.later, row.weight) for row in told],
                         [("percent", 0, 30), ("counting on", 2, 30), ("sharing", 1, 24)])  # fmt: skip
        with self.assertRaisesRegex(BadInput, 'no standard "x"'):
            weigh(self.graph, {"x": 1}, [])

    def test_the_path_goes_from_the_deepest_up(self):
        """What is mastered is left out; the standard itself comes last."""
        self.assertEqual(
            path_to(self.graph, "decimals", {"sharing"}), ["counting on", "fractions", "place value", "decimals"]
        )

    def test_beyond_is_what_rests_on_what_is_held(self):
        """Decimals only once both of their prerequisites are held."""
        self.assertEqual(
            beyond(self.graph, {"place value", "fractions"}, RESTS_ON), ["counting on", "decimals", "sharing"]
        )
        self.assertEqual(beyond(self.graph, {"place value"}, ["decimals"]), [])

    @given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=25), st.sets(st.integers(0, 9)))
    @settings(max_examples=60, deadline=None)
    def test_a_path_never_teaches_before_its_ground(self, edges, mastered):
        """On random acyclic graphs every prerequisite stands before what rests on it (networkx)."""
        rests = {str(n): [] for n in range(10)}
        for a, b in edges:
            if a < b:
                rests[str(b)].append(str(a))
        graph = prerequisite_graph(rests)
        path = path_to(graph, "9", {str(m) for m in mastered})
        place = {node: at for at, node in enumerate(path)}
        for node in path:
            for below in nx.ancestors(graph, node):
                if below in place:
                    self.assertLess(place[below], place[node])

    def test_one_student_s_priorities(self):
        """Two points missed on what three rest on weigh more than five on what nothing rests on."""
        told = priorities(self.graph, {"percent": 5, "counting on": 2, "sharing": 0}, RESTS_ON)
        self.assertEqual([(row.standard, row.later, row.weight) for row in told],
                         [("counting on", 3, 8), ("percent", 0, 5)])  # fmt: skip

    def test_the_teaching_calendar(self):
        """Both days of the plan belong to it."""
        plan = {"a": (date(2027, 2, 1), date(2027, 2, 12))}
        for day, word in ((31, "later"), (1, "now"), (12, "now"), (13, "before")):
            today = date(2027, 1, 31) if day == 31 else date(2027, 2, day)
            self.assertEqual(when_taught("a", plan, today), word)
        self.assertEqual(when_taught("b", plan, date(2027, 2, 1)), "never")


class Strands(unittest.TestCase):
    def test_against_the_own_whole_the_norm_or_one_target(self):
        """In the strand's own errors; a missing strand stays missing."""
        strands = np.array([[500.0, 480, np.nan], [520, 530, 500]])
        own = strand_profile(strands, 10.0, [490.0, 520.0])
        np.testing.assert_allclose(own, [[1, -1, np.nan], [0, 1, -2]])
        norm = strand_profile(strands, np.full((2, 3), 5.0), [500.0, 480, 490])
        np.testing.assert_allclose(norm, [[0, 0, np.nan], [4, 10, 2]])
        np.testing.assert_allclose(strand_profile(strands, 10.0, 500.0)[1], [2, 3, 0])

    def test_what_could_mean_two_things_is_refused(self):
        """Two students, two strands and two values."""
        with self.assertRaisesRegex(BadInput, "a student or a strand"):
            strand_profile(np.ones((2, 2)), 1.0, [1.0, 2.0])


class WhichCounts(unittest.TestCase):
    def test_rules_and_their_ties(self):
        """Undated is oldest; at a tie the later for latest and highest, the first for first."""
        days, scores = [3.0, np.nan, 5.0, 5.0], [510.0, 520, 500, 520]
        told = {rule: which_counts(rule, days, scores) for rule in ("latest", "first", "highest")}
        self.assertEqual(told, {"latest": 3, "first": 1, "highest": 3})
        self.assertEqual(which_counts("latest", [np.nan, np.nan], [1.0, 2.0]), 1)

    def test_a_choice_by_hand_wins(self):
        """And must be one of them; so must the rule."""
        self.assertEqual(which_counts("latest", [1.0, 2.0], [1.0, 2.0], chosen=0), 0)
        with self.assertRaisesRegex(BadInput, "result 2 cannot be chosen"):
            which_counts("latest", [1.0, 2.0], [1.0, 2.0], chosen=2)
        with self.assertRaisesRegex(BadInput, "none of latest"):
            which_counts("median", [1.0], [1.0])

    def test_rescoring(self):
        """A key mended, a second answer accepted, an item dropped, no answer."""
        options = [[0, 1, 2], [1, 2, 2], [-1, 3, 0]]
        before = rescore(options, [{0}, {1}, {2}], [1, 2, 1], [False] * 3)
        self.assertEqual(before.sum(axis=1).tolist(), [4, 1, 0])
        after = rescore(options, [{1}, {1, 2}, {2}], [1, 2, 1], [False, False, True])
        self.assertEqual(after.tolist(), [[0, 2, 0], [1, 2, 0], [0, 0, 0]])
        self.assertEqual(before.sum(axis=1).tolist(), [4, 1, 0])


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
        told = level_curve(self.interim, self.reached)
        reference = sm.Logit(self.reached, sm.add_constant(self.interim)).fit(disp=0)
        np.testing.assert_allclose([told.intercept, told.slope], reference.params, rtol=1e-5)
        np.testing.assert_allclose(told.chance([500.0]), reference.predict([[1.0, 500.0]]), rtol=1e-5)

    def test_a_curve_that_cannot_be_is_refused(self):
        """Everybody on one side; scores that tell perfectly."""
        self.assertIn("one side", level_curve(self.interim, np.ones(400)).reason)
        self.assertIn("perfectly", level_curve(self.interim, (self.interim >= 510).astype(float)).reason)
        with self.assertRaisesRegex(BadInput, "0 or 1"):
            level_curve(self.interim, self.outcome)

    def test_telling_agrees_with_scikit_learn(self):
        """Reference: confusion_matrix and roc_auc_score; a score on the cut is no warning."""
        short, cut = 1 - self.reached, 500.0
        told = telling(self.interim, short, cut)
        tn, fp, fn, tp = confusion_matrix(short, self.interim < cut).ravel()
        self.assertEqual(
            (told.sensitivity, told.specificity, told.positive_value, told.negative_value, told.base_rate),
            (tp / (tp + fn), tn / (tn + fp), tp / (tp + fp), tn / (tn + fn), short.mean()),
        )
        self.assertAlmostEqual(told.area, roc_auc_score(short, -self.interim))
        self.assertIsNone(telling([1.0], [0.0], 0.5).sensitivity)


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
        told = did_it_help(self.distance, self.start, self.members, self.strata)
        reach = 0.2 * self.start.std(ddof=1)
        for one, other in told.pairs:
            self.assertTrue(self.members[one] and not self.members[other])
            self.assertEqual(self.strata[one], self.strata[other])
            self.assertLessEqual(abs(self.start[one] - self.start[other]), reach)
        self.assertEqual(len(set(told.pairs[:, 1])), len(told.pairs))
        self.assertEqual(len(told.pairs) + told.unmatched, 18)

    def test_the_gap_is_that_of_the_pairs(self):
        """The difference of the means over the pairs, with its effect size."""
        told = did_it_help(self.distance, self.start, self.members, self.strata)
        difference = self.distance[told.pairs[:, 0]].mean() - self.distance[told.pairs[:, 1]].mean()
        self.assertAlmostEqual(told.gap.difference, difference)
        self.assertFalse(told.few)

    def test_few_pairs_are_marked_and_nobody_far_is_taken(self):
        """Five members; one whose start lies far from everybody stays without a partner."""
        self.members[:] = False
        self.members[:5] = True
        self.start[0] = 900
        told = did_it_help(self.distance, self.start, self.members, self.strata)
        self.assertTrue(told.few)
        self.assertNotIn(0, told.pairs[:, 0])

    def test_refusals(self):
        """Two shapes, no caliper."""
        with self.assertRaisesRegex(BadInput, "alike"):
            did_it_help([1.0], [1.0, 2.0], [True], ["a"])
        with self.assertRaisesRegex(BadInput, "caliper"):
            did_it_help([1.0], [1.0], [True], ["a"], 0)
