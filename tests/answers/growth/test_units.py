"""Growth by unit: the rows, and the sentence on which differ."""

import unittest

import numpy as np

from bodkin.answers.comparison.compared import beyond_chance
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.growth.units import growth_units
from bodkin.answers.scope.scope import Scope
from bodkin.core.compare.units import compare_means
from tests.support.tables import BASE, moved_rows, table_of


def district(moved, size=40, seed=2):
    """Classes with so many students each whose winter score is moved by so much."""
    return compare(table_of(moved_rows(moved, "section", size, seed)), Scope(**BASE, by="section"))


class Units(unittest.TestCase):
    def test_the_class_that_fell_is_said_and_stands_first(self):
        """One sentence names it; the others could be chance."""
        names = [f"4{letter}" for letter in "ABCDEFGH"]
        made = district({name: -9 if name == "4B" else 0 for name in names}, size=25)
        answer = growth_units(made, summarise(made))
        self.assertEqual(answer.rows[0].value, "4B")
        self.assertEqual(answer.said, "Beyond chance: 4B grew less than the rest. The other 7 could be chance.")
        self.assertEqual([row.mean_gain_z.different for row in answer.rows], [True] + [False] * 7)
        distance = made.students["gain_z"].to_numpy()
        section = made.students["section"].to_numpy()
        groups = [distance[section == name] for name in names]
        found = compare_means(
            [g.size for g in groups], [g.mean() for g in groups], [g.std(ddof=1) for g in groups],
            (distance.size, distance.mean(), distance.std(ddof=1)),
        )  # fmt: skip
        told = {row.value: row.mean_gain_z for row in answer.rows}
        for at, name in enumerate(names):
            one = told[name]
            np.testing.assert_allclose(
                [one.raw, one.low, one.high, one.estimate],
                [found.raw[at], found.low[at], found.high[at], found.estimate[at]],
            )
        self.assertEqual(answer.met_share, summarise(made).growth.met_share)

    def test_classes_alike_differ_no_more_than_chance(self):
        """The word is that of the breakdown."""
        made = district({"4A": 0, "4B": 0, "4C": 0})
        self.assertEqual(
            growth_units(made, summarise(made)).said, "No class differs from the rest by more than could be chance."
        )

    def test_one_unit_or_none_has_no_sentence(self):
        """Nothing to hold it against; a class of one student has no range and is never different."""
        made = district({"4A": 0})
        self.assertEqual(growth_units(made, summarise(made)).said, "")
        self.assertEqual(beyond_chance("section", [], None, ("", "")), "")
        alone = district({"4A": 0, "4B": -40}, size=1)
        row = growth_units(alone, summarise(alone)).rows[0].mean_gain_z
        self.assertEqual((row.low, row.high, row.different), (None, None, False))
