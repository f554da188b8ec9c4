"""Pages of a report: the figures of the summary, what is withheld, words of what differs, views that are asked for."""

import unittest

import numpy as np
import pandas as pd
import polars as pl

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.scope.scope import Scope
from bodkin.answers.share.report import (
    WITHHELD,
    checked_views,
    compare_page,
    follow_up_page,
    growth_page,
    needs_page,
)
from bodkin.core.errors import BadInput
from tests.support.tables import BASE, moved_rows, pairs, table_of


def summary_of(rows, **more):
    comparison = compare(table_of(rows), Scope(**BASE, **more))
    return comparison, summarise(comparison)


class Compare(unittest.TestCase):
    def setUp(self):
        self.comparison, self.summary = summary_of(pairs(n=90), by="school")
        self.page = compare_page(self.summary, "school", "Headline", "Lead")

    def test_a_row_for_all_and_for_each_unit(self):
        """Students, shares at or above, movers, net move: as pandas counts them from the students."""
        students = pd.DataFrame(self.comparison.students.filter("matched").to_dict(as_series=False))
        for row, (name, own) in zip(self.page.rows, [("All", students), *students.groupby("school")], strict=True):
            up = int((own["to_order"] > own["from_order"]).sum())
            down = int((own["to_order"] < own["from_order"]).sum())
            self.assertEqual(row.name, name)
            self.assertEqual(row.cells[0], f"{len(own):,}")
            self.assertEqual(row.cells[3:5], [f"{up:,}", f"{down:,}"])
            # The quoted band is the first of the upper half: of three the second.
            for cell, side in zip(row.cells[1:3], ("from", "to"), strict=True):
                share = (own[f"{side}_order"] >= 2).mean()
                self.assertEqual(cell, f"{np.floor(100 * share + 0.5):.0f}\u00a0%")
            self.assertAlmostEqual(sum(row.before), 1.0)
            for shares, side in ((row.before, "from"), (row.after, "to")):
                counted = [float((own[f"{side}_order"] == order).mean()) for order in (1, 2, 3)]
                np.testing.assert_allclose(shares, counted)

    def test_headline_bands_and_header(self):
        """Those of the view; the quoted band is named."""
        self.assertEqual((self.page.headline, self.page.lead), ("Headline", "Lead"))
        self.assertEqual(self.page.bands, ["Low", "Mid", "High"])
        self.assertEqual(self.page.header[1], "At Mid or above, before")
        self.assertEqual(self.page.title, "Standing and movement by school")
        self.assertEqual(compare_page(self.summary, None, "", "").title, "Standing and movement")

    def test_small_units_are_withheld(self):
        """A school of few: no figure of it, and no bar that would tell its shares."""
        rows = [*pairs(n=60), *pairs(seed=9, n=4, school="Tiny", section="4Z")]
        for at, row in enumerate(rows):
            row["student_id"] += row["school"]
            row["line"] = at
        comparison, summary = summary_of(rows, by="school")
        page = compare_page(suppress_small_cells(summary, 10, comparison), "school", "", "")
        tiny = next(row for row in page.rows if row.name == "Tiny")
        self.assertEqual((tiny.cells[0], tiny.before, tiny.after), (WITHHELD, [], []))
        self.assertFalse([cell for cell in tiny.cells[1:] if cell])

    def test_units_with_nobody_have_no_row(self):
        """A class that nobody of the sentence is in."""
        units = {row.name for row in self.page.rows}
        self.assertEqual(units, {"All", "North", "South"})


class Growth(unittest.TestCase):
    def test_each_unit_beside_the_whole(self):
        """Who met, the median growth percentile, the mark with its interval; words only where it differs."""
        _, summary = summary_of(moved_rows({"Up": 14, "Same": 0, "Also": 0}, "school", 60, 5), by="school")
        page = growth_page(summary, "school")
        self.assertEqual(page.whole, summary.growth.met_share)
        self.assertTrue(page.marked)
        by_name = {row.name: row for row in page.rows}
        for unit in summary.by:
            row, figure = by_name[unit.value], unit.compared.met_share
            self.assertEqual(row.cells[0], f"{unit.growth.n:,}")
            self.assertEqual((row.mark.raw, row.mark.estimate), (figure.raw, figure.estimate))
            self.assertEqual(row.cells[4], "different beyond chance" if figure.different else "")
        self.assertEqual(by_name["Up"].cells[4], "different beyond chance")
        self.assertIsNone(by_name["All"].mark)
        self.assertRegex(page.lead, r"Of 180 students with both results\. \d schools? differs? beyond chance\.")

    def test_where_none_differs_it_is_said(self):
        """No unit is called different, and the lead says so."""
        _, summary = summary_of(moved_rows({"A": 0, "B": 0, "C": 0}, "school", 40, 8), by="school")
        page = growth_page(summary, "school")
        self.assertIn("No school differs from the whole by more than could be chance.", page.lead)
        self.assertFalse([row for row in page.rows if row.cells[4]])

    def test_so_few_that_nothing_is_told(self):
        """Withheld whole: no share, no unit."""
        comparison, summary = summary_of(pairs(n=6), by="school")
        page = growth_page(suppress_small_cells(summary, 10, comparison), "school")
        self.assertEqual(page.headline, "Growth cannot be told of so few students")
        self.assertFalse([cell for row in page.rows for cell in row.cells[1:] if cell])


class NeedsAndGroups(unittest.TestCase):
    def test_a_count_that_gives_another_away_is_withheld(self):
        """Fewer than ten, or all but fewer than ten; none and all are told."""
        strands = [("a", 100, 40, 12, -0.4), ("b", 100, 4, 0, 0.3), ("c", 100, 96, 50, None), ("d", 100, 100, 0, -2.0),
                   ("e", 9, 3, 1, 0.0)]  # fmt: skip
        rows = {row.name: row.cells for row in needs_page(strands, "norm", "Headline").rows}
        self.assertEqual(rows["a"], ["100", "40 (40\u00a0%)", "12 (12\u00a0%)", "\u22120.4"])
        self.assertEqual(rows["b"][1:3], ["withheld", "0 (0\u00a0%)"])
        self.assertEqual(rows["c"][1:], ["withheld", "50 (50\u00a0%)", "–"])
        self.assertEqual(rows["d"][1], "100 (100\u00a0%)")
        self.assertEqual(rows["e"], [WITHHELD, "", "", ""])

    def test_groups_of_few_are_withheld(self):
        """Their name stands, nothing about them does."""
        page = follow_up_page([("Reeds", 12, "due", "Half grow."), ("Herons", 9, "due", "Half grow.")])
        self.assertEqual([row.cells for row in page.rows], [["12", "due", "Half grow."], [WITHHELD, "", ""]])
        self.assertEqual(page.headline, "2 groups are running")


class Views(unittest.TestCase):
    def test_each_once_in_the_order_asked_for(self):
        """With a breakdown or without; an unknown one is named with those there are."""
        asked = ["growth:school", "needs", "growth:school", "compare"]
        self.assertEqual(checked_views(asked), [("growth", "school"), ("needs", None), ("compare", None)])
        self.assertEqual(checked_views([]), [])
        with self.assertRaisesRegex(BadInput, "view: there is no 'poem'; choose of compare, trend, .*, helped"):
            checked_views(["poem"])


class Frames(unittest.TestCase):
    def test_the_draw_has_movers(self):
        """The rows that these tests rest on hold students who moved either way."""
        comparison, _ = summary_of(pairs(n=90))
        moved = comparison.students.filter("matched").select(pl.col("to_order") - pl.col("from_order")).to_series()
        self.assertTrue((moved > 0).any() and (moved < 0).any())
