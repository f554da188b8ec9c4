"""The scope, its sentence and the first choice."""

import unittest
from datetime import date

from pydantic import ValidationError

from bodkin.answers.scope.choices import choices, first_scope, windows
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption, measure_title, sentence, who_title
from bodkin.answers.student.card import student_card
from bodkin.answers.student.find import find_students
from bodkin.store.reads.table.score_table import (
    Calendar,
    only_measures,
    without_programs,
)
from tests.support.tables import BASE, FALL, WINTER, pairs, result, table_of


class Sentence(unittest.TestCase):
    def answer_for(self, **more):
        return caption(sentence(Scope(**BASE, **more), norms=True))

    def test_pieces_at_their_first_choice_are_not_spelled_out(self):
        """The plain sentence has no cuts and no filters in it."""
        self.assertEqual(
            self.answer_for(),
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


class FirstChoice(unittest.TestCase):
    today = date(2026, 2, 20)

    def test_the_latest_two_windows_in_which_half_are_tested(self):
        """An unfinished spring with three tests is not offered first."""
        rows = pairs() + [result(900 + at, f"s{at:03}", "2025-26 spring", 510) for at in range(3)]
        table = table_of(rows)
        self.assertEqual(first_scope(table, None, self.today).model_dump(), BASE)
        answer = {window.name: window for window in windows(table.results, table, self.today)}
        self.assertTrue(answer["2025-26 spring"].unfinished)
        self.assertFalse(answer[WINTER].unfinished)

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
        answer = choices(
            table_of(pairs(), calendar=calendar), ["s000", "s003"], ("Tide", "reading"), ["2025-26"], self.today
        )
        self.assertEqual((answer.section, answer.school), (["4A"], ["South"]))
        self.assertEqual([(window.name, window.n) for window in answer.windows],
                         [("2025-26 spring", 0), (WINTER, 2), (FALL, 2)])  # fmt: skip

    def test_views_of_the_table(self):
        """Some measures only; nobody's programs."""
        table = table_of([*pairs(n=2), result(99, "x", FALL, 500, subject="science", programs=["ML"])])
        self.assertEqual(only_measures(table, {("Tide", "science"): {"x"}}).results["student_id"].to_list(), ["x"])
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
