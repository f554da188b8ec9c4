"""Follow-up at the server beside straightforward pandas: 1,900 students in groups, 200,000 entries of practice.

The baselines do with pandas what the answers rest on, from frames already in memory, and write no answer: a line of
least squares and a goal a student, a group-by of the log. All run in this one process; the ratios are what to quote.
The server is asked over loopback and works everything out anew. The page's number is the longest task of script while
200 small pictures of one group are drawn.
"""

import sys
from pathlib import Path

import numpy as np
import pandas as pd

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from tests.browser.browsing import InBrowser, demo_address  # noqa: E402
from tests.support import stage  # noqa: E402

from bench_needs import served, told  # noqa: E402
from bench_steps import LONG_TASKS, median_ms  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from district_rest import add_groups, add_practice, add_sessions  # noqa: E402

READING = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall",
           "to_window": "2026-27 winter"}  # fmt: skip
ENTRIES = 200_000


def groups_with_pandas(results, goals):
    """A line of least squares, the aim and the last four distances from it, student by student."""
    target = goals.set_index("student").target.to_dict()
    said = {}
    for student, own in results.sort_values("day").groupby("student"):
        weeks = (own.day - own.day.iloc[0]).dt.days / 7
        slope, begin = np.polyfit(weeks, own.score, 1)
        rest = own.score - begin - slope * weeks
        error = np.sqrt((rest**2).sum() / (len(own) - 2) / ((weeks - weeks.mean()) ** 2).sum())
        start, first = own.score.iloc[:3].median(), weeks.iloc[:3].median()
        aim = start + (target[student] - start) / (28 - first) * (weeks - first)
        away = (own.score - aim).iloc[-4:]
        said[student] = (slope, error, (away < 0).all(), (away > 0).all())
    return said


def practice_with_pandas(log, first, last):
    """The figures of each student, shares by kind and by help."""
    now = log[(log.day >= first) & (log.day <= last)]
    by = now.groupby("student")
    found = by.agg(n=("minutes", "size"), minutes=("minutes", "sum"), items=("items", "sum"), right=("right", "sum"),
                   level=("level", "median"), passed=("passed", "sum"), kinds=("kind", "nunique"))  # fmt: skip
    found["last"] = log.groupby("student").day.max()
    return found, [
        now.groupby(name).agg({"minutes": "sum", "items": "sum", "right": "sum"}) for name in ("kind", "help")
    ]


def frame(store, query, *columns):
    """What a query finds as a pandas frame."""
    with store.reading() as session:
        return pd.DataFrame(session.connection().exec_driver_sql(query).all(), columns=columns)


def asking(app, store, client):
    """A call at the server that works out anew all that is kept of groups and comparisons."""
    runtime = app.state.runtime

    def ask(path, **query):
        def call():
            runtime.forget()
            with store.reading() as session:
                held = runtime.table(session).worked._held
            for key in [key for key in held if key[0] in ("all followed", "membership")]:
                held.pop(key)
            answer = client.get(f"/api/follow-up/{path}", params={**READING, **query})
            assert answer.status_code == 200, answer.text

        return call

    return ask


def at_the_server():
    """1,900 students in 160 groups; 200,000 entries."""
    store = stage.demo_copy()
    students = frame(store, "SELECT id FROM student ORDER BY id", "id").id.to_numpy()[:1900]
    with store.writing(scores=True) as session:
        add_groups(session, students)
        add_sessions(session, students)
        add_practice(session, students, ENTRIES)
    app = build(stage.server().settings, store)
    results = frame(store, "SELECT student_id, tested_on, score FROM result WHERE assessment_id = "
                    "(SELECT id FROM assessment WHERE kind = 'probe')", "student", "day", "score")  # fmt: skip
    results["day"] = pd.to_datetime(results.day)
    goals = frame(store, "SELECT student_id, target FROM goal WHERE assessment_id = "
                  "(SELECT id FROM assessment WHERE kind = 'probe')", "student", "target")  # fmt: skip
    results = results[results.student.isin(goals.student)]
    log = frame(store, "SELECT student_id, day, minutes, items, `right`, level, passed, kind, help FROM practice_entry",
                "student", "day", "minutes", "items", "right", "level", "passed", "kind", "help")  # fmt: skip
    log["day"] = pd.to_datetime(log.day)
    with served(app) as client:
        ask = asking(app, store, client)
        slow = median_ms(lambda: groups_with_pandas(results, goals), 3)
        told("Groups, 1,900 students in 160", median_ms(ask("groups"), 9), slow)
        told("Team, whom to talk about", median_ms(ask("team/suggested"), 9), slow)
        year = {"first": "2026-08-24", "last": "2027-02-12"}
        baseline = median_ms(lambda: practice_with_pandas(log, year["first"], year["last"]), 9)
        told("Practice, 200,000 entries", median_ms(ask("practice", **year), 9), baseline)
        for name, path in (("Help given", "given"), ("Two measures", "two"), ("Words of a day", "daily")):
            print(f"  {name:<40} {median_ms(ask(path), 9):7.1f} ms")
    store.engine.dispose()


def drawing():
    """The longest task of script while 200 small pictures are drawn."""
    InBrowser.address = demo_address()
    test = InBrowser()
    test.setUp()
    page = test.page
    query = "&".join(f"{name}={value.replace(' ', '+')}" for name, value in READING.items())
    test.sign_in(path=f"follow-up?{query}")
    page.add_init_script(f"({LONG_TASKS})()")
    key = page.evaluate("""async (query) => {
      const all = await (await fetch('/api/follow-up/practice?' + query)).json();
      const body = { name: 'Measured', focus: 'x', first_day: '2026-10-12', last_day: '2027-04-16',
        students: all.students.slice(0, 200).map((one) => one.student_id) };
      const made = await fetch('/api/groups', { method: 'POST', headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body) });
      return (await made.json());
    }""", query)  # fmt: skip
    page.goto(f"{test.address}follow-up/{key['id']}?{query}&test=Saltgauge%7Creading&period=year")
    page.locator("svg[role=img]").nth(199).wait_for()
    page.wait_for_timeout(1500)
    pictures = page.locator("svg[role=img]").count()
    print(f"  longest task while {pictures} small pictures are drawn: {page.evaluate('window.longest'):.0f} ms")
    test.doCleanups()


if __name__ == "__main__":
    at_the_server()
    if "--no-page" not in sys.argv:
        drawing()
