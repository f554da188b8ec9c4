"""Workbooks in a process of their own: cells that say nothing, cover sheets, and books that would never end."""

import io
import time
import unittest
import zipfile

import xlsxwriter
import xlwt

from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports.kinds import KNOWN
from bodkin.exchange.plain.plain_files import read_scores
from bodkin.exchange.tables_in.names import NOT_CALCULATED
from bodkin.exchange.tables_in.sheets import open_sheet

HEAD = ["student_id", "assessment", "subject", "window", "grade", "score"]
ROW = ["S1", "Tide", "reading", "2026-27 fall", "3", 500]
ODS = (
    '<?xml version="1.0"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    ' xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0" office:version="1.2">'
    '<office:body><office:spreadsheet><table:table table:name="A">{}</table:table></office:spreadsheet></office:body>'
    "</office:document-content>"
)
MANIFEST = (
    '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
    '<manifest:file-entry manifest:full-path="/"'
    ' manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>'
)


def ods(rows):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("content.xml", ODS.format(rows))
        packed.writestr("META-INF/manifest.xml", MANIFEST)
    return out.getvalue()


def texts(*values):
    cells = "".join(
        f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>' for value in values
    )
    return f"<table:table-row>{cells}</table:table-row>"


def xlsx(fill):
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        fill(book)
    return out.getvalue()


def faults(content):
    return [(f.line, f.column, f.message) for f in read_scores("f", open_sheet("f", content, KNOWN)).faults]


class Cells(unittest.TestCase):
    def test_errors_and_formulas_never_calculated_are_refused_with_their_cell(self):
        """As in CSV: an empty score would be no score without a word."""

        def fill(book):
            sheet = book.add_worksheet()
            sheet.write_row(0, 0, HEAD)
            for at in range(1, 4):
                sheet.write_row(at, 0, ROW)
            sheet.write_formula(1, 5, "=NA()", None, "#N/A")
            sheet.write_formula(2, 5, "=A1+1", None, "")
            sheet.write_formula(3, 0, "=B9", None, "#REF!")

        found = faults(xlsx(fill))
        self.assertEqual([(line, column) for line, column, _ in found], [(2, "score"), (3, "score"), (4, "student_id")])
        self.assertIn('"#N/A"', found[0][2])
        self.assertIn("never calculated", found[1][2])
        text = ",".join(HEAD) + "\nS1,Tide,reading,2026-27 fall,3,#N/A\n#REF!,Tide,reading,2026-27 fall,3,500\n"
        in_text = faults(text.encode())
        self.assertEqual([(line, column) for line, column, _ in in_text], [(2, "score"), (3, "student_id")])

    def test_a_formula_that_gives_text_or_a_number_is_its_value(self):
        """An empty text is an empty cell."""

        def fill(book):
            sheet = book.add_worksheet()
            sheet.write_row(0, 0, HEAD)
            sheet.write_row(1, 0, ROW)
            sheet.write_formula(1, 5, "=1+1", None, 512)
            sheet.write_formula(1, 0, '="S"&1', None, "S9")

        sheet = open_sheet("f", xlsx(fill), KNOWN)
        self.assertEqual([column[0] for column in sheet.columns], ["S9", *ROW[1:5], "512"])
        self.assertEqual(faults(xlsx(fill)), [])

    def test_the_same_in_open_document_and_old_workbooks(self):
        """Errors of both; a formula without a value."""
        row = texts(*ROW[:5]).replace(
            "</table:table-row>",
            '<table:table-cell table:formula="of:=NA()" office:value-type="string" calcext:value-type="error">'
            "<text:p>#N/A</text:p></table:table-cell></table:table-row>",
        )
        other = texts(*ROW[:5]).replace(
            "</table:table-row>", '<table:table-cell table:formula="of:=1+1"/></table:table-row>'
        )
        sheet = open_sheet("f", ods(texts(*HEAD) + row + other), KNOWN)
        self.assertEqual(sheet.columns[5].to_list(), ["#N/A", NOT_CALCULATED])
        book, out = xlwt.Workbook(), io.BytesIO()
        page = book.add_sheet("A")
        for at, value in enumerate(HEAD):
            page.write(0, at, value)
            page.write(1, at, ROW[at])
        page.row(2).set_cell_error(5, "#DIV/0!")
        page.write(2, 0, "S2")
        book.save(out)
        sheet = open_sheet("f", out.getvalue(), KNOWN)
        self.assertEqual(sheet.columns[5].to_list(), ["500", "#DIV/0!"])

    def test_an_id_that_lost_digits_is_refused(self):
        """A number of twenty digits comes out of a spreadsheet as another student's, or nobody's."""

        def fill(book):
            sheet = book.add_worksheet()
            sheet.write_row(0, 0, HEAD)
            for at, number in enumerate((12345678901234567890, 1234567890123456, 123456789012345), 1):
                sheet.write_row(at, 0, [number, *ROW[1:]])

        found = faults(xlsx(fill))
        self.assertEqual([(line, column) for line, column, _ in found], [(2, "student_id"), (3, "student_id")])
        self.assertIn("a spreadsheet has cut", found[0][2])


class Sheets(unittest.TestCase):
    def book(self):
        def fill(book):
            cover = book.add_worksheet("Cover")
            cover.write_column(0, 0, ["Testing 2026", "Made by nobody"])
            for name, score in (("Reading", 500), ("Mathematics", 510)):
                sheet = book.add_worksheet(name)
                sheet.write_row(0, 0, HEAD)
                sheet.write_row(1, 0, [*ROW[:5], score])
            book.add_worksheet("Empty")

        return xlsx(fill)

    def test_a_cover_sheet_first_is_passed_over_and_any_sheet_can_be_named(self):
        """The first sheet whose header is known; the others are offered by name."""
        sheet = open_sheet("f", self.book(), KNOWN)
        self.assertEqual((sheet.sheet, sheet.sheets), ("Reading", ["Cover", "Reading", "Mathematics"]))
        self.assertIn('read from sheet "Reading"', sheet.notices)
        other = open_sheet("f", self.book(), KNOWN, "Mathematics")
        self.assertEqual(other.columns[5].to_list(), ["510"])
        with self.assertRaisesRegex(BadFile, 'no sheet "Science"'):
            open_sheet("f", self.book(), KNOWN, "Science")


class Endless(unittest.TestCase):
    """Small files that would take all memory or time end their own process, in seconds, and nothing else."""

    def refused(self, content):
        began = time.monotonic()
        with self.assertRaisesRegex(BadFile, "more memory or time than any sheet"):
            open_sheet("f.ods", content, KNOWN)
        self.assertLess(time.monotonic() - began, 30)

    def test_cells_that_repeat_in_both_directions(self):
        """A kilobyte that asks for gigabytes."""
        cell = '<table:table-cell table:number-columns-repeated="16384" office:value-type="string"><text:p>x</text:p>'
        row = f'<table:table-row table:number-rows-repeated="1000000">{cell}</table:table-cell></table:table-row>'
        content = ods(texts(*HEAD) + row)
        self.assertLess(len(content), 2_000)
        self.refused(content)

    def test_rows_that_repeat_until_time_is_up(self):
        """Narrow, but without end."""
        row = texts(*ROW).replace("<table:table-row>", '<table:table-row table:number-rows-repeated="60000000">')
        self.refused(ods(texts(*HEAD) + row))
