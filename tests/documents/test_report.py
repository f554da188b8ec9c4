"""A report as PDF: tagged, landscape, a heading a view, every cell's words, marks with a text of their own."""

import io
import unittest

from pypdf import PdfReader

from bodkin.answers.share.report import Interval, Report, ReportPage, ReportRow
from bodkin.documents.press import Press
from tests.documents.test_press import tags


def page(title="Growth by school", **more):
    rows = [
        ReportRow(name="All", cells=["180", "50 %"]),
        ReportRow(name="North #1 *bold*", cells=["60", "70 %"],
                  mark=Interval(raw=0.7, low=0.6, high=0.8, estimate=0.65)),
        ReportRow(name="Tiny", cells=["fewer than 10", ""]),
    ]  # fmt: skip
    plain = {"title": title, "headline": f"Headline of {title}", "lead": "A lead.", "header": ["Students", "Met"],
             "marked": "Share who met", "whole": 0.5, "rows": rows, "notes": ["A note."]}  # fmt: skip
    return ReportPage(**{**plain, **more})


def bars():
    rows = [ReportRow(name="All", cells=["90"], before=[0.2, 0.5, 0.3], after=[0.1, 0.4, 0.5]),
            ReportRow(name="Tiny", cells=["fewer than 10"])]  # fmt: skip
    return page(
        "Standing",
        header=["Students"],
        bands=["Low", "Mid", "High"],
        bars=["Before", "After"],
        marked="",
        whole=None,
        rows=rows,
    )


def report(*pages):
    return Report(title="Bodkin", caption="Tide Reading.", made="Made on Feb 2, 2026", day=(2026, 2, 2),
                  pages=list(pages) or [page()])  # fmt: skip


def read(made):
    return PdfReader(io.BytesIO(Press().report(made)))


class Reports(unittest.TestCase):
    def test_landscape_with_the_sentence_at_the_foot(self):
        """Wider than high; caption, day, what is withheld and the page's number on each."""
        pages = read(report(page(), bars())).pages
        self.assertEqual(len(pages), 2)
        for number, one in enumerate(pages, start=1):
            self.assertGreater(one.mediabox.width, one.mediabox.height)
            said = " ".join(one.extract_text().split())
            for words in ("Tide Reading.", "Made on Feb 2, 2026", "fewer than 10 are withheld", f"Page {number} of 2"):
                self.assertIn(words, said)

    def test_every_word_of_the_table(self):
        """Names with signs of the template's language are words; headline, lead, cells and notes stand."""
        said = " ".join(read(report(page())).pages[0].extract_text().split())
        for words in ("Headline of Growth by school", "A lead.", "North #1 *bold*", "70 %", "fewer than 10", "A note.",
                      "Share who met"):  # fmt: skip
            self.assertIn(words, said)

    def test_marks_say_what_they_show(self):
        """Bars and unit marks have alternative texts with their figures; what is withheld has no mark."""
        found = tags(read(report(page(), bars())).trailer["/Root"]["/StructTreeRoot"], [])
        texts = [str(alt) for kind, alt in found if kind == "/Figure"]
        self.assertEqual(len(texts), 3)
        self.assertIn("estimate 65 %, raw 70 %", texts)
        self.assertTrue(any("Low 20 %, Mid 50 %, High 30 %" in text for text in texts))
        kinds = [kind for kind, _ in found]
        self.assertEqual(kinds.count("/H1"), 2)
        self.assertIn("/TH", kinds)

    def test_a_long_table_goes_on_with_its_header(self):
        """A hundred units: more than a page, the header again on each."""
        rows = [ReportRow(name=f"Class {at}", cells=["20", "50 %"]) for at in range(100)]
        pages = read(report(page(rows=rows))).pages
        self.assertGreater(len(pages), 1)
        for one in pages:
            self.assertIn("Students", one.extract_text())
        self.assertIn("Class 99", pages[-1].extract_text())

    def test_as_many_pictures_as_pages(self):
        """The preview is drawn from the same template."""
        made = report(page(), bars(), page("Third"))
        self.assertEqual(len(Press().report_pictures(made)), len(read(made).pages))
