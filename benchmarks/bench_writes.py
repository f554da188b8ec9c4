"""The first question after a write, at the server, for 50,000 students: beside the same question before the write.

Each step is asked anew (nothing worked out for the question itself), then after each of some writes of 100 results of
the window that is looked at, of 100 of a year before, and of 50,000. The baseline is the whole table read from the
database in the same run, which is what a write cost once. At the end each step is the first question, over HTTP, of
an application that starts as a process of its own with the files that the last one left.
"""

import statistics
import sys
import time
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from threading import enumerate as threads

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from fastapi.testclient import TestClient  # noqa: E402
from sqlalchemy import select, text, update  # noqa: E402
from tests.api.application import SCOPE  # noqa: E402
from tests.support import stage  # noqa: E402

from bench_big_district import a_store  # noqa: E402
from bench_memory import a_person, served  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.demo.district import PASSWORD  # noqa: E402
from bodkin.store.database import Store  # noqa: E402
from bodkin.store.reads.table.load import load_score_table  # noqa: E402
from bodkin.store.tables import Assessment, Result, SchoolYear, Window  # noqa: E402

STEPS = (
    ("compare", {"by": "school"}), ("home", {}), ("check", {}), ("scope/rail", {}), ("growth", {}), ("board", {}),
    ("students/B000001/page", {}), ("needs/strands", {}), ("needs/standards", {"subject": "mathematics"}),
    ("follow-up/practice", {}), ("follow-up/groups", {}),
)  # fmt: skip
STARTS = ("compare", "check", "home", "needs/standards", "students/B000001/page")
TIMES, FEWER = 5, 2


def results_of(store: Store, year: str, season: str) -> list[int]:
    """Keys of a window's results in reading."""
    with store.reading() as session:
        window = (
            select(Window.id)
            .join(SchoolYear, SchoolYear.id == Window.school_year_id)
            .where(SchoolYear.name == year, Window.season == season)
        )
        tests = select(Assessment.id).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
        mine = Result.assessment_id.in_(tests) & Result.window_id.in_(window)
        return list(session.scalars(select(Result.id).where(mine).order_by(Result.id)))


def signed_in(store: Store) -> TestClient:
    """The coach, at an application of its own."""
    coach = TestClient(build(stage.server().settings, store))
    coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
    return coach


def asked(coach: TestClient, step: str, more: dict[str, str]) -> float:
    """Milliseconds that a question takes."""
    began = time.perf_counter()
    answer = coach.get(f"/api/{step}", params={**SCOPE, **more})
    assert answer.status_code == 200, answer.text
    return 1000 * (time.perf_counter() - began)


def main() -> None:
    """Print the numbers."""
    store = a_store()
    coach = signed_in(store)
    runtime = coach.app.state.runtime
    began = time.perf_counter()
    with store.reading() as session:
        load_score_table(session, stage.TODAY)
        whole = 1000 * (time.perf_counter() - began)
        own = session.execute(text("SELECT COUNT(*) FROM result")).scalar_one()
    print(f"  {own:,} results; the whole table read: {whole:.0f} ms")
    now, before = (results_of(store, *window) for window in (("2026-27", "winter"), ("2025-26", "spring")))
    for step, more in STEPS:
        asked(coach, step, more)
    print("  first question, ms: nothing written; after 100 of this window; after 100 of last year; after 50,000")

    def after(keys: Sequence[int], n: int, times: int, step: str, more: dict[str, str]) -> float:
        took = []
        for at in range(times):
            some = keys[at * n % max(len(keys) - n, 1) :][:n]
            with store.writing(scores=True) as session:
                session.execute(update(Result).where(Result.id.in_(some)).values(score=Result.score + 1))
            runtime.forget()
            took.append(asked(coach, step, more))
        return statistics.median(took)

    for step, more in STEPS:
        plain = []
        for _ in range(TIMES):
            runtime.forget()
            plain.append(asked(coach, step, more))
        without = statistics.median(plain)
        few, old = (after(keys, 100, TIMES, step, more) for keys in (now, before))
        many = after(now + before, 50_000, FEWER, step, more)
        later = ", ".join(f"{took:.0f} ({took - without:+.0f})" for took in (few, old, many))
        print(f"  {step:24} {without:6.0f}; {later}; {whole / many:.1f} x as fast as the whole table", flush=True)
    starting(store)


def starting(store: Store) -> None:
    """The first question of an application that starts with the files that another one left."""
    coach = signed_in(store)
    for step in STARTS:
        asked(coach, step, {})
    # Files are written beside the questions.
    for thread in threads():
        if thread.name.startswith("keeping"):
            thread.join()
    url = store.engine.url.render_as_string(hide_password=False)
    for step in STARTS:
        took = []
        for _ in range(3):
            with served(url, kept=True) as (address, _process), closing(a_person(address)) as client:
                began = time.perf_counter()
                client.get(step, params=SCOPE).raise_for_status()
                took.append(1000 * (time.perf_counter() - began))
        print(f"  first question after a start: {step:24} {statistics.median(took):6.0f} ms", flush=True)


if __name__ == "__main__":
    main()
