"""A newcomer with a written task, and the further views by hand."""

import re

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser

COMPARE = GROWTH.replace("growth", "compare")
CLICKS = """
window.clicks = 0;
document.addEventListener('click', event => { if (event.detail > 0) window.clicks += 1; }, true);
"""


class Newcomer(InBrowser):
    def test_who_fell_back_and_goals_for_those_just_below(self):
        """The task: which grade 4 classes at Saltgrass fell back since fall, which students account for it, and
        catch-up goals for the ones just below Steady. Clicks of the mouse are counted; only what the screen
        shows is used to find the next one."""
        page = self.page
        self.begin_with(CLICKS)
        self.sign_in()
        page.evaluate("window.clicks = 0")
        # Home says it in a sentence, which opens the step.
        page.get_by_role("link", name=re.compile("Grade 4 at Saltgrass Primary fell behind")).click()
        expect(page.locator("h1")).to_have_text("More students fell back than moved up")
        # The classes stand below, the one that fell most first.
        rows = page.get_by_label("By class").locator("tbody tr")
        nets = [row.split("\t")[7].strip() for row in rows.all_inner_texts()]
        fell = [net for net in nets if net.startswith("\u2212")]
        self.assertGreaterEqual(len(fell), 3)
        self.assertEqual(nets[: len(fell)], fell)
        # Who: the number of those who moved down in the first of them.
        worst = rows.first
        down = int(worst.locator("td").nth(6).inner_text())
        worst.locator("td").nth(6).get_by_role("button").click()
        panel = page.get_by_label("Students behind the number")
        expect(panel.locator("ol > li")).to_have_count(down)
        page.get_by_role("button", name="Close the panel").click()
        # Those just below Steady, and goals for them.
        fact = page.locator(".facts div").filter(has_text="Just below Steady")
        count = int(fact.locator("dd").inner_text())
        fact.locator("dd button").click()
        expect(panel.locator("ol > li")).to_have_count(count)
        panel.get_by_role("button", name="Set goals").click()
        dialog = page.get_by_role("dialog", name=re.compile("Goals for"))
        expect(dialog.get_by_label("Catching up means").locator("option:checked")).to_have_text(
            "the lowest score of Steady"
        )
        dialog.get_by_role("button", name=f"Set {count} goals").click()
        expect(page.get_by_role("status").filter(has_text="a goal now")).to_contain_text(f"{count} students")
        clicks = page.evaluate("window.clicks")
        # The goals go again: other tests find the demo as it was.
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("status").filter(has_text="Undone")).to_be_visible()
        self.assertLess(clicks, 20)
        self.assertGreater(clicks, 3)


class FurtherViews(InBrowser):
    def test_many_windows_with_a_subgroup_laid_over(self):
        """Windows ticked in the sentence become a trend; a subgroup, its gap, and the students of a point."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4")
        page.get_by_role("button", name="fall to winter 2026-27").click()
        page.get_by_role("button", name="several").click()
        page.get_by_role("checkbox", name=re.compile("2025-26 spring")).click()
        page.get_by_role("button", name="Done").click()
        expect(page.locator("h1")).to_contain_text("The mean rose")
        expect(page.locator(".scope")).to_contain_text("3 windows")
        page.get_by_label("Subgroup", exact=True).select_option("Multilingual learner")
        table = page.get_by_label("Means and shares by window")
        expect(table.locator("tbody tr")).to_have_count(2)
        expect(table.locator("tbody tr").nth(1)).to_contain_text("to")
        n = int(table.locator("tbody tr").nth(1).locator("td").nth(2).locator(".small").first.inner_text())
        page.get_by_role("button", name=re.compile("Multilingual learner, 2026-27 fall")).click()
        expect(page.get_by_label("Students behind the number").locator("ol > li")).to_have_count(n)
        page.keyboard.press("Escape")
        page.keyboard.press("r")
        expect(page.locator(".scope")).not_to_contain_text("3 windows")

    def test_units_stand_beside_the_whole(self):
        """Which class needs a talk is one sentence; a unit's mark says its figure and whether it is chance."""
        page = self.page
        self.sign_in(path=COMPARE.replace("compare", "growth").replace("reading", "mathematics"))
        page.get_by_role("button", name="classes", exact=True).click()
        table = page.get_by_label("Growth by unit")
        expect(page.locator(".said")).to_contain_text("Beyond chance: 7 Yawl grew less than the rest.")
        first = table.locator("tbody tr").first
        expect(first).to_contain_text("7 Yawl")
        expect(first).to_contain_text("different beyond chance")
        expect(first.locator("svg.whisker").first).to_have_attribute("aria-label", re.compile("7 Yawl: −1"))
        table.get_by_role("button", name="Students").click()
        n = first.locator("td").nth(1).inner_text()
        first.locator("td").nth(1).get_by_role("button").click()
        expect(page.get_by_label("Students behind the number").locator("ol > li")).to_have_count(int(n))
        page.keyboard.press("Escape")
        self.check_axe("growth by unit")
        self.sign_in(path=COMPARE + "&grade=4")
        page.get_by_label("Broken down by").select_option("school")
        expect(page.locator("svg.whisker").first).to_have_attribute("aria-label", re.compile("net move"))
        expect(page.locator(".said")).to_contain_text("chance")

    def test_the_history_grid_sorts_and_opens(self):
        """Sorted by a column either way, empty last; part scores add columns; a name opens the student."""
        page = self.page
        self.sign_in(path=COMPARE.replace("compare", "compare/history") + "&section=4+Curlew")
        grid = page.get_by_label("History of results")
        expect(grid.locator("tbody tr").nth(1)).to_be_visible()
        header = grid.get_by_role("button", name=re.compile("2026-27 winter"))
        header.first.click()
        expect(header.first.locator("xpath=..")).to_have_attribute("aria-sort", "ascending")
        expect(page.locator(".stale")).to_have_count(0)
        place = grid.locator("thead th").evaluate_all(
            "nodes => nodes.findIndex(node => node.getAttribute('aria-sort') === 'ascending')"
        )
        expect(grid.locator("tbody tr").nth(1).locator("td").nth(place)).not_to_have_text("…")
        texts = grid.locator(f"tbody tr td:nth-child({place + 1})").all_inner_texts()
        known = [int(text.split()[0]) for text in texts if text.strip()[:1].isdigit()]
        self.assertEqual(known, sorted(known))
        before = grid.locator("thead th").count()
        page.get_by_label("part scores").check()
        expect(grid.locator("thead th").nth(before)).to_be_visible(timeout=30_000)
        grid.locator("tbody .open").first.click()
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()

    def test_the_likely_outcome_says_how_sure(self):
        """A level, its chance, and how well it told before; a level's number narrows the list."""
        page = self.page
        self.sign_in(path=COMPARE.replace("compare", "compare/outcome") + "&grade=4")
        expect(page.locator("h1")).to_contain_text("on track for Level 3")
        levels = page.get_by_label("Levels that are likely")
        n = int(levels.locator("tbody tr").first.get_by_role("button").inner_text())
        levels.locator("tbody tr").first.get_by_role("button").click()
        expect(page.get_by_label("Students by their chance").locator("tbody tr")).to_have_count(n)
        expect(page.get_by_label("How well the test predicted the outcome before")).to_contain_text("0.9")
        page.get_by_text("classes", exact=True).click()
        expect(page.get_by_label("Outlook by unit").locator("tbody tr")).not_to_have_count(0)

    def test_a_figure_tells_its_numbers_on_hover_and_on_focus(self):
        """The share quoted, and a lane."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4&school=Saltgrass+Primary&by=section")
        figures = page.locator(".facts dd")
        figure = figures.first.get_by_role("button").first
        figure.focus()
        tip = page.get_by_role("tooltip")
        expect(tip).to_contain_text(re.compile(r"\d+ \+ \d+ = \d+ of \d+ students"))
        page.keyboard.press("Tab")
        figures.nth(1).get_by_role("button").hover()
        expect(tip.filter(has_text="in a higher band")).to_be_visible()
        self.check_axe("a figure explained")
        row = page.get_by_label("By class").locator("tbody tr").nth(1)
        row.get_by_role("button", name=re.compile("%$")).first.hover()
        expect(tip.filter(has_text="students are in Steady or above")).to_be_visible()
        page.keyboard.press("3")
        lane = tip.filter(has_text="where the norm mean was")
        page.locator(".lane").nth(2).hover()
        expect(lane).to_be_visible()
        self.check_axe("a lane explained")
        page.mouse.move(5, 5)
        expect(lane).to_have_count(0)
        # By keyboard a row in focus tells the same; Escape puts it away.
        page.locator(".lanes tbody tr[data-index]").first.focus()
        expect(lane).to_be_visible()
        page.keyboard.press("ArrowDown")
        second = page.locator(".lanes tbody tr[data-index='1']").get_attribute("aria-description")
        expect(tip.filter(has_text=second.splitlines()[0])).to_be_visible()
        page.keyboard.press("Escape")
        expect(lane).to_have_count(0)

    def test_small_groups_are_withheld_before_a_view_leaves(self):
        """One tick: the cells go, on screen and in the file."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4&school=Saltgrass+Primary")
        page.get_by_label("and by").select_option("program")
        expect(page.get_by_label("By class")).to_contain_text("Individual plan")
        page.get_by_label("hide small groups").check()
        expect(page.get_by_label("By class")).to_contain_text("withheld")
        link = page.get_by_role("link", name="CSV: shares and movement").get_attribute("href")
        self.assertIn("withhold=10", link)
        self.assertIn("by2=program", link)

    def test_a_view_kept_and_shared_opens_for_a_colleague(self):
        """By key, name and link; the teacher sees own students in it; forgotten, it is gone."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4&by=program")
        expect(page.locator(".flow")).to_be_visible()
        page.keyboard.press("v")
        page.get_by_label("Name", exact=True).fill("Fourth grade")
        page.get_by_role("button", name="Save", exact=True).click()
        dialog = page.get_by_role("dialog", name="Saved views")
        dialog.get_by_label("Share Fourth grade with").click()
        page.keyboard.type("all teach")
        page.keyboard.press("Enter")
        link = dialog.get_by_label("Link to Fourth grade").input_value()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_label("Login")).to_be_visible()
        self.sign_in("teacher", path=link.removeprefix(self.address))
        expect(page.locator(".scope")).to_contain_text("grade 4")
        expect(page).to_have_url(re.compile("/compare[?].*grade=4.*by=program"))
        expect(page.get_by_label("Broken down by")).to_have_value("program")
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_label("Login")).to_be_visible()
        self.sign_in("coach")
        page.keyboard.press("v")
        dialog.get_by_role("button", name="Delete Fourth grade").click()
        expect(dialog).to_contain_text("None yet")

    def test_what_is_saved_before_the_first_answer_stands_in_the_list(self):
        """The list as it was before is still on its way when a view is saved: it is asked for anew."""
        page, held = self.page, []
        self.sign_in(path=COMPARE)
        expect(page.locator(".flow")).to_be_visible()

        def hold(route):
            if route.request.method == "GET" and not held:
                held.append((route, route.fetch()))
            else:
                route.continue_()

        page.route("**/api/views", hold)
        page.keyboard.press("v")
        dialog = page.get_by_role("dialog", name="Saved views")
        dialog.get_by_label("Name", exact=True).fill("Saved early")
        with page.expect_response(lambda answer: answer.request.method == "POST"):
            dialog.get_by_role("button", name="Save", exact=True).click()
        route, before = held[0]
        route.fulfill(response=before)
        delete = dialog.get_by_role("button", name="Delete Saved early")
        expect(delete).to_be_visible()
        delete.click()
        expect(dialog).to_contain_text("None yet")

    def test_goals_of_pins_by_keyboard(self):
        """P pins, T opens the goals; axe finds nothing; Escape leaves all as it was."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Curlew")
        page.locator(".lanes tr[data-index='0']").focus()
        page.keyboard.press("p")
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog", name="Goals for 1 student")
        expect(dialog.get_by_label("What it takes").locator("tbody tr")).to_have_count(1)
        dialog.get_by_role("button", name="a goal of our own").click()
        expect(dialog.get_by_label("Points to gain")).to_have_value("10")
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)

    def test_lately_brings_back_students_and_scopes(self):
        """A student opened and a scope looked at stand on Home."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Curlew")
        name = page.locator(".lanes tr[data-index='0'] .open")
        opened = name.inner_text()
        name.click()
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()
        page.wait_for_timeout(3500)
        page.keyboard.press("Escape")
        page.keyboard.press("0")
        lately = page.get_by_role("region", name="Lately")
        expect(lately).to_contain_text(opened)
        expect(lately).to_contain_text("class 4 Curlew")

    def test_days_of_ones_own(self):
        """Typed into the sentence; the address holds them."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4")
        page.get_by_role("button", name="fall to winter 2026-27").click()
        page.get_by_label("First window").select_option("own")
        page.get_by_label("From", exact=True).fill("2026-09-01")
        page.get_by_label("To", exact=True).fill("2026-10-31")
        expect(page.locator(".scope")).to_contain_text("Sep 1 to Oct 31, 2026")
        expect(page).to_have_url(re.compile(r"2026-09-01\.\.2026-10-31"))
        expect(page.locator(".flow")).to_be_visible()


class Prints(InBrowser):
    def test_a_step_prints_with_its_sentence(self):
        """On paper: the sentence, the figures, no rail, no controls."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4")
        for key, seen in (("1", ".doubt"), ("2", ".flow"), ("3", ".lanes"), ("4", "section table.rows")):
            page.keyboard.press(key)
            expect(page.locator(seen).first).to_be_visible()
            page.emulate_media(media="print")
            expect(page.locator(".scope")).to_be_visible()
            expect(page.locator(".rail")).to_be_hidden()
            expect(page.locator(".foot")).to_be_hidden()
            expect(page.locator(seen).first).to_be_visible()
            page.emulate_media(media="screen")

    def test_the_button_prints_every_row(self):
        """Not only those in view."""
        page = self.page
        self.begin_with(
            "window.print = () => { document.body.dataset.printed ="
            " document.querySelectorAll('tbody tr[aria-rowindex]').length }"
        )
        self.sign_in(path=GROWTH + "&grade=4&school=Saltgrass+Primary")
        for path, seen in (("growth", ".lanes tbody tr"), ("compare/history", ".grid tbody tr")):
            page.goto(self.address + GROWTH.replace("growth", path) + "&grade=4&school=Saltgrass+Primary")
            expect(page.locator(seen).first).to_be_visible()
            page.get_by_role("button", name="Print").click()
            expect(page.locator("body")).to_have_attribute("data-printed", "130" if path == "growth" else "137")


class NarrowViews(InBrowser):
    size = (1024, 768)

    def test_further_views_at_1024(self):
        """Nothing is cut off: the work area does not scroll sideways."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4")
        many = "&between=2025-26+winter&between=2025-26+spring&between=2026-27+fall"
        for path, more, seen in (
            ("compare/history", "", ".grid tbody tr"),
            ("compare/outcome", "", ".compare tbody tr"),
            ("compare", many, ".flow circle"),
        ):
            address = COMPARE.replace("compare", path) + "&grade=4" + more
            page.goto(self.address + (address.replace("2026-27+fall&to", "2025-26+fall&to") if more else address))
            expect(page.locator(seen).first).to_be_visible()
            wide = page.evaluate(
                "() => { const w = document.querySelector('.work'); return w.scrollWidth - w.clientWidth }"
            )
            self.assertLessEqual(wide, 1, path)


class SmallViews(InBrowser):
    size = (640, 400)

    def test_further_views_at_200_percent(self):
        """Nothing makes the page scroll sideways."""
        page = self.page
        self.sign_in(path=COMPARE + "&grade=4")
        for path, seen in (("compare/history", ".grid"), ("compare/outcome", ".compare"), ("", ".finding")):
            page.goto(self.address + COMPARE.replace("compare", path) + "&grade=4")
            expect(page.locator(seen).first).to_be_visible()
            wide = page.evaluate("() => document.documentElement.scrollWidth - document.documentElement.clientWidth")
            self.assertLessEqual(wide, 0, path)
