"""The running application and one browser for the whole run."""

import threading
import time
import unittest
from functools import cache
from multiprocessing.util import Finalize

import uvicorn
from playwright.sync_api import Browser, Page, expect, sync_playwright

from bodkin.api.app import build
from bodkin.commands.client import WEB
from bodkin.demo.district import PASSWORD
from bodkin.store.database import Store
from bodkin.store.server import free_port
from tests.support import stage

CHROMIUM = "/usr/bin/chromium-headless-shell"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
GROWTH = "growth?assessment=Saltgauge&subject=reading&from_window=2026-27+fall&to_window=2026-27+winter"
expect.set_options(timeout=30_000)


@cache
def browser() -> Browser:
    """Debian's Chromium as it is built for tests, without windows; started once."""
    driver = sync_playwright().start()
    chromium = driver.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)

    def end() -> None:
        chromium.close()
        driver.stop()

    # Unlike atexit's, such an end comes in a forked worker too.
    Finalize(None, end, exitpriority=1)
    return chromium


def serve(store: Store) -> str:
    """Start the application over a store in a thread of this process; returns its address."""
    port = free_port(8850)
    config = uvicorn.Config(build(stage.settings(), store), host="127.0.0.1", port=port, log_level="error")
    server = uvicorn.Server(config)
    threading.Thread(target=server.run, daemon=True).start()
    while not server.started:
        time.sleep(0.02)
    return f"http://127.0.0.1:{port}/"


@cache
def demo_address() -> str:
    """The application over the invented district."""
    return serve(stage.demo())


@cache
def _axe() -> str:
    return (WEB / "node_modules" / "axe-core" / "axe.min.js").read_text()


class InBrowser(unittest.TestCase):
    """A page of its own for each test; an error on the page fails the test."""

    address = ""
    size = (1280, 800)
    scheme = "light"

    def setUp(self) -> None:
        self.address = type(self).address or demo_address()
        width, height = self.size
        context = browser().new_context(
            viewport={"width": width, "height": height}, color_scheme=self.scheme, accept_downloads=True
        )
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.wrong: list[str] = []
        self.page.on("pageerror", lambda error: self.wrong.append(str(error)))
        self.page.on("requestfailed", lambda request: self.wrong.append(f"{request.url}: {request.failure}"))
        self.page.on("request", self._only_ours)

    def _only_ours(self, request) -> None:
        if not request.url.startswith((self.address, "data:", "blob:")):
            self.wrong.append(f"asks elsewhere: {request.url}")

    def tearDown(self) -> None:
        # A request that a step to another page cut short is no fault.
        wrong = [one for one in self.wrong if "ERR_ABORTED" not in one]
        self.assertEqual(wrong, [])

    def sign_in(self, login: str = "coach", path: str = "") -> None:
        """At an address with the cookie that the door gives; the door itself has tests of its own."""
        given = self.page.request.post(f"{self.address}api/sign-in", data={"login": login, "password": PASSWORD})
        self.assertTrue(given.ok, given.status_text)
        self.page.goto(self.address + path)
        expect(self.page.locator(".rail .step").first).to_be_visible()

    def check_axe(self, what: str, only: str = "") -> None:
        """axe-core finds nothing serious or critical on the page as it stands; ``only``: one rule."""
        rules = f", runOnly: ['{only}']" if only else ""
        # The answer before stays in grey until the next has come.
        expect(self.page.locator("[aria-busy=true]")).to_have_count(0)
        if not self.page.evaluate("'axe' in window"):
            self.page.evaluate(_axe())
        # Without preload: it fetches the styles again, for a rule on turned screens.
        found = self.page.evaluate(
            f"async () => (await axe.run(document, {{resultTypes: ['violations'], preload: false{rules}}})).violations"
            ".filter(v => ['serious', 'critical'].includes(v.impact))"
            ".map(v => v.id + ': ' + v.nodes.slice(0, 3)"
            ".map(n => n.target.join(' ') + ' ' + n.failureSummary).join(' | '))"
        )
        # Collected, so that one run tells of every screen.
        self.wrong += [f"axe on {what}: {one}" for one in found]
