"""Results of two windows side by side: each knows its own row among everybody's."""

import unittest
from dataclasses import replace

import numpy as np
import polars as pl

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.pairing import ROWS, of_window, pair
from bodkin.answers.scope.scope import FEW, Scope
from bodkin.store.reads.table.score_table import ROSTER
from tests.support.tables import BASE, SPRING, WINTER, pairs, result, table_of


def shuffled(seed):
    """Sixty students in no order, some with a second sitting, some with one window only."""
    rng = np.random.default_rng(seed)
    rows = [row for row in pairs(seed) if rng.random() < 0.85]
    rows += [result(500 + at, f"s{at:03}", WINTER, 480 + at, grade="5") for at in range(0, 60, 7)]
    # Lines far apart, as those of tests worked out from answers are.
    lines = rng.permutation(len(rows)) * 10**9
    return [row | {"line": int(line)} for row, line in zip(rows, lines, strict=True)]


class Rows(unittest.TestCase):
    def test_each_result_is_the_row_that_it_says(self):
        """Over scopes of several kinds; without a result there is no row."""
        reach = frozenset(f"s{at:03}" for at in range(40))
        scopes = ({}, {"grade": ("4",)}, {"school": ("North",), "all_but": True}, {"from_window": WINTER},
                  {"follow": "grade", "grade": ("4",)}, {"reach": reach}, {"matched": False})  # fmt: skip
        for seed, more in ((seed, more) for seed in range(4) for more in scopes):
            with self.subTest(seed=seed, scope=more):
                table, scope = table_of(shuffled(seed)), Scope(**{**BASE, **more})
                students = compare(table, scope).students
                self.assertGreater(students.height, 10)
                for row, side, window in zip(ROWS, ("from", "to"), (scope.first, scope.second), strict=True):
                    held = of_window(table, scope, window)
                    for name in ("line", "score"):
                        self.assertTrue(held[name].gather(students[row]).equals(students[f"{side}_{name}"]), name)
                    mine = held["student_id"].gather(students[row])
                    known = students[row].is_not_null()
                    self.assertTrue(mine.filter(known).equals(students["student_id"].filter(known)))
                    self.assertEqual(known.any(), (side, window == scope.first) != ("from", scope.single))


class Few(unittest.TestCase):
    def test_few_students_are_paired_as_among_everybody(self):
        """With so many unknown ids beside them that all are looked at: the same rows, the same outside."""
        many = frozenset(f"nobody{at}" for at in range(FEW + 1))
        scopes = ({}, {"from_window": WINTER}, {"matched": False}, {"between": (WINTER,), "to_window": SPRING},
                  {"grade": ("4",)}, {"from_window": "2025-09-01..2025-10-15"})  # fmt: skip
        for seed, more in ((seed, more) for seed in range(4) for more in scopes):
            loose = [result(900 + at, f"s{at:03}", None, 470 + at) for at in (1, 2, 59)]
            rows = [*shuffled(seed), *loose]
            for students in ({"s001"}, {"s001", "s002", "s014", "s059", "nobody"}, set()):
                with self.subTest(seed=seed, scope=more, students=students):
                    alone = Scope(**{**BASE, **more, "students": frozenset(students)})
                    beside = Scope(**{**BASE, **more, "students": many | students})
                    self.assertEqual((alone.few, beside.few), (students, None))
                    table = table_of(rows)
                    found, wanted = pair(table, alone), pair(table, beside)
                    kept = pair(table, alone)
                    self.assertTrue(kept.rows.equals(found.rows))
                    self.assertTrue(found.rows.equals(wanted.rows))
                    self.assertTrue(found.outside.equals(wanted.outside))
        self.assertIsNone(Scope(**BASE, students=frozenset({"s001"}), all_but=True).few)


class Places(unittest.TestCase):
    def test_today_s_places_are_of_the_kinds_that_results_have(self):
        """Students and grades followed, by where they were tested or by today's roster: columns alike."""
        table = table_of(pairs())
        places = [{**dict.fromkeys(ROSTER), "student_id": one, "grade": "5", "school": "North", "programs": []}
                  for one in table.results["student_id"].unique()]  # fmt: skip
        table = replace(table, roster=pl.DataFrame(places, schema=ROSTER))
        for follow in ("students", "grade"):
            then, today = (
                pair(table, Scope(**BASE, follow=follow, roster=roster)).rows for roster in ("then", "today")
            )
            self.assertEqual(dict(today.schema), dict(then.schema), follow)
            self.assertEqual(set(today["grade"]), {"5"})
