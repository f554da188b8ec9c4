"""Memory of the application as a process of its own: 50,000 students, eight people at once, writes between.

Said are what it holds after a start, at the end of the round, and once it has been at rest for more than a minute,
and the most that it ever held (the kernel's own count). The baseline is the same round asked by one person, after
another start.
"""

import itertools
import os
import random
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

import httpx  # noqa: E402
import uvicorn  # noqa: E402
from sqlalchemy import select, update  # noqa: E402
from tests.api.application import SCOPE  # noqa: E402
from tests.support import stage  # noqa: E402

from bodkin.api.access.server import PatientProtocol  # noqa: E402
from bodkin.api.app import build  # noqa: E402
from bodkin.api.setup.schedule import LONG, REST  # noqa: E402
from bodkin.commands.serving import FEW_ARENAS, end, free_port_after, wait_for  # noqa: E402
from bodkin.demo.district import PASSWORD  # noqa: E402
from bodkin.store.database import Store  # noqa: E402
from bodkin.store.tables import Result  # noqa: E402

PEOPLE = 8
WINDOWS = [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27") for season in ("fall", "winter", "spring")]
MATHS = {"subject": "mathematics"}
STEPS: tuple[tuple[str, dict[str, object]], ...] = (
    ("home", {}), ("scope/rail", {}), ("scope/choices", {}), ("check", {}), ("check", MATHS),
    ("compare", {"by": "school"}), ("compare", {"by": "section"}), ("compare", {"by": "grade", "by2": "program"}),
    ("compare", MATHS | {"by": "school"}), ("compare/outcome", {}), ("compare/history", {"years": 2}),
    ("compare/trend", {"from_window": WINDOWS[0], "to_window": WINDOWS[-1], "between": WINDOWS[1:-1]}),
    ("growth", {}), ("growth", MATHS), ("growth", {"from_window": WINDOWS[3], "to_window": WINDOWS[4]}),
    ("needs/strands", MATHS), ("needs/standards", MATHS), ("needs/standards/ahead", MATHS),
    ("needs/standards/calendar", MATHS), ("needs/items", MATHS | {
        "assessment": "Unit check: decimals", "to_window": SCOPE["from_window"]}),
    ("board", {}), ("follow-up/groups", {}), ("follow-up/practice", {}), ("follow-up/two", {}),
    ("follow-up/daily", {}), ("follow-up/groups/1/helped", {}), ("students/B000001/page", {}),
)  # fmt: skip
"""What a round asks, each also over a school and over two grades."""
NARROWED: tuple[dict[str, object], ...] = ({}, {"school": "Reach School 03"}, {"grade": ["3", "4"]})


def serve(url: str, port: int, *, kept: bool) -> None:
    """The application as the start command serves it, over a store of the benchmark.

    ``kept``: with the files that the last one left, which are found in the server's own folder.
    """
    settings = stage.server().settings if kept else stage.settings()
    uvicorn.run(build(settings, Store(url)), host="127.0.0.1", port=port, http=PatientProtocol, log_level="warning")


@contextmanager
def served(url: str, *, kept: bool = False) -> Iterator[tuple[str, int]]:
    """The address and the process of an application of its own; ``kept``: see ``serve``."""
    port = free_port_after(18_000)
    environment = {**os.environ, **FEW_ARENAS, "BODKIN_TEST_SERVER": str(stage.server().settings.folder)}
    words = [sys.executable, __file__, url, str(port), *(["kept"] if kept else [])]
    process = subprocess.Popen(words, env=environment)
    try:
        wait_for(port, process, 120)
        yield f"http://127.0.0.1:{port}/api/", process.pid
    finally:
        end(process)


def memory(process: int, line: str) -> float:
    """Memory of a process as the kernel counts it, MiB; ``VmRSS`` now, ``VmHWM`` the most it ever was."""
    lines = Path(f"/proc/{process}/status").read_text().splitlines()
    return int(next(one for one in lines if one.startswith(f"{line}:")).split()[1]) / 1024


def a_person(address: str) -> httpx.Client:
    """A signed-in coach: nobody else has the whole district in reach."""
    client = httpx.Client(base_url=address, timeout=300)
    assert client.post("sign-in", json={"login": "coach", "password": PASSWORD}).is_success
    return client


def asks(address: str, seed: int) -> int:
    """One person's round, in an order of its own; returns how many questions were asked."""
    questions = list(itertools.product(STEPS, NARROWED))
    random.Random(seed).shuffle(questions)
    with closing(a_person(address)) as client:
        for (step, more), narrowed in questions:
            answer = client.get(step, params={**SCOPE, **more, **narrowed})
            assert answer.status_code == 200, (step, narrowed, answer.text[:300])
    return len(questions)


def writes(store: Store, stop: list[bool]) -> int:
    """Scores changed every two seconds until told to stop: 100 at a time, every tenth time 50,000."""
    with store.reading() as session:
        keys = list(session.scalars(select(Result.id).order_by(Result.id.desc()).limit(400_000)))
    count = 0
    while not stop:
        some = keys[:50_000] if count % 10 == 9 else keys[100 * count :][:100]
        with store.writing(scores=True) as session:
            session.execute(update(Result).where(Result.id.in_(some)).values(score=Result.score + 1))
        count += 1
        time.sleep(2)
    return count


def a_round(store: Store, people: int) -> None:
    """Start the application, ask, and say what it held."""
    url = store.engine.url.render_as_string(hide_password=False)
    with served(url) as (address, process):
        with closing(a_person(address)) as client:
            assert client.get("compare", params={**SCOPE, "by": "school"}).is_success
        time.sleep(5)
        begun, began = memory(process, "VmRSS"), time.monotonic()
        stop: list[bool] = []
        with ThreadPoolExecutor(people + 1) as pool:
            writer = pool.submit(writes, store, stop)
            try:
                asked = sum(pool.map(lambda one: asks(address, one), range(people)))
            finally:
                # An answer that is refused ends the round, too.
                stop.append(True)
            written = writer.result()
        took, after = time.monotonic() - began, memory(process, "VmRSS")
        time.sleep((LONG + 2) * REST)
        print(f"  {people} at once: {asked} questions and {written} writes in {took:.0f} s; memory after a start"
              f" {begun:.0f} MiB, at the end of the round {after:.0f}, at rest after it {memory(process, 'VmRSS'):.0f},"
              f" at most {memory(process, 'VmHWM'):.0f}")  # fmt: skip


def main() -> None:
    """Print the memory of a round of one person and of one of eight."""
    from bench_big_district import a_store

    store = a_store()
    for people in (1, PEOPLE):
        a_round(store, people)


if __name__ == "__main__":
    if len(sys.argv) > 2:
        serve(sys.argv[1], int(sys.argv[2]), kept="kept" in sys.argv[3:])
    else:
        main()
