"""Every view for a screen reader, in the dark, at 200 % and at 1024 wide."""

import inspect
import unittest

from playwright.sync_api import expect

from tests.browser import browsing
from tests.browser.browsing import GROWTH, InBrowser
from tests.support.extent import extent

MATHS = GROWTH.replace("growth", "needs/{}").replace("reading", "mathematics") + "&section=5+Gannet"
ITEMS = (
    "needs/items?assessment=Unit+check:+decimals&subject=mathematics&from_window=2026-27+fall&to_window=2026-27+fall"
)
NEEDS = (
    ("strands", MATHS.format("strands"), "[role=option]"),
    ("standards", MATHS.format("standards"), "[aria-label='The ground below M4-NP-1']"),
    ("quick entry", MATHS.format("entry"), "textarea"), ("items", ITEMS, "h1:has-text('Item')"),
)  # fmt: skip
"""The views of Needs."""

READING = GROWTH.partition("?")[2]
GROUPS = (
    ("groups", f"groups?{READING}", ".group"), ("board", f"groups/board?{READING}&section=4+Curlew", "[data-place]"),
    ("week", f"groups/week?{READING}", "tbody li"), ("goal talk", f"groups/talk?{READING}&group=1", "article"),
)  # fmt: skip
"""The views of Groups: name, address, what is there once it is drawn."""
FOLLOW_UP = (
    ("follow-up", f"follow-up?{READING}", "tbody tr"), ("a group followed", f"follow-up/3?{READING}", "svg[role=img]"),
    ("practice", f"follow-up/practice?{READING}&grade=4", ".wide-table tbody tr"),
    ("help given", f"follow-up/given?{READING}", "tbody tr"),
    ("two measures", f"follow-up/two?{READING}&grade=4", "svg[role=img]"),
    ("team", f"follow-up/team?{READING}", "tbody tr"), ("a meeting", f"follow-up/team/1?{READING}", "figure svg"),
    ("a student", f"student/SR11029?{READING}", "circle"),
    ("words of a day", f"follow-up/day?{READING}&grade=4", "section li"),
    ("share", f"share?{READING}&section=4+Curlew", "section img"), ("share log", f"share/log?{READING}", "h1"),
    ("share report", f"share/report?{READING}", "section img"),
)  # fmt: skip
"""The views of Follow-up and Share."""
IN_TURN = (*NEEDS, *GROUPS, *FOLLOW_UP)[:: extent(2, 1)]
"""Every view, or every second one in a common run."""


class Axe(InBrowser):
    """axe on every screen, with its panel and dialogs."""

    looked = 0

    def look(self):
        page = self.page
        page.goto(self.address)
        expect(page.get_by_label("Login")).to_be_visible()
        self.check_axe("sign-in")
        self.sign_in()
        expect(page.locator(".finding").first).to_be_visible()
        self.check_axe("home")
        page.keyboard.press("2")
        expect(page.locator(".flow")).to_be_visible()
        self.check_axe("compare")
        page.locator("dd .open").first.click()
        expect(page.locator(".panel li").first).to_be_visible()
        page.keyboard.press("]")
        self.check_axe("panel")
        page.locator(".panel li .open").first.click()
        expect(page.locator(".panel tbody tr").first).to_be_visible()
        self.check_axe("student")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="all students").click()
        expect(page.locator(".picker .field").first).to_be_visible()
        self.check_axe("picker")
        page.keyboard.press("Escape")
        self.go(GROWTH, ".lanes tbody tr")
        self.check_axe("growth")
        page.locator(".lanes .pin").first.click()
        page.get_by_role("button", name="Make a group").click()
        expect(page.get_by_label("Focus")).to_be_visible()
        self.check_axe("dialog")
        page.keyboard.press("Escape")
        page.keyboard.press("t")
        expect(page.get_by_label("What it takes").locator("tbody tr").first).to_be_visible()
        self.check_axe("goals")
        page.keyboard.press("Escape")
        page.keyboard.press("v")
        expect(page.get_by_role("dialog", name="Saved views")).to_be_visible()
        self.check_axe("views")
        page.keyboard.press("Escape")
        further = GROWTH.replace("growth", "compare{}") + "&section=4+Curlew"
        many = further.replace("2026-27+fall", "2025-26+fall") + "&between=2026-27+fall"
        for what, path, seen in (
            ("history", further.format("/history"), ".grid tbody tr"),
            ("outcome", further.format("/outcome"), ".compare tbody tr"),
            ("trend", many.format(""), ".flow circle"),
        ):
            self.go(path, seen)
            self.check_axe(what)
        page.locator(".piece").nth(2).click()
        expect(page.locator(".picker")).to_be_visible()
        self.check_axe("picker of windows")
        page.keyboard.press("Escape")
        answers = ("answers", f"{ITEMS}&look=answers", "[aria-label=Answers]")
        for what, path, seen in (*NEEDS, answers, *GROUPS, *FOLLOW_UP):
            self.go(path, seen)
            self.check_axe(what)
        self.go(GROWTH.replace("growth", "check"), ".doubt")
        self.check_axe("check")
        self.go("setup", "h2, h1")
        expect(page.get_by_role("heading", name="Import files")).to_be_visible()
        self.check_axe("setup")
        self.go("setup/tests", "h1")
        expect(page.get_by_role("img", name="Grade 2: norms and cuts over the year")).to_be_visible()
        self.check_axe("tests")
        page.get_by_role("button", name="Edit cuts").click()
        page.get_by_role("button", name="Edit norms").click()
        page.get_by_role("button", name="Change").click()
        self.check_axe("tests edited")
        parts = (("setup/systems", "Other systems"), ("setup/out", "Export"), ("setup/calendar", "Calendar"),
                 ("logs", "Logs"), ("account", "Maren Tolliver"))  # fmt: skip
        for part, seen in parts:
            self.go(part, "h1")
            expect(page.get_by_role("heading", name=seen, exact=True)).to_be_visible()
            expect(page.locator("table.rows").first if part != "setup/systems" else page.locator("h1")).to_be_visible()
            self.check_axe(part)
        self.go("figures", "h1")
        expect(page.get_by_role("heading", name="Growth percentile", exact=True)).to_be_visible()
        self.check_axe("figures")

    def check_axe(self, what):
        """In light all rules; in dark, where only colors differ, those of contrast, on every third in a common run."""
        super().check_axe(what)
        self.looked += 1
        if what == "sign-in" or self.looked % extent(5, 1):
            return
        # A dialog keeps keys to itself; its colors are those of the page's variables.
        turn = (
            "() => { const page = document.documentElement.dataset;"
            " if (document.querySelector('dialog[open]')) page.theme = page.theme === 'dark' ? 'light' : 'dark';"
            " else document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'd', bubbles: true})) }"
        )
        theme = self.page.locator("html")
        self.page.evaluate(turn)
        expect(theme).to_have_attribute("data-theme", "dark")
        super().check_axe(f"{what} in dark", only="color-contrast")
        self.page.evaluate(turn)
        expect(theme).to_have_attribute("data-theme", "light")

    def test_nothing_serious_light_and_dark(self):
        """Every view, dialog and panel on one walk, each in both themes."""
        self.look()


class WhatAxeFinds(InBrowser):
    """The looking itself: of texts alike one is looked at, of those that differ each."""

    TEXTS = """what => {
        const place = document.createElement('main');
        place.innerHTML = what;
        document.body.replaceChildren(place);
    }"""

    def found(self, what):
        """What axe says of a page that holds nothing else."""
        self.page.evaluate(self.TEXTS, what)
        self.check_axe("itself", only="color-contrast")
        found, self.wrong = self.wrong, []
        return found

    def test_one_pale_text_among_many(self):
        """Of one class, by its own color, by what lies behind it, by its size, or below a pale parent."""
        self.page.goto(self.address)
        expect(self.page.get_by_label("Login")).to_be_visible()
        dark = "<p class='a' style='color: #333; background: #fff'>one</p>"
        self.assertEqual(self.found(dark * 3), [])
        for pale in (
            "<p class='a' style='color: #bbb; background: #fff'>two</p>",
            "<p class='a' style='color: #333; background: #222'>two</p>",
            "<div style='opacity: 0.3'><p class='a' style='color: #333; background: #fff'>two</p></div>",
            "<div style='background: #222'><p class='a' style='color: #333'>two</p></div>",
        ):
            with self.subTest(pale=pale):
                (found,) = self.found(dark * 3 + pale + dark)
                self.assertIn("color-contrast", found)
        # Of an open dialog alone, though what it covers is as pale.
        dialog = "<p style='color: #bbb; background: #fff'>{}</p><dialog open><p style='color: {}'>{}</p></dialog>"
        self.assertEqual(self.found(dialog.format("behind", "#333", "before")), [])
        (found,) = self.found(dialog.format("behind", "#bbb", "before"))
        self.assertEqual(found.count("foreground color"), 1)
        large = "<p style='color: #888; background: #fff; font-size: 40px'>one</p>"
        self.assertEqual(self.found(large), [])
        for _ in range(2):
            # What is readable is known from then on; what is not is found each time.
            self.assertEqual(len(self.found(large + large.replace("40px", "12px"))), 1)
        # On a picture axe is not certain: it is asked again and again.
        known = len(browsing._readable)
        self.found("<p style='background: linear-gradient(#fff, #000); color: #333'>one</p>")
        self.assertEqual(len(browsing._readable), known)


class Stack(unittest.TestCase):
    def test_a_stack_without_lines_is_python_s_own(self):
        """Frame by frame: which one, its file, line and name, as error messages of the browser need them."""
        short, whole = (
            [(one.frame, one.filename, one.lineno, one.function) for one in stack(0)]
            for stack in (inspect.stack, browsing._whole_stack)
        )
        # Both begin in the same line of this test's generator.
        self.assertEqual(short, whole)
        self.assertGreater(len(short), 3)


class Small(InBrowser):
    """1280 pixels at 200 % zoom are 640 wide."""

    size = (640, 400)

    def test_at_200_percent_zoom_everything_can_be_reached(self):
        """The page itself does not scroll sideways; the main figures are there."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Curlew")
        for key, heading in (("2", ".flow"), ("3", ".lanes"), ("5", ".group")):
            page.keyboard.press(key)
            expect(page.locator(heading).first).to_be_visible()
            wide = page.evaluate("() => document.documentElement.scrollWidth - document.documentElement.clientWidth")
            self.assertLessEqual(wide, 0, heading)
        for _, path, seen in (("", "account", "table.rows"), ("", "logs", "h1:has-text('Logs')"), *IN_TURN):
            self.go(path, seen)
            wide = page.evaluate("() => document.documentElement.scrollWidth - document.documentElement.clientWidth")
            self.assertLessEqual(wide, 0, path)


class Narrow(InBrowser):
    size = (1024, 768)

    def test_at_1024_wide_nothing_is_cut_off(self):
        """No sideways scroll of page or work area in both steps."""
        page = self.page
        self.sign_in(path=GROWTH)
        for key, heading in (("2", ".flow"), ("3", ".lanes")):
            page.keyboard.press(key)
            expect(page.locator(heading).first).to_be_visible()
            wide = page.evaluate(
                "() => { const w = document.querySelector('.work'); return w.scrollWidth - w.clientWidth }"
            )
            self.assertLessEqual(wide, 0, heading)
        for _, path, seen in IN_TURN:
            self.go(path, seen)
            wide = page.evaluate(
                "() => { const w = document.querySelector('.work'); return w.scrollWidth - w.clientWidth }"
            )
            self.assertLessEqual(wide, 0, path)
