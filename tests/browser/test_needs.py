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
    GRADE = f"{MATHS}&grade=5&school=Causeway+Intermediate"

    def names(self, n):
        """The first students of a grade, with the page of quick entry open."""
        page = self.page
        self.sign_in(path=f"needs/strands?{self.GRADE}")
        cells = page.locator("table.rows tbody .nm")
        expect(cells.first).to_be_visible()
        names = cells.all_inner_texts()[:n]
        self.assertEqual(len(set(names)), n)
        self.go(f"needs/entry?{self.GRADE}", "textarea")
        return names

    def pad(self, names, standards, doubtful=""):
        """Paste names, settle the doubtful one and begin, by keyboard alone; returns how many strokes that took."""
        page = self.page
        field = page.get_by_label(re.compile("Paste names"))
        field.fill("\n".join(names))
        field.press("Tab")
        page.keyboard.press("Enter")
        strokes = 2
        if doubtful:
            page.get_by_label(f"Who is {doubtful}?").select_option(index=1)
            strokes += 2
        for standard in standards:
            page.get_by_label("Which standards").select_option(standard)
        start = page.get_by_role("button", name="Start")
        expect(start).to_be_enabled()
        start.press("Enter")
        expect(page.locator("[data-cell='0-0']")).to_be_focused()
        return strokes + 2 * len(standards) + 1

    def saves(self):
        """What the page sends from now on to keep entries or take them back, in order."""
        sent = []

        def note(request):
            if request.method == "POST":
                sent.append(request.url.rpartition("/")[2])

        self.page.on("request", note)
        self.addCleanup(self.page.remove_listener, "request", note)
        return sent

    def test_a_class_by_keyboard_alone(self):
        """Names pasted, a doubtful one settled, 30 students x 6 standards typed with one key each, undone as one.

        200 keys in all: at two keys a second that is under two minutes, by keyboard alone. They are saved together
        at each rest and every few seconds, not key by key.
        """
        page = self.page
        names = self.names(30)
        standards = [f"M5-{strand}-{at}" for strand in ("NP", "OP", "FD") for at in (1, 2)]
        # Tab and Enter, the doubtful name, six standards and the start, all by keyboard.
        slip = names[0] + "x"
        strokes = self.pad([slip, *names[1:]], standards, slip)
        sent, n = self.saves(), len(names)
        for at in range(6 * n - 1):
            page.keyboard.press("mnx"[at % 3])
            strokes += 1
        page.keyboard.press("-")
        page.keyboard.press("m")
        strokes += 2
        expect(page.get_by_text(re.compile(r"^1\d\d saved$"))).to_be_visible()
        self.assertLess(sent.count("entries"), 6 * n // 10)
        expect(page.locator(f"[data-cell='{n - 2}-5'] svg")).to_be_visible()
        self.assertLessEqual(strokes, 200)
        page.get_by_role("button", name="Undo this batch").press("Enter")
        expect(page.get_by_text("0 saved")).to_be_visible()
        expect(page.locator("[data-cell] svg")).to_have_count(0)

    def test_whoever_types_without_a_rest_is_saved_too(self):
        """A key every 0.4 seconds: nothing is sent for five seconds, then what was typed so far."""
        page = self.page
        self.pad(self.names(20), ["M5-NP-1"])
        sent = self.saves()
        # The page's time stands still but for the steps below; no other test can use it.
        self.once_more = False
        page.clock.install()
        page.clock.pause_at(page.evaluate("Date.now() + 1000"))
        for _ in range(12):
            page.keyboard.press("m")
            page.clock.run_for(400)
        self.assertEqual(sent, [])
        with page.expect_request("**/api/needs/entries") as first:
            page.keyboard.press("m")
            page.clock.run_for(400)
        self.assertEqual(len(first.value.post_data_json["entries"]), 13)

    def test_a_batch_is_undone_with_what_is_still_on_its_way(self):
        """Undone before anything is sent: nothing is; while it is being saved: it is taken back once it is."""
        page = self.page
        self.pad(self.names(3), ["M5-NP-1"])
        sent, held = self.saves(), []

        def hold(route):
            held.append(route)

        page.route("**/api/needs/entries", hold)
        undo = page.get_by_role("button", name="Undo this batch")
        expect(undo).to_be_disabled()
        page.evaluate("""() => {
            document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key: 'm', bubbles: true}));
            setTimeout(() => document.querySelector('.u-in-row .word').click(), 50);
        }""")
        expect(undo).to_be_disabled()
        page.evaluate("new Promise(done => setTimeout(done, 800))")
        self.assertEqual(sent, [])
        expect(page.locator("[data-cell] svg")).to_have_count(0)
        with page.expect_request("**/api/needs/entries"):
            page.keyboard.press("n")
        undo.click()
        self.assertEqual(sent, ["entries"])
        with page.expect_response("**/undo"):
            held[0].continue_()
        expect(undo).to_be_disabled()
        expect(page.locator("[data-cell] svg")).to_have_count(0)
        self.assertEqual(sent, ["entries", "undo"])

    def test_nothing_is_lost_where_undo_is_refused(self):
        """What was saved and what was not yet stay on the screen, and the rest is saved with the next key."""
        page = self.page
        self.pad(self.names(4), ["M5-NP-1"])
        page.keyboard.press("m")
        expect(page.get_by_text("1 saved", exact=True)).to_be_visible()
        page.route("**/undo", lambda route: route.fulfill(status=503, json={"code": "away", "message": "Not now."}))
        page.evaluate("""() => {
            document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key: 'n', bubbles: true}));
            setTimeout(() => document.querySelector('.u-in-row .word').click(), 50);
        }""")
        expect(page.get_by_role("alert")).to_contain_text("Not now.")
        expect(page.locator("[data-cell] svg")).to_have_count(2)
        page.unroute("**/undo")
        page.keyboard.press("x")
        expect(page.get_by_text("3 saved", exact=True)).to_be_visible()
        page.get_by_role("button", name="Undo this batch").click()
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
