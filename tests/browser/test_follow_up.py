"""Follow-up in the browser: the first view, a student opened large, a session for twelve by keyboard."""

import re

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser

READING = GROWTH.partition("?")[2]


class FollowUp(InBrowser):
    def test_the_first_view_says_who_needs_a_decision(self):
        """The headline, a picture a student, the rule's word; another group, another period, a student large."""
        page = self.page
        self.sign_in(path=f"follow-up/2?{READING}")
        expect(page.locator("h1")).to_have_text("12 students need other help")
        pictures = page.get_by_role("img", name=re.compile(r"\d+ results\. Change the help"))
        expect(pictures).to_have_count(12)
        self.check_axe("follow-up")
        page.get_by_role("link", name="Tide pool readers").click()
        expect(page.locator("h1")).to_have_text(re.compile("could have a higher goal"))
        page.get_by_label("Period").select_option("Last four weeks")
        expect(page.get_by_text(re.compile("No rule yet")).first).to_be_visible()
        page.get_by_label("Period").select_option("Since the help began")
        page.get_by_role("button", name=re.compile("^Open .* large$")).first.click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("img")).to_be_visible()
        self.check_axe("a student large")
        dialog.get_by_role("button", name="Close").click()
        expect(dialog).to_have_count(0)

    def test_twelve_weekly_results_in_under_40_keys(self):
        """Two digits and Enter each; a wild value asks and is put right; undone they are gone."""
        page = self.page
        self.sign_in(path=f"follow-up/1?{READING}")
        page.get_by_role("button", name="Enter results").focus()
        keys = ["Enter"]
        page.keyboard.press("Enter")
        fields = page.get_by_role("dialog").get_by_role("spinbutton")
        expect(fields.first).to_be_focused()
        for at in range(12):
            for key in (*str(80 + at % 10), "Enter"):
                page.keyboard.press(key)
                keys.append(key)
        self.assertLess(len(keys), 40)
        expect(page.get_by_role("status").filter(has_text="12 results in One-minute passage")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
        page.get_by_role("button", name="Enter results").click()
        fields.first.fill("999")
        page.get_by_role("button", name="Save 1 result").click()
        expect(page.get_by_role("alert")).to_contain_text("999 is far from the usual")
        self.check_axe("weekly results")
        expect(page.get_by_role("button", name="Yes, save")).to_be_visible()
        page.get_by_role("button", name="Cancel").click()

    def test_a_session_for_twelve_in_under_ten_keys(self):
        """Enter opens, two numbers and a space say who was away, Enter keeps it; undone it is gone."""
        page = self.page
        self.sign_in(path=f"follow-up/1?{READING}")
        page.get_by_role("button", name="Enter a session").focus()
        keys = ["Enter", "3", "Space", "7", "Enter"]
        page.keyboard.press(keys[0])
        expect(page.get_by_label("Who was away: numbers from the list")).to_be_focused()
        for key in keys[1:4]:
            page.keyboard.press(key)
        expect(page.get_by_role("dialog").get_by_text("10 of 12 came")).to_be_visible()
        self.check_axe("a session")
        page.keyboard.press(keys[4])
        expect(page.get_by_role("status").filter(has_text="10 of 12 came, 30 minutes")).to_be_visible()
        self.assertLess(len(keys), 10)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
