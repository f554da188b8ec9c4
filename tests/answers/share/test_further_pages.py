"""Pages of the trend, the history, the outcome, standards, items, practice, two measures and help; what is withheld."""

import itertools
import unittest

from bodkin.answers.comparison.norms.outlook import Outlook, OutlookBand, OutlookShare
from bodkin.answers.share.further_pages import (
    HIDDEN,
    MOST_STANDARDS,
    HelpedFigures,
    ItemOnPage,
    WindowFigures,
    helped_page,
    history_page,
    items_page,
    outcome_page,
    outlook_page,
    parts_shown,
    practice_page,
    standards_page,
    trend_page,
    two_page,
)
from bodkin.answers.share.report import WITHHELD
from bodkin.core.needs.mastery import STATES


def cells(page):
    return {row.name: row.cells for row in page.rows}


class Parts(unittest.TestCase):
    def test_no_small_part_can_be_worked_out(self):
        """Over every split of 40 in four parts: with the whole known, no hidden part below ten has one value only."""
        for parts in itertools.product(range(0, 41, 4), repeat=3):
            counts = [*parts, 40 - sum(parts)]
            if counts[-1] < 0:
                continue
            shown = parts_shown(counts)
            for count, seen in zip(counts, shown, strict=True):
                self.assertIn(seen, (None, count))
                self.assertFalse(0 < count < 10 and seen is not None, counts)
            hidden = [count for count, seen in zip(counts, shown, strict=True) if seen is None]
            # One hidden part alone is the whole less the others; two that are both empty are empty.
            self.assertNotEqual(len(hidden), 1, counts)
            self.assertTrue(not hidden or sum(hidden) > 0, counts)

    def test_large_parts_stay(self):
        """Nothing is hidden where nothing is small; nobody is fewer than ten too."""
        self.assertEqual(parts_shown([20, 30, 10]), [20, 30, 10])
        self.assertEqual(parts_shown([20, 30, 0]).count(None), 2)
        self.assertEqual(parts_shown([12, 12]), [12, 12])


class Trend(unittest.TestCase):
    def window(self, name, n, above=None, known=None, mean=500.0):
        ends = (None, None) if mean is None else (mean - 4, mean + 4)
        return WindowFigures(name, n, mean, *ends, above, known, 0.3, 0.5)

    def test_mean_and_share_of_each_window(self):
        """The share is of those with a band; its mark stands at the share."""
        page = trend_page([self.window("fall", 60, 20, 50)], "Steady", "It rose", "Lead", [])
        self.assertEqual(cells(page), {"fall": ["60", "500", "496 to 504", "20 (40\u00a0%)"]})
        mark = page.rows[0].mark
        self.assertEqual((mark.raw, mark.low, mark.high), (0.4, 0.3, 0.5))
        self.assertEqual((page.headline, page.lead), ("It rose", "Lead"))

    def test_what_was_withheld_stays_so(self):
        """A window without n, a share without its students; a window of nobody, and one without any band."""
        nothing = WindowFigures("a", *[None] * 8)
        page = trend_page(
            [nothing, self.window("b", 50), self.window("c", 50, None, 0), self.window("d", 0, None, 0, mean=None)],
            None, "It rose", "", [],
        )  # fmt: skip
        found = cells(page)
        self.assertEqual(found["a"], [WITHHELD, "", "", ""])
        self.assertEqual((found["b"][3], found["c"][3]), (HIDDEN, "–"))
        self.assertEqual(found["d"][:2], ["0", "–"])
        self.assertEqual([row.mark for row in page.rows], [None] * 4)


class History(unittest.TestCase):
    def test_shares_of_each_window(self):
        """Counts by band with their shares, bars of those with a band; who has none is not shown as a band."""
        page = history_page([("fall", [30, 10, 20], 0), ("winter", [20, 20, 20], 15)], ["Low", "Mid", "High"], "Tide")
        found = cells(page)
        self.assertEqual(found["fall"], ["60", "30 (50\u00a0%)", "10 (17\u00a0%)", "20 (33\u00a0%)"])
        self.assertEqual(found["winter"][0], "75")
        self.assertEqual([round(one, 3) for one in page.rows[1].before], [0.333, 0.333, 0.333])
        self.assertEqual(page.bars, ["Standing"])

    def test_small_bands_leave_no_bar(self):
        """A band of three is withheld with another one, and the bar would give both away."""
        page = history_page([("fall", [3, 20, 20], 0), ("winter", [5, 4, 0], 0)], ["Low", "Mid", "High"], "Tide")
        self.assertEqual(cells(page)["fall"].count(HIDDEN), 2)
        self.assertEqual(cells(page)["winter"], [WITHHELD, "", "", ""])
        self.assertEqual([row.before for row in page.rows], [[], []])


class Outlooks(unittest.TestCase):
    def test_the_outcome_by_level_and_by_band(self):
        """Likely students and the share expected of each level; the mean chance of each band today."""
        page = outcome_page(
            "Spring", "Half will pass.", [("One", 40, 0.4), ("Two", 60, 0.6)], "Two",
            [("Low", 50, 0.2), ("High", 50, None)], ["grade 2: too few"],
        )  # fmt: skip
        self.assertEqual(cells(page)["Likely Two"], ["60 (60\u00a0%)", "60\u00a0%", ""])
        self.assertEqual(cells(page)["In Low today"], ["50", "", "20\u00a0%"])
        self.assertEqual(cells(page)["In High today"], ["50", "", "–"])
        self.assertEqual((page.header[2], page.notes), ("Chance of Two or above", ["grade 2: too few"]))

    def test_small_levels_and_few_students(self):
        """A level likely for four is hidden with another; of nine students nothing is said; of none the reason."""
        page = outcome_page("Spring", "", [("One", 4, 0.1), ("Two", 30, 0.4), ("Three", 30, 0.5)], "Two", [], [])
        self.assertEqual([row.cells[0] for row in page.rows].count(HIDDEN), 2)
        few = outcome_page("Spring", "80 % will pass.", [("One", 9, 1.0)], None, [("Low", 9, 0.3)], [])
        self.assertEqual((few.rows, "80" in few.headline), ([], False))
        self.assertEqual(outcome_page("Spring", "Not yet.", [("One", 0, None)], None, [], []).headline, "Not yet.")

    def test_the_window_to_come(self):
        """Expected students of each band with their range; nothing of few."""
        share = OutlookShare(band="High", expected_share=0.5, low=0.4, high=0.6)
        bands = [OutlookBand(band="Low", expected_n=10.4, low=8, high=13)]
        outlook = Outlook(window="2026-27 spring", bands=bands, at_or_above=share)
        page = outlook_page(outlook, 20)
        self.assertIn("50\u00a0% are expected at High or above in 2026-27 spring", page.headline)
        self.assertEqual(cells(page), {"Low": ["10", "8 to 13"]})
        self.assertEqual(outlook_page(outlook, 9).rows, [])


class Needs(unittest.TestCase):
    def test_standards_in_their_order(self):
        """States of each with their shares; so many on a page, and how many more there are."""
        skills = [(f"S{at}", "text", (20, 20, 20, 20, 20), at) for at in range(MOST_STANDARDS + 2)]
        page = standards_page(skills, 100, STATES)
        self.assertEqual(page.rows[0].cells, ["20 (20\u00a0%)"] * 5 + ["0"])
        self.assertEqual((len(page.rows), page.headline), (MOST_STANDARDS, "Teach S0 first"))
        self.assertIn("2 standards more", page.notes[0])
        self.assertEqual(standards_page(skills, 9, STATES).rows, [])
        self.assertIn("No evidence", standards_page([], 100, STATES).headline)

    def test_items(self):
        """Right answers with their share; where few were wrong neither the count nor the share is shown."""
        items = [ItemOnPage("1", "M1", 30, 0.5, 0.42, "Wrong key?"), ItemOnPage("2", "M2", 57, 0.95, None, "")]
        page = items_page("Check", 60, items, "Item 1")
        self.assertEqual(cells(page)["1"], ["M1", "30 (50\u00a0%)", "50\u00a0%", "0.42", "Wrong key?"])
        self.assertEqual(cells(page)["2"], ["M2", HIDDEN, "", "–", ""])
        self.assertEqual(items_page("Check", 8, items, "Item 1: 3 wrong").rows, [])


class Followed(unittest.TestCase):
    def test_practice_by_reason(self):
        """Reasons with how many share them, small ones withheld."""
        page = practice_page(100, 70, {"not seen": 30, "too hard": 4}, "quarter 3")
        self.assertEqual(
            cells(page),
            {"Practiced in the period": ["70 (70\u00a0%)"], "Not seen": ["30 (30\u00a0%)"], "Too hard": [HIDDEN]},
        )
        self.assertEqual(practice_page(9, 9, {"not seen": 9}, "quarter 3").rows, [])

    def test_two_measures(self):
        """Standings and moves; a small move is hidden with another one."""
        standings = [("both", 30), ("first only", 10), ("second only", 20), ("neither", 40)]
        page = two_page(("Rate", "Sense"), standings, {"Gained": 12, "Lost": 3, "Same": 60}, "All")
        self.assertEqual(cells(page)["Both"], ["30 (30\u00a0%)"])
        self.assertEqual([cells(page)[name][0] for name in ("Gained", "Lost", "Same")].count(HIDDEN), 2)
        self.assertEqual(two_page(("Rate", "Sense"), [("both", 9)], {}, "").rows, [])

    def test_help_by_kind(self):
        """Difference with its range and what it says; fewer than ten matched students say nothing."""
        page = helped_page(
            [HelpedFigures("Tier 2", 20, 20, 0.4, 0.1, 0.7, 0.9, "worked"),
             HelpedFigures("Word work", 12, 8, 0.9, 0.2, 1.6, 0.9, "cannot tell")]
        )  # fmt: skip
        self.assertEqual(
            cells(page)["Tier 2"],
            ["20 (100\u00a0%)", "+0.40", "+0.10 to +0.70", "90\u00a0%", "worked, beyond chance"],
        )
        self.assertEqual(cells(page)["Word work"], [WITHHELD, "", "", "", ""])
