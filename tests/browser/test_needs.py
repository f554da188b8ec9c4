"""Needs in the browser: a newcomer's task, the lines by mouse and keys, quick entry by keyboard, an item put right."""

import re

from playwright.sync_api import expect

from tests.browser.browsing import InBrowser
from tests.browser.test_newcomer import CLICKS

MATHS = "assessment=Saltgauge&subject=mathematics&from_window=2026-27+fall&to_window=2026-27+winter"
STORY = "assessment=Unit+check:+story+structure&subject=reading&from_window=2026-27+fall&to_window=2026-27+fall"


class Task(InBrowser):
    def test_what_holds_back_grade_5_mathematics_at_causeway(self):
        """The task: find what holds back grade 5 mathematics at Causeway, see the ground below it, pin the
        students who lack it and give them the material. Clicks of the mouse are counted, from Home on."""
        page = self.page
        self.begin_with(CLICKS)
        self.sign_in(path=f"?{MATHS}")
        page.evaluate("window.clicks = 0")
        page.get_by_role("link", name=re.compile("Grade 5 at Causeway Intermediate: .* digit of a number")).click()
        expect(page.locator("h1")).to_contain_text("Teach first: explain what each digit of a number is worth")
        ground = page.get_by_role("region", name="The ground below M3-NP-2")
        # What to teach first ends where the ground below it begins.
        table = page.locator("table.rows").first.bounding_box()
        self.assertLessEqual(table["x"] + table["width"], ground.bounding_box()["x"])
        expect(ground.get_by_role("button", name=re.compile("M2-NP-2"))).to_be_visible()
        lack = int(re.search(r"(\d+) of", ground.get_by_role("button", name="lack it").first.inner_text())[1])
        self.assertGreater(lack, 60)
        ground.get_by_role("button", name=f"Pin the {lack} who lack it").click()
        expect(page.locator(".foot")).to_contain_text(f"{lack} pinned")
        ground.get_by_role("button", name=f"Give to the {lack} who lack it").click()
        expect(ground.get_by_text(f"given to {lack}, done by 0")).to_be_visible()
        clicks = page.evaluate("window.clicks")
        ground.get_by_role("button", name="Undo").click()
        expect(ground.get_by_text("done by")).to_have_count(0)
        self.assertLess(clicks, 15)
        # The grid shows who holds what; a cell opens its evidence, a name what comes next.
        page.get_by_role("button", name="5 Gannet").click()
        expect(page.locator("h1")).to_contain_text("Teach first")
        cell = page.get_by_role("button", name=re.compile("M5-NP-1: (not yet|nearly|mastered)")).first
        cell.click()
        expect(page.get_by_role("dialog")).to_contain_text("this counts")
        page.keyboard.press("Escape")


class Strands(InBrowser):
    def test_lines_by_keys_and_mouse_and_names_by_keys(self):
        """A line moved by a key moves the counts; dragged it moves them again; the table holds the same students."""
        page = self.page
        grade = f"{MATHS}&grade=5&school=Causeway+Intermediate"
        self.sign_in(path=f"needs/strands?{grade}")
        column = page.get_by_role("region", name="Number and place value")
        far = column.get_by_role("button", name=re.compile("far$"))
        before = int(far.inner_text().split(" ")[0])
        lower = page.get_by_role("slider", name="Line between near and far")
        lower.focus()
        for _ in range(4):
            page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("ArrowUp")
        expect(lower).to_have_attribute("aria-valuenow", "-2.9")
        after = int(far.inner_text().split(" ")[0])
        self.assertLess(after, before)
        far.click()
        expect(page.locator(".panel ol > li")).to_have_count(after)
        page.keyboard.press("Escape")
        box = lower.bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 10)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 60, steps=5)
        page.mouse.up()
        self.assertLess(int(far.inner_text().split(" ")[0]), after)
        names = column.get_by_role("listbox")
        names.focus()
        page.keyboard.press("ArrowDown")
        expect(names.locator("[aria-selected=true]")).to_have_count(1)
        page.keyboard.press("p")
        expect(page.locator(".foot")).to_contain_text("1 pinned")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_label("Held against").select_option("own")
        expect(page.locator("h1")).to_contain_text("own overall score")
        expect(page).to_have_url(re.compile("line=own"))

    def test_no_name_lies_on_another(self):
        """At 24, 127 and 1,759 students: names, initials, and a density; nothing overlaps."""
        page = self.page
        grade = f"{MATHS}&grade=5&school=Causeway+Intermediate"
        self.sign_in(path=f"needs/strands?{grade}")
        for more in ("&section=5+Gannet", "&grade=5&school=Causeway+Intermediate"):
            page.goto(f"{self.address}needs/strands?{MATHS}{more}")
            names = page.get_by_role("region", name="Number and place value").get_by_role("option")
            expect(names.first).to_be_visible()
            boxes = names.evaluate_all("all => all.map(one => { const b = one.getBoundingClientRect();"
                                       " return [b.left, b.top, b.right, b.bottom]; })")  # fmt: skip
            self.assertGreater(len(boxes), 15)
            for at, one in enumerate(boxes):
                for other in boxes[:at]:
                    across = min(one[2], other[2]) - max(one[0], other[0])
                    down = min(one[3], other[3]) - max(one[1], other[1])
                    self.assertFalse(across > 1 and down > 3, (one, other))
        page.goto(f"{self.address}needs/strands?{MATHS}")
        expect(page.get_by_role("img", name="How many students stand at each distance").first).to_be_visible()


class QuickEntry(InBrowser):
    def test_a_class_by_keyboard_alone(self):
        """Names pasted, a doubtful one settled, 30 students x 6 standards typed with one key each, undone as one.

        200 keys in all: at two keys a second that is under two minutes, by keyboard alone.
        """
        page = self.page
        grade = f"{MATHS}&grade=5&school=Causeway+Intermediate"
        self.sign_in(path=f"needs/strands?{grade}")
        cells = page.locator("table.rows tbody .nm")
        expect(cells.first).to_be_visible()
        names = cells.all_inner_texts()[:30]
        self.assertEqual(len(set(names)), 30)
        page.goto(f"{self.address}needs/entry?{grade}")
        slip = names[0] + "x"
        page.get_by_label(re.compile("Paste names")).fill("\n".join([slip, *names[1:]]))
        page.get_by_label(re.compile("Paste names")).press("Tab")
        page.keyboard.press("Enter")
        doubt = page.get_by_label(f"Who is {slip}?")
        expect(doubt).to_be_visible()
        doubt.select_option(index=1)
        standards = [f"M5-{strand}-{at}" for strand in ("NP", "OP", "FD") for at in (1, 2)]
        for standard in standards:
            page.get_by_label("Which standards").select_option(standard)
        page.get_by_role("button", name="Start").press("Enter")
        n = len(names)
        # Tab and Enter, the doubtful name, six standards and the start, all by keyboard.
        strokes = 2 + 2 + 2 * len(standards) + 1
        expect(page.locator("[data-cell='0-0']")).to_be_focused()
        for at in range(6 * n - 1):
            page.keyboard.press("mnx"[at % 3])
            strokes += 1
        page.keyboard.press("-")
        page.keyboard.press("m")
        strokes += 2
        expect(page.get_by_text(re.compile(r"^\d+ saved$"))).to_be_visible()
        expect(page.locator(f"[data-cell='{n - 2}-5'] svg")).to_be_visible()
        self.assertLessEqual(strokes, 200)
        page.get_by_role("button", name="Undo this batch").press("Enter")
        expect(page.get_by_text("0 saved")).to_be_visible()
        expect(page.locator("[data-cell] svg")).to_have_count(0)


class Items(InBrowser):
    def test_a_wrong_key_is_found_and_put_right(self):
        """The first view names it; the preview says whose score changes; scored again, and undone."""
        page = self.page
        self.sign_in(path=f"needs?{STORY}")
        expect(page.locator("h1")).to_have_text("Item 7: wrong key?")
        page.get_by_role("button", name="A 231").click()
        expect(page.locator(".panel h2")).to_have_text("Item 7: chose A")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Correct item 7").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("B", exact=True).uncheck()
        dialog.get_by_label("A", exact=True).check()
        dialog.get_by_label("Why").fill("the key was shifted by one")
        expect(dialog.get_by_role("button", name="Score again")).to_be_disabled()
        dialog.get_by_role("button", name="Show what would change").click()
        expect(dialog).to_contain_text("242 of 258 students get another score")
        dialog.get_by_role("button", name="Score again").click()
        expect(page.locator("h1")).to_contain_text("No item looks wrong")
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("h1")).to_have_text("Item 7: wrong key?")
        page.get_by_role("button", name="Answers").click()
        expect(page.get_by_role("region", name="Answers").locator("tbody tr").first).to_be_visible()
        expect(page).to_have_url(re.compile("look=answers"))
