"""A student's page in the browser: answered from the first screen, stepping, the axis by keyboard."""

import re
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser
from tests.support.pdf import page_texts

READING = GROWTH.partition("?")[2]
SEEN = (
    "element => { const box = element.getBoundingClientRect(); return box.bottom <= innerHeight - 46 && box.top >= 0 }"
)


class Student(InBrowser):
    def test_a_newcomer_finds_the_answers_on_the_first_screen(self):
        """Better than in fall, more than chance, what to teach next, the last session: all without scrolling."""
        page = self.page
        self.sign_in(path=f"follow-up/3?{READING.replace('reading', 'mathematics')}")
        page.get_by_role("button", name="Elio Eastlake", exact=True).click()
        page.get_by_role("link", name="Whole page").click()
        expect(page.locator("h1")).to_contain_text("Elio Eastlake")
        for words in (
            r"points where .* was expected; (within|clearly)",
            r"^(Most to be gained|Build next): ",
            r"Last session \w+ \d+, 2027",
        ):
            sentence = page.get_by_role("listitem").filter(has_text=re.compile(words)).first
            expect(sentence).to_be_visible()
            self.assertTrue(sentence.evaluate(SEEN), words)
        self.check_axe("a student's page")
        page.get_by_role("button", name="How").first.click()
        expect(page.get_by_text(re.compile("in week .* of instruction")).first).to_be_visible()

    def test_stepping_through_the_list_one_came_from(self):
        """From a number's students to the page, and on with ] and [; the list's name and the place in it are shown."""
        page = self.page
        self.sign_in(path=f"growth?{READING}&section=4+Curlew")
        page.keyboard.press("2")
        page.locator("dd .open").first.click()
        page.locator(".panel li .open").first.click()
        page.get_by_role("link", name="Whole page").click()
        heading = page.locator("h1")
        expect(heading).to_contain_text(re.compile(r"1 of \d+,"))
        name = heading.locator(".nm")
        first = name.inner_text()
        page.keyboard.press("]")
        expect(heading).to_contain_text(re.compile(r"2 of \d+,"))
        expect(name).not_to_have_text(first)
        page.keyboard.press("[")
        expect(heading).to_contain_text(re.compile(r"1 of \d+,"))
        page.keyboard.press("h")
        expect(heading).to_contain_text("Student")
        page.keyboard.press("h")

    def test_the_axis_by_keyboard(self):
        """Arrows move the line and what it reads; plus zooms in, 0 shows all; a lane folds and stays folded."""
        page = self.page
        self.sign_in(path=f"student/SR11029?{READING}")
        axis = page.get_by_role("slider", name=re.compile("over the years"))
        reading = page.locator("dl dt")
        before = reading.inner_text()
        axis.focus()
        for _ in range(30):
            page.keyboard.press("ArrowLeft")
        expect(reading).not_to_have_text(before)
        dots = page.locator("circle").count()
        page.keyboard.press("+")
        page.keyboard.press("0")
        self.assertEqual(page.locator("circle").count(), dots)
        page.get_by_role("button", name="Fold Practice").click()
        page.reload()
        expect(page.get_by_role("button", name="Unfold Practice")).to_be_visible()
        page.get_by_role("button", name="Unfold Practice").click()
        page.get_by_role("button", name="percentile", exact=True).click()
        expect(page.get_by_role("table").locator("tbody tr").first).to_be_visible()

    def test_two_kinds_of_notes(self):
        """Each in its own place and said on its button; changed it keeps what it said; withdrawn and undone."""
        page = self.page
        self.sign_in(path=f"student/SR11029?{READING}")
        family, internal = (
            page.get_by_role("region", name=name) for name in ("Notes for the family", "Internal notes")
        )
        family.get_by_label("A note for the family").fill("Tells stories of the river well")
        family.get_by_role("button", name="Save for the family").click()
        expect(family.get_by_role("listitem").first).to_contain_text("Tells stories of the river well")
        internal.get_by_label("An internal note").fill("Ask about the mornings")
        internal.get_by_label("Share with everybody").check()
        internal.get_by_role("button", name="Save, shared with the team").click()
        note = internal.get_by_role("listitem").first
        expect(note).to_contain_text("shared with the team")
        expect(family).not_to_contain_text("Ask about the mornings")
        note.get_by_role("button", name="Change").click()
        internal.get_by_label("Change this note").fill("Ask how the mornings go")
        internal.get_by_role("button", name="Save, shared with the team").first.click()
        note.get_by_text("What it said before").click()
        expect(note).to_contain_text("Ask about the mornings")
        self.check_axe("notes")
        note.get_by_role("button", name="Withdraw").click()
        expect(page.get_by_role("status").filter(has_text="withdrawn")).to_be_visible()
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(internal.get_by_role("listitem").first).to_contain_text("Ask how the mornings go")
        page.locator("h1").click()
        page.keyboard.press("h")
        expect(internal).not_to_contain_text("Ask how the mornings go")
        expect(family).to_contain_text("Tells stories of the river well")
        page.keyboard.press("h")

    def test_documents_are_attached_and_removed(self):
        """A file with its kind and last day; refused ones say why; removed for good after one question."""
        page = self.page
        self.sign_in(path=f"student/SR11029?{READING}")
        section = page.get_by_role("region", name="Documents")
        section.get_by_label("File").set_input_files(
            {"name": "plan.pdf", "mimeType": "application/pdf", "buffer": b"not a PDF at all"}
        )
        section.get_by_role("button", name="Attach").click()
        expect(section.get_by_text("by its content it is plain text")).to_be_visible()
        section.get_by_label("File").set_input_files(
            {"name": "What we agreed.txt", "mimeType": "text/plain", "buffer": b"Read each evening."}
        )
        section.get_by_label("Kind").select_option("letter")
        section.get_by_label("Keep until").fill("2027-06-30")
        section.get_by_role("button", name="Attach").click()
        line = section.get_by_role("listitem").first
        expect(line).to_contain_text("What we agreed.txt")
        expect(line).to_contain_text("letter, 1 kB")
        expect(line).to_contain_text("kept until Jun 30, 2027")
        with page.expect_download() as download:
            line.get_by_role("link").click()
        self.assertEqual(Path(download.value.path()).read_bytes(), b"Read each evening.")
        self.check_axe("documents")
        line.get_by_role("button", name="Remove").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("cannot be brought back")
        dialog.get_by_role("button", name="Remove for good").click()
        expect(section.get_by_text("No documents yet.")).to_be_visible()

    def test_lanes_as_a_table_and_as_of_a_year(self):
        """Everything drawn stands in a table too; strands and scales unfold; last year shows nothing later."""
        page = self.page
        self.sign_in(path=f"student/SR11029?{READING}")
        page.locator("summary").filter(has_text="as a table").click()
        table = page.get_by_role("table", name="Everything on the axis as a table")
        for words in (
            "Strands|Reading closely",
            "minutes of practice",
            "session of Osier word workshop",
            "grade 4, Osier",
        ):
            expect(table.get_by_role("row").filter(has_text=re.compile(words)).first).to_be_attached()
        rows = table.get_by_role("row").count()
        page.get_by_role("button", name=re.compile("^Unfold Strands of Saltgauge Reading")).first.click()
        page.get_by_role("button", name=re.compile("^Fold Strands of Saltgauge Reading")).first.click()
        page.get_by_role("button", name="Text range", exact=True).click()
        self.check_axe("the lanes as a table")
        page.get_by_label("As of").select_option("2025-26")
        expect(page.locator("h1")).to_contain_text("grade 4")
        page.locator("summary").filter(has_text="as a table").click()
        expect(table.get_by_role("row").first).to_be_visible()
        self.assertLess(table.get_by_role("row").count(), rows)
        self.assertNotIn("2027", table.inner_text())

    def test_it_prints_on_two_pages(self):
        """With every result of three years, on Letter paper."""
        page = self.page
        self.sign_in(path=f"student/SR11029?{READING}")
        expect(page.get_by_role("heading", name="Results")).to_be_visible()
        page.emulate_media(media="print")
        side = {"top": "12mm", "bottom": "12mm", "left": "12mm", "right": "12mm"}
        printed = page_texts(page.pdf(format="Letter", margin=side))
        self.assertLessEqual(len(printed), 2)
        text = " ".join(printed)
        self.assertIn("Cedric Tregear", text)
        self.assertNotIn("Attach", text)

    def test_a_name_with_a_typing_error_is_found(self):
        """Find says that nobody has the very name, and who is near it."""
        page = self.page
        self.sign_in(path=f"growth?{READING}")
        page.keyboard.press("/")
        page.get_by_label("Name or number").fill("tregaer")
        expect(page.get_by_text("near it")).to_be_visible()
        expect(page.get_by_role("dialog").get_by_role("button", name="Cedric Tregear")).to_be_visible()
