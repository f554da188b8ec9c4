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
        page.get_by_role("link", name="Tide pool readers").click()
        expect(page.locator("h1")).to_have_text(re.compile("could have a higher goal"))
        page.get_by_label("Period").select_option("the last four weeks")
        expect(page.get_by_text(re.compile("No rule yet")).first).to_be_visible()
        page.get_by_label("Period").select_option("the time since the help began")
        page.get_by_role("button", name=re.compile("^Open .* large$")).first.click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("img")).to_be_visible()
        dialog.get_by_text(re.compile(r"^The results that went in \(\d+\)$")).click()
        dialog.get_by_role("button", name="Decide about the help").click()
        dialog.get_by_label("Decision").locator("select").or_(dialog.locator("form select")).first.select_option(
            "Pause the help"
        )
        self.check_axe("a student large")
        dialog.get_by_role("button", name="Save decision").click()
        expect(dialog.get_by_role("status")).to_contain_text("Pause the help")
        dialog.get_by_role("button", name="Undo").click()
        expect(dialog.get_by_role("status")).to_contain_text("Undone")
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
        # A tap on a name does what typing its number does.
        name = page.get_by_role("dialog").get_by_role("button", name=re.compile("^3 "))
        expect(name).to_have_attribute("aria-pressed", "true")
        name.click()
        expect(page.get_by_role("dialog").get_by_text("11 of 12 came")).to_be_visible()
        name.click()
        page.get_by_label("Who was away: numbers from the list").focus()
        page.keyboard.press(keys[4])
        expect(page.get_by_role("status").filter(has_text="10 of 12 came, 30 minutes")).to_be_visible()
        self.assertLess(len(keys), 10)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()

    def test_the_first_view_says_how_every_group_goes(self):
        """One works, one does not although it was given, one did not happen; practice, words and the team beside it."""
        page = self.page
        self.sign_in(path=f"follow-up?{READING}")
        expect(page.locator("h1")).to_have_text(re.compile(r"^\d+ students in \d+ groups need a decision$"))
        for group, said in (
            ("Tide pool readers", "yes, beyond chance"), ("Deep water readers", "no sign of it, although it was given"),
            ("Osier word workshop", "it did not really happen"),
        ):  # fmt: skip
            expect(page.get_by_role("row", name=re.compile(f"{group}.*{said}"))).to_be_visible()
        expect(
            page.get_by_text(re.compile("Grade 4 at Osier Bank Primary: texts of the kind informing go worse"))
        ).to_be_visible()
        page.get_by_role("link", name="Osier word workshop").click()
        expect(page.locator("h1")).to_have_text("9 students need other help")

    def test_practice_opens_who_and_why(self):
        """A reason opens its students, entries open the log; the period stays from view to view; goals for many."""
        page = self.page
        self.sign_in(path=f"follow-up/practice?{READING}&grade=4&school=Osier+Bank+Primary")
        page.get_by_label("Period").select_option("this school year")
        page.get_by_role("button", name="accuracy below the goal").click()
        panel = page.locator(".panel")
        expect(panel.locator("li").first).to_be_visible()
        self.check_axe("students of a reason")
        page.keyboard.press("]")
        page.keyboard.press("p")
        page.keyboard.press("Escape")
        expect(panel).to_have_count(0)
        page.get_by_title("Open the log").first.click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("img", name=re.compile("Minutes and accuracy"))).to_be_visible()
        self.check_axe("a log")
        dialog.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="Set practice goals").click()
        expect(dialog.get_by_text("For the 1 pinned student of this list.")).to_be_visible()
        dialog.get_by_label("Minutes in the whole period").fill("200")
        self.check_axe("practice goals")
        page.keyboard.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Practice goals of 1 student set")).to_be_visible()
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
        page.get_by_role("link", name="Help given").click()
        expect(page.get_by_label("Period")).to_have_value("year")

    def test_two_measures_and_kinds_of_help(self):
        """Counts open who moved; another measure; all groups of a tier beside similar students."""
        page = self.page
        self.sign_in(path=f"follow-up/two?{READING}&grade=4&school=Saltgrass+Primary")
        both = page.get_by_role("region", name="Reached both")
        both.locator("ul button").first.click()
        expect(page.locator(".panel li").first).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_label("Second").select_option("Word work, Saltgauge")
        expect(page.get_by_role("region", name="Reached Word work only")).to_be_visible()
        page.get_by_role("link", name="Help given").click()
        page.get_by_role("button", name="Group", exact=True).click()
        expect(page.get_by_role("row", name=re.compile("Osier word workshop.*53"))).to_be_visible()
        page.get_by_label("All groups of").select_option("tier 2 (3)")
        expect(page.get_by_role("heading", name=re.compile("^Students of 3 groups"))).to_be_visible()
        self.check_axe("kinds of help")

    def test_a_team_meeting_over_five_students_by_keyboard(self):
        """Made from the rules, decided one after the other without the mouse, kept; what was decided comes first."""
        page = self.page
        self.sign_in(path=f"follow-up/team?{READING}")
        page.get_by_role("button", name="New meeting").focus()
        page.keyboard.press("Enter")
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name="None").press("Enter")
        for place in range(5):
            dialog.get_by_role("checkbox").nth(place).press("Space")
        self.check_axe("a new meeting")
        dialog.get_by_label("Name").press("Enter")
        expect(page.locator("h1")).to_have_text(re.compile("^Team meeting, Feb 12, 2027"))
        agenda = page.get_by_label("Whom to talk about").locator("li")
        expect(agenda).to_have_count(5)
        for place in range(5):
            expect(page.locator("li[aria-current=step]")).to_have_text(re.compile("."))
            expect(agenda.nth(place)).to_have_attribute("aria-current", "step")
            expect(
                page.get_by_label("Decision").locator("select").or_(page.locator("form select")).first
            ).to_be_focused()
            page.keyboard.press("s")
            page.keyboard.press("Tab")
            page.keyboard.type(f"Word {place}")
            page.keyboard.press("Enter")
            expect(agenda.nth(place)).to_contain_text(f"Word {place}")
        expect(page.get_by_text("5 of 5 decided")).to_be_visible()
        page.keyboard.press("Escape")
        page.locator("h1").click()
        page.keyboard.press("[")
        expect(agenda.nth(3)).to_have_attribute("aria-current", "step")
        expect(page.get_by_label("Decided before").locator("li").first).to_contain_text("Word 3")
        page.get_by_role("button", name="Evidence then").first.click()
        expect(dialog.get_by_role("img")).to_be_visible()
        self.check_axe("evidence as it was")
        dialog.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="Yes").first.click()
        expect(page.get_by_role("status").filter(has_text="is carried out")).to_be_visible()

    def test_words_of_a_day(self):
        """A word said is marked and can be taken back; the day before is another list."""
        page = self.page
        self.sign_in(path=f"follow-up/day?{READING}&grade=3")
        headline = page.locator("h1").inner_text()
        page.get_by_role("button", name=re.compile("^Mark as said")).first.click()
        expect(page.get_by_role("status").filter(has_text="marked as said")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
        page.get_by_role("button", name="The day before").click()
        expect(page.locator("h1")).not_to_have_text(headline)
        page.get_by_role("button", name="The day after").click()
        expect(page.locator("h1")).to_have_text(headline)

    def test_an_aide_sees_the_own_group_only(self):
        """Overview and group, no practice, no decisions."""
        page = self.page
        self.sign_in("aide", path="follow-up")
        expect(page.get_by_role("row", name=re.compile("Osier word workshop"))).to_be_visible()
        ways = page.get_by_role("navigation", name="Ways to follow up").get_by_role("link")
        expect(ways).to_have_text(["Overview", "Groups"])
