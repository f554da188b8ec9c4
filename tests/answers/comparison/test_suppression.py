"""Small cells withheld."""

import unittest

import numpy as np
from scipy.optimize import linprog

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, pairs, table_of


class Withheld(unittest.TestCase):
    """An attacker with the withheld summary and linear programming finds no small count."""

    def attack(self, summary, side):
        """Possible range of every unit's band count, given all that is shown."""
        units = [*summary.by]
        bands = len(summary.bands)
        size = len(units) * bands
        equations, known = [], []

        def must(cells, total):
            row = np.zeros(size)
            row[cells] = 1
            equations.append(row)
            known.append(total)

        for u, unit in enumerate(units):
            if unit.counts.matched is not None:
                must(range(u * bands, (u + 1) * bands), unit.counts.matched)
            for b, row in enumerate(unit.bands):
                n = getattr(row, f"{side}_n")
                if n is not None:
                    must([u * bands + b], n)
                above = getattr(row, f"{side}_at_or_above")
                if above is not None and unit.counts.matched:
                    must(range(u * bands + b, (u + 1) * bands), round(above * unit.counts.matched))
        for b, row in enumerate(summary.bands):
            n = getattr(row, f"{side}_n")
            if n is not None:
                must([u * bands + b for u in range(len(units))], n)
        must(range(size), summary.counts.matched)
        ranges = {}
        for cell in range(size):
            aim = np.zeros(size)
            aim[cell] = 1
            ends = [linprog(s * aim, A_eq=np.array(equations), b_eq=known, bounds=(0, None)) for s in (1, -1)]
            ranges[divmod(cell, bands)] = (ends[0].fun, -ends[1].fun)
        return ranges

    def test_no_small_count_can_be_worked_out_across_units(self):
        """Over seeded districts: every count below ten keeps more than one possible value."""
        for seed in (1, 2, 3):
            made = compare(table_of(pairs(seed, 150)), Scope(**BASE, by="section"))
            plain = summarise(made)
            shown = suppress_small_cells(plain, 10, made)
            for side in ("from", "to"):
                ranges = self.attack(shown, side)
                for u, unit in enumerate(plain.by):
                    for b, row in enumerate(unit.bands):
                        low, high = ranges[u, b]
                        with self.subTest(seed=seed, unit=unit.value, band=row.band, side=side):
                            if getattr(row, f"{side}_n") < 10:
                                self.assertGreater(high - low, 0.5)

    def test_everything_goes_where_all_are_few(self):
        """Nine matched students: no figure is left, in the whole or a unit."""
        made = compare(table_of(pairs(1, 9)), Scope(**BASE, by="school"))
        shown = suppress_small_cells(summarise(made), 10, made)
        for part in (shown, *shown.by):
            self.assertTrue(part.withheld)
            self.assertIsNone(part.growth.mean_gain)
            self.assertIsNone(part.movement.net)
            self.assertTrue(all(row.from_n is None and row.to_share is None for row in part.bands))

    def test_the_plain_summary_is_left_alone(self):
        """A copy is withheld, not the answer that others hold."""
        made = compare(table_of(pairs(1, 30)), Scope(**BASE, by="school"))
        plain = summarise(made)
        before = plain.model_dump()
        suppress_small_cells(plain, 10, made)
        self.assertEqual(plain.model_dump(), before)
