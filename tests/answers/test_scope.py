"""The scope, its sentence, the first choice and the exports, on small tables made here."""

import io
import unittest
import zipfile
from datetime import date

import numpy as np
import polars as pl
from pydantic import ValidationError
from python_calamine import CalamineWorkbook
from scipy.optimize import linprog

from bodkin.answers.behind import Pick, behind, picked
from bodkin.answers.choices import choices, first_scope, windows
from bodkin.answers.compare_step import compare_answer, quoted_order
from bodkin.answers.comparison import compare
from bodkin.answers.exports import Table, neutral, students_table, summary_table, table_text, workbook
from bodkin.answers.growth_step import growth_answer, growth_rows
from bodkin.answers.rail import rail
from bodkin.answers.scope import Scope
from bodkin.answers.sentence import caption, measure_title, sentence, who_title
from bodkin.answers.steps import display_name
from bodkin.answers.student import find_students, student_card
from bodkin.answers.summary import summarise
from bodkin.answers.withheld import without_small_cells
from bodkin.answers.words import percent, plural
from bodkin.store.score_table import (
    CUTS,
    GROWTH_NORMS,
    NORMS,
    RESULTS,
    Calendar,
    ScoreTable,
    empty,
    only_measures,
    without_programs,
)

FALL, WINTER = "2025-26 fall", "2025-26 winter"
BASE = {"assessment": "Tide", "subject": "reading", "from_window": FALL, "to_window": WINTER}


def result(line, student, window, score, **more):
    row = dict.fromkeys(RESULTS, None) | {
        "line": line,
        "student_id": student,
        "assessment": "Tide",
        "subject": "reading",
        "window": window,
        "grade": "4",
        "school": "North",
        "section": "4A",
        "programs": [],
        "language": "English",
        "score": float(score),
    }
    return row | more


def table_of(rows, **more):
    cuts = [
        {"assessment": "Tide", "subject": "reading", "grade": "4", "season": None, "order": order, "band": band,
         "min_score": low, "min_percentile": None}
        for order, (band, low) in enumerate((("Low", None), ("Mid", 490.0), ("High", 510.0)), 1)
    ]  # fmt: skip
    norms = [
        {
            "assessment": "Tide",
            "subject": "reading",
            "grade": "4",
            "season": season,
            "week": week,
            "mean": mean,
            "sd": 20.0,
        }
        for season, week, mean in (("fall", 4.0, 500.0), ("winter", 19.0, 508.0))
    ]
    frames = {
        "norms": pl.DataFrame(norms, schema=NORMS),
        "growth_norms": empty(GROWTH_NORMS),
        "cuts": pl.DataFrame(cuts, schema=CUTS),
    } | more
    return ScoreTable(pl.DataFrame(rows, schema=RESULTS), **frames)


def pairs(seed=1, n=60, **more):
    rng = np.random.default_rng(seed)
    rows = []
    for at in range(n):
        score = rng.normal(500, 18)
        place = {"school": "North" if at % 3 else "South", "section": f"4{'ABC'[at % 3]}"} | more
        rows.append(result(2 * at, f"s{at:03}", FALL, round(score), standard_error=8.0, **place))
        rows.append(
            result(2 * at + 1, f"s{at:03}", WINTER, round(score + rng.normal(7, 10)), standard_error=8.0, **place)
        )
    return rows


def grown_of(comparison):
    summary = summarise(comparison)
    return growth_answer(comparison, summary, growth_rows(comparison, summary, {}), 1)


class Sentence(unittest.TestCase):
    def told(self, **more):
        return caption(sentence(Scope(**BASE, **more), norms=True))

    def test_pieces_at_their_first_choice_are_not_spelled_out(self):
        """The plain sentence has no cuts and no filters in it."""
        self.assertEqual(
            self.told(),
            "Tide Reading for all students, fall to winter 2025-26, students with both results, against norms.",
        )

    def test_who_in_words(self):
        """One, a few, many; where; with and without a grade."""
        for more, words in (
            ({"grade": ("4",), "school": ("North",)}, "grade 4 at North"),
            ({"grade": ("5", "4")}, "grades 4 and 5"),
            ({"grade": ("2", "3", "4", "5")}, "4 grades"),
            ({"school": ("North",)}, "students at North"),
            ({"section": ("4A", "4B", "4C")}, "classes 4A, 4B and 4C"),
            ({"program": ("ML",)}, "in ML"),
            ({"teacher": ("A. Reed",)}, "students of A. Reed"),
            ({"language": "Portuguese"}, "tested in Portuguese"),
            ({"students": frozenset({"a"})}, "1 pinned student"),
            ({"students": frozenset({"a", "b"})}, "2 pinned students"),
        ):
            with self.subTest(words=words):
                self.assertEqual(who_title(Scope(**BASE, **more)), words)

    def test_what_differs_is_told_and_marked(self):
        """All with a result and year-end cuts stand in the sentence."""
        pieces = sentence(Scope(**BASE, matched=False, cuts="year-end"), norms=False)
        self.assertIn("all students with a result, by year-end cuts, against no norms", caption(pieces))
        self.assertEqual([piece.key for piece in pieces if piece.changed], ["matched", "cuts"])

    def test_a_measure_never_says_its_subject_twice(self):
        """The subject is added unless the name holds it."""
        self.assertEqual(measure_title("Tide", "reading"), "Tide Reading")
        self.assertEqual(measure_title("Reading Tide", "reading"), "Reading Tide")

    def test_windows_must_be_windows_in_order(self):
        """Both years are told where they differ; nonsense is refused."""
        later = caption(sentence(Scope(**{**BASE, "to_window": "2026-27 fall"}), norms=True))
        self.assertIn("2025-26 fall to 2026-27 fall", later)
        for wrong in ({"to_window": "2024-25 fall"}, {"from_window": "x"}, {"colour": "red"}, {"by": "shoe"}):
            with self.subTest(wrong=wrong), self.assertRaises(ValidationError):
                Scope(**{**BASE, **wrong})


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
        told = compare_answer(made, summarise(made), 1)
        self.assertEqual(
            (told.headline, told.bands, told.movement, told.matched_n), ("Results without bands", [], None, 60)
        )
        grown = grown_of(made)
        self.assertEqual((grown.headline, grown.growth.n, len(grown.rows)), ("Growth cannot be judged here", 0, 60))

    def test_bands_from_two_to_six(self):
        """The quoted band is the first of the upper half."""
        self.assertEqual([quoted_order(n) for n in (2, 3, 4, 5, 6)], [2, 2, 3, 3, 4])

    def test_the_panel_lists_whom_the_number_counts(self):
        """Movers of one school, by distance; the title says so."""
        unit = next(row for row in self.summary.by if row.value == "South")
        told = behind(self.comparison, Pick(moved="up", unit="school", value="South"), self.names)
        self.assertEqual(len(told.rows), unit.movement.up)
        self.assertEqual(told.title, "Moved up · South")
        distances = [row["distance"] for row in told.rows]
        self.assertEqual(distances, sorted(distances))
        self.assertEqual(picked(self.comparison, Pick()).height, 60)

    def test_the_rail_has_a_true_line_for_every_step(self):
        """Built steps from the data, the others honestly not built."""
        steps = {step.name: step for step in rail(self.summary, 1)}
        moved = self.summary.movement
        self.assertEqual(steps["Compare"].line, f"{moved.up} up, {moved.down} down")
        self.assertIn(f"{self.summary.growth.met_n} of 60", steps["Growth"].finding)
        self.assertEqual(steps["Groups"].line, "1 running")
        self.assertEqual([name for name, step in steps.items() if not step.built], ["Needs", "Follow-up", "Share"])
        self.assertEqual(rail(None, 0)[1].line, "nothing to compare yet")

    def test_words(self):
        """Singular and plural, percent with halves up, a name where it is known."""
        self.assertEqual((plural(1, "student"), plural(2, "student")), ("1 student", "2 students"))
        self.assertEqual([percent(share) for share in (0.125, 0.5, None)], ["13\u00a0%", "50\u00a0%", "–"])
        self.assertEqual((display_name(self.names, "s001"), display_name({}, "x9")), ("Ana1 Reed", "x9"))


class Exports(unittest.TestCase):
    def test_formulas_are_neutralised(self):
        """Text that a spreadsheet would run gets a quote before it; numbers stay numbers."""
        for text in ("=1+1", "+1", "-1", "@x", "\tx"):
            self.assertEqual(neutral(text), f"'{text}")
        self.assertEqual((neutral("Ana"), neutral(-1.5)), ("Ana", -1.5))
        self.assertEqual(table_text(Table(["a"], [[True], [None], ["=x"]])), 'a\r\ntrue\r\n""\r\n\'=x\r\n')

    def test_students_and_summary_as_spreadsheets(self):
        """One row a student with name and figures, one row a band and unit; the caption below."""
        made = compare(table_of(pairs()), Scope(**BASE, by="school"))
        text = table_text(students_table(made, picked(made, Pick(moved="up")), {"s001": ("=Reed", "")}))
        lines = text.split("\r\n")
        self.assertTrue(lines[0].startswith("student_id,name,school,section,from_grade"))
        self.assertEqual(len(lines), 1 + summarise(made).movement.up + 4 - 1)
        self.assertIn("Tide Reading for all students", lines[-2])
        rows = table_text(summary_table(summarise(made))).split("\r\n")
        self.assertEqual(len([row for row in rows if row.startswith(("all,", "North,", "South,"))]), 9)

    def test_workbooks_hold_what_things_are(self):
        """Read back by another package: numbers, dates, booleans; text that looks like something else is text."""
        day = date(2027, 2, 12)
        rows = [["=1+1", 512.5, 3, True, day, None], ["007", None, float("nan"), False, day, "http://x.y"]]
        book = CalamineWorkbook.from_filelike(io.BytesIO(workbook(Table(list("abcdef"), rows, "Who and when"))))
        self.assertEqual(book.sheet_names, ["Bodkin", "What this shows"])
        told = book.get_sheet_by_index(0).to_python()
        self.assertEqual(told[0], list("abcdef"))
        self.assertEqual(told[1], ["=1+1", 512.5, 3.0, True, day, ""])
        self.assertEqual(told[2], ["007", "", "", False, day, "http://x.y"])
        self.assertEqual(book.get_sheet_by_index(1).to_python(), [["Who and when"]])
        with zipfile.ZipFile(io.BytesIO(workbook(Table(["a", "b"], [["x", 1]])))) as packed:
            sheet = packed.read("xl/worksheets/sheet1.xml").decode()
        self.assertIn('state="frozen"', sheet)
        self.assertIn('<autoFilter ref="A1:B2"', sheet)
        self.assertNotIn("<f>", sheet)
        self.assertEqual(CalamineWorkbook.from_filelike(io.BytesIO(workbook(Table([], [])))).sheet_names, ["Bodkin"])


class FirstChoice(unittest.TestCase):
    today = date(2026, 2, 20)

    def test_the_latest_two_windows_in_which_half_are_tested(self):
        """An unfinished spring with three tests is not offered first."""
        rows = pairs() + [result(900 + at, f"s{at:03}", "2025-26 spring", 510) for at in range(3)]
        table = table_of(rows)
        self.assertEqual(first_scope(table, None, self.today).model_dump(), BASE)
        told = {window.name: window for window in windows(table.results, table, self.today)}
        self.assertTrue(told["2025-26 spring"].unfinished)
        self.assertFalse(told[WINTER].unfinished)

    def test_one_window_only_looks_ahead_to_the_next(self):
        """Fall alone: the second window is winter, still to come."""
        table = table_of([row for row in pairs() if row["window"] == FALL])
        self.assertEqual(first_scope(table, None, self.today).to_window, WINTER)

    def test_nothing_in_reach_is_nothing(self):
        """Nobody's results, or none at all."""
        self.assertIsNone(first_scope(table_of(pairs()), ["nobody"], self.today))
        self.assertIsNone(first_scope(table_of([]), None, self.today))

    def test_choices_are_those_in_reach_latest_first(self):
        """Classes of the students in reach only; windows with the calendar's next ones."""
        calendar = Calendar({}, {"2025-26 spring": (date(2026, 4, 20), date(2026, 5, 15))})
        told = choices(
            table_of(pairs(), calendar=calendar), ["s000", "s003"], ("Tide", "reading"), ["2025-26"], self.today
        )
        self.assertEqual((told.section, told.school), (["4A"], ["South"]))
        self.assertEqual([(window.name, window.n) for window in told.windows],
                         [("2025-26 spring", 0), (WINTER, 2), (FALL, 2)])  # fmt: skip

    def test_views_of_the_table(self):
        """Some measures only; nobody's programs."""
        table = table_of([*pairs(n=2), result(99, "x", FALL, 500, subject="science", programs=["ML"])])
        self.assertEqual(only_measures(table, {("Tide", "science")}).results["student_id"].to_list(), ["x"])
        hidden = without_programs(table)
        self.assertEqual((hidden.results["programs"].list.len().sum(), hidden.view), (0, "no programs"))

    def test_search_and_card(self):
        """Every word must fit, in name or number; only in reach; the latest result first."""
        table, names = table_of(pairs(n=3)), {"s000": ("Reed", "Ana"), "s001": ("Reed", "Zoë"), "s002": ("Lund", "Ana")}
        self.assertEqual([found.student_id for found in find_students(table, "reed an", names, None)], ["s000"])
        self.assertEqual([found.student_id for found in find_students(table, "S002", names, None)], ["s002"])
        self.assertEqual(find_students(table, "ana", names, ["s001"]), [])
        self.assertEqual(find_students(table, "  ", names, None), [])
        card = student_card(table, "s000", names)
        self.assertEqual([one.window for one in card.results], [WINTER, FALL])


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
            shown = without_small_cells(plain, 10, exclusive=True)
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
        shown = without_small_cells(summarise(made), 10, exclusive=True)
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
        without_small_cells(plain, 10, exclusive=True)
        self.assertEqual(plain.model_dump(), before)
