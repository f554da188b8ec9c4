"""What the screens say when something is empty, wrong, away or unusually long."""

import json
import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from bodkin.store.tables import Person
from tests.browser.browsing import GROWTH, InBrowser, serve
from tests.support import stage

HEAD = "student_id,assessment,subject,window,grade,score,given_name,family_name,school,section,standard_error\n"
LONG = "Maximiliana Theodosia Seraphina Wilhelmina of the Farther Saltmarsh and the Nearer Reedbeds"


class Away(InBrowser):
    def test_a_database_that_is_away_is_said_and_trying_again_helps(self):
        """The step shows the server's own words; once it answers, one click shows the figures."""
        page = self.page
        self.sign_in(path="groups")
        body = {"code": "store_down", "message": "The database does not answer.", "faults": []}
        page.route("**/api/growth*", lambda route: route.fulfill(status=503, body=json.dumps(body)))
        page.keyboard.press("3")
        expect(page.get_by_role("alert")).to_contain_text("The database does not answer.")
        page.unroute("**/api/growth*")
        page.get_by_role("button", name="Try again").click()
        expect(page.locator(".lanes tbody tr").first).to_be_visible()

    def test_home_shows_first_what_is_ready(self):
        """The steps stand while findings are looked for; where these fail it is said, and trying again helps."""
        page, held = self.page, []
        page.route("**/api/home*", lambda route: held.append(route))  # noqa: PLW0108 (Playwright marks its handlers)
        self.sign_in()
        expect(page.locator(".finding")).to_have_count(7)
        expect(page.get_by_role("status").filter(has_text="Looking for what stands out")).to_be_visible()
        found = page.get_by_role("region", name="Worth a look")
        expect(found).to_have_count(0)
        body = {"code": "error", "message": "The findings broke off.", "faults": []}
        for route in held:
            route.fulfill(status=500, body=json.dumps(body))
        page.unroute("**/api/home*")
        expect(page.get_by_role("alert")).to_contain_text("The findings broke off.")
        expect(page.locator(".finding")).to_have_count(7)
        page.get_by_role("button", name="Try again").click()
        expect(found.locator("li").first).to_be_visible()
        expect(page.get_by_role("alert")).to_have_count(0)

    def test_a_session_that_has_ended_shows_the_door(self):
        """And after signing in again the same address is there."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Curlew")
        expect(page.locator(".lanes tbody tr").first).to_be_visible()
        page.context.clear_cookies()
        page.keyboard.press("2")
        expect(page.get_by_label("Password")).to_be_visible()
        page.get_by_label("Login").fill("coach")
        page.get_by_label("Password").fill("tideline-demo")
        page.get_by_role("button", name="Sign in").click()
        expect(page.locator(".scope")).to_contain_text("class 4 Curlew")

    def test_a_wrong_password_says_so_and_nothing_else(self):
        """The person stays at the door."""
        page = self.page
        page.goto(self.address)
        page.get_by_label("Login").fill("somebody")
        page.get_by_label("Password").fill("wrong")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("alert")).to_contain_text("Wrong login or password")
        expect(page.get_by_label("Password")).to_be_visible()


class Unusual(InBrowser):
    def test_nobody_in_scope_offers_the_way_back(self):
        """A grade without students: no empty charts, one button."""
        page = self.page
        self.sign_in(path=GROWTH.replace("growth", "compare") + "&grade=12")
        expect(page.locator("h1")).to_have_text("No results for this choice")
        expect(page.locator(".flow")).to_have_count(0)
        page.get_by_role("button", name="Back to the default").click()
        expect(page.locator(".scope")).to_contain_text("for all students")
        expect(page.locator(".flow")).to_be_visible()

    def test_one_window_still_to_come(self):
        """Growth looks ahead: a share with its range, an aim with whom it takes; nothing is called met or not."""
        page = self.page
        path = GROWTH.replace("fall", "X").replace("winter", "spring").replace("X", "winter")
        self.sign_in(path=path + "&section=4+Curlew")
        expect(page.locator("h1")).to_contain_text("will be at Steady or above in spring if nothing changes")
        outlook = page.get_by_label("Outlook", exact=True)
        expect(outlook).to_contain_text("8 times in 10")
        expect(outlook.locator("details.past")).to_contain_text("came true")
        outlook.get_by_label("Aim, in percent").fill("100")
        expect(outlook).to_contain_text(re.compile(r"takes about \d+ students? more"))
        # The aim stands in the address: the same page again, or somebody else's, shows it.
        expect(page).to_have_url(re.compile("aim=100"))
        page.reload()
        expect(outlook.get_by_label("Aim, in percent")).to_have_value("100")
        expect(outlook).to_contain_text(re.compile(r"takes about \d+ students? more"))
        expect(page.locator(".fig svg")).to_have_attribute("aria-label", re.compile("expected, .* 8 times in 10"))
        either = outlook.get_by_title(re.compile("between 30 and 70"))
        count = int(either.inner_text())
        either.click()
        panel = page.get_by_label("Students behind the number")
        expect(panel.locator("ol > li")).to_have_count(count)
        expect(panel).to_contain_text("between 30 and 70 in 100")
        page.keyboard.press("Escape")
        expect(page.locator(".lanes thead")).to_contain_text("Expected gain")
        expect(page.locator(".lanes thead")).not_to_contain_text("Verdict")
        page.get_by_text("classes", exact=True).click()
        unit = page.get_by_label("Outlook by unit").get_by_role("row", name=re.compile("4 Curlew"))
        expect(unit.get_by_role("img")).to_have_attribute("aria-label", re.compile("expected at Steady or above"))
        unit.get_by_role("button").last.click()
        expect(panel.locator("ol > li").first).to_be_visible()
        expect(page.locator(".region")).to_have_count(0)

    def test_who_is_left_out_can_be_opened(self):
        """Names with the reason beside each."""
        page = self.page
        self.sign_in(path=GROWTH + "&grade=4")
        link = page.locator(".covers").get_by_role("button")
        count = int(link.inner_text().split()[0])
        link.click()
        panel = page.get_by_label("Students behind the number")
        expect(panel.locator("li")).to_have_count(count)
        expect(panel.locator("li").first).to_contain_text("no result in")

    def test_tables_sort_either_way(self):
        """By name and back, by net move and back; the sign of the order is on the header."""
        page = self.page
        self.sign_in(path=GROWTH.replace("growth", "compare") + "&grade=4")
        table = page.get_by_label("By class")
        expect(table.locator("tbody tr").first).to_be_visible()
        first = table.locator("tbody tr td:first-child")
        # The server sorts: the rows before stay until the next are there.
        names = sorted(first.all_inner_texts())
        table.get_by_role("button", name="Class").click()
        expect(first).to_have_text(names)
        table.get_by_role("button", name="Class").click()
        expect(first).to_have_text(names[::-1])
        expect(table.locator("th[aria-sort=descending]")).to_have_count(1)
        lanes = page.get_by_label("Students and their growth")
        page.keyboard.press("3")
        lanes.get_by_role("button", name="Winter").click()
        scores = [int(text.split()[0]) for text in lanes.locator("tbody tr td:nth-child(6)").all_inner_texts()]
        self.assertEqual(scores, sorted(scores))

    def test_the_field_shows_everyone_with_both(self):
        """A dot a student with start percentile and distance; a press on one opens that student."""
        page = self.page
        self.sign_in(path=GROWTH + "&section=4+Dunlin")
        rows = page.locator(".lanes tbody tr[data-index]")
        expect(rows.first).to_be_visible()
        shown = int(page.locator(".region").get_attribute("data-dots"))
        self.assertEqual(shown, int(page.locator(".covers").inner_text().split()[0]))
        # A pinned student's dot has a ring of its own, by which its place is known here.
        rows.nth(3).locator(".pin").click()
        ring = page.locator(".region circle")
        expect(ring).to_have_count(1)
        dot = ring.bounding_box()
        page.mouse.click(dot["x"] + dot["width"] / 2, dot["y"] + dot["height"] / 2)
        expect(page.get_by_label("Students behind the number").locator("h2")).to_contain_text(
            rows.nth(3).locator(".open").inner_text()
        )
        expect(page.get_by_label("Students behind the number").locator("tbody tr").first).to_be_visible()


class EmptyDatabase(InBrowser):
    """An empty Bodkin with a coach, and a folder for files."""

    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            session.add(Person(name="Dana Coach", role="coach", login="coach", password_hash=stage.password()))
        cls.address = serve(store)


class ImportDesk(EmptyDatabase):
    """The import desk of an empty Bodkin by mouse."""

    def test_refused_rows_one_long_name_and_undo(self):
        """One good student of a long name comes in, the bad row is told; Growth holds; undo empties it again."""
        rows = "".join(
            f"s1,T,reading,2025-26 {season},4,{score},{LONG},Quill,North,4A,8\n"
            for season, score in (("fall", 500), ("winter", 512))
        )
        (self.folder / "one.csv").write_text(HEAD + rows + "s2,T,reading,2025-26 fall,4,5O1,Ana,Reed,North,4A,8\n")
        page = self.page
        self.sign_in(path="setup")
        page.get_by_label("Files to import").set_input_files(self.folder / "one.csv")
        refused = page.get_by_label("Refused rows")
        expect(refused.locator("tbody tr")).to_have_count(1)
        expect(refused).to_contain_text("score")
        page.get_by_role("button", name="Import the 2 good rows").click()
        expect(page.get_by_text("one.csv was imported.")).to_be_visible()
        page.keyboard.press("3")
        expect(page.locator(".covers")).to_have_text("1 student")
        expect(page.locator("h1")).to_have_text("Growth cannot be judged here")
        row = page.locator(".lanes tbody tr").first
        expect(row).to_contain_text("+12")
        wide = page.evaluate(
            "() => { const w = document.querySelector('.work'); return w.scrollWidth - w.clientWidth }"
        )
        self.assertLessEqual(wide, 0)
        page.keyboard.press("2")
        expect(page.locator("h1")).to_have_text("Results without bands")

        # Nothing that is still to come above the history may move it from under the mouse.
        held, history = [], page.get_by_label("Imports")
        page.route("**/api/setup/first-day", lambda route: held.append(route))  # noqa: PLW0108 (marks its handlers)
        page.goto(self.address + "setup")
        expect(page.get_by_role("region", name="Watched folder")).to_be_visible()
        page.wait_for_timeout(300)
        expect(history).to_have_count(0)
        held[0].continue_()
        page.unroute("**/api/setup/first-day")
        history.get_by_role("button", name="Undo").click()
        expect(history).to_contain_text("Everything it added is removed")
        history.get_by_role("button", name="Cancel").click()
        history.get_by_role("button", name="Undo").click()
        history.get_by_role("button", name="Undo import").click()
        expect(page.get_by_text("The import of one.csv was undone.")).to_be_visible()
        expect(history).to_contain_text("undone")
        page.goto(self.address)
        expect(page.locator("h1")).to_have_text("Nothing to show yet")


class SeveralFiles(EmptyDatabase):
    def test_several_files_come_in_together_and_a_calendar_is_written_on_the_screen(self):
        """Two files in the wrong order, one of no kind; all in at once; a year and its window typed in; undone."""
        (self.folder / "absences.csv").write_text("student_id,on,reason\ns1,2026-10-01,ill\n")
        (self.folder / "scores.csv").write_text(HEAD + f"s1,T,reading,2026-27 fall,4,500,{LONG},Quill,North,4A,8\n")
        (self.folder / "shoes.csv").write_text("size,colour\n38,red\n")
        page = self.page
        self.sign_in(path="setup")
        names = ("absences.csv", "scores.csv", "shoes.csv")
        page.get_by_label("Files to import").set_input_files([self.folder / name for name in names])
        waiting = page.get_by_label("Files", exact=True).locator("tbody tr")
        expect(waiting).to_have_count(2)
        expect(waiting.first).to_contain_text("scores.csv")
        expect(page.get_by_role("alert")).to_contain_text("One file cannot be read and is skipped")
        self.check_axe("several files")
        waiting.nth(1).get_by_role("button", name="absences.csv").click()
        expect(page.get_by_role("heading", name="absences.csv: absences, 1 rows")).to_be_visible()
        page.get_by_role("button", name="Import all 2").click()
        expect(page.get_by_text("2 files were imported.")).to_be_visible()

        page.get_by_role("link", name="Calendar").click()
        expect(page.get_by_label("Calendar").locator("tbody tr")).to_have_count(2)
        page.get_by_role("button", name="Edit days").click()
        days = (("First day of 2026-27", "2026-08-24"), ("Last day of 2026-27", "2027-06-11"))
        windows = (("First day of 2026-27 fall", "2026-10-02"), ("Last day of 2026-27 fall", "2026-09-07"))
        for label, day in (*days, *windows):
            page.get_by_label(label, exact=True).fill(day)
        page.get_by_role("button", name="Save days").click()
        expect(page.get_by_role("alert")).to_contain_text("is before the first day")
        page.get_by_label("First day of 2026-27 fall", exact=True).fill("2026-09-07")
        page.get_by_label("Last day of 2026-27 fall", exact=True).fill("2026-10-02")
        page.get_by_role("button", name="Save days").click()
        expect(page.get_by_text("Saved.")).to_be_visible()
        expect(page.get_by_role("img", name=re.compile("2026-27 fall, Sep 7, 2026 to Oct 2, 2026"))).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("The days of 2026-27 are not known.")).to_be_visible()
        self.check_axe("calendar")


class OtherHeaders(EmptyDatabase):
    def test_headers_of_another_system_are_confirmed_once(self):
        """Guessed and shown; a value said; a cell mended; brought in; the next file needs no word."""
        text = "Student Number;Test;Subject;Term;Grade Level;Scale Score;Test Date\n" + "".join(
            f"v{at};Vendor Gauge;reading;Fall 2026-2027;{grade};{score};9/2{at}/2026\n"
            for at, (grade, score) in enumerate([("Grade 4", 500), ("Four", 505), ("Grade 4", "51O")])
        )
        (self.folder / "vendor.csv").write_text(text)
        page = self.page
        self.sign_in(path="setup")
        page.get_by_label("Files to import").set_input_files(self.folder / "vendor.csv")
        expect(page.get_by_label("Scale Score is")).to_have_value("score")
        means = page.get_by_label("Four means")
        expect(means).to_have_value("")
        means.fill("4")
        means.press("Tab")
        mend = page.get_by_label("score in line 4")
        expect(page.get_by_label("Refused rows").locator("tbody tr")).to_have_count(1)
        mend.fill("510")
        mend.press("Enter")
        page.get_by_role("button", name="Import", exact=True).click()
        expect(page.get_by_text("vendor.csv was imported.")).to_be_visible()
        (self.folder / "next.csv").write_text(text.replace("51O", "512"))
        page.get_by_label("Files to import").set_input_files(self.folder / "next.csv")
        expect(page.get_by_text("Read as it was confirmed for an earlier file")).to_be_visible()
        expect(page.get_by_role("button", name="Import", exact=True)).to_be_visible()
