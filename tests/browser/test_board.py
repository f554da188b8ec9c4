"""The board of groups in the browser: a newcomer's task by mouse, and the same moves by keys alone."""

import re
import time

from playwright.sync_api import expect

from tests.browser.browsing import InBrowser
from tests.browser.test_newcomer import CLICKS

MATHS = "assessment=Saltgauge&subject=mathematics&from_window=2026-27+fall&to_window=2026-27+winter"


class Task(InBrowser):
    def test_from_needs_to_four_groups(self):
        """The task: pin 24 students in Needs, propose four groups with adults and slots, one pair kept apart, read
        why, move one by key and back, take it over. Clicks of the mouse are counted, and the time: no waiting for
        anything takes it near two minutes."""
        began = time.monotonic()
        page = self.page
        self.begin_with(CLICKS)
        self.sign_in(path=f"needs/strands?{MATHS}&section=5+Gannet&section=5+Heron")
        page.evaluate("window.clicks = 0")
        column = page.get_by_role("region", name="Fractions and decimals")
        column.get_by_role("button", name=re.compile("far$")).click()
        panel = page.get_by_label("Students behind the number")
        panel.get_by_role("button", name=re.compile("Pin all")).click()
        page.keyboard.press("Escape")
        expect(page.locator(".foot")).to_contain_text("24 pinned")
        page.keyboard.press("5")
        page.get_by_role("link", name="Board").click()
        page.get_by_role("button", name="Propose groups").click()
        page.get_by_label("How many groups").fill("4")
        page.get_by_label("Fewest students").fill("2")
        page.get_by_label("Most students").fill("8")
        for at, (adult, slots) in enumerate(
            (("Caio Valadao", "Mon 9:00, Tue 9:00"), ("Fern Oxley", "Mon 9:00, Wed 9:00"))
        ):
            page.get_by_role("button", name="Add an adult").click()
            page.get_by_label(f"Adult {at + 1}", exact=True).select_option(adult)
            page.get_by_label(f"Slots, with commas {at + 1}").fill(slots)
        page.get_by_label("Keep apart 1").select_option(index=1)
        page.get_by_label("Keep apart 2").select_option(index=2)
        page.get_by_role("button", name="Add the pair").first.click()
        page.get_by_role("button", name="Propose", exact=True).click()
        proposal = page.get_by_role("region", name="Proposal")
        expect(proposal.get_by_text(re.compile("Proven best|from the best"))).to_be_visible()
        expect(proposal.get_by_text(re.compile("nearest to the own need")).first).to_be_visible()
        expect(proposal.get_by_text(re.compile("(Mon|Tue|Wed) 9:00, "))).to_have_count(4)
        # One student is moved by key: what it costs is said, and undone the reason is the old one.
        first = proposal.locator("[data-proposed='0-1']")
        name = first.locator(".nm").inner_text()
        first.focus()
        page.keyboard.press("m")
        expect(proposal.get_by_text(re.compile(f"Move {name}"))).to_be_visible()
        page.keyboard.press("2")
        moved = proposal.get_by_role("status").filter(has_text=f"{name} moved to Group 2")
        expect(moved).to_contain_text(re.compile("Distance from the foci in all: [+−]"))
        expect(page.get_by_role("region", name="Group 2", exact=True)).to_contain_text(name)
        proposal.get_by_role("button", name="Make these groups").click()
        made = page.get_by_role("region", name=re.compile("Group 1"))
        expect(made).to_be_visible()
        clicks = page.evaluate("window.clicks")
        self.assertLess(clicks, 20)
        self.assertLess(time.monotonic() - began, 120)
        self.check_axe("board")
        # By keys: from the first card of the group to the one with the number 1.
        card = made.locator("[data-place]").first
        name = card.locator(".nm").inner_text()
        before = page.get_by_role("region", name=re.compile("^1: ")).locator("[data-place]").count()
        card.focus()
        page.keyboard.press("m")
        expect(page.get_by_text(re.compile(f"Move {name}"))).to_be_visible()
        page.keyboard.press("1")
        expect(page.get_by_role("status").filter(has_text=f"{name} moved to")).to_be_visible()
        expect(page.get_by_role("region", name=re.compile("^1: ")).locator("[data-place]")).to_have_count(before + 1)
        page.get_by_role("status").filter(has_text="moved to").get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
        page.get_by_role("status").filter(has_text="The groups are made").get_by_role("button", name="Undo").click()
        expect(page.get_by_role("region", name=re.compile("Group 1"))).to_have_count(0)


class Dragging(InBrowser):
    def test_a_card_is_dragged_and_brought_back(self):
        """Onto another column with the mouse; undo brings it back; a click without a drag opens the student."""
        page = self.page
        self.sign_in(path=f"groups/board?{MATHS}&section=5+Gannet")
        free = page.get_by_role("region", name="0: In no group yet")
        card = free.locator("[data-place]").first
        expect(card).to_be_visible()
        name = card.locator(".nm").inner_text()
        target = page.get_by_role("region", name=re.compile("^2: "))
        one, other = card.bounding_box(), target.bounding_box()
        page.mouse.move(one["x"] + 40, one["y"] + 12)
        page.mouse.down()
        page.mouse.move(one["x"] + 60, one["y"] + 30, steps=4)
        page.mouse.move(other["x"] + 60, other["y"] + 120, steps=8)
        page.mouse.up()
        expect(target.locator(".nm").filter(has_text=name).first).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(free.locator(".nm").filter(has_text=name).first).to_be_visible()
        free.locator("[data-place]").first.click()
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()


class Around(InBrowser):
    READING = MATHS.replace("mathematics", "reading")

    def test_rules_are_seen_and_acted_on(self):
        """The headline counts who could leave and who waits; one act takes them out; undo brings them back."""
        page = self.page
        self.sign_in(path=f"groups?{self.READING}")
        expect(page.locator("h1")).to_have_text(re.compile(r"^\d+ meet the exit rule, \d+ wait for a place$"))
        group = page.get_by_role("region", name="Tide pool readers")
        expect(group).to_contain_text("2 have met the exit rule:")
        group.get_by_role("button", name="Take the 2 out").click()
        expect(group.get_by_role("status")).to_contain_text("2 taken out")
        expect(group).not_to_contain_text("have met the exit rule")
        group.get_by_role("button", name="Undo").click()
        expect(group).to_contain_text("2 have met the exit rule:")

    def test_a_record_is_changed_by_its_form(self):
        """A second adult, a time, an exit rule over the last results: saved, read back, undone."""
        page = self.page
        self.sign_in(path=f"groups?{self.READING}")
        group = page.get_by_role("region", name="Deep water readers")
        group.get_by_role("button", name="Change").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Second adult").select_option(index=2)
        dialog.get_by_role("button", name="Add a time").click()
        dialog.get_by_label("day of time 4").select_option("Fri")
        dialog.get_by_label("start of time 4").fill("08:15")
        dialog.get_by_label("end of time 4").fill("08:45")
        dialog.get_by_label("Exit rule: value").select_option("score")
        dialog.get_by_label("Exit rule: limit").fill("520")
        dialog.get_by_label("Exit rule: results").select_option("2")
        self.check_axe("a group's record")
        dialog.get_by_role("button", name="Save changes").click()
        expect(group).to_contain_text("Fri 8:15-8:45")
        expect(group).to_contain_text("score at least 520 in the last 2 results")
        group.get_by_role("button", name="Undo").click()
        expect(group).not_to_contain_text("Fri 8:15-8:45")

    def test_the_week_and_the_board_of_a_day(self):
        """Nine meetings over two adults; a tier's minutes set and undone; the board before the groups began."""
        page = self.page
        self.sign_in(path=f"groups/week?{self.READING}")
        expect(page.locator("tbody li").filter(has_text=re.compile("readers|workshop"))).to_have_count(9)
        tier = page.get_by_role("region", name="Required minutes").get_by_label("Tier 2")
        tier.fill("120")
        tier.press("Tab")
        expect(page.locator("h1")).to_contain_text("below their required minutes")
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("h1")).to_contain_text("Every group has its adult")
        page.goto(f"{self.address}groups/board?{self.READING}&section=5+Gannet")
        day = page.get_by_label("As it was on")
        day.fill("2026-10-01")
        expect(page.get_by_text("nothing can be moved there")).to_be_visible()
        expect(page.get_by_role("region", name=re.compile("^1: "))).to_have_count(0)
        day.fill("")
        expect(page.get_by_role("region", name=re.compile("^1: "))).to_have_count(1)

    def test_a_goal_talk_is_entered_by_keyboard_alone(self):
        """Sheets with the figures; scores and words typed, Enter goes on, saved in one act, undone."""
        page = self.page
        self.sign_in(path=f"groups?{self.READING}")
        page.get_by_role("region", name="Tide pool readers").get_by_role("button", name="Goal talk").click()
        sheets = page.get_by_role("article")
        expect(sheets).to_have_count(12)
        expect(sheets.first).to_contain_text(re.compile(r"Fall: \d+, percentile \d+"))
        expect(sheets.first).to_contain_text("keeps pace")
        sheets.first.get_by_label(re.compile("wants to reach")).focus()
        for at in range(12):
            page.keyboard.type(str(480 + at))
            page.keyboard.press("Enter")
            page.keyboard.type("Read aloud with a partner every day")
            page.keyboard.press("Enter")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Save 12 goals")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Agreed goals entered for 12 students")).to_be_visible()
        expect(sheets.first).to_contain_text("Goal now: 480")
        page.get_by_role("button", name="Undo").click()
        expect(sheets.first).not_to_contain_text("Goal now: 480")
