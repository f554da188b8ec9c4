"""Pages as PDF: tagged, fonts embedded, the words of the sheet alone, letters no font has, grey, the printer."""

import io
import unittest
from itertools import pairwise

import numpy as np
from PIL import Image
from pypdf import PdfReader

from bodkin.answers.share.sections import FIRST
from bodkin.documents.press import BOX, SCREEN_PPI, NotPrinted, Press
from tests.support.pdf import page_texts
from tests.support.sheets import asked, sheet


def reader(made):
    return PdfReader(io.BytesIO(made.content))


def text(made):
    return " ".join(" ".join(page_texts(made.content)).split())


def tags(element, found):
    """Kinds of the structure's elements in their order, with the alternative texts of figures."""
    for child in element.get("/K", []) if isinstance(element.get("/K"), list) else [element.get("/K")]:
        own = child.get_object() if hasattr(child, "get_object") else child
        if isinstance(own, dict) and "/S" in own:
            found.append((own["/S"], own.get("/Alt")))
            tags(own, found)
    return found


class Tagged(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.made = Press().pdf([sheet(asked(language="pt", sections=FIRST["plan"]))])
        cls.root = reader(cls.made).trailer["/Root"]

    def test_it_says_that_it_is_pdf_ua(self):
        """Marked, with a title that is shown, its language, and PDF/UA part 1 in the metadata (ISO 14289-1)."""
        self.assertTrue(self.root["/MarkInfo"]["/Marked"])
        self.assertTrue(self.root["/ViewerPreferences"]["/DisplayDocTitle"])
        self.assertEqual(self.root["/Lang"], "pt")
        about = self.root["/Metadata"].get_object().get_data().decode()
        self.assertRegex(about, r"pdfuaid:part>1<|pdfuaid:part=\"1\"")
        self.assertIn("Ana Reed", about)

    def test_the_structure_has_headings_in_order_and_names_for_pictures(self):
        """One first heading, the sections below it; each figure has an alternative text; tables have header cells."""
        found = tags(self.root["/StructTreeRoot"], [])
        kinds = [kind for kind, _ in found]
        self.assertEqual(kinds.count("/H1"), 1)
        self.assertGreaterEqual(kinds.count("/H2"), 8)
        self.assertLess(kinds.index("/H1"), kinds.index("/H2"))
        figures = [alt for kind, alt in found if kind == "/Figure"]
        self.assertGreaterEqual(len(figures), 3)
        self.assertTrue(all(figures))
        for kind in ("/Table", "/TH", "/TD", "/L", "/LI"):
            self.assertIn(kind, kinds)

    def test_every_font_is_embedded(self):
        """The file of each font stands in the document."""
        fonts = {}
        for page in reader(self.made).pages:
            for name, font in page["/Resources"]["/Font"].items():
                own = font.get_object()["/DescendantFonts"][0].get_object()["/FontDescriptor"].get_object()
                fonts[name] = {"/FontFile", "/FontFile2", "/FontFile3"} & set(own)
        self.assertTrue(fonts)
        self.assertTrue(all(fonts.values()))


class Words(unittest.TestCase):
    def test_the_pages_say_what_the_sheet_says(self):
        """Sentences, the caption, the day, the confidential line with its page."""
        made = Press().pdf([sheet()])
        said = text(made)
        for words in ("Ana Reed", "Grade 4 · 4 Rail · Dune Primary", "Tide Reading for class 4 Rail",
                      "Made on February 2, 2026", "Confidential.", "Page 1 of", "gained 12 points",
                      "usual 510", "goal 520"):  # fmt: skip
            self.assertIn(words, said)
        self.assertEqual(made.letters, "")

    def test_names_in_any_letters(self):
        """Accents and right-to-left letters are printed; of a letter that no font has a box stands, and it is told."""
        for given, family in (("Zoë", "Šťastný"), ("مريم", "الخالد"), ("שרה", "לוי")):
            made = Press().pdf([sheet(given=given, family=family)])
            self.assertEqual(made.letters, "")
        made = Press().pdf([sheet(given="Zoë 🎈", family="日本")])
        self.assertEqual(set(made.letters), set("🎈日本"))
        self.assertIn(f"Zoë {BOX}", text(made))

    def test_odd_values(self):
        """Letters of the template's own language, eighty letters of a name, breaks: words and nothing else."""
        odd = '#let x = 1; $x^2$ *bold* _it_ <label> @ref "quoted" \\ { } [ ]'
        said = text(Press().pdf([sheet(given="A" * 80, family="O'Neil-Þór", notes=[(asked().today, odd)])]))
        self.assertIn("A" * 40, said)
        self.assertIn("*bold* _it_ <label> @ref", said)

    def test_sections_and_pages(self):
        """Each section with the page it begins on, in their order."""
        places = Press().section_pages(sheet(asked(sections=FIRST["plan"])))
        self.assertEqual([section for section, _ in places], list(FIRST["plan"]))
        pages = [page for _, page in places]
        self.assertEqual(pages, sorted(pages))
        self.assertGreater(pages[-1], 1)
        self.assertEqual(len(Press().pictures(sheet(asked(sections=FIRST["plan"])))), pages[-1])

    def test_what_cannot_be_made_says_so(self):
        """A sheet the template cannot draw ends in words and not in a page."""
        page = sheet()
        page.day = (2026, 13, 1)
        with self.assertRaises(NotPrinted):
            Press().pdf([page])


class Printer(unittest.TestCase):
    def test_each_student_begins_on_a_right_hand_page(self):
        """Odd pages of the whole; each student's pages are counted anew."""
        sheets = [sheet(student_id=f"S{at}", given=f"Given{at}", family="Reed") for at in range(4)]
        pages = page_texts(Press().pdf(sheets, printer=True).content)
        begins = [number for number, page in enumerate(pages, start=1) if "Page 1 of" in page]
        self.assertEqual(len(begins), 4)
        self.assertTrue(all(number % 2 for number in begins))
        for at, number in enumerate(begins):
            self.assertIn(f"Given{at}", pages[number - 1])


class Grey(unittest.TestCase):
    def test_the_bands_are_told_apart_in_grey(self):
        """The steps of a band in grey: the higher the darker, each tone a tenth of white from the next or more."""
        tones = []
        for order in range(1, 5):
            page = sheet(asked(sections=("standing",)))
            block = next(one for one in page.sections[0].blocks if one.kind == "steps")
            page.sections[0].blocks = [block]
            block.order, block.count = order, 4
            grey = np.asarray(Image.open(io.BytesIO(Press().pictures(page)[0])).convert("L"))
            # The first step of the mark is filled for every band: it stands at the left margin, 8 pt wide, 4 pt high.
            scale = SCREEN_PPI / 72
            left, wide = round(19 / 25.4 * SCREEN_PPI), round(8 * scale)
            strip = grey[:, left + 2 : left + wide - 2]
            rows = np.flatnonzero((strip == strip[:, :1]).all(axis=1) & (strip[:, 0] < 240) & (strip[:, 0] > 20))
            tones.append(int(np.median(strip[rows])))
        self.assertEqual(tones, sorted(tones, reverse=True))
        self.assertGreaterEqual(min(before - after for before, after in pairwise(tones)), 25)
