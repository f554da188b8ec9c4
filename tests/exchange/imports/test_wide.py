"""Wide files: read as the plain ones they stand for, and brought in like them."""

import unittest
from datetime import UTC, datetime

from bodkin.core.errors import BadInput
from bodkin.exchange.imports.bundles import Waiting, bring_in_all, files_in
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.reads.load_needs import load_needs
from tests.support import stage
from tests.support.answers import AS_IT_IS

NOW = datetime(2027, 2, 12, tzinfo=UTC).replace(tzinfo=None)
SHEET = "Student ID,Name,Date,Q1,Q2,Q3\nKey,,,A,B;D,C\nStandards,,,M5-NP-1,M5-NP-1;M5-NP-2,\nPoints,,,1,2,\n{}\n"


class Shapes(unittest.TestCase):
    def parts(self, name, text):
        found, said = files_in(name, text.encode())
        return {part: content.decode().splitlines() for part, content in found}, said

    def test_answers_with_a_key_row(self):
        """A row an item and a row an answer; the file's name is the test's, rows on top say more."""
        parts, said = self.parts("Unit check geometry.csv", SHEET.format("x1,Ann,2027-01-20,A,C,"))
        self.assertEqual(parts["Unit check geometry - items.csv"][:3], [
            "test,item,key,points,standards", "Unit check geometry,Q1,A,1,M5-NP-1",
            "Unit check geometry,Q2,B;D,2,M5-NP-1;M5-NP-2",
        ])  # fmt: skip
        answers = parts["Unit check geometry - answers.csv"]
        self.assertEqual(answers[1:3], [
            "x1,Unit check geometry,Q1,A,2027-01-20", "x1,Unit check geometry,Q2,C,2027-01-20"
        ])  # fmt: skip
        self.assertIn("read as items and answers", said[0])

    def test_a_grid_of_mastery(self):
        """One letter a cell or words; the day from a column or the name; none is told."""
        grid = "id,M5-NP-1,M5-NP-2\nx1,M,X\nx2,,nearly\n"
        parts, _ = self.parts("grid 2027-01-26.csv", grid)
        self.assertEqual(parts["grid 2027-01-26 - mastery.csv"][1:], [
            "x1,M5-NP-1,mastered,2027-01-26,grid 2027-01-26", "x1,M5-NP-2,not yet,2027-01-26,grid 2027-01-26",
            "x2,M5-NP-2,nearly,2027-01-26,grid 2027-01-26",
        ])  # fmt: skip
        with self.assertRaisesRegex(BadInput, "grid.csv, line 1, column on: says no day"):
            files_in("grid.csv", grid.encode())

    def test_plain_files_stay_plain(self):
        """Scores, answers in long form, a roster with a column of M and N, a grid without a key or with other words."""
        for text in (
            "student_id,assessment,subject,window,grade,score\na,b,c,2026-27 fall,3,5\n",
            "student_id,test,item,option\na,T,1,A\n",
            "student_id,gender\na,M\nb,N\n",
            "student_id,Q1,Q2\na,A,B\n",
            "student_id,Q1,Q1\nkey,A,B\n",
            "name,Q1\nkey,A\n",
            "",
        ):
            with self.subTest(text=text):
                self.assertEqual(files_in("x.csv", text.encode()), ([("x.csv", text.encode())], []))


class Weekly(unittest.TestCase):
    """Sheets with a column a day."""

    def parts(self, text, name="weeks.csv"):
        return {part: data.decode().splitlines() for part, data in files_in(name, text.encode())[0]}

    def test_weekly_results_with_goals(self):
        """A result a filled cell, on the day of its column, whatever stands around it; the goal beside them."""
        found = self.parts(
            "id,Name,Assessment,Subject,Goal,By,Week of 2026-10-16,2026-10-23\n"
            "x1,Ann,One-minute passage,reading,90,2027-04-16,61,\nx2,Bo,One-minute passage,reading,,,,70.5\n"
        )
        self.assertEqual(found["weeks - scores.csv"][1:], [
            "x1,One-minute passage,reading,,,61,2026-10-16", "x2,One-minute passage,reading,,,70.5,2026-10-23",
        ])  # fmt: skip
        self.assertEqual(found["weeks - goals.csv"][1:], ["x1,One-minute passage,reading,own,90,2027-04-16"])

    def test_sessions_by_minutes_or_by_who_came(self):
        """Minutes as they are; came takes the session's minutes, away none, an empty cell was not there at all."""
        found = self.parts(
            "id,group,minutes,2026-10-12,2026-10-14,2026-10-15\nx1,Tide,30,x,A,\nx2,Tide,30,20,present,0\n"
        )
        self.assertEqual(found["weeks - sessions.csv"][1:], [
            "Tide,2026-10-12,x1,30,30", "Tide,2026-10-14,x1,0,30", "Tide,2026-10-12,x2,20,30",
            "Tide,2026-10-14,x2,30,30", "Tide,2026-10-15,x2,0,30",
        ])  # fmt: skip

    def test_practice_in_a_program(self):
        """Minutes of each day in the program; none are no entry."""
        found = self.parts("id,program,10/16/2026,10/23/2026\nx1,Ferry Shelf,35,0\n")
        self.assertEqual(found["weeks - practice.csv"][1:], ["x1,2026-10-16,Ferry Shelf,35,"])

    def test_what_cannot_be_read_is_named(self):
        """Days in two ways of writing, a cell that is no number, came without minutes, a sheet that says nothing."""
        for text, message in (
            ("id,program,3/4/2026,5/6/2026\nx1,F,1,1\n", "month/day/year or day/month/year"),
            ("id,program,2026-10-16,2026-10-23\nx1,F,1,lots\n", 'line 2, column 2026-10-23: "lots" is not minutes'),
            ("id,group,2026-10-16,2026-10-23\nx1,T,x,\n", "column 2026-10-16: says who came but not for how long"),
            ("id,group,2026-10-16,2026-10-23\nx1,T,maybe,\n", "is neither minutes nor came or away"),
            ("id,test,2026-10-16,2026-10-23\nx1,T,1,\n", "column subject: says no subject"),
            ("id,2026-10-16,2026-10-23\nx1,1,2\n", "does not say of what; add a column assessment, group or program"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(BadInput, message):
                files_in("weeks.csv", text.encode())


class BroughtIn(unittest.TestCase):
    def test_a_sheet_comes_in_and_counts(self):
        """Items first, then the answers, in one go; part of what the Needs step looks at, and undone whole."""
        store = stage.small_copy()
        with store.reading() as session:
            student = load_needs(session, stage.TODAY).answers["student_id"][0]
        found, _ = files_in("Geometry.csv", SHEET.format(f"{student},,2027-01-20,A,D,A").encode())
        changes = Changes(confirmed=True, answers=AS_IT_IS)
        waiting = [Waiting(name, name, lambda data=data: data, changes) for name, data in reversed(found)]
        with store.writing(scores=True) as session:
            bring_in_all(session, waiting, 1, NOW)
        with store.reading() as session:
            data = load_needs(session, stage.TODAY)
        items = data.items.filter(data.items["test"] == "Geometry")
        self.assertEqual(items["keys"].to_list(), [["A"], ["B", "D"], ["C"]])
        answers = data.answers.filter(data.answers["test"] == "Geometry")
        self.assertEqual(answers["option"].to_list(), ["A", "D", "A"])
        store.engine.dispose()
