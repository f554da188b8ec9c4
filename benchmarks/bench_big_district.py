"""Every step for 50,000 students, nine windows and two subjects, at the server and in the browser.

The baselines do the work of each line with straightforward pandas from frames in memory, where pandas has the same
work. Server and baselines run in this one process; the server is asked over HTTP on loopback. Every call works its
scope out anew, and beside it stands the same question asked again while the data stay. The page is timed with the
browser's own record of long tasks while the lanes scroll and a region is drawn, and its first load from an empty
cache; the weight of its script is that of the built files, compressed.
"""

import gzip
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import polars as pl

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

import httpx  # noqa: E402
from playwright.sync_api import expect  # noqa: E402
from tests.api.application import SCOPE  # noqa: E402
from tests.browser.browsing import GROWTH, InBrowser, serve, serve_application  # noqa: E402
from tests.support import stage  # noqa: E402

import bench_needs  # noqa: E402
import plain_pandas  # noqa: E402
from bench_follow_up import QUARTER, check_alike, practice_frames, practice_with_pandas  # noqa: E402
from bench_steps import LONG_TASKS, median_ms, with_pandas  # noqa: E402
from big_district import STUDENTS, add_big_district  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.api.runtime import Runtime  # noqa: E402
from bodkin.commands.client import WEB  # noqa: E402
from bodkin.demo.district import PASSWORD  # noqa: E402
from bodkin.demo.loading.load import load_demo  # noqa: E402
from bodkin.store.database import Store  # noqa: E402
from bodkin.store.reads.table.score_table import ScoreTable  # noqa: E402

RUNS = 7
REST = 2.0
"""Seconds after the first question of a line, in which what it read is put by."""
LESS = {"A student's page": "a sixth of it: every result beside the mean of its window"}
"""Lines of which the baseline does a part only: no ratio says anything there."""
TEST = "Unit check: decimals"

WINDOWS = "&from_window=2026-27+fall&to_window=2026-27+winter"
READING, MATHS = (f"?assessment=Saltgauge&subject={subject}{WINDOWS}" for subject in ("reading", "mathematics"))
EARLIER = [f"{year} {season}" for year in ("2024-25", "2025-26") for season in ("fall", "winter", "spring")][1:]
MANY = READING.replace("2026-27+fall", "2024-25+fall") + "".join(
    f"&between={window.replace(' ', '+')}" for window in [*EARLIER, "2026-27 fall"]
)
STEPS = (
    ("Home", READING, ".finding"), ("Check", f"check{READING}", ".doubt"),
    ("Compare by school", f"compare{READING}", ".units tbody tr"),
    ("Trend over eight windows", f"compare{MANY}", ".flow circle"),
    ("History grid", f"compare/history{READING}", ".grid tbody tr"),
    ("Likely outcome", f"compare/outcome{READING}", ".compare tbody tr"),
    ("Growth", f"growth{READING}", ".lanes tbody tr"),
    ("Needs: strands of a class", f"needs/strands{MATHS}&section=Class+0001", "[role=option]"),
    ("Needs: standards", f"needs/standards{MATHS}", "tbody th"), ("Groups", f"groups{READING}", ".group"),
    ("Board", f"groups/board{READING}", "[data-place]"), ("Week", f"groups/week{READING}", "tbody li"),
    ("Follow-up: groups", f"follow-up{READING}", "tbody tr"),
    ("Follow-up: practice", f"follow-up/practice{READING}", ".wide-table tbody tr"),
    ("Follow-up: help given", f"follow-up/given{READING}", "tbody tr"),
    ("Follow-up: two measures", f"follow-up/two{READING}", "svg[role=img]"),
    ("Follow-up: words of a day", f"follow-up/day{READING}", "section li"),
    ("A student", f"student/B000001{READING}", "circle"), ("Share", f"share{READING}", "h1"),
    ("Report", f"share/report{READING}", "section img"),
)  # fmt: skip
"""Every step: name, address, what is there once it is drawn."""


def _resident() -> float:
    """Memory that this process holds, MiB."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmRSS")).split()[1]) / 1024


def a_store(students: int = STUDENTS) -> Store:
    """The demo with 50,000 more students, or so many."""
    store, _ = stage.fresh()
    with store.writing(scores=True) as session:
        load_demo(session, lambda _: stage.password())
    with store.writing(scores=True) as session:
        results = add_big_district(session, students)
    print(f"{students} students and {results} results added to the demo")
    return store


def at_the_server(store: Store, *, beside_pandas: bool = True) -> dict[str, float]:
    """Medians of the steps over HTTP, beside the pandas baseline where it is wanted."""
    app = build(stage.server().settings, store)
    coach = httpx.Client(base_url=serve_application(app), timeout=60)
    coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
    runtime = app.state.runtime
    with store.reading() as session:
        began = time.perf_counter()
        table = runtime.table(session)
        print(f"  the score table read from the database          {1000 * (time.perf_counter() - began):8.0f} ms, once")

    def ask(step: str, *, anew: bool, **more: object) -> float:
        known: dict[str, str] = {}

        def call() -> None:
            if anew:
                runtime.forget()
            # As a browser asks again: with the tag of the answer it has, where that has one.
            answer = coach.get(f"/api/{step}", params={**SCOPE, **more}, headers=known)
            assert answer.status_code == (304 if known else 200), answer.text
            if not anew and (tag := answer.headers.get("etag")):
                known["if-none-match"] = tag

        if anew:
            # The first question about a part reads it, and a file for the next start is written in the background.
            call()
            time.sleep(REST)
        return median_ms(call, RUNS)

    practice = coach.get("/api/follow-up/practice", params=SCOPE).json()
    works = in_plain_pandas(store, table, runtime, practice) if beside_pandas else {}
    took = {}
    for name, step, more in (
        ("Compare by school", "compare", {"by": "school"}),
        ("Compare by grade and program", "compare", {"by": "grade", "by2": "program"}),
        ("Compare, one school by class", "compare", {"by": "section", "school": "Reach School 07"}),
        ("Compare, by 2,000 classes", "compare", {"by": "section"}),
        ("Growth: figures, 50,000 dots, 100 rows", "growth", {}),
        ("Growth, rows sorted by name", "growth/rows", {"sort": "name"}),
        ("Trend over nine windows", "compare/trend", {
            "from_window": "2024-25 fall", "to_window": "2026-27 spring",
            "between": [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27")
                        for season in ("fall", "winter", "spring")][1:-1],
        }),
        ("History grid, nine windows, 100 rows", "compare/history", {"years": 2}),
        ("Check: 2,000 classes and every doubtful result", "check", {}),
        ("The rail's seven lines", "scope/rail", {}),
        ("Home, both subjects", "home", {}),
        ("Likely outcome", "compare/outcome", {}),
        ("Needs: strands", "needs/strands", {"subject": "mathematics"}),
        ("Needs: standards, 2,000 classes", "needs/standards", {"subject": "mathematics"}),
        ("Needs: who is ahead", "needs/standards/ahead", {"subject": "mathematics"}),
        ("Needs: against the teaching calendar", "needs/standards/calendar", {"subject": "mathematics"}),
        ("Needs: items, 8,000 who sat the test", "needs/items", {"assessment": TEST, "subject": "mathematics",
         "to_window": SCOPE["from_window"]}),
        ("Board, 48,800 cards", "board", {}),
        ("Follow-up: groups", "follow-up/groups", {}),
        ("Follow-up: practice, 500,000 entries", "follow-up/practice", {}),
        ("Follow-up: two measures", "follow-up/two", {}),
        ("Follow-up: words of a day", "follow-up/daily", {}),
        ("Follow-up: did the help work", "follow-up/groups/1/helped", {}),
        ("A student's page", "students/B000001/page", {}),
        ("What can be chosen", "scope/choices", {}),
    ):  # fmt: skip
        took[name], again = ask(step, anew=True, **more), ask(step, anew=False, **more)
        # Right after it: the machine's speed moves within minutes.
        plain = median_ms(works[name], 3) if name in works else None
        beside = "" if plain is None else f"{plain / took[name]:5.1f} x pandas ({plain:.0f} ms)"
        if plain is not None and name in LESS:
            beside = f"pandas {plain:.0f} ms for {LESS[name]}"
        print(f"  {name:<47} {took[name]:8.1f} ms   again {again:6.1f} ms   {beside}")
    print(f"  memory of this process, the server's among it   {_resident():8.0f} MiB")
    return took


def in_plain_pandas(
    store: Store, table: ScoreTable, runtime: Runtime, practice: dict[str, Any]
) -> dict[str, Callable[[], object]]:
    """The lines that pandas has work for, too, frames in memory, no answer written; ``practice``: as the server has it.

    For a student's page it does a sixth of the work, for all others the same.
    """
    plain = (table.results.drop("programs"), table.norms, table.growth_norms, table.cuts)
    results, norms, growth, cuts = (pd.DataFrame(frame.to_dict(as_series=False)) for frame in plain)
    with store.reading() as session:
        practiced = practice_frames(session, runtime)
        needs = runtime.needs(session)
        sat = runtime.check_data(session, SCOPE["assessment"], SCOPE["subject"])
        items = needs.items.filter(pl.col("test") == TEST).select("item", key=pl.col("keys").list.first())
        answers = needs.answers.filter(pl.col("test") == TEST).drop("points")
    roster = sat.rosters["2026-27"].unique("student_id", keep="first")
    items, answers, sittings, roster = (
        pd.DataFrame(frame.to_dict(as_series=False)) for frame in (items, answers, sat.sittings, roster)
    )
    strands = bench_needs.strand_frames(store, bench_needs.WINDOWS, whole=True)
    standards = bench_needs.standard_frames(store)
    codes = needs.standards.filter(pl.col("subject") == "mathematics")["standard"].to_list()
    check_alike(practice, practiced, QUARTER)

    def compared() -> object:
        return with_pandas(results, norms, growth, cuts)

    return {
        "Compare by school": compared,
        "Growth: figures, 50,000 dots, 100 rows": compared,
        "Trend over nine windows": lambda: plain_pandas.trend(results, cuts),
        "History grid, nine windows, 100 rows": lambda: plain_pandas.history(results, cuts),
        "Check: 2,000 classes and every doubtful result": lambda: plain_pandas.check(sittings, roster),
        "Home, both subjects": lambda: plain_pandas.home(results, cuts),
        "Likely outcome": lambda: plain_pandas.outcome(results, cuts),
        "Needs: strands": lambda: bench_needs.strands_with_pandas(*strands),
        "Needs: standards, 2,000 classes": lambda: bench_needs.standards_with_pandas(standards, codes),
        "Needs: items, 8,000 who sat the test": lambda: bench_needs.items_with_pandas(items, answers),
        "Follow-up: practice, 500,000 entries": lambda: practice_with_pandas(practiced, QUARTER),
        "Follow-up: two measures": lambda: plain_pandas.two(results, cuts),
        "Follow-up: words of a day": lambda: plain_pandas.day(practiced[0], QUARTER[0]),
        "A student's page": lambda: plain_pandas.student(results, "B000001"),
    }


def close(test: InBrowser) -> None:
    """End a page with all that its browser kept for it: the next one begins with nothing."""
    test.once_more = False
    test.tearDown()


def in_the_browser(store: Store) -> None:
    """The longest task while scrolling and drawing, and the first load."""
    InBrowser.address = serve(store)
    test = InBrowser()
    test.setUp()
    page = test.page
    expect.set_options(timeout=120_000)
    test.sign_in(path=GROWTH)
    page.locator(".lanes tbody tr[data-index]").first.wait_for(timeout=90_000)
    page.wait_for_timeout(2_000)
    page.evaluate(LONG_TASKS)
    lanes = page.locator(".lanes section")
    box = lanes.bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 150)
    for _ in range(60):
        page.mouse.wheel(0, 700)
        page.wait_for_timeout(30)
    lanes.evaluate("node => node.scrollTo(0, node.scrollHeight / 2)")
    page.wait_for_timeout(1_500)
    print(f"  longest task while lanes scroll                 {page.evaluate('window.longest'):8.0f} ms")
    page.evaluate("window.longest = 0")
    field = page.locator(".region").bounding_box()
    page.mouse.move(field["x"] + 60, field["y"] + field["height"] - 60)
    page.mouse.down()
    for step in range(40):
        page.mouse.move(field["x"] + 60 + 2 * step, field["y"] + field["height"] - 60 + step % 25)
        page.wait_for_timeout(15)
    page.mouse.up()
    page.wait_for_timeout(2_000)
    print(f"  longest task while a region is drawn and pinned {page.evaluate('window.longest'):8.0f} ms")
    close(test)
    times = []
    for _ in range(5):
        fresh = InBrowser()
        fresh.setUp()
        began = time.perf_counter()
        fresh.page.goto(fresh.address)
        fresh.page.get_by_label("Login").wait_for()
        times.append(1000 * (time.perf_counter() - began))
        close(fresh)
    print(f"  first load of the client, nothing kept          {statistics.median(times):8.0f} ms")
    scripts = sum(len(gzip.compress(path.read_bytes())) for path in (WEB / "dist" / "assets").glob("*.js"))
    print(f"  script, compressed                              {scripts / 1000:8.0f} kB")


def each_step_in_the_browser(store: Store) -> None:
    """The longest task of each step, opened from a light page of the application, the answer known to the server."""
    InBrowser.address = serve(store)
    test = InBrowser()
    test.setUp()
    page = test.page
    page.set_default_timeout(120_000)
    expect.set_options(timeout=120_000)
    page.add_init_script(f"({LONG_TASKS})()")
    test.sign_in(path="account")
    print("  longest task in the browser while a step opens and is drawn, median of three")
    for name, path, seen in STEPS:
        found = []
        for _ in range(4):
            page.goto(f"{test.address}account")
            page.wait_for_timeout(500)
            page.evaluate("window.longest = 0")
            page.evaluate(
                "path => { history.pushState({}, '', path); dispatchEvent(new PopStateEvent('popstate')) }",
                f"/{path}",
            )
            page.locator(seen).first.wait_for()
            page.wait_for_timeout(1_500)
            found.append(page.evaluate("window.longest"))
        # The first time the server works the answer out.
        print(f"    {name:<45} {statistics.median(found[1:]):8.0f} ms")
    close(test)


def main() -> None:
    """Print medians, ratios and the page's times; with ``--growth`` how the medians grow with the district."""
    if "--growth" in sys.argv:
        sizes = (5_000, 15_000, STUDENTS)
        columns = [at_the_server(a_store(students), beside_pandas=False) for students in sizes]
        print(f"{'| medians, ms |':<50}" + "".join(f" {students:,} |" for students in sizes))
        for name in columns[0]:
            print(f"| {name} |" + "".join(f" {column[name]:.0f} |" for column in columns))
        return
    store = a_store()
    at_the_server(store)
    if "--no-page" in sys.argv:
        return
    in_the_browser(store)
    each_step_in_the_browser(store)


if __name__ == "__main__":
    main()
