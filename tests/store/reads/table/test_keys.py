"""Rows told apart by numbers: as by their texts and days, whatever these are."""

import unittest
from datetime import date

import numpy as np
import polars as pl

from bodkin.store.reads.table.keys import (
    by_day,
    code_of,
    day_code,
    in_order,
    last_of_each,
    latest_of_each,
    one_key,
)
from bodkin.store.reads.table.score_table import WORD

DAYS = (None, date.min, date(1969, 12, 31), date(1970, 1, 1), date(2026, 11, 2), date.max)


def drawn(seed: int, height: int = 400) -> pl.DataFrame:
    """Rows of few students, tests and days, with lines of scores and of common tests, in no order."""
    rng = np.random.default_rng(seed)
    lines = np.concatenate([np.arange(height // 2), 10**12 + np.arange(height - height // 2)])
    return pl.DataFrame(
        {
            "student_id": [f"S{at}" for at in rng.integers(0, 40, height)],
            "test": pl.Series([f"T {at}" for at in rng.integers(0, 4, height)], dtype=WORD),
            "tested_on": pl.Series([DAYS[at] for at in rng.integers(0, len(DAYS), height)], dtype=pl.Date),
            "line": rng.permutation(lines),
        }
    )


class Keys(unittest.TestCase):
    def test_two_texts_are_one_number(self):
        """Rows have the same number where both texts are the same, and only there; no text has no number."""
        rows = drawn(1)
        keyed = rows.with_columns(by=one_key(code_of("student_id"), code_of("test")))
        self.assertEqual(keyed["by"].n_unique(), rows.select("student_id", "test").n_unique())
        self.assertEqual(keyed.select("by", "student_id", "test").n_unique(), keyed["by"].n_unique())
        self.assertEqual(pl.DataFrame({"a": [None, "x"]}).select(code_of("a").is_null())["a"].to_list(), [True, False])

    def test_days_from_the_first_to_the_last_there_is(self):
        """Numbers rise with the days and fit in 22 bits; no day is 0."""
        codes = pl.DataFrame({"on": DAYS}).select(day_code("on"))["on"].to_list()
        self.assertEqual(codes, sorted(set(codes)))
        self.assertEqual(codes[:2], [0, 1])
        self.assertLess(codes[-1], 2**22)

    def test_by_day_and_line(self):
        """As polars sorts by the two columns, those without a day first."""
        for seed in range(20):
            rows = drawn(seed)
            self.assertTrue(by_day(rows, "line").equals(rows.sort("tested_on", "line", nulls_last=False)))

    def test_the_last_of_each(self):
        """As polars finds it over all columns, whether some have several or none has."""
        for seed in range(20):
            rows = drawn(seed)
            keys = ["student_id", "test", "tested_on"]
            for some in (rows, rows.unique(keys, keep="any")):
                found = last_of_each(some, keys)
                self.assertTrue(found.equals(some.unique(keys, keep="last", maintain_order=True)))

    def test_the_latest_of_each(self):
        """The last by day and line of each set of keys, in the order of the rows; of no rows none."""
        for seed in range(20):
            rows = drawn(seed)
            for keys in (["student_id"], ["student_id", "test"]):
                for some in (rows, rows.unique(keys, maintain_order=True), rows.clear()):
                    ordered = some.with_row_index("place").sort("tested_on", "line", nulls_last=False)
                    last = ordered.unique(keys, keep="last").sort("place").drop("place")
                    self.assertTrue(latest_of_each(some, keys, "line").equals(last))

    def test_rows_in_order(self):
        """By their line; rows that stand so already are given back as they are."""
        rows = drawn(3)
        ordered = in_order(rows)
        self.assertTrue(ordered["line"].is_sorted())
        self.assertIs(in_order(ordered), ordered)
