"""Compare and Growth for the whole invented district at the server, beside straightforward pandas.

The baseline does with pandas what the two answers rest on (pick the counted result, merge the
windows, look norms and cuts up, crosstab), from frames already in memory. Both run in this one
process; the ratio is what to quote. The page's time is from the key press to the drawn figures.
"""

import math
import statistics
import sys
import time
from pathlib import Path

import pandas as pd
from scipy.stats import norm

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.api.application import SCOPE, application, signed_in  # noqa: E402
from tests.support import stage  # noqa: E402

RUNS = 15
LONG_TASKS = """
() => {
  window.longest = 0;
  new PerformanceObserver(list => {
    for (const entry of list.getEntries()) window.longest = Math.max(window.longest, entry.duration);
  }).observe({entryTypes: ['longtask']});
}
"""
"""Keeps the longest task of script that the browser tells of."""


def median_ms(work, runs=RUNS):
    """Median time of a call in milliseconds, after one call that does not count."""
    work()
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - began))
    return statistics.median(times)


def with_pandas(results, norms, growth, cuts):
    """The baseline: the same figures, by pivot, merge, cut and crosstab."""
    rows = results[(results.assessment == "Saltgauge") & (results.subject == "reading")]
    rows = rows.sort_values(["tested_on", "line"], na_position="first")
    sides = []
    for window in ("2026-27 fall", "2026-27 winter"):
        side = rows[rows.window == window].groupby("student_id").tail(1)
        season = window.split()[1]
        rule = norms[(norms.subject == "reading") & (norms.season == season)].groupby("grade").nth(1)
        side = side.merge(rule[["grade", "mean", "sd"]], on="grade", how="left")
        lines = cuts[(cuts.subject == "reading") & (cuts.season == season)].dropna(subset="min_score")
        side["band"] = 0
        for grade, own in lines.groupby("grade"):
            mine = side.grade == grade
            edges = [-math.inf, *own.sort_values("order").min_score, math.inf]
            side.loc[mine, "band"] = pd.cut(side.score[mine], edges, right=False, labels=False)
        sides.append(side)
    both = sides[0].merge(sides[1], on="student_id", suffixes=("_1", "_2"))
    rho = growth[(growth.subject == "reading") & (growth.from_season == "fall") & (growth.to_season == "winter")]
    both = both.merge(rho[["grade", "correlation"]], left_on="grade_1", right_on="grade")
    start = both.score_1 - both.mean_1
    both["expected"] = both.mean_2 + both.correlation * both.sd_2 / both.sd_1 * start - both.score_1
    both["z"] = (both.score_2 - both.score_1 - both.expected) / (both.sd_2 * (1 - both.correlation**2) ** 0.5)
    both["percentile"] = (100 * norm.cdf(both.z) + 0.5).astype(int).clip(1, 99)
    table = pd.crosstab(both.band_1, both.band_2)
    by = both.groupby("school_2").apply(lambda part: pd.crosstab(part.band_1, part.band_2), include_groups=False)
    return table, by, both


def main():
    """Print medians and ratios."""
    coach, runtime = signed_in("coach"), application().state.runtime

    def ask(step, **more):
        def call():
            # Every call works the scope out anew: what is kept from before would hide the cost.
            runtime.forget()
            answer = coach.get(f"/api/{step}", params={**SCOPE, **more})
            assert answer.status_code == 200

        return call

    with stage.demo().reading() as session:
        table = runtime.table(session)
    polars = (table.results.drop("programs"), table.norms, table.growth_norms, table.cuts)
    frames = [pd.DataFrame(frame.to_dict(as_series=False)) for frame in polars]
    baseline = median_ms(lambda: with_pandas(*frames))
    covered = coach.get("/api/growth", params=SCOPE).json()["covered"]
    print(f"{covered} students matched, {table.results.height} results in memory; median of {RUNS} calls")
    print(f"  pandas baseline, in memory, no answer written  {baseline:7.1f} ms")
    for name, call in (
        ("Compare by school", ask("compare", by="school")),
        ("Compare by class", ask("compare", by="section")),
        ("Growth, every student's row", ask("growth")),
    ):
        took = median_ms(call)
        print(f"  {name:<46} {took:7.1f} ms   {baseline / took:4.1f} x the baseline's speed")
    page()


def page():
    """Time in the browser from the key to the drawn figures."""
    from playwright.sync_api import expect
    from tests.browser.browsing import GROWTH, InBrowser

    test = InBrowser()
    test.setUp()
    test.sign_in(path=GROWTH)
    runtime = application().state.runtime
    for key, drawn in (("2", ".flow"), ("3", ".lanes tbody tr")):
        times = []
        for _ in range(5):
            test.page.goto(test.address + GROWTH.replace("growth", "groups"))
            expect(test.page.locator(".group").first).to_be_visible()
            runtime.forget()
            began = time.perf_counter()
            test.page.keyboard.press(key)
            test.page.locator(drawn).first.wait_for()
            times.append(1000 * (time.perf_counter() - began))
        print(f"  page: key {key} to figures drawn                   {statistics.median(times):7.1f} ms")
    test.doCleanups()


if __name__ == "__main__":
    main()
