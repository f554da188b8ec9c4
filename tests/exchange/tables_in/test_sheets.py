"""Opening files as they really come: other separators and encodings, workbooks, broken and hostile ones."""

import io
import tracemalloc
import unittest
import unittest.mock
import zipfile
from datetime import date, datetime

import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports.kinds import KNOWN
from bodkin.exchange.imports.understanding import recognise
from bodkin.exchange.plain.plain_files import read_scores
from bodkin.exchange.tables_in import archives, sheets
from bodkin.exchange.tables_in.sheets import open_sheet

HEAD = ["student_id", "assessment", "subject", "window", "grade", "score", "tested_on"]
ROW = ["S1", "Tide Test", "reading", "2026-27 fall", "4", "512", "2026-09-14"]


def workbook(rows, more=(), **options):
    """An XLSX file of rows, and further sheets; dates as real dates."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"default_date_format": "d.m.yyyy", **options}) as book:
        for name, content in [("Scores", rows), *more]:
            page = book.add_worksheet(name)
            for at, row in enumerate(content):
                page.write_row(at, 0, row)
    return out.getvalue()


def ods(rows):
    """A minimal OpenDocument spreadsheet."""
    cells = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>' for value in row
        )
        + "</table:table-row>"
        for row in rows
    )
    names = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    content = (
        f'<?xml version="1.0"?><office:document-content {names} office:version="1.2"><office:body>'
        f'<office:spreadsheet><table:table table:name="One">{cells}</table:table></office:spreadsheet>'
        "</office:body></office:document-content>"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("content.xml", content)
        packed.writestr("META-INF/manifest.xml", "<manifest/>")
    return out.getvalue()


def read(content, file="f.csv"):
    sheet = open_sheet(file, content, KNOWN)
    return sheet, read_scores(file, sheet)


def text(rows, separator=","):
    return "".join(separator.join(row) + "\n" for row in rows)


class Understood(unittest.TestCase):
    def check(self, content):
        sheet, reading = read(content)
        row = reading.checked().row(0, named=True)
        self.assertEqual((row["student_id"], row["score"], row["grade"]), ("S1", 512.0, "4"))
        self.assertEqual(row["tested_on"], date(2026, 9, 14))
        return sheet

    def test_separators(self):
        """Semicolons, tabs and bars are found by the names they part, and said."""
        self.assertEqual(self.check(text([HEAD, ROW]).encode()).notices, [])
        for separator, name in (";", "semicolons"), ("\t", "tabs"), ("|", "bars"):
            sheet = self.check(text([HEAD, ROW], separator).encode())
            self.assertEqual(sheet.notices, [f"the values are separated by {name}"])

    def test_encodings(self):
        """A byte-order mark, UTF-16 either way, line ends of every kind."""
        plain = text([HEAD, ROW])
        for content in (
            plain.encode("utf-8-sig"),
            plain.encode("utf-16"),
            b"\xfe\xff" + plain.encode("utf-16-be"),
            plain.replace("\n", "\r\n").encode(),
            plain.replace("\n", "\r").encode(),
        ):
            self.check(content)
        with self.assertRaisesRegex(BadFile, "line 2: this line is not UTF-8 text"):
            read(text([HEAD, ["Zoë", *ROW[1:]]]).encode("latin-1"))
        with self.assertRaisesRegex(BadFile, "damaged UTF-16"):
            read(b"\xff\xfe\x00\xd8")

    def test_lines_above_the_header(self):
        """A title, a date, an empty line: left out and said; lines are those of the file."""
        content = "District scores\nmade 2026-10-01\n\n" + text([HEAD, ROW, ["S2", *ROW[1:5], "x", ""]])
        sheet, reading = read(content.encode())
        self.assertEqual(sheet.notices, ["2 lines above the header were left out"])
        self.assertEqual([fault.line for fault in reading.faults], [6])

    def test_workbooks(self):
        """Numbers, real dates, text; empty rows and columns; the sheet that holds something."""
        day = datetime(2026, 9, 14)
        rows = [HEAD, ["S1", "Tide Test", "reading", "2026-27 fall", 4, 512, day]]
        self.check(workbook(rows))
        self.check(workbook([[], [], *rows]))
        self.check(ods([HEAD, ROW]))
        sheet = self.check(workbook(rows, [("Notes", [["about"]])]))
        self.assertEqual(sheet.notices, ['read from sheet "Scores"', 'other sheets were left out: "Notes"'])
        sheet, reading = read(workbook([["Made in October"], [], *rows, [], ["S2", *ROW[1:5], 500.5, "14.9.2026"]]))
        self.assertEqual(reading.frame["score"].to_list(), [512.0, 500.5])
        self.assertEqual([(fault.line, fault.column) for fault in reading.faults], [(6, "tested_on")])

    def test_formulas_and_merged_cells(self):
        """A formula counts as what it last showed; a value merged down counts in each of its rows."""
        out = io.BytesIO()
        with xlsxwriter.Workbook(out) as book:
            page = book.add_worksheet()
            page.write_row(0, 0, HEAD)
            page.write_row(1, 0, ROW)
            page.write_formula(1, 5, "=500+12", None, 512)
            page.write_row(2, 0, ["S2", "", *ROW[2:]])
            page.merge_range(1, 1, 2, 1, "Tide Test")
        sheet, reading = read(out.getvalue())
        self.assertEqual(reading.checked()["score"].to_list(), [512, 512])
        self.assertEqual(reading.frame["assessment"].to_list(), ["Tide Test"] * 2)
        self.assertEqual(sheet.notices, ["the value of a merged cell counts in every row that the cell covers"])

    def test_numbers_that_were_dates_or_have_units(self):
        """Refused by row, with the value as it is written."""
        rows = [HEAD, [*ROW[:6], "46279"], [*ROW[:5], "512 pts", ""], [*ROW[:5], "512,5", ""]]
        _, reading = read(text(rows, ";").encode())
        self.assertEqual([(f.line, f.column) for f in reading.faults], [(2, "tested_on"), (3, "score"), (4, "score")])
        self.assertIn('"512 pts"', reading.faults[1].message)

    def test_many_columns_and_doubles(self):
        """Two hundred columns that mean nothing are kept out; a header that stands twice is refused."""
        extra = [f"x{at}" for at in range(200)]
        _, reading = read(text([HEAD + extra, ROW + ["1"] * 200]).encode())
        self.assertEqual((reading.frame.height, len(reading.unknown), reading.faults), (1, 200, []))
        with self.assertRaisesRegex(BadFile, "line 1, column score: this column appears twice"):
            read(text([[*HEAD, "Score"], [*ROW, "1"]]).encode())
        with self.assertRaisesRegex(BadFile, "at most 2000"):
            read(text([[*HEAD, *(f"x{at}" for at in range(2100))]]).encode())

    def test_names_of_every_script(self):
        """Right to left, emoji, accents: as they are."""
        for name in ("نور", "Zoë 🌊", "Šárka-Léa", "李小龍"):
            _, reading = read(text([HEAD, [name, *ROW[1:]]]).encode())
            self.assertEqual(reading.checked()["student_id"].to_list(), [name])


class SameEitherWay(unittest.TestCase):
    values = st.text(st.sampled_from('ab ,;"\n\r\t|é5'), max_size=5)
    plain = st.text(st.sampled_from("ab é5'=+"), max_size=4)
    known = frozenset({"a", "b"})

    def careful(self, content, separator):
        """Read row by row."""
        return sheets._gathered("f", sheets._records("f", content, separator), self.known, [])

    def same(self, quick, careful):
        self.assertEqual(quick.header, careful.header)
        self.assertEqual(quick.line.to_list(), careful.line.to_list())
        self.assertEqual([c.to_list() for c in quick.columns], [c.to_list() for c in careful.columns])
        self.assertEqual(careful.faults, [])

    @given(st.lists(st.lists(values, min_size=1, max_size=4), max_size=5), st.sampled_from(",;\t|"))
    def test_quick_and_careful_reading_agree(self, rows, separator):
        """What the quick way reads, the row by row way reads just so."""
        content = "".join(separator.join(row) + "\n" for row in [["a", "b"], *rows])
        try:
            careful = self.careful(content, separator)
        except BadFile:
            return
        quick = sheets._quick("f", content, separator, self.known, [])
        if quick is not None:
            self.same(quick, careful)

    @given(st.lists(st.lists(plain, min_size=2, max_size=2), min_size=1, max_size=6), st.sampled_from(",;\t|"),
           st.booleans())  # fmt: skip
    def test_the_quickest_way_reads_the_same(self, rows, separator, ended):
        """A table without quotes, read at once: cells trimmed, empty ones missing, rows of nothing left out."""
        content = "\n".join(separator.join(row) for row in [["a", "b"], *rows]) + "\n" * ended
        quick = sheets._plainest("f", content, separator, self.known, [])
        self.assertIsNotNone(quick)
        self.same(quick, self.careful(content, separator))

    def test_what_is_not_as_plain_is_left_to_the_careful_way(self):
        """Lines of other lengths, also where they make up for one another; blank lines; a header that is none."""
        for content in (
            "a,b\n1,2\n3\n", "a,b\n1,2\n3,4,5\n", "a,b\n1,2,3\n4\n", "a,b\n1\n2,3,4\n", "a,b\n1,2\n\n3,4\n",
            "a,b\n\n1,2\n", "a,b\n1,2\n\n", "a,b\n", "a,b", "a\n1\n", "a,b,\n1,2,3\n", "x,y\na,b\n1,2\n", "x,y\n1,2\n",
        ):  # fmt: skip
            with self.subTest(content):
                self.assertIsNone(sheets._plainest("f", content, ",", self.known, []))
        for width, read in ((sheets.MOST_COLUMNS, True), (sheets.MOST_COLUMNS + 1, False)):
            titles = ["a", "b", *(f"c{at}" for at in range(width - 2))]
            found = sheets._plainest("f", f"{','.join(titles)}\n{',' * (width - 1)}x\n", ",", self.known, [])
            self.assertEqual(found is not None, read, width)


class Hostile(unittest.TestCase):
    def refused(self, content, words):
        with self.assertRaisesRegex(BadFile, words):
            recognise(open_sheet("f", content, KNOWN))

    def packed(self, **parts):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
            for name, content in parts.items():
                file.writestr(name, content)
        return out.getvalue()

    def test_zips_that_are_no_spreadsheet(self):
        """Another zip, a cut-off one, one that only begins like one."""
        self.refused(self.packed(readme="hello"), "zip file but no spreadsheet")
        self.refused(workbook([HEAD, ROW])[:-400], "damaged")
        self.refused(b"PK\x03\x04rest", "damaged")
        self.refused(b"\xd0\xcf\x11\xe0" + bytes(600), "cannot be opened")
        self.refused(self.packed(**{"content.xml": "<a/>"}), "cannot be opened|no sheet")

    def test_a_zip_that_would_unpack_to_gigabytes(self):
        """Told by its own list of contents, before a byte is unpacked."""
        content = bytearray(self.packed(**{"[Content_Types].xml": "x", "xl/worksheets/sheet1.xml": "y" * 100}))
        at = content.rindex(b"PK\x01\x02")
        content[at + 24 : at + 28] = (3 << 30).to_bytes(4, "little")
        self.refused(bytes(content), "would unpack to 3.0 GB")

    def test_a_zip_that_lies_about_its_size(self):
        """It says it holds next to nothing and would unpack to more than is allowed."""
        content = bytearray(self.packed(**{"content.xml": bytes(5_000_000)}))
        for mark, place in ((b"PK\x01\x02", 24), (b"PK\x03\x04", 22)):
            at = content.index(mark)
            content[at + place : at + place + 4] = (10).to_bytes(4, "little")
        with unittest.mock.patch.object(archives, "MOST_UNPACKED", 1_000_000):
            self.refused(bytes(content), "would unpack to")

    def test_a_million_empty_rows(self):
        """As text and as a workbook: one row, in little memory."""
        tracemalloc.start()
        _, reading = read((text([HEAD]) + ",,,,,,\n" * 1_000_000 + text([ROW])).encode())
        _, most = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        self.assertEqual((reading.frame.height, reading.frame["line"][0]), (1, 1_000_002))
        self.assertLess(most, 400e6)
        out = io.BytesIO()
        with xlsxwriter.Workbook(out, {"constant_memory": True}) as book:
            page = book.add_worksheet()
            page.write_row(0, 0, HEAD)
            page.write_row(1, 0, ROW)
            page.write_blank(1_048_575, 0, None, book.add_format({"bold": True}))
        _, reading = read(out.getvalue())
        self.assertEqual(reading.frame.height, 1)

    def test_nothing_at_all(self):
        """An empty file, an empty workbook, blank lines only."""
        for content in (b"", b"\n\n \n", b"\xef\xbb\xbf"):
            self.refused(content, "the file is empty")
        self.refused(workbook([]), "all sheets of this workbook are empty")

    def test_a_very_long_value_and_an_open_quote(self):
        """Both are told with their line."""
        self.refused(text([HEAD]).encode() + b'"' + b"x" * 1_100_000 + b'"\n', "line 2: this line cannot be read")
        self.refused(text([HEAD]).encode() + b'S1,"open\n' * 3, "line \\d+: this line cannot be read|line \\d+")

    @given(st.binary(max_size=200), st.sampled_from([b"", b"PK\x03\x04", b"\xff\xfe", b"\xd0\xcf\x11\xe0", b"a;b\n"]))
    def test_any_bytes_end_in_a_sheet_or_a_clear_refusal(self, content, start):
        """Nothing else ever comes out."""
        try:
            open_sheet("f", start + content, KNOWN)
        except BadFile as error:
            self.assertTrue(str(error).startswith("f"))
