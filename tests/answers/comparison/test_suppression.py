"""Small cells withheld."""

import unittest

import numpy as np
from scipy.optimize import linprog

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, FALL, WINTER, pairs, result, table_of


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


class Attacker:
    """Knows who can be in which units, sees exports, and asks a linear program what each count can be.

    The unknowns are the students of each kind (a value of every breakdown at once, such as a school and a set
    of programs) in each band, those without a band last.
    """

    def __init__(self, kinds, bands):
        self.kinds, self.width = kinds, bands + 1
        self.equations, self.known = [], []

    def cells(self, chosen, bands):
        row = np.zeros(len(self.kinds) * self.width)
        for at, kind in enumerate(self.kinds):
            if chosen(kind):
                row[[at * self.width + band for band in bands]] = 1
        return row

    def see(self, figures, chosen, side):
        """What one set of figures tells of the kinds that belong to it."""
        if figures.counts.matched is None:
            return
        every = range(self.width)
        facts = [(every, figures.counts.matched)]
        for at, row in enumerate(figures.bands):
            n, above = getattr(row, f"{side}_n"), getattr(row, f"{side}_at_or_above")
            facts += [((at,), n)] if n is not None else []
            if above is not None:
                facts.append((range(at, self.width - 1), round(above * figures.counts.matched)))
        for bands, n in facts:
            self.equations.append(self.cells(chosen, bands))
            self.known.append(n)

    def width_of(self, chosen, bands):
        """How far apart the least and the most are that the count can be."""
        aim = self.cells(chosen, bands)
        ends = [linprog(s * aim, A_eq=np.array(self.equations), b_eq=self.known, bounds=(0, None)) for s in (1, -1)]
        if any(end.status == 3 for end in ends):
            return np.inf
        return -ends[1].fun - ends[0].fun


def with_programs(seed, n, members):
    """Students with programs drawn at the given chances, in two schools; ``members``: program to chance."""
    rng = np.random.default_rng(seed)
    rows = []
    for at in range(n):
        score, mine = rng.normal(500, 18), [name for name, chance in members.items() if rng.random() < chance]
        more = {"school": "North" if rng.random() < 0.6 else "South", "programs": mine, "standard_error": 8.0}
        rows.append(result(2 * at, f"s{at:03}", FALL, round(score), **more))
        rows.append(result(2 * at + 1, f"s{at:03}", WINTER, round(score + rng.normal(7, 10)), **more))
    return rows


class Overlapping(unittest.TestCase):
    """Students may be in several units or in none; what is in the whole and in no unit is a cell like any other."""

    def sets(self, made):
        """Each student's kind, and the true band counts of each kind."""
        rows = made.students.filter("matched")
        kinds = [(school, *sorted(programs)) for school, programs in rows.select("school", "programs").iter_rows()]
        bands = len(made.bands)
        true = {}
        for kind, order in zip(kinds, rows["to_order"].fill_null(bands + 1).to_list(), strict=True):
            true.setdefault(kind, np.zeros(bands + 1, dtype=int))[int(order) - 1] += 1
        return true

    @staticmethod
    def unit_of(by, value):
        """Which kinds a unit of a breakdown holds."""
        if by == "school":
            return lambda kind: kind[0] == value
        return lambda kind: value in kind[1:] or (value == "none" and len(kind) == 1)

    def attack(self, rows, *breakdowns, **more):
        """Small counts of units and of those outside them that can be worked out from all exports."""
        table = table_of(rows)
        attacker = None
        for by, by2 in breakdowns:
            made = compare(table, Scope(**BASE, by=by, by2=by2, **more))
            true = self.sets(made)
            attacker = attacker or Attacker(list(true), len(made.bands))
            shown = suppress_small_cells(summarise(made), 10, made)
            attacker.see(shown, lambda _: True, "to")
            for unit in shown.by:
                parts = [self.unit_of(by, unit.value)] + ([self.unit_of(by2, unit.value2)] if by2 else [])
                attacker.see(unit, lambda kind, parts=parts: all(inside(kind) for inside in parts), "to")
        found, looked = [], 0
        for by, by2 in breakdowns:
            made = compare(table, Scope(**BASE, by=by, by2=by2, **more))
            for unit in summarise(made).by:
                parts = [self.unit_of(by, unit.value)] + ([self.unit_of(by2, unit.value2)] if by2 else [])

                def inside(kind, parts=parts):
                    return all(one(kind) for one in parts)

                def outside(kind, inside=inside):
                    return not inside(kind)

                for name, chosen in ((unit.value, inside), (f"all but {unit.value}", outside)):
                    count = sum((cells for kind, cells in true.items() if chosen(kind)), np.zeros(attacker.width, int))
                    if by == "school" and by2 is None and chosen is outside:
                        continue
                    wholes = [(range(attacker.width), int(count.sum()))] if count.sum() else []
                    bands = [((at,), int(n)) for at, n in enumerate(count[:-1])] if count.sum() else []
                    for cells, n in wholes + bands:
                        if n < 10:
                            looked += 1
                            if attacker.width_of(chosen, cells) < 0.5:
                                found.append((by, name, list(cells), n))
        self.assertGreater(looked, 0)
        return found

    def test_three_children_in_no_program_cannot_be_found_by_subtraction(self):
        """197 of 200 in one program: neither the three nor the bands of the 197, from which theirs would follow."""
        rows = with_programs(5, 200, {"Meal support": 1.0})
        for row in rows[:6]:
            row["programs"] = []
        made = compare(table_of(rows), Scope(**BASE, by="program"))
        plain = summarise(made)
        self.assertEqual([unit.counts.matched for unit in plain.by], [197, 3])
        shown = suppress_small_cells(plain, 10, made)
        self.assertEqual([unit.counts.matched for unit in shown.by], [None, None])
        self.assertEqual(self.attack(rows, ("program", None)), [])

    def test_programs_that_overlap(self):
        """Seeded districts with programs of all sizes, some of them in two at once."""
        for seed, members in (
            (1, {"A": 0.5, "B": 0.2}),
            (2, {"A": 0.95, "B": 0.04}),
            (3, {"A": 0.3, "B": 0.3, "C": 0.03}),
        ):
            with self.subTest(seed=seed):
                self.assertEqual(self.attack(with_programs(seed, 160, members), ("program", None)), [])

    def test_two_breakdowns_crossed(self):
        """School by program: every pair of units held against the whole."""
        for seed in (4, 5):
            rows = with_programs(seed, 220, {"A": 0.4, "B": 0.1})
            with self.subTest(seed=seed):
                self.assertEqual(self.attack(rows, ("school", "program")), [])

    def test_two_exports_of_one_scope(self):
        """By school and by program: the whole hides the same cells in both, so neither fills in the other's gaps."""
        for seed in (6, 7):
            rows = with_programs(seed, 130, {"A": 0.6, "B": 0.08})
            with self.subTest(seed=seed):
                self.assertEqual(self.attack(rows, ("school", None), ("program", None)), [])
        table, wholes = table_of(with_programs(8, 60, {"A": 0.5})), []
        for by in (None, "school", "program"):
            made = compare(table, Scope(**BASE, by=by))
            wholes.append(suppress_small_cells(summarise(made), 10, made).bands)
        self.assertEqual(wholes[0], wholes[1])
        self.assertEqual(wholes[0], wholes[2])

    def test_all_students_beside_matched_ones(self):
        """Three without a winter result: shares over all would, less those over both, tell their bands."""
        rows = [row for row in pairs(2, 90) if row["line"] not in (1, 3, 5)]
        table = table_of(rows)
        made = compare(table, Scope(**BASE, by="school", matched=False))
        shown = suppress_small_cells(summarise(made), 10, made)
        self.assertTrue(all(row.from_n is None for row in shown.bands))
        self.assertIsNone(shown.counts.from_)
        both = compare(table, Scope(**BASE, by="school"))
        self.assertTrue(any(row.from_n is not None for row in suppress_small_cells(summarise(both), 10, both).bands))
        full = compare(table_of(pairs(2, 90)), Scope(**BASE, by="school", matched=False))
        same = suppress_small_cells(summarise(full), 10, full)
        self.assertTrue(any(row.from_n is not None for row in same.bands))

    def test_a_figure_drawn_toward_the_whole_gives_nothing_away(self):
        """A unit beside the whole goes with the counts that it could be worked out from."""
        made = compare(table_of(pairs(3, 45)), Scope(**BASE, by="section"))
        for unit in suppress_small_cells(summarise(made), 10, made).by:
            self.assertEqual(unit.compared.met_share is None, unit.growth.met_n is None)
            self.assertEqual(unit.compared.net_move is None, unit.movement.up is None)

    def test_the_attacker_can_win(self):
        """With nothing withheld every small count is found: the test could fail."""
        made = compare(table_of(pairs(1, 60)), Scope(**BASE, by="school"))
        true = self.sets(made)
        attacker, plain = Attacker(list(true), len(made.bands)), summarise(made)
        attacker.see(plain, lambda _: True, "to")
        for unit in plain.by:
            attacker.see(unit, self.unit_of("school", unit.value), "to")
        self.assertLess(attacker.width_of(self.unit_of("school", "South"), (0,)), 1e-6)
