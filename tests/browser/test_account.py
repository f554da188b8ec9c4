"""One's own account, and the logs, as one uses them."""

from playwright.sync_api import expect

from bodkin.demo.district import PASSWORD
from bodkin.store.reads.people import by_login
from bodkin.store.writes.sign_in import set_password
from tests.browser.browsing import GROWTH, InBrowser
from tests.support import stage

NEW = "nine quiet boats at dusk"


class Account(InBrowser):
    def change(self, now, first, second):
        page = self.page
        page.get_by_label("Password now").fill(now)
        page.get_by_label("New password", exact=True).fill(first)
        page.get_by_label("New password again").fill(second)
        page.get_by_role("button", name="Change password").click()

    def password_as_before(self):
        """Whatever became of the test: others of this worker sign in as the same person."""
        with stage.demo().noting() as session:
            found = by_login(session, "aide")
            assert found is not None
            set_password(session, found[0], stage.password())

    def test_a_new_password_and_an_end_to_other_browsers(self):
        """Mistakes are told beside the form; the new one works and the old one no longer does."""
        page = self.page
        self.addCleanup(self.password_as_before)
        self.sign_in("aide")
        self.sign_in("aide")
        page.get_by_role("link", name="Account", exact=True).click()
        sessions = page.get_by_role("table", name="Sessions")
        expect(sessions).to_contain_text("this browser")
        page.get_by_role("button", name="Sign out everywhere else").click()
        expect(sessions.locator("tbody tr")).to_have_count(1)
        part = page.get_by_role("region", name="Change password")
        for given, said in (
            ((PASSWORD, NEW, NEW + "x"), "The two new passwords differ."),
            ((PASSWORD, "password123", "password123"), "this password is easy to guess"),
            (("wrong", NEW, NEW), "this is not your password"),
        ):
            self.change(*given)
            expect(part.get_by_role("alert")).to_contain_text(said)
        # The browser notes every refusal; these were asked for.
        self.wrong = [one for one in self.wrong if "422" not in one]
        self.change(PASSWORD, NEW, NEW)
        expect(part.get_by_role("status")).to_have_text("Your password is changed.")
        # The application is loaded anew; a field filled before that would be empty after it.
        with page.expect_navigation():
            page.get_by_role("button", name="Sign out", exact=True).click()
        page.get_by_label("Login").fill("aide")
        page.get_by_label("Password").fill(NEW)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Account", exact=True).click()
        self.change(NEW, PASSWORD, PASSWORD)
        expect(part.get_by_role("status")).to_be_visible()

    def test_signing_out_waits_for_no_answer(self):
        """A question still open when one signs out shows no sign-in form that is gone a moment later."""
        page = self.page
        held, asked = {}, []

        def hold(route):
            held[route.request.url.rpartition("/")[2]] = route

        page.route("**/api/me/sessions", hold)
        page.route("**/api/sign-out", hold)
        with page.expect_request("**/api/me/sessions"):
            self.sign_in("aide", "account")
        with page.expect_request("**/api/sign-out"):
            page.get_by_role("button", name="Sign out", exact=True).click()
        signed_out = held["sign-out"].fetch()

        def note(request):
            asked.append(request.url)

        page.on("request", note)
        self.addCleanup(page.remove_listener, "request", note)
        with page.expect_response("**/api/me/sessions") as refused:
            held["sessions"].continue_()
        self.assertEqual(refused.value.status, 401)
        page.evaluate("new Promise(done => setTimeout(done, 200))")
        self.assertNotIn(f"{self.address}api/me", asked)
        expect(page.get_by_label("Login")).to_have_count(0)
        with page.expect_navigation():
            held["sign-out"].fulfill(response=signed_out)
        expect(page.get_by_label("Login")).to_be_visible()

    def test_what_somebody_opened_and_exported_is_in_the_logs(self):
        """A teacher opens a student and takes a list along; the coach reads both, and opens the student from there."""
        page = self.page
        self.sign_in("teacher", GROWTH)
        name = page.locator(".lanes tbody .nm").first
        student = name.inner_text()
        name.click()
        expect(page.locator(".panel h2")).to_contain_text(student)
        page.request.get(f"{self.address}api/drill-down.csv?{GROWTH.partition('?')[2]}")
        self.sign_in("coach", "logs")
        opened = page.get_by_role("table", name="Who opened which student")
        line = opened.locator("tbody tr").first
        expect(line).to_contain_text("Ione Bexley")
        line.get_by_role("button", name=student).click()
        expect(page.locator(".panel h2")).to_contain_text(student)
        page.get_by_role("button", name="Exports").click()
        exported = page.get_by_role("table", name="Who exported what").locator("tbody tr").first
        expect(exported).to_contain_text("Saltgauge Reading for my students")
        page.keyboard.press("h")
        page.get_by_role("button", name="Students opened").click()
        expect(opened).not_to_contain_text(student)

    def test_the_logs_are_not_everybody_s(self):
        """A teacher has no way there; a lead has."""
        page = self.page
        self.sign_in("teacher")
        expect(page.get_by_role("link", name="Logs")).to_have_count(0)
        self.sign_in("lead")
        page.get_by_role("link", name="Logs").click()
        expect(page.get_by_role("heading", name="Logs")).to_be_visible()
