"""The units of a breakdown in Compare: whatever part of them is asked for is that part of the whole summary."""

import math
import random
import unittest
from typing import get_args

import numpy as np
import polars as pl

from bodkin.answers.compare.units import Order, UnitColumn, counted_units, units_of
from bodkin.answers.comparison.breakdown import arrays_of, unit_places
from bodkin.answers.comparison.comparison import compare, quoted_order
from bodkin.answers.comparison.summary import counted
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, WINTER, moved_rows, result, table_of


def district(**more):
    """Twelve classes of drawn sizes; one with a result at one window only, one name with a number and an accent."""
    draw = random.Random(5)
    names = [f"{grade}{letter}" for grade in (2, 10) for letter in "ABCDE"] + ["Élan 4"]
    rows = [row for at, name in enumerate(names)
            for row in moved_rows({name: draw.randint(-12, 12)}, "section", draw.randint(1, 30), at)]  # fmt: skip
    for line, row in enumerate(rows):
        row["line"] = line
        row["student_id"] = f"{row['section']} {row['student_id']}"
    rows.append(result(len(rows), "late", WINTER, 500, section="Zinnia 9"))
    return compare(table_of(rows), Scope(**(BASE | {"matched": False}), by="section", **more))


def by_hand(rows, column, down, bands, followed):
    """The rows in the order a person would lay them: those without a value last."""
    quoted = quoted_order(bands) - 1

    def key(row):
        moved = row.compared.net_move
        return {
            "n": row.counts.matched if followed else row.counts.to,
            "before": row.bands[quoted].from_at_or_above,
            "after": row.bands[quoted].to_at_or_above,
            "up": row.movement.up,
            "down": row.movement.down,
            "net": None if moved is None else row.movement.net,
            "beside": None if moved is None else moved.estimate + moved.raw * 1e-6,
        }[column]

    there = [row for row in rows if key(row) is not None]
    return sorted(there, key=key, reverse=down) + [row for row in rows if key(row) is None]


class Places(unittest.TestCase):
    def test_each_unit_has_its_own_students(self):
        """Lists of any length come back as they were, none where there is none; units as by looking at each student."""
        draw = random.Random(1)
        for n in (0, 1, 2, 50):
            lists = [[draw.randrange(1000) for _ in range(draw.randint(1, 9))] for _ in range(n)]
            found = arrays_of(pl.Series(lists, dtype=pl.List(pl.Int64)))
            self.assertEqual([one.tolist() for one in found], lists)
        made = district()
        sections = made.students["section"].to_list()
        for (section, second), places in unit_places(made).items():
            self.assertIsNone(second)
            self.assertEqual(sorted(places.tolist()), [at for at, one in enumerate(sections) if one == section])


class Parts(unittest.TestCase):
    def test_any_part_in_any_order_is_that_of_the_whole(self):
        """Every column both ways and of any length, made of the counts and made of the rows."""
        for more in ({}, {"follow": "grade"}):
            made = district(**more)
            whole, found = counted(made).summary(), counted(made)
            bands, followed = len(made.bands), not more
            self.assertEqual(len(whole.by), 12)
            for column in (name for name in get_args(UnitColumn) if name != "value"):
                for down in (False, True):
                    for count in (None, 0, 1, 5, 99):
                        with self.subTest(column=column, down=down, count=count, **more):
                            order = Order(column, down, count)
                            seen = counted_units(found, made.scope, bands, order)
                            wanted = by_hand(whole.by, column, down, bands, followed)[:count]
                            self.assertEqual(seen.rows, wanted)
                            net = whole.movement.net if whole.movement else None
                            self.assertEqual(units_of(whole.by, made.scope, bands, order, net).rows, wanted)
                            self.assertEqual(seen.n, 12)

    def test_names_are_sorted_as_people_sort_them(self):
        """Numbers by their size, an accent aside; without a column the order is the summary's."""
        made = district()
        found, bands = counted(made), len(made.bands)
        seen = [row.value for row in counted_units(found, made.scope, bands, Order("value")).rows]
        first = [f"{grade}{letter}" for grade in (2, 10) for letter in "ABCDE"]
        self.assertEqual(seen, [*first, "Élan 4", "Zinnia 9"])
        backwards = counted_units(found, made.scope, bands, Order("value", down=True, count=2)).rows
        self.assertEqual([row.value for row in backwards], ["Zinnia 9", "Élan 4"])
        plain = counted_units(found, made.scope, bands, Order()).rows
        self.assertEqual(plain, found.summary().by)

    def test_what_is_said_of_all_does_not_hang_on_the_part(self):
        """What is known of every unit, and a scale that holds every dot; the counts and the rows agree."""
        made = district()
        found, bands = counted(made), len(made.bands)
        whole = found.summary()
        seen = counted_units(found, made.scope, bands, Order(count=1))
        rows = units_of(whole.by, made.scope, bands, Order(count=1), whole.movement.net)
        self.assertEqual(seen.known, rows.known)
        self.assertEqual({name for name, _, _ in seen.known}, {row.value for row in whole.by} - {"Zinnia 9"})
        self.assertTrue(math.isclose(seen.reach, rows.reach))
        figures = [row.compared.net_move for row in whole.by if row.compared.net_move]
        away = [abs((one.raw if one.different else one.estimate) - whole.movement.net) for one in figures]
        halves = sorted(0 if one.low is None else (one.high - one.low) / 2 for one in figures)
        self.assertTrue(math.isclose(seen.reach, max(away) + halves[len(halves) // 2]))

    def test_no_breakdown_and_nobody(self):
        """No rows, nothing known, no scale; the whole is as without units."""
        made = compare(table_of(moved_rows({"4A": 0}, "section", 5, 1)), Scope(**BASE))
        found = counted(made)
        seen = counted_units(found, made.scope, len(made.bands), Order("net"))
        self.assertEqual((seen.rows, seen.n, seen.known, seen.reach), ([], 0, [], None))
        self.assertEqual(found.summary(np.array([], dtype=np.int64)), found.summary())
        self.assertIsNone(units_of([], made.scope, len(made.bands), Order("net"), None).reach)


if __name__ == "__main__":
    unittest.main()
