"""Groups: the longest task of script while a card is dragged over 40 groups with 300 students, and what a search takes.

A search is measured beside a start without any: each student at the nearest focus whatever the rules say, which is
what a plain script does; its total shows how little the rules cost.
"""

import sys
import time
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from tests.browser.browsing import InBrowser, demo_address  # noqa: E402

from bench_steps import LONG_TASKS  # noqa: E402
from bodkin.core.groups.foci import foci_from_needs, need_distance  # noqa: E402
from bodkin.core.groups.grouping import propose_groups  # noqa: E402
from bodkin.core.groups.grouping_rules import GroupingRules  # noqa: E402

BOARD = "assessment=Saltgauge&subject=mathematics&from_window=2026-27+fall&to_window=2026-27+winter&grade=4&grade=5"
FORTY_GROUPS = """async (query) => {
  const board = await (await fetch('/api/board?' + query)).json();
  const groups = [...Array(40).keys()].map((at) => ({
    name: `Measured ${at}`, focus: 'x', students: board.free.slice(at * 7.5, at * 7.5 + 7.5) }));
  const body = { groups, first_day: '2027-02-12', last_day: '2027-04-09' };
  const answer = await fetch('/api/board/accepted', {
    method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
  return (await answer.json()).id;
}"""


def dragging():
    """The longest task from the start of a drag to the board drawn anew."""
    InBrowser.address = demo_address()
    test = InBrowser()
    test.setUp()
    page = test.page
    test.sign_in(path=f"groups?{BOARD}")
    act = page.evaluate(FORTY_GROUPS, BOARD)
    page.goto(f"{test.address}groups/board?{BOARD}")
    column = page.locator("section[aria-label^='3: ']")
    card, target = column.locator("[data-place]").first, page.locator("section[aria-label^='1: ']")
    card.wait_for()
    page.wait_for_timeout(1500)
    page.evaluate(LONG_TASKS)
    one, other = card.bounding_box(), target.bounding_box()
    page.mouse.move(one["x"] + 30, one["y"] + 10)
    page.mouse.down()
    for step in range(1, 61):
        page.mouse.move(one["x"] + 30 + (other["x"] - one["x"]) * step / 60, one["y"] + 10 + step)
        page.wait_for_timeout(12)
    page.mouse.up()
    page.get_by_text("moved to").wait_for()
    page.wait_for_timeout(1000)
    longest, cards = page.evaluate("window.longest"), page.locator("[data-place]").count()
    print(f"  longest task while one of {cards} cards is dragged: {longest:.0f} ms (0: none above 50 ms)")
    page.get_by_role("button", name="Undo").click()
    page.get_by_text("Undone").wait_for()
    page.evaluate("(act) => fetch(`/api/acts/${act}/undo`, { method: 'POST' })", act)
    test.doCleanups()


def searching():
    """90 students in 12 groups with 6 adults and 10 slots, and 300 students in 40 groups."""
    for students, groups, adults, slots in ((90, 12, 6, 10), (300, 40, 8, 20)):
        draw = np.random.default_rng(students)
        needs = draw.normal(-0.5, 1, (students, 4)).round(2)
        began = time.perf_counter()
        foci = foci_from_needs(needs, groups, fewest=5, most=9)
        free = [sorted(draw.choice(slots, slots // 2, replace=False).tolist()) for _ in range(adults)]
        found = propose_groups(needs, foci, GroupingRules(5, 9, [(0, 1)], [(2, 3), (4, 5)], free))
        took = time.perf_counter() - began
        nearest = need_distance(needs, foci).min(axis=1).sum()
        away = 100 * (1 - found.bound / found.total)
        print(
            f"  {students} students, {groups} groups, {adults} adults, {slots} slots: {took:.1f} s, at most "
            f"{away:.1f} % from the best; {found.total / nearest:.3f} x the total of nearest foci without any rule"
        )


if __name__ == "__main__":
    searching()
    dragging()
