"""A student's page in the browser: answered from the first screen, stepping, the axis by keyboard."""

import re

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser

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
            r"Last session \d+ \w+ 2027",
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
