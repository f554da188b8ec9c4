"""Entry and exit rules: written and read back, and held against results, missing ones among them."""

import unittest
from itertools import product

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from bodkin.core.errors import BadInput
from bodkin.core.groups.membership_rules import (
    COMPARISONS,
    VALUES,
    MembershipRule,
    parse_rule,
    rule_holds,
)

WINDOW = MembershipRule("Saltgauge", "reading", "percentile", "at least", 40)


class Text(unittest.TestCase):
    def test_every_kind_of_rule_reads_back(self):
        """What is written is read as the same rule, also with colons and commas in a test's name."""
        for name, value, comparison, limit in product(
            ("Saltgauge", "Unit check: ratios", "Words, fast"), VALUES, COMPARISONS, (2, 12)
        ):
            last = 3 if value == "points above the aim line" else None
            rule = MembershipRule(name, "mathematics", value, comparison, limit, last)
            with self.subTest(rule=rule.text):
                self.assertEqual(parse_rule(rule.text), rule)
        for last in (1, 2, 12):
            rule = MembershipRule("Words", "reading", "score", "below", 95.5, last)
            self.assertEqual(parse_rule(rule.text), rule)
        self.assertEqual(WINDOW.text, "Saltgauge, reading: percentile at least 40 in the latest window")

    def test_what_is_no_rule_says_how_one_is_written(self):
        """Prose, a value that does not exist, or one that a window or a result does not have."""
        for text, told in (
            ("Two windows in a row above the lowest band", "write it like"),
            ("Saltgauge, reading: luck at least 4 in the latest window", "write it like"),
            ("Saltgauge, reading: percentile at least 40 in the last 3 results", "of a window"),
            ("Saltgauge, reading: percentile at least 400 in the latest window", "between 1 and 99"),
            ("Saltgauge, reading: band at least 1.5 in the latest window", "whole number"),
            ("Saltgauge, reading: score at least 4 in the last 13 results", "1 to 12 results"),
            ("Words, reading: points above the aim line at least 4 in the latest window", "last 4 results"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(BadInput, told):
                parse_rule(text)


class Held(unittest.TestCase):
    def test_the_limit_belongs_to_at_least(self):
        """At the limit "at least" is met and "below" is not; a missing result is neither."""
        below = MembershipRule("Saltgauge", "reading", "percentile", "below", 40)
        values = [[39.0], [40.0], [41.0], [np.nan]]
        np.testing.assert_array_equal(rule_holds(WINDOW, values), [0, 1, 1, np.nan])
        np.testing.assert_array_equal(rule_holds(below, values), [1, 0, 0, np.nan])

    def test_every_one_of_the_last_results_counts(self):
        """Older ones do not; one that fails decides, also beside a missing one."""
        rule = MembershipRule("Words", "reading", "score", "at least", 10, 2)
        values = [[0, 10, 11], [99, 9, 12], [99, np.nan, 12], [99, np.nan, 9]]
        np.testing.assert_array_equal(rule_holds(rule, values), [1, 0, np.nan, 0])

    @given(
        st.lists(
            st.lists(st.one_of(st.just(float("nan")), st.integers(-5, 5).map(float)), min_size=3, max_size=3),
            min_size=1, max_size=8,
        ),
        st.sampled_from(COMPARISONS), st.integers(-5, 5), st.integers(1, 3),
    )  # fmt: skip
    def test_against_a_plain_loop(self, values, comparison, limit, last):
        """The same by the definition, student by student and result by result."""
        rule = MembershipRule("Words", "reading", "score", comparison, limit, last)
        told = []
        for row in values:
            words = [None if x != x else (x >= limit) == (comparison == "at least") for x in row[3 - last :]]
            told.append(0.0 if False in words else np.nan if None in words else 1.0)
        np.testing.assert_array_equal(rule_holds(rule, values), told)

    def test_a_table_that_is_too_small_is_refused(self):
        """Fewer results than the rule asks for, or no table."""
        rule = MembershipRule("Words", "reading", "score", "at least", 10, 4)
        for values in ([[1.0, 2.0]], [1.0, 2.0]):
            with self.assertRaisesRegex(BadInput, "at least 4 results"):
                rule_holds(rule, values)
