"""Borders of proposing groups."""

import unittest
import unittest.mock

import numpy as np

from bodkin.core.errors import BadInput
from bodkin.core.groups import foci, grouping, grouping_rules


class Proposing(unittest.TestCase):
    def test_adults_are_loaded_evenly(self):
        """Six groups in two slots, three adults free in both: two groups each."""
        rules = grouping_rules.GroupingRules(0, 1, adults=[{0, 1}] * 3, blocked=[[]])
        answer = grouping.propose_groups([[0.0]], [[float(at)] for at in range(6)], rules)
        self.assertEqual(sorted(answer.adults), [0, 0, 1, 1, 2, 2])

    def test_clashing_rules_without_the_proof_of_fewest(self):
        """Cut off at once, a clash is still a clash; with time, none of its rules can be spared."""
        spelled = grouping_rules.checked(grouping_rules.GroupingRules(0, 3, [(0, 1)], [(0, 1), (1, 2)]), 3, 2)
        kept = grouping._irreducible(3, 2, spelled, grouping._Budget(3.0))
        self.assertEqual({rule.kind for rule in kept}, {"together", "apart"})
        self.assertEqual(len(kept), 2)
        hasty, proven = grouping._clash(3, 2, spelled, 1e-9)
        self.assertFalse(proven)
        self.assertLessEqual(set(kept), set(hasty))

    def test_shapes_of_needs_and_foci(self):
        """Either of one dimension is refused; one group is a group; needs that are alike count once."""
        rules = grouping_rules.GroupingRules(0, 3)
        for needs, centres in (([1.0], [[1.0]]), ([[1.0]], [1.0]), ([[1.0]], np.empty((0, 1)))):
            with self.assertRaises(BadInput):
                grouping.propose_groups(needs, centres, rules)
        self.assertEqual(foci.foci_from_needs([[1.0, 3.0], [3.0, 5.0]], 1).tolist(), [[2.0, 4.0]])
        self.assertEqual(foci.foci_from_needs([[1.0, 1.0], [2.0, 2.0]], 2).shape, (2, 2))
        for needs in ([1.0, 2.0], [[np.nan]]):
            with self.assertRaises(BadInput):
                foci.foci_from_needs(needs, 1)
        with self.assertRaises(BadInput):
            foci.foci_from_needs([[1.0, 2.0]], 2)
