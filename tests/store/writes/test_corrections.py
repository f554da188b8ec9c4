"""Corrections by hand: one cell, with who and why; files that come again neither undo them nor double the result."""

import unittest
from datetime import date, datetime

from sqlalchemy import select

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.reads.table.load import load_score_table, window_names
from bodkin.store.tables import Person, Result
from bodkin.store.writes.corrections import correct, results_of
from bodkin.store.writes.undo import undo
from tests.support import stage

NOW = datetime(2026, 9, 20)
CALENDAR = (
    "kind,name,from,to\nschool year,2026-27,2026-08-24,2027-06-11\nwindow,2026-27 fall,2026-09-08,2026-10-02\n"
    "window,2026-27 winter,2027-01-11,2027-02-05\n"
)
SCORES = (
    "student_id,assessment,subject,window,grade,score,tested_on,language,minutes\n"
    "S1,Tide,reading,2026-27 fall,3,{},2026-09-14,English,{}\n"
)


class Cells(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh(NOW.date())
        self.bring("c.csv", CALENDAR)
        self.bring("s.csv", SCORES.format(500, 30))
        with self.store.writing(scores=False) as session:
            session.add(Person(name="Maren", role="coach"))
            session.flush()
            self.coach = session.scalar(select(Person.id))
            self.result = session.scalar(select(Result.id))

    def bring(self, name, text, **answers):
        with self.store.writing(scores=True) as session:
            changes = Changes(answers=answers)
            return imports.bring_in(session, name, text.encode(), None, NOW, changes)[1]

    def correct(self, column, value, key=None):
        with self.store.writing(scores=False) as session:
            return correct(session, key or self.result, column, value, "typed wrong", self.coach, NOW, "corrected")

    def now(self):
        with self.store.reading() as session:
            names = window_names(session)
            rows = session.execute(select(Result.score, Result.tested_on, Result.window_id, Result.language))
            return [(score, day, names.get(window), language) for score, day, window, language in rows]

    def test_each_cell_with_who_and_why_and_undone(self):
        """What stood there is kept beside it; undo brings it back and takes the mark away."""
        was = self.now()
        for column, value, place, expected in (
            ("score", "512.5", 0, 512.5), ("window", "2026-27 winter", 2, "2026-27 winter"), ("window", "", 2, None),
            ("language", "Portuguese", 3, "Portuguese"), ("language", None, 3, None),
        ):  # fmt: skip
            act = self.correct(column, value)
            self.assertEqual(self.now()[0][place], expected)
            with self.store.reading() as session:
                (line,) = results_of(session, "S1")
            mark = line.corrections[0]
            self.assertEqual(
                (mark.column, mark.after, mark.why, mark.by), (column, value or None, "typed wrong", "Maren")
            )
            with self.store.writing(scores=False) as session:
                undo(session, act, None, anybody_s=True)
            self.assertEqual(self.now(), was)
            with self.store.reading() as session:
                self.assertEqual(results_of(session, "S1")[0].corrections, ())

    def test_another_date_takes_the_result_to_its_window(self):
        """By the calendar; both cells are kept."""
        self.correct("tested_on", "2027-01-14")
        self.assertEqual(self.now()[0][1:3], (date(2027, 1, 14), "2026-27 winter"))
        with self.store.reading() as session:
            kept = {(one.column, one.before, one.after) for one in results_of(session, "S1")[0].corrections}
        self.assertEqual(
            kept,
            {("tested_on", "2026-09-14", "2027-01-14"), ("window", "2026-27 fall", "2026-27 winter")},
        )
        self.correct("tested_on", "2026-11-20")
        self.assertIsNone(self.now()[0][2])

    def test_the_screens_follow_at_once(self):
        """The score table is another one."""
        self.correct("score", "512")
        with self.store.reading() as session:
            self.assertEqual(load_score_table(session).results["score"].to_list(), [512])

    def test_the_file_again_changes_nothing(self):
        """Whichever cell was corrected; another cell of the file comes in and the correction stands."""
        for column, value in (("score", "512"), ("tested_on", "2026-09-15"), ("language", "Portuguese")):
            self.correct(column, value)
            with self.subTest(column):
                self.assertTrue(self.bring("s.csv", SCORES.format(500, 30)).plan.empty)
        self.assertEqual(self.bring("s.csv", SCORES.format(500, 44)).plan.counts["changed"], 1)
        self.assertEqual(self.now(), [(512, date(2026, 9, 15), "2026-27 fall", "Portuguese")])

    def test_a_file_that_says_another_score_now_is_asked_about(self):
        """The correction is kept, or the file's word taken; a file that says the same as the hand needs no asking."""
        self.correct("score", "512")
        with self.assertRaisesRegex(Conflict, "1 question is open"):
            self.bring("s.csv", SCORES.format(530, 30))
        self.bring("s.csv", SCORES.format(530, 30), corrected="keep")
        self.assertEqual(self.now()[0][0], 512)
        self.bring("s.csv", SCORES.format(512, 30))
        self.assertEqual(self.now()[0][0], 512)
        self.bring("s.csv", SCORES.format(530, 30), corrected="file")
        self.assertEqual(self.now()[0][0], 530)

    def test_a_window_given_by_hand_stays_when_the_calendar_moves(self):
        """Only results that nobody placed go by their date."""
        self.correct("window", "2026-27 winter")
        self.bring("c.csv", CALENDAR.replace("2026-10-02", "2026-10-03"))
        self.assertEqual(self.now()[0][2], "2026-27 winter")

    def test_what_cannot_be(self):
        """Each is refused by its cell; the same value again is no correction."""
        for column, value, words in (
            ("score", "5OO", "score: write a number"), ("score", "nan", "score: write a number"),
            ("score", "1e300", "score: write a number"), ("tested_on", "14.9.2026", "tested_on: write the date"),
            ("tested_on", "0001-01-01", "between 1990 and 2099"), ("window", "2030-31 fall", "there is no window"),
            ("language", "x" * 65, "at most 64"), ("grade", "4", "only score"),
        ):  # fmt: skip
            with self.subTest(value), self.assertRaisesRegex(BadInput, words):
                self.correct(column, value)
        with self.assertRaises(Conflict):
            self.correct("score", "500")
        with self.assertRaises(NotFound):
            self.correct("score", "501", key=10**9)
