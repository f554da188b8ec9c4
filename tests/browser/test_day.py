"""A page left open over night, the time zone of the district, and a page whose script does not come."""

from datetime import timedelta

from playwright.sync_api import expect

from tests.browser.browsing import InBrowser, serve
from tests.support import stage


class Day(InBrowser):
    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        cls.address = serve(cls.store)

    def test_a_page_left_open_notices_the_new_day(self):
        """Whatever is asked next says which day it is; all that stands on the page is asked anew, without a reload."""
        page = self.page
        self.addCleanup(setattr, self.store, "pinned", self.store.pinned)
        self.sign_in(path="setup/calendar")
        zone = page.get_by_role("region", name="Time zone")
        expect(zone).to_contain_text("Feb 12, 2027")
        page.evaluate("window.here = true")
        self.store.pinned = stage.TODAY + timedelta(days=1)
        with page.expect_response("**/api/me"):
            page.get_by_role("link", name="Tests, norms and cuts").click()
        page.get_by_role("link", name="Calendar").click()
        expect(zone).to_contain_text("Feb 13, 2027")
        page.keyboard.press("5")
        page.get_by_role("link", name="Board").click()
        expect(page.locator("input[type=date]").first).to_have_attribute("max", "2027-02-13")
        self.assertTrue(page.evaluate("window.here"))

    def test_the_time_zone_is_found_set_and_taken_back(self):
        """By a few letters of the place."""
        page = self.page
        self.sign_in(path="setup/calendar")
        zone = page.get_by_role("region", name="Time zone")
        zone.get_by_role("combobox").fill("lisb")
        page.get_by_title("Europe/Lisbon").click()
        expect(zone).to_contain_text("Time zone: Europe/Lisbon")
        zone.get_by_role("button", name="Undo").click()
        expect(zone).to_contain_text("Undone: Time zone: Europe/Lisbon")
        expect(zone.get_by_title("Same as the server").first).to_be_visible()
        self.check_axe("the time zone")

    def test_a_script_that_does_not_come_is_said(self):
        """With a way to load the page anew; what surrounds the page stays."""
        page = self.page
        page.route("**/assets/GrowthPage-*.js", lambda route: route.fulfill(status=503))
        self.sign_in()
        page.keyboard.press("3")
        expect(page.get_by_role("alert")).to_contain_text("The server did not answer")
        expect(page.get_by_role("button", name="Reload")).to_be_visible()
        page.unroute("**/assets/GrowthPage-*.js")
        page.get_by_role("button", name="Reload").click()
        expect(page.locator(".lanes tbody tr").first).to_be_visible()
