"""Follow-up at the server beside straightforward pandas: 1,900 students in groups, 200,000 entries of practice.

The baselines do with pandas what the answers rest on, from frames already in memory, and write no answer: a line of
least squares and a goal a student, the figures of the log with all that is off. All run in this one process; the
ratios are what to quote.
The server is asked over loopback and works everything out anew. The page's number is the longest task of script while
200 small pictures of one group are drawn.
"""

import sys
from datetime import timedelta
from pathlib import Path

import numpy as np
import pandas as pd
import polars as pl

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from tests.browser.browsing import InBrowser, demo_address  # noqa: E402
from tests.support import stage  # noqa: E402

import plain_pandas  # noqa: E402
from bench_needs import served, told  # noqa: E402
from bench_steps import LONG_TASKS, median_ms  # noqa: E402
from bodkin.answers.comparison.pairing import students_today  # noqa: E402
from bodkin.answers.comparison.step_answer import display_names  # noqa: E402
from bodkin.answers.follow_up.progress import school_days  # noqa: E402
from bodkin.answers.scope.scope import Scope  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.store.reads.practice_data import load_practice, marking_periods, practice_goals  # noqa: E402
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


YEAR = (pd.Timestamp("2026-08-24"), pd.Timestamp("2027-02-12"))
QUARTER = (pd.Timestamp("2027-01-25"), pd.Timestamp("2027-04-06"))
"""The days of practice that are looked at: a year up to today, or the marking period around it."""


def practice_frames(session, runtime):
    """What practice is worked out from, as pandas frames: the log, the roster with names, goals, days of school."""
    table, names, today = runtime.table(session), runtime.names(session), stage.TODAY
    roster = students_today(table, Scope(**READING)).select("student_id", "school", "grade", "section")
    roster = roster.with_columns(pl.Series("name", display_names(names, roster["student_id"])))
    current = next(one for one in marking_periods(session) if one.first <= today <= one.last)
    frames = (load_practice(session), roster, practice_goals(session, current.id))
    log, roster, goals = (pd.DataFrame(one.to_dict(as_series=False)) for one in frames)
    log["day"] = pd.to_datetime(log.day)
    days = school_days(table.calendar, today - timedelta(days=400), current.last)
    return log, roster, goals, pd.DatetimeIndex(days)


def practice_with_pandas(frames, period):
    """The baseline for practice in a period."""
    return plain_pandas.practice(*frames, period, pd.Timestamp("2027-02-12"))


def check_alike(answer, frames, period):
    """Raise AssertionError where the server's answer and the baseline differ: they have the same work."""
    rows, off, _, worse = practice_with_pandas(frames, period)
    told = (answer["covered"], answer["strong"], {one["reason"]: one["n"] for one in answer["reasons"]},
            len(answer["patterns"]), [one["student_id"] for one in answer["students"]])  # fmt: skip
    plain = (len(rows), int(rows.strong.sum()), {reason: int(n) for reason, n in off.items() if n}, min(len(worse), 12),
             rows.index[: len(answer["students"])].to_list())  # fmt: skip
    assert told == plain, (told[:4], plain[:4])


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
    with store.reading() as session:
        practiced = practice_frames(session, app.state.runtime)
    with served(app) as client:
        ask = asking(app, store, client)
        slow = median_ms(lambda: groups_with_pandas(results, goals), 3)
        told("Groups, 1,900 students in 160", median_ms(ask("groups"), 9), slow)
        told("Team, whom to talk about", median_ms(ask("team/suggested"), 9), slow)
        year = dict(zip(("first", "last"), (str(day.date()) for day in YEAR), strict=True))
        baseline = median_ms(lambda: practice_with_pandas(practiced, YEAR), 9)
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
