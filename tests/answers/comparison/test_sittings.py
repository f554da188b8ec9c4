"""Answers that count and what they are worth, as counted one by one; sittings chosen as among their answers alone."""

import random
import unittest
from datetime import date, timedelta

import numpy as np
import polars as pl

from bodkin.answers.needs.evidence import Limits, evidence_from_points
from bodkin.answers.needs.item_analysis import analyse, analysed, kept_sittings
from bodkin.store.reads.needs_data import ANSWERS, ITEMS, NeedsData

DAYS = [None, *(date(2026, 10, 1) + timedelta(days=at) for at in range(3))]


def answers(draw):
    """Answers of eight students to two tests, on several days or none, some items twice."""
    rows = [
        {"line": line, "student_id": f"s{draw.randrange(8)}", "test": draw.choice("AB"), "item": str(draw.randrange(5)),
         "tested_on": draw.choice(DAYS), "option": draw.choice(["a", "b", None]),
         "points": draw.choice([None, None, None, 0.5])}
        for line in range(200)
    ]  # fmt: skip
    draw.shuffle(rows)
    return pl.DataFrame(rows, schema=ANSWERS)


def items(draw):
    """Items of the two tests, some dropped, with one key, two or none, and standards, one of them named twice."""
    rows = [
        {"test": test, "item": str(at), "keys": draw.choice([["a"], ["b"], ["a", "b"], []]),
         "points": draw.choice([1.0, 2.0]), "options": [], "dropped": draw.random() < 0.2,
         "standards": draw.choice([["x"], ["x", "y"], ["y", "y"], []])}
        for test in "AB" for at in range(6)
    ]  # fmt: skip
    return pl.DataFrame(rows, schema=ITEMS)


def one_by_one(data):
    """Points won and to be won by student and standard with the items asked: counted answer by answer."""
    rows = sorted(data.answers.iter_rows(named=True), key=lambda row: row["line"])
    days, given = {}, {}
    for row in rows:
        sitting, day = (row["student_id"], row["test"]), row["tested_on"] or date.min
        days[sitting] = max(day, days.get(sitting, date.min))
    for row in rows:
        if (row["tested_on"] or date.min) == days[row["student_id"], row["test"]]:
            given[row["student_id"], row["test"], row["item"]] = row
    found = {}
    for item in data.items.filter(~pl.col("dropped")).iter_rows(named=True):
        for student in (who for who, test in days if test == item["test"]):
            row = given.get((student, item["test"], item["item"]), {"points": None, "option": None})
            own = item["points"] if row["option"] in item["keys"] else 0.0
            won = row["points"] if row["points"] is not None else own
            for standard in set(item["standards"]):
                before = found.get((student, standard), (0.0, 0.0, 0))
                found[student, standard] = (before[0] + won, before[1] + item["points"], before[2] + 1)
    return found


class Points(unittest.TestCase):
    def test_they_are_those_counted_one_by_one(self):
        """Of every student and standard: points given stand before the key, what was not answered wins nothing."""
        for seed in range(30):
            draw = random.Random(seed)
            data = NeedsData(answers=answers(draw), items=items(draw))
            found = evidence_from_points(data, Limits())
            with self.subTest(seed=seed):
                columns = ("student_id", "standard", "won", "possible", "items")
                self.assertEqual(
                    {row[:2]: row[2:] for row in found.select(columns).iter_rows()}, one_by_one(data)
                )  # fmt: skip

    def test_none_where_nobody_answered(self):
        """Tests that nobody sat and answers to no item are evidence of nothing."""
        draw = random.Random(1)
        for data in (NeedsData(items=items(draw)), NeedsData(answers=answers(draw))):
            self.assertEqual(evidence_from_points(data, Limits()).height, 0)


class Sittings(unittest.TestCase):
    def test_they_are_those_of_the_latest_sittings_among_them(self):
        """A test worked out over sittings of one day or none, as over the answers of these alone.

        Of an item answered twice the later line counts; options that only others chose are none.
        """
        for seed in range(40):
            draw = random.Random(seed)
            known = items(draw).filter(pl.col("keys").list.len() > 0)
            data = NeedsData(answers=answers(draw), items=known)
            sat = pl.DataFrame(
                [(f"s{at}", draw.choice(DAYS)) for at in range(8) if draw.random() < 0.8],
                schema={"student_id": pl.String, "tested_on": pl.Date}, orient="row",
            )  # fmt: skip
            for test in ("A", "B"):
                plain = data.answers.filter(pl.col("test") == test)
                plain = plain.join(sat, on=["student_id", "tested_on"], how="semi", nulls_equal=True)
                wanted = analyse(NeedsData(answers=plain, items=known), test)
                sittings = kept_sittings(data, test)
                found = analysed(test, sittings, sittings.among(sat))
                with self.subTest(seed=seed, test=test):
                    for name in ("students", "tested_on", "options", "keys"):
                        self.assertEqual(getattr(found, name), getattr(wanted, name))
                    for name in ("chosen", "won"):
                        np.testing.assert_array_equal(getattr(found, name), getattr(wanted, name))

    def test_an_option_that_only_others_chose(self):
        """It is none of those who did not choose it, and the places follow; what was chosen anew counts for nobody."""
        rows = [("x", "d"), ("y", "c"), ("z", "b"), ("x", "a")]
        asked = [{"line": at, "student_id": who, "test": "A", "item": "1", "tested_on": DAYS[1], "option": option,
                  "points": None} for at, (who, option) in enumerate(rows)]  # fmt: skip
        item = {"test": "A", "item": "1", "keys": ["c"], "points": 1.0, "options": [], "dropped": False}
        data = NeedsData(answers=pl.DataFrame(asked, schema=ANSWERS),
                         items=pl.DataFrame([{**item, "standards": []}], schema=ITEMS))  # fmt: skip
        sittings = kept_sittings(data, "A")
        whole = analysed("A", sittings, np.arange(3))
        self.assertEqual((whole.students, whole.options, whole.chosen[:, 0].tolist()),
                         (["x", "y", "z"], [["a", "b", "c"]], [0, 2, 1]))  # fmt: skip
        two = analysed("A", sittings, np.array([0, 1]))
        self.assertEqual((two.options, two.keys, two.chosen[:, 0].tolist()), ([["a", "c"]], [{1}], [0, 1]))
        self.assertEqual(two.won[:, 0].tolist(), [0.0, 1.0])
