"""Share in the browser: a newcomer's task, order of sections, a page limit, names hidden, what went to whom."""

import re
import time
import zipfile

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser
from tests.browser.test_newcomer import CLICKS
from tests.support.pdf import page_texts

READING = GROWTH.partition("?")[2]
CLASS = f"share?{READING}&section=4+Curlew"


class Share(InBrowser):
    def test_a_class_of_family_pages_in_portuguese(self):
        """The task: reading and mathematics, growth first, without practice; under 12 clicks and a minute."""
        page = self.page
        began = time.monotonic()
        self.begin_with(CLICKS)
        self.sign_in("teacher", path=f"growth?{READING}")
        page.evaluate("window.clicks = 0")
        page.keyboard.press("7")
        expect(page.get_by_role("img", name=re.compile("Page 1 of")).first).to_be_visible()
        page.get_by_role("button", name="Português").click()
        page.get_by_role("checkbox", name="mathematics").check()
        expect(page.get_by_role("checkbox", name="practice")).not_to_be_checked()
        expect(page.get_by_role("group", name="Sections").get_by_role("checkbox").first).to_be_checked()
        make = page.get_by_role("button", name=re.compile(r"^Make \d+ files"))
        n = int(re.search(r"\d+", make.inner_text())[0])
        self.assertGreaterEqual(n, 20)
        make.click()
        link = page.get_by_role("link", name="Save the file")
        expect(link).to_be_visible(timeout=30_000)
        with page.expect_download() as download:
            link.click()
        self.assertLess(page.evaluate("window.clicks"), 12)
        self.assertLess(time.monotonic() - began, 60)
        with zipfile.ZipFile(download.value.path()) as packed:
            self.assertEqual(len(packed.namelist()), n)
            said = " ".join(page_texts(packed.read(packed.namelist()[0])))
        self.assertIn("Progresso", said)
        self.assertLess(said.index("Progresso"), said.index("Onde estão os resultados agora"))
        self.assertIn("em matemática", said)
        self.assertNotIn("Prática", said)
        expect(page.locator(".rail")).to_contain_text(f"{n} with pages")
        page.get_by_role("link", name="What went to whom").click()
        expect(page.get_by_role("button", name="Mark as handed over").first).to_be_visible()
        self.check_axe("what went to whom")
        page.get_by_role("button", name="Mark as handed over").first.click()
        page.get_by_label("To whom").fill("the mother")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_text("to the mother")).to_be_visible()

    def test_sections_by_key_a_limit_and_hidden_names(self):
        """A section moves with Alt and an arrow; what lies beyond the limit is named; H hides the team's own parts."""
        page = self.page
        self.sign_in(path=CLASS)
        sections = page.get_by_role("group", name="Sections")
        expect(page.get_by_role("img", name=re.compile("Page 1 of")).first).to_be_visible()
        standing = sections.get_by_role("checkbox", name="standing in words")
        standing.focus()
        page.keyboard.press("Alt+ArrowUp")
        expect(sections.get_by_role("checkbox").first).to_be_checked()
        expect(sections.locator("label").first).to_contain_text("standing in words")
        page.get_by_role("button", name="team", exact=True).click()
        expect(sections.get_by_text("team only").first).to_be_visible()
        page.get_by_label("Page limit").fill("1")
        expect(page.get_by_text(re.compile("beyond the limit: .*all results"))).to_be_visible()
        name = page.locator("section .nm").first.inner_text()
        page.keyboard.press("Tab")
        page.locator("h2, legend").first.click()
        page.keyboard.press("]")
        expect(page.locator("section .nm").first).not_to_have_text(name)
        page.keyboard.press("h")
        expect(page.get_by_text("Team-only sections are hidden")).to_be_visible()
        expect(page.locator("section .nm").first).to_have_text("Student")
        page.keyboard.press("h")

    def test_a_set_of_sections_is_kept(self):
        """By name for the district, chosen again, given up and undone."""
        page = self.page
        self.sign_in(path=CLASS)
        page.get_by_text("Kept sets").click()
        page.get_by_role("group", name="Sections").get_by_role("checkbox", name=re.compile("^goals")).uncheck()
        page.get_by_label("Name of the set").fill("Without goals")
        page.get_by_role("button", name="Keep these sections").click()
        expect(page.get_by_text("Set of sections Without goals kept")).to_be_visible()
        page.get_by_role("button", name="Back to the first set").click()
        page.get_by_label("Kept sets").select_option("Without goals (family)")
        expect(
            page.get_by_role("group", name="Sections").get_by_role("checkbox", name=re.compile("^goals"))
        ).not_to_be_checked()
        page.get_by_role("button", name="Give up this set").click()
        expect(page.get_by_text("Set of sections Without goals given up")).to_be_visible()
