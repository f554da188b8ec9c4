"""Answers of some sittings of a common test: those that the general way finds, however often it was sat."""

import random
import unittest
from datetime import date, timedelta

import polars as pl

from bodkin.answers.comparison.measures.common_tests import answers_of_sittings, latest_sittings
from bodkin.store.reads.needs_data import ANSWERS, NeedsData

DAYS = [None, *(date(2026, 10, 1) + timedelta(days=at) for at in range(3))]


def answers(draw):
    """Answers of eight students to two tests, on several days or none, some items twice."""
    rows = [
        {"line": line, "student_id": f"s{draw.randrange(8)}", "test": draw.choice("AB"), "item": str(draw.randrange(5)),
         "tested_on": draw.choice(DAYS), "option": draw.choice(["a", "b", None]), "points": None}
        for line in range(200)
    ]  # fmt: skip
    draw.shuffle(rows)
    return pl.DataFrame(rows, schema=ANSWERS)


class Sittings(unittest.TestCase):
    def test_they_are_those_of_the_latest_sittings_among_them(self):
        """Of each student the sitting of one day, or of none; of an item answered twice the later line."""
        for seed in range(12):
            draw = random.Random(seed)
            data = NeedsData(answers=answers(draw))
            sat = pl.DataFrame(
                [(f"s{at}", draw.choice(DAYS)) for at in range(8) if draw.random() < 0.8],
                schema={"student_id": pl.String, "tested_on": pl.Date}, orient="row",
            )  # fmt: skip
            for test in ("A", "B", "C"):
                with self.subTest(seed=seed, test=test):
                    plain = data.answers.filter(pl.col("test") == test)
                    plain = plain.join(sat, on=["student_id", "tested_on"], how="semi", nulls_equal=True)
                    found = answers_of_sittings(data, test, sat)
                    self.assertEqual(found.rows(named=True), latest_sittings(plain).rows(named=True))
