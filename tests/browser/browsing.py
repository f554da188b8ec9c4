"""The running application and one browser for the whole run."""

import inspect
import socket
import sys
import threading
import time
import unittest
from functools import cache
from multiprocessing.util import Finalize

import uvicorn
from fastapi import FastAPI
from playwright.sync_api import Browser, Page, expect, sync_playwright

from bodkin.api.app import build
from bodkin.commands.client import WEB
from bodkin.demo.district import PASSWORD
from bodkin.store.database import Store
from tests.support import stage

CHROMIUM = "/usr/bin/chromium-headless-shell"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    # Pages live for seconds here: code compiled a second and third time costs a fifth of their time and saves less.
    "--js-flags=--no-maglev --no-opt",
    # One process less to hand each picture to.
    "--in-process-gpu",
]
GROWTH = "growth?assessment=Saltgauge&subject=reading&from_window=2026-27+fall&to_window=2026-27+winter"
expect.set_options(timeout=30_000)


_whole_stack = inspect.stack


def _stack(context: int = 1) -> list[inspect.FrameInfo]:
    """As Python's own; without looking for each frame's module and column where no lines of the sources are asked for.

    Playwright asks so at each call. For a frame of ``python -m``, which has no file, Python would look through all the
    modules there are, thousands in a whole run: a third of these tests' own time and more.
    """
    if context:
        return _whole_stack(context)
    frame, found = sys._getframe(1), []
    while frame is not None:
        code = frame.f_code
        found.append(inspect.FrameInfo(frame, code.co_filename, frame.f_lineno, code.co_name, None, None))
        frame = frame.f_back
    return found


inspect.stack = _stack


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
    return serve_application(build(stage.settings(), store))


def serve_application(app: FastAPI) -> str:
    """The same of an application that is there already."""
    # Bound here and handed over: a port that is only looked for can be taken by another worker meanwhile.
    # Of TCP by name, as the application's own server makes it: else each small answer waits for 40 ms.
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.bind(("127.0.0.1", 0))
    listening.listen()
    # Kept open for the whole run: one that is closed after five quiet seconds may be closed just as it is used again.
    server = uvicorn.Server(uvicorn.Config(app, log_level="error", timeout_keep_alive=3600))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive(), "the application did not start"
        time.sleep(0.02)
    return f"http://127.0.0.1:{listening.getsockname()[1]}/"


@cache
def demo_address() -> str:
    """The application over the invented district."""
    return serve(stage.demo())


@cache
def _axe() -> str:
    """axe-core, with the rules that can find something serious; the dearest of them, that of contrast, looks at what is
    marked only.
    """
    code = (WEB / "node_modules" / "axe-core" / "axe.min.js").read_text()
    return f"""{code}
    axe.configure({{rules: [
        {{id: 'color-contrast', selector: '[data-look]'}},
        ...axe._audit.rules.filter(rule => !['serious', 'critical'].includes(rule.impact))
            .map(rule => ({{id: rule.id, enabled: false}})),
    ]}})"""


MORE_ROWS = ("tbody > tr:nth-child(n + 13)", "ol > li:nth-child(n + 13)", "ul > li:nth-child(n + 13)")
"""Rows of a long table or list are made alike: the first ones stand for all."""

LOOK = """async ({known, only, moreRows}) => {
    // What a dialog covers is looked at as a page.
    const root = [...document.querySelectorAll('dialog[open]')].at(-1) ?? document.body;
    const hashed = text => {
        let low = 0xdeadbeef, high = 0x41c6ce57;
        for (let at = 0; at < text.length; at++) {
            const code = text.charCodeAt(at);
            low = Math.imul(low ^ code, 2654435761);
            high = Math.imul(high ^ code, 1597334677);
        }
        return `${low >>> 0}.${high >>> 0}`;
    };
    const looks = new Set(known), above = new Map();
    document.querySelectorAll('[data-look]').forEach(one => one.removeAttribute('data-look'));
    for (const one of document.body.querySelectorAll('*')) {
        const style = getComputedStyle(one), own = [one.tagName, one.getAttribute('class'), style.backgroundColor,
            style.backgroundImage, style.opacity, style.filter].join();
        const place = hashed(`${above.get(one.parentElement) ?? ''}/${own}`);
        const ink = [style.color, style.fontSize, style.fontWeight, style.textShadow, one.disabled].join();
        const look = hashed(`${place}/${ink}`);
        const written = one.matches('input, select, textarea')
            || [...one.childNodes].some(part => part.nodeType === 3 && part.data.trim());
        above.set(one, place);
        if (!written || looks.has(look) || !root.contains(one) || one.closest(moreRows.join())
            || !one.checkVisibility({visibilityProperty: true})) continue;
        looks.add(look);
        one.setAttribute('data-look', look);
    }
    // Without preload: it fetches the styles again, for a rule on turned screens.
    const result = await axe.run(
        {include: [root === document.body ? document : root], exclude: moreRows.map(row => [row])},
        {resultTypes: ['violations', 'incomplete'], elementRef: true, preload: false, ...(only && {runOnly: [only]})});
    const say = node => `${node.target.join(' ')} ${node.failureSummary}`;
    const open = [...result.violations, ...result.incomplete].filter(rule => rule.id === 'color-contrast')
        .flatMap(rule => rule.nodes).map(node => node.element?.dataset.look);
    const marked = [...document.querySelectorAll('[data-look]')].map(one => one.dataset.look);
    return {
        found: result.violations.filter(rule => ['serious', 'critical'].includes(rule.impact))
            .map(rule => `${rule.id}: ${rule.nodes.slice(0, 3).map(say).join(' | ')}`),
        readable: marked.filter(look => !open.includes(look)),
    };
}"""
"""Has axe look at the page, and for contrast at one text of each look that is not ``known`` to be readable.

A look is color, size and weight, and what lies behind it up to the page itself. Contrast follows from that alone, so
one stands for all of its look, on whatever page.
"""


_readable: set[str] = set()
"""Looks that were found readable; axe is certain of them."""

_kept: list[Page] = []
"""The page that the next test goes on with; empty where the last one must not be used again."""


def _emptied(page: Page, address: str) -> None:
    """A page without anything a test left: no person, nothing remembered, nothing running."""
    for other in page.context.pages:
        if other is not page:
            other.close()
    page.unroute_all()
    page.emulate_media(media="screen")
    # On the same server, so that the browser goes on with its process: starting one takes longer than most tests.
    page.goto(f"{address}favicon.svg")
    page.evaluate("localStorage.clear(); sessionStorage.clear()")
    page.context.clear_cookies()


class InBrowser(unittest.TestCase):
    """A page as new for each test; an error on the page fails the test."""

    address = ""
    size = (1280, 800)
    scheme = "light"

    def setUp(self) -> None:
        self.address = type(self).address or demo_address()
        width, height = self.size
        if not _kept:
            _kept.append(browser().new_context(accept_downloads=True).new_page())
        self.page: Page = _kept[0]
        self.page.set_viewport_size({"width": width, "height": height})
        self.page.emulate_media(color_scheme=self.scheme)
        self.wrong: list[str] = []
        self.once_more = True
        for event, heard in self._heard().items():
            self.page.on(event, heard)

    def _heard(self):
        return {
            "pageerror": self._failed,
            "requestfailed": self._request_failed,
            "request": self._only_ours,
        }

    def _failed(self, error) -> None:
        self.wrong.append(str(error))

    def _request_failed(self, request) -> None:
        self.wrong.append(f"{request.url}: {request.failure}")

    def begin_with(self, script: str) -> None:
        """Run a script before each document of this test; its page cannot be used by another."""
        self.page.add_init_script(script)
        self.once_more = False

    def _only_ours(self, request) -> None:
        if not request.url.startswith((self.address, "data:", "blob:")):
            self.wrong.append(f"asks elsewhere: {request.url}")

    def tearDown(self) -> None:
        for event, heard in self._heard().items():
            self.page.remove_listener(event, heard)
        if self.once_more and not self.page.is_closed():
            _emptied(self.page, self.address)
        else:
            self.page.context.close()
            _kept.clear()
        # A request that a step to another page cut short is no fault.
        wrong = [one for one in self.wrong if "ERR_ABORTED" not in one]
        self.assertEqual(wrong, [])

    def sign_in(self, login: str = "coach", path: str = "") -> None:
        """At an address with the cookie that the door gives; the door itself has tests of its own."""
        given = self.page.request.post(f"{self.address}api/sign-in", data={"login": login, "password": PASSWORD})
        self.assertTrue(given.ok, given.status_text)
        self.page.goto(self.address + path)
        expect(self.page.locator(".rail .step").first).to_be_visible()

    def go(self, path: str, seen: str) -> None:
        """To an address as a link goes there, without loading the application anew; ``seen`` is drawn there.

        Where an address is opened from outside, tests use ``page.goto``.
        """
        self.page.evaluate(
            "path => { history.pushState({}, '', path); dispatchEvent(new PopStateEvent('popstate', {state: {}})) }",
            self.address + path,
        )
        expect(self.page.locator(seen).first).to_be_visible()
        expect(self.page.locator("[aria-busy=true]")).to_have_count(0)

    def check_axe(self, what: str, only: str = "") -> None:
        """axe-core finds nothing serious or critical on what is open: the dialog, or the page where there is none.

        ``only``: one rule.
        """
        # The answer before stays in grey until the next has come.
        expect(self.page.locator("[aria-busy=true]")).to_have_count(0)
        if not self.page.evaluate("'axe' in window"):
            self.page.evaluate(_axe())
        asked = {"known": list(_readable), "only": only, "moreRows": MORE_ROWS}
        seen = self.page.evaluate(LOOK, asked)
        _readable.update(seen["readable"])
        self.wrong += [f"axe on {what}: {one}" for one in seen["found"]]
