"""The import desk as one uses it: questions answered by mouse and key, a correction, and an undo that names it."""

import tempfile
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.browsing import InBrowser, serve
from tests.support import stage

FILE = (
    "student_id,assessment,subject,window,grade,score,tested_on,language\n"
    "SR10003,SaltGauge,reading,2026-27 spring,4,512,2027-04-20,English\n"
    "SR10007,SaltGauge,reading,2026-27 spring,4,5080,2027-04-20,English\n"
)


class Desk(InBrowser):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.file = Path(holder.name) / "asked.csv"
        cls.file.write_text(FILE)
        cls.address = serve(stage.demo_copy())

    def test_asked_answered_rehearsed_brought_in_corrected_and_taken_back(self):
        """Nothing comes in while a question is open; undo names the correction and takes both back."""
        page = self.page
        self.sign_in("coach", path="setup")
        page.get_by_label("Files to import").set_input_files(self.file)
        asked = page.get_by_role("region", name="Who and what is new")
        go = page.get_by_role("button", name="Import", exact=True)
        expect(asked).to_contain_text('"SaltGauge" is not known; the nearest is "Saltgauge"')
        expect(go).to_be_disabled()
        self.check_axe("questions")
        grades = asked.get_by_role("region", name="students in another grade than is known")
        while grades.locator("li:not(.answered)").count():
            grades.locator("li:not(.answered) .offered").nth(1).click()
            expect(page.get_by_role("status").first).not_to_contain_text("Reading")
        same = asked.get_by_role("button", name='the same as "Saltgauge"')
        # A key on a button that waits for the answer before goes nowhere.
        expect(same).to_be_enabled()
        same.press("Enter")
        wild = asked.get_by_role("region", name="scores beyond the test's range")
        expect(wild).to_contain_text("5080 is far outside")
        wild.get_by_role("button", name="leave out").click()
        expect(wild).to_contain_text("answered")
        rehearsal = page.get_by_role("region", name="What changes on the screens")
        expect(rehearsal).to_contain_text("2026-27 spring: 0 results before, 1 after")
        go.click()
        expect(page.get_by_text("asked.csv was imported.")).to_be_visible()
        # A score that somebody sees is wrong, from the student's card.
        page.keyboard.press("/")
        page.keyboard.type("SR10003")
        found = page.get_by_role("dialog").locator("button.open")
        # Until the search has answered, the students looked at lately stand there.
        expect(found).to_have_count(1)
        found.click()
        page.get_by_role("button", name="Correct a result").click()
        dialog = page.get_by_role("dialog")
        dialog.locator("select").first.select_option(label="Saltgauge, reading · 2026-27 spring · Apr 20, 2027 · 512")
        dialog.get_by_label("Should be").fill("521")
        dialog.get_by_label("Why").fill("digits turned round")
        dialog.get_by_role("button", name="Correct", exact=True).click()
        expect(dialog.get_by_role("status")).to_contain_text("to 521: digits turned round")
        expect(dialog).to_contain_text("score: 512 to 521")
        self.check_axe("correction")
        dialog.get_by_role("button", name="Close").click()
        page.keyboard.press("Escape")
        imports = page.get_by_role("table", name="Imports")
        imports.locator("tbody tr").first.get_by_role("button", name="Undo").click()
        expect(imports).to_contain_text("Newer work rests on it and is undone too:")
        expect(imports).to_contain_text("digits turned round")
        imports.get_by_role("button", name="Undo all 2").click()
        expect(page.get_by_text("The import of asked.csv was undone.")).to_be_visible()
