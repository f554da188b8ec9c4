"""Needs at the server, beside straightforward pandas: strands, standards, items; strands of 50,000; dragging a line.

The baselines do with pandas what the answers rest on and write no answer: as a plain report does it, reading its
tables at each question, and again from frames already in memory. All run in this one process; the ratios are what
to quote. The server is asked over loopback, as a browser asks it, and works each scope out anew; standards also
their evidence. The test of 2,000 students x 24 items is drawn for this. The page's number is the longest task of
script while a line is dragged over 1,900 students.
"""

import socket
import sys
import threading
import time
from contextlib import contextmanager
from pathlib import Path

import httpx
import networkx as nx
import numpy as np
import pandas as pd
import polars as pl
import uvicorn

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from tests.browser.browsing import InBrowser, demo_address  # noqa: E402
from tests.support import stage  # noqa: E402

from bench_steps import LONG_TASKS, median_ms  # noqa: E402
from big_district import FIRST, STUDENTS, add_big_district  # noqa: E402
from bodkin.answers.comparison.measures.common_tests import latest_sittings  # noqa: E402
from bodkin.answers.needs.item_analysis import analyse  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.demo.district import PASSWORD  # noqa: E402
from bodkin.demo.loading.load import load_demo  # noqa: E402
from bodkin.store.reads.load_needs import load_needs  # noqa: E402
from bodkin.store.reads.needs_data import ANSWERS, ITEMS, NeedsData  # noqa: E402
from bodkin.store.reads.table.score_table import Memo  # noqa: E402
from district_rest import add_strands  # noqa: E402

MATHS = {"assessment": "Saltgauge", "subject": "mathematics", "from_window": "2026-27 fall",
         "to_window": "2026-27 winter"}  # fmt: skip
WINDOWS = (7, 8)
"""Keys of the windows of that question."""
MATHS_KEY = 2
"""The key of Saltgauge Mathematics in the demo."""


def strand_frames(store, windows, *, whole=False):
    """Strand results, results and strand norms of mathematics, and students' names, as pandas frames.

    Of the windows alone, or ``whole``: every result there is, as the other baselines have them.
    """
    with store.reading() as session:
        ask = session.connection().exec_driver_sql

        def frame(query, *columns):
            return pd.DataFrame(ask(query).all(), columns=columns)

        parts = frame(
            "SELECT x.result_id, x.strand_id, x.score, x.standard_error FROM strand_result x JOIN result r "
            "ON r.id = x.result_id"
            + ("" if whole else f" WHERE r.assessment_id = {MATHS_KEY} AND r.window_id = {windows[1]}"),
            "result_id", "strand_id", "score", "error",
        )  # fmt: skip
        results = frame(
            "SELECT id, student_id, assessment_id, window_id, grade, tested_on FROM result WHERE score IS NOT NULL "
            "AND (state IS NULL OR state NOT IN ('beside', 'set aside'))"
            + ("" if whole else f" AND assessment_id = {MATHS_KEY} AND window_id IN {windows}"),
            "result_id", "student_id", "assessment", "window", "grade", "tested_on",
        )  # fmt: skip
        norms = frame(
            "SELECT s.id, n.grade, n.week, n.mean FROM norm n JOIN strand s ON s.name = n.strand AND "
            "s.assessment_id = n.assessment_id WHERE n.assessment_id = 2 AND n.season = 'winter'",
            "strand_id", "grade", "week", "mean",
        )  # fmt: skip
        people = frame(
            "SELECT id, student_id, given_name, family_name FROM student", "student_id", "id", "given", "family"
        )
    return parts, results, norms, people, windows


def standard_frames(store):
    """Items a row for each of their standards, answers, entries, classes and prerequisites, as pandas frames."""
    with store.reading() as session:
        ask = session.connection().exec_driver_sql

        def frame(query, *columns):
            return pd.DataFrame(ask(query).all(), columns=columns)

        items = frame("SELECT id, `key`, points, standards FROM item", "item_id", "key", "points", "standard")
        answers = frame(
            "SELECT a.student_id, a.item_id, i.test, a.`option`, a.tested_on FROM answer a JOIN item i "
            "ON i.id = a.item_id", "student_id", "item_id", "test", "option", "tested_on",
        )  # fmt: skip
        entries = frame(
            "SELECT m.student_id, s.code, m.state, m.day FROM mastery_entry m JOIN standard s ON s.id = m.standard_id "
            "WHERE m.state <> ''", "student_id", "standard", "state", "day",
        )  # fmt: skip
        classes = frame(
            "SELECT DISTINCT student_id, section_id FROM enrolment",
            "student_id", "section",
        ).drop_duplicates("student_id", keep="last")  # fmt: skip
        links = frame(
            "SELECT a.code, b.code FROM prerequisite p JOIN standard a ON a.id = p.rests_on_id "
            "JOIN standard b ON b.id = p.standard_id", "below", "above",
        )  # fmt: skip
    items = items.assign(standard=items.standard.str.split(";")).explode("standard")
    return items, answers, entries, classes, links


def strands_with_pandas(parts, results, norms, people, windows):
    """The baseline: students with both results, their latest, distance from the norm, beyond error, and the JSON."""
    mine = results[(results.assessment == MATHS_KEY) & results.window.isin(windows)]
    latest = mine.sort_values("tested_on").groupby(["student_id", "window"]).tail(1)
    both = latest.groupby("student_id").window.transform("nunique") == 2
    latest = latest[both & (latest.window == windows[1])]
    rows = parts.merge(latest, on="result_id")
    line = norms.sort_values("week").groupby(["strand_id", "grade"]).nth(1)
    rows = rows.merge(line[["strand_id", "grade", "mean"]], on=["strand_id", "grade"])
    rows["points"] = rows.score - rows["mean"]
    rows["distance"] = rows.points / rows.error
    rows["verdict"] = np.select([rows.distance < -2.33, rows.distance > 2.33], [-1, 1], 0)
    wide = rows.pivot(index="student_id", columns="strand_id", values=["distance", "points", "verdict", "score"])
    wide = wide.round(4)
    counts = rows.groupby("strand_id").agg(
        n=("score", "size"), median=("distance", "median"), below=("distance", lambda one: (one < 0).sum()),
        beyond=("verdict", lambda one: (one < 0).sum()),
    )  # fmt: skip
    students = people.set_index("student_id").reindex(wide.index)
    return students.to_json(orient="records"), wide.to_json(orient="split"), counts.to_json(orient="index")


def standards_with_pandas(tables, standards):
    """The baseline: states from points and teachers' entries, then how many lack each, its later ones, the classes."""
    items, answers, entries, classes, links = tables
    latest = answers.groupby(["student_id", "test"]).tested_on.transform("max")
    rows = answers[answers.tested_on == latest].merge(items, on="item_id")
    rows["won"] = (rows.option == rows.key).astype(float) * rows.points
    sums = rows.groupby(["student_id", "standard"]).agg(
        won=("won", "sum"), possible=("points", "sum"), n=("item_id", "size"), day=("tested_on", "max")
    )
    percent = 100 * sums.won / sums.possible
    sums["state"] = np.select([sums.n < 3, percent >= 80, percent >= 60], ["thin evidence", "mastered", "nearly"],
                              "not yet")  # fmt: skip
    pieces = pd.concat([sums.reset_index().assign(kind=0), entries.assign(kind=1, n=0)])
    pieces["telling"] = pieces.state != "thin evidence"
    pieces["day"] = pd.to_datetime(pieces.day)
    said = pieces.sort_values(["telling", "day", "kind"]).drop_duplicates(["student_id", "standard"], keep="last")
    grid = said.pivot(index="student_id", columns="standard", values="state").reindex(columns=standards)
    lack = grid.isin(["nearly", "not yet"])
    graph = nx.DiGraph(links.itertuples(index=False, name=None))
    later = {one: len(nx.descendants(graph, one)) if one in graph else 0 for one in standards}
    known = grid.isin(["mastered", "nearly", "not yet"])
    by_class = classes.set_index("student_id").section.reindex(grid.index)
    return grid.to_numpy(), lack.sum(), later, lack.groupby(by_class).sum() / known.groupby(by_class).sum()


def tied_share(rest, size):
    """How much of each student lies within the top and the bottom ``size``, ties in equal parts."""
    order = rest.round(9)
    low, high, n = order.rank(method="min"), order.rank(method="max"), len(rest)
    return [
        (np.minimum(high, last) - np.maximum(low - 1, first)).clip(lower=0) / (high - low + 1)
        for first, last in ((n - size, n), (0, size))
    ]


def items_with_pandas(items, answers):
    """The baseline: the same figures; shares, correlations, upper and lower, options with their thirds, flags."""
    latest = answers.groupby(["student_id", "test"]).tested_on.transform("max")
    kept = answers[(answers.tested_on == latest) | answers.tested_on.isna()]
    kept = kept.drop_duplicates(["student_id", "item"], keep="last")
    wide = kept.pivot(index="student_id", columns="item", values="option")
    right = wide.eq(items.set_index("item").key).astype(float)
    total, n, figures = right.sum(axis=1), len(right), {}
    for item in wide:
        key, rest = items.set_index("item").key[item], total - right[item]
        ends = tied_share(rest, max(1, int(0.27 * n + 0.5)))
        top, bottom = tied_share(rest, max(1, int(n / 3 + 0.5)))
        options = pd.DataFrame({
            "option": wide[item], "top": top, "bottom": bottom, "rest": rest, "n": 1
        }).groupby("option").agg({"n": "sum", "top": "sum", "bottom": "sum", "rest": "mean"})  # fmt: skip
        wrong, keyed = options.drop(index=key, errors="ignore"), options.loc[key]
        shared = wrong[(wrong.n >= 0.3 * n) & (wrong.n >= 0.5 * wrong.n.sum())]
        check = ((wrong.top >= keyed.top + 2) & (wrong.rest > keyed.rest)).any()
        figures[item] = (
            right[item].mean(), right[item].corr(rest), *((end * right[item]).sum() for end in ends), options, shared,
            check, right[item].all(), not right[item].any(),
        )  # fmt: skip
    alpha = right.cov().to_numpy()
    return figures, np.trace(alpha) / alpha.sum()


def a_test(students=2000, count=24):
    """Items and answers of a drawn test as frames of Polars."""
    draw = np.random.default_rng(3)
    able = draw.normal(0, 1, students)[:, None] - draw.normal(0, 0.7, count)
    right = draw.random(able.shape) < 1 / (1 + np.exp(-able))
    options = np.where(right, 0, draw.integers(1, 4, able.shape))
    items = pl.DataFrame(
        {"test": ["T"] * count, "item": [str(n) for n in range(count)], "keys": [["A"]] * count,
         "points": [1.0] * count, "options": [list("ABCD")] * count, "standards": [["S"]] * count,
         "dropped": [False] * count}, schema=ITEMS,
    )  # fmt: skip
    who = np.repeat(np.arange(students), count)
    answers = pl.DataFrame(
        {"line": np.arange(who.size), "student_id": [f"s{n}" for n in who], "test": ["T"] * who.size,
         "item": [str(n) for n in np.tile(np.arange(count), students)], "tested_on": [None] * who.size,
         "option": np.array(list("ABCD"))[options.ravel()].tolist(), "points": [None] * who.size}, schema=ANSWERS,
    )  # fmt: skip
    return NeedsData(items=items, answers=answers)


def told(name: str, took: float, baseline: float, in_memory: float | None = None) -> None:
    """Print a line with its ratios."""
    line = f"  {name:<40} {took:7.1f} ms   {baseline / took:5.1f} x pandas ({baseline:.0f} ms)"
    if in_memory is not None:
        line += f"   {in_memory / took:5.1f} x pandas with its frames in memory ({in_memory:.0f} ms)"
    print(line)


@contextmanager
def served(app):
    """The application at work on a free port of loopback; yields a client that stays connected."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="warning"))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    try:
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=120) as client:
            client.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
            yield client
    finally:
        server.should_exit = True
        thread.join()


def asking(app, store, client):
    """A call at the server that works everything out anew."""
    runtime = app.state.runtime
    with store.reading() as session:
        data = runtime.needs(session)

    def ask(path, scope):
        def call():
            runtime.forget()
            data.worked.clear()
            data.said.clear()
            answer = client.get(f"/api/needs/{path}", params=scope)
            assert answer.status_code == 200, answer.text

        return call

    return ask


def over_the_demo():
    """Strands, standards and items of the invented district."""
    store = stage.demo()
    app = build(stage.server().settings, store)
    with store.reading() as session:
        data = load_needs(session, stage.TODAY)
    codes = data.standards["standard"].to_list()
    with served(app) as client:
        ask = asking(app, store, client)
        frames = strand_frames(store, WINDOWS)
        told("Strands of 1,900 students", median_ms(ask("strands", MATHS), 31),
             median_ms(lambda: strands_with_pandas(*strand_frames(store, WINDOWS))),
             median_ms(lambda: strands_with_pandas(*frames)))  # fmt: skip
        tables = standard_frames(store)
        told("Standards, grid of 1,900 students", median_ms(ask("standards", MATHS)),
             median_ms(lambda: standards_with_pandas(standard_frames(store), codes)),
             median_ms(lambda: standards_with_pandas(tables, codes)))  # fmt: skip
    test = a_test()
    plain = pd.DataFrame(test.answers.to_dict(as_series=False))
    keys = pd.DataFrame({"item": test.items["item"].to_list(), "key": "A"})

    def whole():
        fresh = NeedsData(items=test.items, answers=test.answers, worked=Memo(), said=Memo())
        return analyse(fresh, "T", among=latest_sittings(fresh.answers))

    told("Items, 2,000 students x 24", median_ms(whole), median_ms(lambda: items_with_pandas(keys, plain)))


def over_many():
    """Strands of 50,000 students in two windows."""
    store, _ = stage.fresh()
    with store.writing(scores=True) as session:
        load_demo(session, lambda _: stage.password())
    with store.writing(scores=True) as session:
        add_big_district(session)
    with store.writing(scores=True) as session:
        for window in WINDOWS:
            add_strands(session, MATHS_KEY, window, FIRST)
    app = build(stage.server().settings, store)
    with served(app) as client:
        ask = asking(app, store, client)
        began = time.perf_counter()
        ask("strands", MATHS)()
        print(f"  the first question about strands reads them: {1000 * (time.perf_counter() - began):.0f} ms, once")
        frames = strand_frames(store, WINDOWS)
        told(f"Strands of {STUDENTS:,} students", median_ms(ask("strands", MATHS), 7),
             median_ms(lambda: strands_with_pandas(*strand_frames(store, WINDOWS)), 3),
             median_ms(lambda: strands_with_pandas(*frames), 3))  # fmt: skip


def in_the_browser():
    """The longest task of script while a line is dragged."""
    InBrowser.address = demo_address()
    test = InBrowser()
    test.setUp()
    page = test.page
    test.sign_in(path="needs/strands?" + "&".join(f"{name}={value}" for name, value in MATHS.items()))
    line = page.get_by_role("slider", name="Line between near and far")
    line.wait_for()
    page.wait_for_timeout(1500)
    page.evaluate(LONG_TASKS)
    box = line.bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 10)
    page.mouse.down()
    for step in range(60):
        page.mouse.move(box["x"] + 20, box["y"] + 10 + step)
        page.wait_for_timeout(12)
    page.mouse.up()
    page.wait_for_timeout(500)
    longest = page.evaluate("window.longest")
    print(f"  longest task while a line is dragged over 1,900 students: {longest:.0f} ms (0: none above 50 ms)")
    test.doCleanups()


if __name__ == "__main__":
    over_the_demo()
    in_the_browser()
    over_many()
