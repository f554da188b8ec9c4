"""The board of groups in the browser: a newcomer's task by mouse, and the same moves by keys alone."""

import re

from playwright.sync_api import expect

from tests.browser.browsing import InBrowser
from tests.browser.test_newcomer import CLICKS

MATHS = "assessment=Saltgauge&subject=mathematics&from_window=2026-27+fall&to_window=2026-27+winter"


class Task(InBrowser):
    def test_from_needs_to_four_groups(self):
        """The task: pin a class's students in Needs, propose four groups with adults and slots, one pair kept apart,
        read why, take it over, and move one student by key. Clicks of the mouse are counted."""
        page = self.page
        page.add_init_script(CLICKS)
        self.sign_in(path=f"needs/strands?{MATHS}&section=5+Gannet")
        page.evaluate("window.clicks = 0")
        column = page.get_by_role("region", name="Number and place value")
        column.get_by_role("button", name=re.compile("far$")).click()
        panel = page.get_by_label("Students behind the number")
        panel.get_by_role("button", name=re.compile("Pin all")).click()
        page.keyboard.press("Escape")
        expect(page.locator(".foot")).to_contain_text("14 pinned")
        page.keyboard.press("5")
        page.get_by_role("link", name="Board").click()
        page.get_by_role("button", name="Propose groups").click()
        page.get_by_label("How many groups").fill("4")
        page.get_by_label("Fewest students").fill("2")
        page.get_by_label("Most students").fill("5")
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
        proposal.get_by_role("button", name="Make these groups").click()
        made = page.get_by_role("region", name=re.compile("Group 1"))
        expect(made).to_be_visible()
        clicks = page.evaluate("window.clicks")
        self.assertLess(clicks, 20)
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
