"""The first question after a write, at the server, for 50,000 students: beside the same question before the write.

The baseline is the whole table read from the database in the same run, which is what a write cost before. Each
question is Compare by school, with every comparison worked out anew.
"""

import statistics
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from fastapi.testclient import TestClient  # noqa: E402
from sqlalchemy import select, text, update  # noqa: E402
from tests.api.application import SCOPE  # noqa: E402
from tests.support import stage  # noqa: E402

from bench_big_district import a_store  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.demo.district import PASSWORD  # noqa: E402
from bodkin.store.database import Store  # noqa: E402
from bodkin.store.reads.table.load import load_score_table  # noqa: E402
from bodkin.store.tables import Assessment, Result  # noqa: E402

TIMES = 7


def main() -> None:
    """Print the numbers."""
    store = a_store()
    app = build(stage.server().settings, store)
    coach = TestClient(app)
    coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
    runtime = app.state.runtime
    began = time.perf_counter()
    with store.reading() as session:
        load_score_table(session, stage.TODAY)
        whole = 1000 * (time.perf_counter() - began)
        tests = select(Assessment.id).where(Assessment.name == "Saltgauge", Assessment.subject == "reading")
        keys = list(
            session.scalars(select(Result.id).where(Result.assessment_id.in_(tests)).order_by(Result.id.desc()))
        )
        own = session.execute(text("SELECT COUNT(*) FROM result")).scalar_one()

    def asked() -> float:
        runtime.forget()
        start = time.perf_counter()
        answer = coach.get("/api/compare", params={**SCOPE, "by": "school"})
        assert answer.status_code == 200, answer.text
        return 1000 * (time.perf_counter() - start)

    asked()
    before = statistics.median(asked() for _ in range(TIMES))
    print(f"  {own:,} results; the whole table read                {whole:8.0f} ms")
    print(f"  Compare by school, nothing written                  {before:8.0f} ms")
    for n in (1, 100, 50_000):
        took = []
        for at in range(TIMES if n < 1_000 else 3):
            some = keys[at * n : (at + 1) * n]
            with store.writing(scores=True) as session:
                session.execute(update(Result).where(Result.id.in_(some)).values(score=Result.score + 1))
            took.append(asked())
        after = statistics.median(took)
        print(f"  after a write of {n:6,} results                     {after:8.0f} ms, {whole / after:5.1f} x as fast")
    starting(store, whole)


def starting(store: Store, whole: float) -> None:
    """The first question of an application that starts with the file that another one left."""
    took = []
    for _ in range(3):
        app = build(stage.server().settings, store)
        coach = TestClient(app)
        coach.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
        began = time.perf_counter()
        assert coach.get("/api/compare", params={**SCOPE, "by": "school"}).status_code == 200
        took.append(1000 * (time.perf_counter() - began))
    first = statistics.median(took)
    print(f"  the first question after a start                    {first:8.0f} ms, {whole / first:5.1f} x as fast")


if __name__ == "__main__":
    main()
