"""The invented district in a real browser: by mouse, by keyboard alone, small, dark, and with axe."""

import csv
import re
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.browsing import GROWTH, InBrowser


class ByMouse(InBrowser):
    def test_norms_and_cuts_of_the_test_at_hand(self):
        """The scope's own test first; another grade, another test; numbers as they are in the files."""
        page = self.page
        self.sign_in(path=GROWTH)
        page.get_by_role("link", name="Setup").click()
        page.get_by_role("link", name="Tests, norms and cuts").click()
        expect(page.get_by_label("Test", exact=True)).to_have_value(re.compile("[0-9]"))
        expect(page.get_by_label("Test", exact=True).locator("option:checked")).to_have_text("Saltgauge Reading")
        first = page.get_by_label("Cuts").locator("tbody tr").first.inner_text()
        page.get_by_role("button", name="grade 6").click()
        expect(page.get_by_role("img", name="Grade 6: norms and cuts over the year")).to_be_visible()
        self.assertNotEqual(page.get_by_label("Cuts").locator("tbody tr").first.inner_text(), first)
        page.get_by_label("Test", exact=True).select_option(label="Saltgauge Mathematics")
        expect(page.get_by_role("img", name="Grade 2: norms and cuts over the year")).to_be_visible()
        expect(page.get_by_role("alert")).to_have_count(0)

    def test_check_says_who_is_missing_and_what_to_believe(self):
        """The outlier first; a retest asked for, a reason given, a sitting chosen, each undone with one click."""
        page = self.page
        self.sign_in(path=GROWTH)
        page.keyboard.press("1")
        expect(page.locator("h1")).to_contain_text("tested;")
        doubts = page.get_by_role("region", name="Doubtful results")
        first = doubts.locator(".doubt").first
        expect(first).to_contain_text("is too fast in this grade")
        first.get_by_role("button", name="Retest").click()
        expect(page.get_by_role("table", name="Retest list").locator("tbody tr")).to_have_count(1)
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("table", name="Retest list")).to_have_count(0)
        # Settled again as it was: the outlier stands first.
        first.get_by_role("button", name="Set aside").click()
        page.get_by_label(re.compile("Why the result of .* is set aside")).fill("left the room")
        page.keyboard.press("Enter")
        expect(page.get_by_role("status").get_by_text("the result is set aside")).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("status").get_by_text("Undone")).to_be_visible()
        chase = page.get_by_role("table", name="Classes").locator("li").filter(has_not_text="absent").first
        chase.get_by_role("button", name=re.compile("^why")).click()
        page.get_by_label(re.compile("Why .* was not tested")).select_option("excused")
        expect(page.get_by_role("status").get_by_text("not tested, excused")).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).first.click()
        # Two acts at once would leave it open whose word stands last.
        expect(page.get_by_role("status").get_by_text("Undone: ")).to_be_visible()
        several = page.get_by_role("table", name="Several results").locator("tbody tr").first
        several.get_by_role("button", name=re.compile("Count this result")).first.click()
        expect(page.get_by_role("status").get_by_text("another result counts")).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).first.click()
        expect(page.get_by_role("status").get_by_text("Undone: ")).to_be_visible()
        page.get_by_role("button", name="See who").click()
        self.check_axe("who is missing")

    def test_cuts_are_edited_in_place_and_put_back(self):
        """Unordered ones are refused beside the table; good ones are kept as an import and undone."""
        page = self.page
        self.sign_in(path="setup/tests")
        expect(page.get_by_text("invented norms")).to_be_visible()
        cuts = page.get_by_role("table", name="Cuts")
        before = cuts.inner_text()
        page.get_by_role("button", name="Edit cuts").click()
        steady = page.get_by_label("fall: lowest of Steady")
        steady.fill("300")
        page.get_by_role("button", name="Save cuts").click()
        expect(page.get_by_role("alert")).to_contain_text("begins below the band under it")
        steady.fill("437")
        page.get_by_role("button", name="Save cuts").click()
        expect(page.get_by_text("Saved.")).to_be_visible()
        expect(cuts).to_contain_text("437")
        page.get_by_role("button", name="Undo").click()
        expect(cuts).not_to_contain_text("437")
        self.assertEqual(cuts.inner_text(), before)

    def test_a_figure_opens_how_it_is_worked_out(self):
        """The figure's own place on the page, with the scope kept; back leads to the step."""
        page = self.page
        self.sign_in(path=GROWTH)
        page.get_by_role("link", name="Median growth percentile").click()
        place = page.locator("section#growth-percentile")
        expect(place).to_be_in_viewport()
        expect(place).to_be_focused()
        expect(place).to_contain_text("so many grew less")
        expect(page.locator(".scope")).to_contain_text("fall to winter 2026-27")
        page.get_by_role("link", name="Movement", exact=True).click()
        expect(page.locator("section#movement")).to_be_in_viewport()
        page.go_back()
        page.go_back()
        expect(page.locator(".lanes tbody tr").first).to_be_visible()

    def test_compare_opens_its_students_and_growth_makes_a_group(self):
        """From the first screen to an exported group of the students a region was drawn around."""
        page = self.page
        self.sign_in()
        page.locator(".rail").get_by_text("Compare").click()
        expect(page.locator(".flow")).to_be_visible()
        expect(page.locator(".scope")).to_contain_text("Saltgauge Reading for all students, fall to winter 2026-27")
        moved = page.locator("dt", has_text="Moved down").locator("xpath=..").get_by_role("button")
        count = int(moved.inner_text())
        moved.click()
        panel = page.get_by_label("Students behind the number")
        expect(panel.get_by_role("button", name=f"Pin all {count}")).to_be_visible()
        page.keyboard.press("Escape")
        expect(panel).to_have_count(0)

        # Narrow the scope in place: grade 4 at Saltgrass; it stays for the next step.
        page.get_by_role("button", name="all students").click()
        page.get_by_role("combobox", name="School").click()
        page.locator(".ant-select-item-option", has_text="Saltgrass Primary").click()
        page.get_by_role("combobox", name="Grade").click()
        page.locator(".ant-select-item-option").filter(has_text=re.compile("^4$")).click()
        page.get_by_role("button", name="Done").click()
        expect(page.locator(".scope")).to_contain_text("grade 4 at Saltgrass Primary")
        expect(page.locator(".piece.changed")).to_have_count(1)
        page.keyboard.press("3")
        expect(page.locator(".scope")).to_contain_text("grade 4 at Saltgrass Primary")
        expect(page.locator(".lanes tbody tr").first).to_be_visible()

        field = page.locator(".region").bounding_box()
        page.mouse.move(field["x"] + 40, field["y"] + 100)
        page.mouse.down()
        page.mouse.move(field["x"] + 340, field["y"] + 150, steps=6)
        page.mouse.up()
        chosen = int(page.locator(".foot b").inner_text().split()[0])
        self.assertGreater(chosen, 5)
        self.assertEqual(page.locator(".region circle[stroke='var(--accent)']").count(), chosen)
        page.get_by_role("button", name="Make a group").click()
        page.get_by_label("Name").fill("Fell back in winter")
        page.get_by_label("Focus").fill("Story structure")
        page.get_by_role("button", name="Make the group").click()
        card = page.get_by_label("Fell back in winter")
        expect(card.locator("li")).to_have_count(chosen)

        with page.expect_download() as download:
            card.get_by_role("link", name="CSV").click()
        rows = list(csv.DictReader(Path(download.value.path()).read_text(encoding="utf-8-sig").splitlines()))
        self.assertEqual(len(rows), chosen)

        # Take one out, undo it, and look only at the group.
        card.get_by_role("button", name=re.compile("^remove")).first.click()
        expect(card.locator("li")).to_have_count(chosen - 1)
        card.get_by_role("button", name="Undo").click()
        expect(card.locator("li")).to_have_count(chosen)
        card.get_by_role("button", name=f"Show only these {chosen}").click()
        expect(page.locator(".scope")).to_contain_text("group Fell back in winter")
        expect(page.locator(".scope .covers")).to_contain_text(f"{chosen} students")
        page.keyboard.press("r")
        expect(page.locator(".scope")).to_contain_text("for all students")

    def test_switches_change_the_sentence_and_the_address(self):
        """Year-end cuts and all with a result; a link reproduces the view."""
        page = self.page
        self.sign_in(path=GROWTH.replace("growth", "compare") + "&grade=4")
        page.get_by_role("button", name="year-end cut").click()
        expect(page.locator(".scope")).to_contain_text("by year-end cuts")
        page.get_by_role("button", name="all with a result").click()
        expect(page.locator(".scope")).to_contain_text("all students with a result")
        expect(page.locator("[aria-busy=true]")).to_have_count(0)
        shares = page.get_by_label("Shares in each band").inner_text()
        page.goto(page.url)
        expect(page.locator(".scope")).to_contain_text("all students with a result, by year-end cuts")
        expect(page.get_by_label("Shares in each band")).to_be_visible()
        self.assertEqual(page.get_by_label("Shares in each band").inner_text(), shares)

    def test_a_breakdown_is_in_the_address(self):
        """A link brings it back, another choice of students keeps it, a word that is none counts as not there."""
        page = self.page
        self.sign_in(path=GROWTH.replace("growth", "compare"))
        by, small = page.get_by_label("Broken down by"), page.get_by_label("hide small groups")
        by.select_option("grade")
        page.get_by_label("and by").select_option("program")
        small.check()
        page.goto(page.url)
        expect(by).to_have_value("grade")
        expect(page.get_by_label("and by")).to_have_value("program")
        expect(small).to_be_checked()
        page.get_by_role("button", name="year-end cut").click()
        expect(page.locator(".scope")).to_contain_text("by year-end cuts")
        expect(by).to_have_value("grade")
        page.goto(page.url.replace("by=grade", "by=shoe").replace("by2=program", "by2=grade"))
        expect(by).to_have_value("school")
        expect(page.get_by_role("alert")).to_have_count(0)

    def test_heads_of_tables_stay_at_the_top(self):
        """Scrolled down a long table its head lies at the edge, so that no row shows above it."""
        page = self.page
        self.sign_in(path=f"{GROWTH.replace('growth', 'compare')}&by=section")
        expect(page.locator(".units tbody tr").nth(30)).to_be_attached()
        page.locator(".work").evaluate("one => { one.scrollTop = one.scrollHeight }")
        head, edge = (page.locator(one).first.bounding_box() for one in (".units thead th", ".work"))
        self.assertAlmostEqual(head["y"], edge["y"], delta=1)

    def test_a_picker_closes_with_its_page(self):
        """A key that leads to another step leaves no picker open, there and after the way back."""
        page = self.page
        self.sign_in(path=GROWTH)
        page.get_by_role("button", name="all students").click()
        expect(page.locator(".picker")).to_be_visible()
        self.go(GROWTH.replace("growth", "compare"), ".flow")
        expect(page.locator(".picker")).to_have_count(0)
        page.go_back()
        expect(page.locator(".lanes tbody tr").first).to_be_visible()
        expect(page.locator(".picker")).to_have_count(0)

    def test_files_of_the_client_are_kept_for_good(self):
        """Their names change with their content; the page that names them is asked for each time."""
        page = self.page
        self.sign_in(path=GROWTH)
        script = page.locator("script[src]").first.get_attribute("src")
        kept = page.request.get(f"{self.address}{script.lstrip('/')}")
        self.assertIn("immutable", kept.headers["cache-control"])
        self.assertEqual(page.request.get(self.address).headers["cache-control"], "no-cache")
        gone = page.request.get(f"{self.address}assets/nothing.js")
        self.assertNotIn("immutable", gone.headers.get("cache-control", ""))

    def test_pins_stay_through_steps_and_come_back(self):
        """Pinned in Growth, carried to Compare, cleared and undone, hidden with one key."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Curlew")
        pin = page.locator(".lanes .pin").first
        pin.click()
        name = pin.get_attribute("aria-label").removeprefix("Pin ")
        page.keyboard.press("2")
        expect(page.locator(".foot")).to_contain_text(name)
        page.get_by_role("button", name="Unpin all").click()
        expect(page.locator(".foot")).not_to_contain_text(name)
        page.keyboard.press("u")
        expect(page.locator(".foot")).to_contain_text(name)
        page.keyboard.press("h")
        expect(page.locator(".foot")).not_to_contain_text(name)
        expect(page.get_by_text("Names are hidden")).to_be_visible()

    def test_a_teacher_meets_the_own_class(self):
        """No Setup, own students only, and an address that there is none of says so."""
        page = self.page
        self.sign_in("teacher", "growth")
        expect(page.locator(".scope")).to_contain_text("for my students")
        expect(page.locator(".rail")).not_to_contain_text("Setup")
        page.keyboard.press("0")
        earned = page.get_by_role("region", name="Has earned praise")
        expect(earned.locator("li").first).to_contain_text("was expected")
        self.check_axe("a teacher's home")
        earned.get_by_role("button", name=re.compile("^Pin ")).first.click()
        expect(page.locator(".foot")).to_contain_text("1 pinned")
        name = earned.locator("li .open").first.inner_text()
        earned.locator("li .open").first.click()
        expect(page.locator(".panel")).to_contain_text(name)
        page.keyboard.press("Escape")
        page.goto(f"{self.address}nowhere")
        expect(page.locator("h1")).to_have_text("There is no such page")
        page.goto(f"{self.address}setup/calendar")
        expect(page.locator("h1")).to_have_text("This page is not open to you")
        expect(page.locator(".empty")).to_contain_text("The data coach sets up Bodkin.")
        page.keyboard.press("/")
        page.get_by_label("Name or number of the student").fill("a")
        expect(page.locator("dialog li .open").first).to_be_visible()
        page.get_by_label("Name or number of the student").press("Enter")
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()


class Choosing(InBrowser):
    def test_any_words_choose_students(self):
        """Three words of three kinds in one box, and Enter: grade, school and program stand in the sentence."""
        page = self.page
        self.sign_in(path=GROWTH.replace("growth", "compare"))
        page.get_by_role("button", name="all students").click()
        page.get_by_label("Find students by any words").press_sequentially("4 saltgrass multilingual")
        expect(page.get_by_role("option").first).to_have_count(1)
        page.keyboard.press("Enter")
        expect(page.locator(".scope")).to_contain_text("grade 4, in Multilingual learner at Saltgrass Primary")
        page.get_by_label("Find students by any words").press_sequentially("zzzz")
        expect(page.get_by_text("Nothing of that name")).to_be_visible()

    def test_before_the_second_window(self):
        """The talk in fall: weeks ahead, percentile ranges, an explanation under the mouse, the list to the foot."""
        page = self.page
        self.sign_in(path=GROWTH.replace("2026-27+fall", "2026-27+winter").replace("to_window=2026-27+winter", "")
                     + "&to_window=2026-27+spring")  # fmt: skip
        expect(page.locator(".lead")).to_contain_text("weeks of instruction lie ahead")
        expect(page.locator(".scope")).not_to_contain_text("left out")
        expect(page.get_by_label("Outlook", exact=True)).to_be_visible()
        row = page.locator(".lanes tr[data-index='3']")
        expect(row.locator("td").nth(2)).to_contain_text(re.compile(r"\d+ \d+–\d+ → \d+ \d+–\d+"))
        row.locator("td").nth(6).hover()
        expect(page.get_by_role("tooltip")).to_contain_text("projects to")
        foot = page.locator(".foot").bounding_box()["y"]
        section = page.locator(".lanes section").bounding_box()
        self.assertLess(foot - section["y"] - section["height"], 110)

    def test_a_dot_opens_the_student_it_stands_for(self):
        """By the student's own key: the panel shows the very student whose dot was clicked."""
        page = self.page
        self.sign_in(path=GROWTH + "&grade=4&school=Saltgrass+Primary&section=4+Curlew")
        first = page.locator(".lanes tr[data-index='0'] td").nth(1)
        name = first.inner_text()
        ids = page.evaluate("() => fetch('/api/growth' + location.search).then(r => r.json()).then(a => a.dots)")
        region = page.locator(".region").bounding_box()
        spans = page.evaluate(
            "() => [...document.querySelectorAll('.region text')].map(t => [t.textContent, t.getAttribute('x'),"
            " t.getAttribute('y')])"
        )
        at = {text: (float(x), float(y)) for text, x, y in spans}
        # Two ticks of each axis give the place of the lowest dot, which belongs to the first row.
        x = at["25"][0] + (at["75"][0] - at["25"][0]) * (ids["percentile"][0] - 25) / 50
        zero, one = at["exp."][1] - 4, at["+1"][1] - 4
        y = zero + (one - zero) * ids["distance"][0]
        page.mouse.click(region["x"] + x, region["y"] + y)
        expect(page.get_by_label("Students behind the number").locator("h2")).to_contain_text(name)


class ByKeyboard(InBrowser):
    def tab_to(self, selector: str, limit: int = 90) -> None:
        for _ in range(limit):
            self.page.keyboard.press("Tab")
            if self.page.evaluate("s => document.activeElement.matches(s)", selector):
                return
        self.fail(f"Tab does not reach {selector}")

    def test_compare_and_growth_without_a_mouse(self):
        """Sign in, open a flow, step and pin, draw a region, make a group: keys alone."""
        page = self.page
        page.goto(self.address)
        expect(page.get_by_label("Login")).to_be_visible()
        self.tab_to("input[autocomplete=username]")
        page.keyboard.type("coach")
        page.keyboard.press("Tab")
        page.keyboard.type("tideline-demo")
        page.keyboard.press("Enter")
        expect(page.locator(".rail .step").first).to_be_visible()
        page.keyboard.press("2")
        expect(page.locator(".flow")).to_be_visible()
        self.tab_to(".flow [role=button]")
        page.keyboard.press("Enter")
        panel = page.get_by_label("Students behind the number")
        expect(panel.locator("li").first).to_be_visible()
        page.keyboard.press("]")
        page.keyboard.press("]")
        expect(panel.locator("li.at")).to_have_count(1)
        page.keyboard.press("p")
        expect(page.locator(".foot b")).to_have_text("1 pinned")
        page.keyboard.press("Escape")
        self.assertTrue(page.evaluate("() => document.activeElement.matches('.flow [role=button]')"))

        page.keyboard.press("3")
        expect(page.locator(".lanes tbody tr").first).to_be_visible()
        self.tab_to(".region")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")
        expect(page.locator(".foot b")).not_to_have_text("1 pinned")
        self.tab_to(".lanes tr[data-index]")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowDown")
        self.assertEqual(page.evaluate("() => document.activeElement.dataset.index"), "2")
        page.keyboard.press("Enter")
        expect(panel.locator("tbody tr").first).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_contain_text("Keys")
        page.keyboard.press("Escape")
        self.tab_to(".foot .act")
        page.keyboard.press("Escape")
        page.keyboard.press("g")
        expect(page.get_by_label("Name")).to_be_focused()
