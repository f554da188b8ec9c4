"""Which of several results counts."""

import unittest

import numpy as np

from bodkin.core.check.which_counts import which_counts
from bodkin.core.errors import BadInput


class WhichCounts(unittest.TestCase):
    def test_rules_and_their_ties(self):
        """Undated is oldest; at a tie the later for latest and highest, the first for first."""
        days, scores = [3.0, np.nan, 5.0, 5.0], [510.0, 520, 500, 520]
        answer = {rule: which_counts(rule, days, scores) for rule in ("latest", "first", "highest")}
        self.assertEqual(answer, {"latest": 3, "first": 1, "highest": 3})
        self.assertEqual(which_counts("latest", [np.nan, np.nan], [1.0, 2.0]), 1)

    def test_a_choice_by_hand_wins(self):
        """And must be one of them; so must the rule."""
        self.assertEqual(which_counts("latest", [1.0, 2.0], [1.0, 2.0], chosen=0), 0)
        with self.assertRaisesRegex(BadInput, "result 2 cannot be chosen"):
            which_counts("latest", [1.0, 2.0], [1.0, 2.0], chosen=2)
        with self.assertRaisesRegex(BadInput, "none of latest"):
            which_counts("median", [1.0], [1.0])
