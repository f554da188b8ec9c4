"""Answers over small tables made here."""

import unittest

from bodkin.answers.compare.step import compare_answer, quoted_order
from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.drill_down import Pick, drill_down, picked
from bodkin.answers.comparison.step_answer import display_name
from bodkin.answers.comparison.summary import counts_of, summarise
from bodkin.answers.home.rail import GroupsLine, rail
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import percent, plural
from bodkin.store.reads.table.score_table import (
    CUTS,
    NORMS,
    empty,
)
from tests.support.tables import BASE, FALL, WINTER, grown_of, pairs, result, table_of


class Answers(unittest.TestCase):
    def setUp(self):
        self.names = {f"s{at:03}": ("Reed", f"Ana{at}") for at in range(60)}
        self.table = table_of(pairs())
        self.comparison = compare(self.table, Scope(**BASE, by="school"))
        self.summary = summarise(self.comparison)

    def test_units_add_up_to_the_whole(self):
        """Matched students, movers and bands over the schools are those of all."""
        for part in ("up", "same", "down"):
            self.assertEqual(
                sum(getattr(row.movement, part) for row in self.summary.by), getattr(self.summary.movement, part)
            )
        for at, row in enumerate(self.summary.bands):
            self.assertEqual(sum(unit.bands[at].to_n for unit in self.summary.by), row.to_n)

    def test_ends_of_a_range_belong_to_it(self):
        """A student exactly at either end is among those picked, as the field's drawn region holds its border."""
        for name, column in (("percentile", "from_percentile"), ("distance", "gain_z")):
            values = sorted(self.comparison.students.filter("matched")[column].drop_nulls().to_list())
            low, high = values[10], values[40]
            inside = picked(self.comparison, Pick(**{f"{name}_from": low, f"{name}_to": high}))
            with self.subTest(column=column):
                self.assertEqual(sorted(inside[column].to_list()), [one for one in values if low <= one <= high])
                self.assertEqual((inside[column].min(), inside[column].max()), (low, high))

    def test_kept_pace_is_met_and_below_the_quoted_band(self):
        """Of three bands the second is the first of the upper half: who met and has just reached it is not among them.

        By hand: 450 lies 2.5 norm spreads below the mean of 500, so 508 - 0.85 * 2.5 * 20 = 465.5 is expected; the
        second band begins at 490.
        """
        later = {"kept": 489, "reached": 490, "fell": 452, "far": 520}
        rows = [result(at, one, FALL, 450) for at, one in enumerate(later)]
        rows += [result(10 + at, one, WINTER, score) for at, (one, score) in enumerate(later.items())]
        made = compare(table_of(rows), Scope(**BASE))
        met = dict(made.students.select("student_id", "met").iter_rows())
        self.assertEqual(met, {"kept": True, "reached": True, "fell": False, "far": True})
        self.assertEqual(picked(made, Pick(kept_pace_low=True))["student_id"].to_list(), ["kept"])
        self.assertEqual(grown_of(made).kept_pace_low, 1)

    def test_counts_alone_are_those_of_the_summary(self):
        """Steps that need no summary count the same students, whatever is matched or left out."""
        more = result(900, "late", WINTER, 500), result(901, "early", FALL, 480), result(902, "out", "", 480)
        rows = [*pairs(), *more]
        for changed in ({}, {"matched": False}, {"school": ("A",)}, {"school": ("nowhere",)}, {"to_window": FALL}):
            made = compare(table_of(rows), Scope(**{**BASE, **changed}))
            with self.subTest(changed=changed):
                self.assertEqual(counts_of(made), summarise(made).counts)

    def test_headlines_say_what_the_figures_say(self):
        """A rise, a fall, nothing, few, nobody."""
        for shift, n, words in (
            (25, 40, "More students moved up than down"),
            (-25, 40, "More students fell back than moved up"),
            (0, 40, "Nobody changed band"),
            (25, 4, "Of 4 students"),
        ):
            rows = []
            for at in range(n):
                rows.append(result(2 * at, f"s{at}", FALL, 485 + at % 30))
                rows.append(result(2 * at + 1, f"s{at}", WINTER, 485 + at % 30 + shift))
            made = compare(table_of(rows), Scope(**BASE))
            with self.subTest(words=words):
                self.assertTrue(compare_answer(made, summarise(made), 1).headline.startswith(words))
        nobody = compare(table_of([]), Scope(**BASE))
        self.assertEqual(compare_answer(nobody, summarise(nobody), 1).headline, "No results for this choice")
        self.assertEqual(grown_of(nobody).rows, [])

    def test_results_without_cuts_or_norms_still_say_something_true(self):
        """No bands, no movement, no expectation; counts stand."""
        bare = table_of(pairs(), norms=empty(NORMS), cuts=empty(CUTS))
        made = compare(bare, Scope(**BASE))
        answer = compare_answer(made, summarise(made), 1)
        self.assertEqual(
            (answer.headline, answer.bands, answer.movement, answer.matched_n), ("Results without bands", [], None, 60)
        )
        grown = grown_of(made)
        self.assertEqual((grown.headline, grown.growth.n, len(grown.rows)), ("Growth cannot be judged here", 0, 60))

    def test_bands_from_two_to_six(self):
        """The quoted band is the first of the upper half."""
        self.assertEqual([quoted_order(n) for n in (2, 3, 4, 5, 6)], [2, 2, 3, 3, 4])

    def test_the_panel_lists_whom_the_number_counts(self):
        """Movers of one school, by distance; the title says so."""
        unit = next(row for row in self.summary.by if row.value == "South")
        answer = drill_down(self.comparison, Pick(moved="up", unit="school", value="South"), self.names)
        self.assertEqual(len(answer.rows), unit.movement.up)
        self.assertEqual(answer.title, "Moved up · South")
        distances = [row["distance"] for row in answer.rows]
        self.assertEqual(distances, sorted(distances))
        self.assertEqual(picked(self.comparison, Pick()).height, 60)

    def test_a_headline_with_small_groups_hidden(self):
        """Counts that are withheld are not none: the view still says how many moved."""
        whole = compare_answer(self.comparison, self.summary, 1)
        hidden = self.summary.model_copy(deep=True)
        hidden.counts.from_ = hidden.counts.to = None
        shown = compare_answer(self.comparison, hidden, 1, 10)
        self.assertEqual((shown.headline, shown.lead), (whole.headline, whole.lead))

    def test_the_rail_has_a_true_line_for_every_step(self):
        """Each from the data; Share counts whom pages were made for."""
        steps = {step.name: step for step in rail(self.summary, GroupsLine(1, ""))}
        moved = self.summary.movement
        self.assertEqual(steps["Compare"].line, f"{moved.up} up, {moved.down} down")
        self.assertIn(f"{self.summary.growth.met_n} of 60", steps["Growth"].finding)
        self.assertEqual(steps["Groups"].line, "1 running")
        self.assertEqual(steps["Share"].line, "no pages yet")
        self.assertEqual(rail(self.summary, GroupsLine(1, ""), pages_made=24)[6].line, "24 with pages")
        self.assertEqual(rail(None, GroupsLine(0, ""))[1].line, "nothing to compare yet")

    def test_words(self):
        """Singular and plural, percent with halves up, a name where it is known."""
        self.assertEqual((plural(1, "student"), plural(2, "student")), ("1 student", "2 students"))
        self.assertEqual([percent(share) for share in (0.125, 0.5, None)], ["13\u00a0%", "50\u00a0%", "–"])
        self.assertEqual((display_name(self.names, "s001"), display_name({}, "x9")), ("Ana1 Reed", "x9"))
