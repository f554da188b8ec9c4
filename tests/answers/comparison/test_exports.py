"""Tables that leave as files."""

import io
import unittest
import zipfile
from datetime import date

from python_calamine import CalamineWorkbook

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.drill_down import Pick, picked
from bodkin.answers.comparison.exports import Table, neutral, students_table, summary_table, table_text, workbook
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.scope.scope import Scope
from tests.support.tables import BASE, pairs, table_of


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
        answer = book.get_sheet_by_index(0).to_python()
        self.assertEqual(answer[0], list("abcdef"))
        self.assertEqual(answer[1], ["=1+1", 512.5, 3.0, True, day, ""])
        self.assertEqual(answer[2], ["007", "", "", False, day, "http://x.y"])
        self.assertEqual(book.get_sheet_by_index(1).to_python(), [["Who and when"]])
        with zipfile.ZipFile(io.BytesIO(workbook(Table(["a", "b"], [["x", 1]])))) as packed:
            sheet = packed.read("xl/worksheets/sheet1.xml").decode()
        self.assertIn('state="frozen"', sheet)
        self.assertIn('<autoFilter ref="A1:B2"', sheet)
        self.assertNotIn("<f>", sheet)
        self.assertEqual(CalamineWorkbook.from_filelike(io.BytesIO(workbook(Table([], [])))).sheet_names, ["Bodkin"])
