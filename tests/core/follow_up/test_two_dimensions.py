"""Standing by two measures."""

import unittest

import numpy as np
import pandas as pd
from hypothesis import given
from hypothesis import strategies as st

from bodkin.core.errors import BadInput
from bodkin.core.follow_up.two_dimensions import BOTH, FIRST_ONLY, NEITHER, SECOND_ONLY, standing_move, two_dimensions


class TwoDimensions(unittest.TestCase):
    def test_standing_includes_the_cut(self):
        """A value on its cut counts; a missing one leaves no standing."""
        answer = two_dimensions([90, 90, 50, 50, np.nan], 90, [80, 70, 80, 70, 80], 80)
        np.testing.assert_array_equal(answer, [BOTH, FIRST_ONLY, SECOND_ONLY, NEITHER, np.nan])

    def test_the_move_by_hand(self):
        """Gained a cut, lost one, one for the other, stayed; a missing standing is left out."""
        before = [NEITHER, BOTH, FIRST_ONLY, BOTH, SECOND_ONLY, np.nan, FIRST_ONLY]
        after = [SECOND_ONLY, NEITHER, SECOND_ONLY, BOTH, BOTH, BOTH, np.nan]
        answer = standing_move(before, after)
        self.assertEqual((answer.gained, answer.lost, answer.crossed, answer.same, answer.left_out), (2, 1, 1, 1, 2))

    @given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3)), max_size=40))
    def test_the_table_is_the_crosstab_and_everybody_stands_somewhere(self, pairs):
        """Reference: pandas.crosstab; the four kinds of move add up to the students."""
        before, after = (np.array([pair[side] for pair in pairs], float) for side in (0, 1))
        answer = standing_move(before, after)
        if pairs:
            levels = [0.0, 1.0, 2.0, 3.0]
            table = pd.crosstab(pd.Categorical(before, levels), pd.Categorical(after, levels), dropna=False)
            np.testing.assert_array_equal(answer.table, table)
        self.assertEqual(answer.gained + answer.lost + answer.crossed + answer.same, len(pairs))

    def test_refusals(self):
        """Shapes that do not fit; a number that is no standing."""
        with self.assertRaisesRegex(BadInput, "alike"):
            standing_move([1.0], [1.0, 2.0])
        with self.assertRaisesRegex(BadInput, "after must hold standings from 0 to 3, got 4"):
            standing_move([1.0], [4.0])
