"""Twenty people at once for a minute: no error, and who is signed in stays quick whatever else goes on.

The application runs as a process of its own over the demo. Twenty clients ask at random; beside them, for
a minute each, somebody exports everything again and again, 200 wrong sign-ins arrive, and half a million
rows come in. The baseline is the same quick question (``/api/me``) with nothing beside it. At the end the
database is killed under load, and what comes back is timed.
"""

import os
import random
import signal
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from datetime import date
from pathlib import Path

import httpx

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from bench_imports import a_file  # noqa: E402
from bodkin.api.sign_in import hash_password  # noqa: E402
from bodkin.commands import serving  # noqa: E402
from bodkin.demo.district import PASSWORD, SIGN_INS  # noqa: E402
from bodkin.demo.loading.load import load_demo  # noqa: E402
from bodkin.store.database import Store  # noqa: E402
from bodkin.store.server import DatabaseServer  # noqa: E402
from bodkin.store.settings import Settings  # noqa: E402

CLIENTS, SECONDS = 20, 60.0
SCOPE = {
    "assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 fall", "to_window": "2026-27 winter",
}  # fmt: skip
ROUTES = ("growth", "compare", "scope/rail", "check", "home", "drill-down", "groups", "me", "students?q=a")


Work = Callable[[str, threading.Event], str]


class Crowd:
    """Clients that ask until told to stop, and one that asks who it is ten times a second."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.over = threading.Event()
        self.statuses: Counter[int | str] = Counter()
        self.quick: list[float] = []
        self.good: list[float] = []

    def _client(self, at: int) -> httpx.Client:
        client = httpx.Client(base_url=self.address, timeout=120)
        login = SIGN_INS[at % len(SIGN_INS)][0]
        for _ in range(60):
            if client.post("/api/sign-in", json={"login": login, "password": PASSWORD}).status_code == 204:
                return client
            time.sleep(0.5)
        raise RuntimeError(f"{login} could not sign in")

    def asks(self, at: int) -> None:
        """Ask at random, one question a second or so."""
        draw, client = random.Random(at), self._client(at)
        while not self.over.is_set():
            try:
                answer = client.get(f"/api/{draw.choice(ROUTES)}", params=SCOPE)
                self.statuses[answer.status_code] += 1
                if answer.status_code == 200:
                    self.good.append(time.monotonic())
            except httpx.HTTPError as error:
                self.statuses[type(error).__name__] += 1
            time.sleep(draw.uniform(0.5, 1.5))

    def is_quick(self) -> None:
        """Ask who is signed in, and keep how long that took."""
        client = self._client(0)
        while not self.over.is_set():
            began = time.perf_counter()
            with suppress(httpx.HTTPError):
                client.get("/api/me")
                self.quick.append(time.perf_counter() - began)
            time.sleep(0.1)


def memory(process: int) -> float:
    """Memory that a process holds now, in MiB; 0 where it has ended."""
    try:
        status = Path(f"/proc/{process}/status").read_text()
    except OSError:
        return 0.0
    return int(status.split("VmRSS:")[1].split()[0]) / 1024 if "VmRSS:" in status else 0.0


def of_children(process: int) -> float:
    """Memory that the processes hold that it has started, such as the one that reads a large file."""
    children = Path(f"/proc/{process}/task").glob("*/children")
    return sum(memory(int(child)) for one in children for child in one.read_text().split())


def exports(address: str, over: threading.Event) -> str:
    """Everything taken out again and again."""
    client = Crowd(address)._client(0)
    done = 0
    while not over.is_set():
        client.get("/api/tables/all.zip").raise_for_status()
        client.get("/api/drill-down.xlsx", params=SCOPE).raise_for_status()
        done += 1
    return f"{done} exports of everything"


def wrong_sign_ins(address: str, over: threading.Event) -> str:
    """Two hundred wrong passwords within four seconds."""
    found: Counter[int] = Counter()

    def one(at: int) -> None:
        body = {"login": f"nobody{at % 40}", "password": "wrong"}
        found[httpx.post(f"{address}/api/sign-in", json=body, timeout=120).status_code] += 1

    threads = [threading.Thread(target=one, args=(at,)) for at in range(200)]
    for thread in threads:
        thread.start()
        time.sleep(0.02)
    for thread in threads:
        thread.join()
    over.wait()
    return f"200 wrong sign-ins answered {dict(found)}"


def rows_come_in(address: str, _: threading.Event) -> str:
    """Half a million rows looked at and brought in."""
    client = Crowd(address)._client(0)
    client.timeout = httpx.Timeout(600)
    began = time.perf_counter()
    seen = client.post("/api/imports/preview", files={"file": ("scores.csv", a_file())})
    seen.raise_for_status()
    file = seen.json()["files"][0]
    draft = file["draft"]
    # Another test in other schools: all of it is new.
    answers = {question["kind"]: question["choices"][0]["answer"] for question in file["questions"]}
    answers |= {kind: "new" for kind in answers if kind.startswith("new_")}
    client.post(f"/api/imports/{draft}/changes", json={"answers": answers}).raise_for_status()
    made = client.post("/api/imports/bring-in", json={"drafts": [draft]})
    made.raise_for_status()
    return f"{made.json()[0]['counts']['new']} rows in {time.perf_counter() - began:.0f} s, preview and import"


def phase(name: str, address: str, process: int, beside: Work | None = None) -> None:
    """One phase: the crowd, the quick question, and what goes on beside them."""
    crowd = Crowd(address)
    threads = [threading.Thread(target=crowd.asks, args=(at,)) for at in range(CLIENTS if beside else 0)]
    threads.append(threading.Thread(target=crowd.is_quick))
    for thread in threads:
        thread.start()
    over, said, most, beside_it = threading.Event(), [], 0.0, 0.0
    work = threading.Thread(target=lambda: said.append(beside(address, over))) if beside else None
    if work is not None:
        work.start()
    began = time.monotonic()
    while time.monotonic() - began < SECONDS or (work is not None and work.is_alive() and beside is rows_come_in):
        most, beside_it = max(most, memory(process)), max(beside_it, of_children(process))
        time.sleep(0.2)
    over.set()
    if work is not None:
        work.join()
    crowd.over.set()
    for thread in threads:
        thread.join()
    times = sorted(crowd.quick)
    print(
        f"  {name:<28} /api/me median {1000 * statistics.median(times):6.0f} ms,"
        f" 99th percentile {1000 * times[int(0.99 * (len(times) - 1))]:6.0f} ms, memory {most:5.0f} MiB"
        f" (and {beside_it:.0f} in processes it started);"
        f" answers {dict(crowd.statuses)} {said[0] if said else ''}",
        flush=True,
    )


def killed(address: str, database: DatabaseServer) -> None:
    """The database dies under load; the launcher's way of starting it again; the first good answer after it."""
    crowd = Crowd(address)
    threads = [threading.Thread(target=crowd.asks, args=(at,)) for at in range(CLIENTS)]
    for thread in threads:
        thread.start()
    time.sleep(5)
    os.kill(database.process.pid, signal.SIGKILL)
    died = time.monotonic()
    while database.running:
        time.sleep(0.05)
    database.start(same_port=True)
    back = time.monotonic()
    time.sleep(10)
    crowd.statuses.clear()
    time.sleep(10)
    crowd.over.set()
    for thread in threads:
        thread.join()
    first = min((one for one in crowd.good if one > back), default=float("inf"))
    print(
        f"  the database killed: back after {back - died:.1f} s, first good answer {first - back:.1f} s later"
        f" (wanted: within 5 s); from 10 s on {dict(crowd.statuses)}",
        flush=True,
    )


def main() -> None:
    """Print what the quick question took in each phase."""
    with tempfile.TemporaryDirectory(prefix="bodkin-load-") as folder:
        settings = Settings(Path(folder), date(2027, 2, 12), ROOT / "web" / "dist")
        database = DatabaseServer(settings)
        database.start()
        server = None
        try:
            store = Store(settings.database_url)
            store.migrate()
            with store.writing(scores=True) as session:
                load_demo(session, hash_password)
            store.engine.dispose()
            port = serving.free_port_after(8900)
            server = serving.application(settings, port)
            serving.wait_for(port, server)
            address = f"http://127.0.0.1:{port}"
            phase("nothing beside it (baseline)", address, server.pid)
            phase("exports", address, server.pid, exports)
            phase("wrong sign-ins", address, server.pid, wrong_sign_ins)
            killed(address, database)
            phase("half a million rows come in", address, server.pid, rows_come_in)
        finally:
            if server is not None:
                serving.end(server)
            database.stop()


if __name__ == "__main__":
    main()
