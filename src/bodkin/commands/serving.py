"""Starts database and application together, watches over both, and stops both."""

import os
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import FrameType

from bodkin.core.errors import BodkinError
from bodkin.store.database import Store
from bodkin.store.server import DatabaseServer, die_with_parent, port_free
from bodkin.store.settings import LOOPBACK, ROOT, Settings
from bodkin.store.writes.setup import seal_secrets

RESTARTS = 5
"""How often what dies is started again within a minute before we give up."""
LOOK_EVERY = 0.5


@dataclass(slots=True)
class _Stop(Exception):
    """Somebody asked us to stop."""

    number: int


def _on_signal(number: int, _: FrameType | None) -> None:
    raise _Stop(number)


def check_port(port: int) -> None:
    """Raise BodkinError where another program listens on the port."""
    if not port_free(port):
        raise BodkinError(f"Port {port} is taken by another program. Choose another one: --port {port + 1}")


def free_port_after(port: int) -> int:
    """The next port that nobody listens on."""
    found = next((one for one in range(port + 1, min(port + 50, 65_536)) if port_free(one)), None)
    if found is None:
        raise BodkinError(f"No port after {port} is free. Choose another one with --port.")
    return found


FEW_ARENAS = {"MALLOC_ARENA_MAX": "2", "_RJEM_MALLOC_CONF": "narenas:2"}
"""Each thread would else keep memory of its own that a large import once took; the second is for tables."""


def application(settings: Settings, port: int, *, reload: bool = False) -> "subprocess.Popen[bytes]":
    """Start the application on loopback; with ``reload`` it starts again whenever its code changes."""
    environment = {
        "BODKIN_VAR": str(settings.folder),
        "BODKIN_CLIENT": str(settings.client),
        **FEW_ARENAS,
    }
    if settings.pinned is not None:
        environment["BODKIN_TODAY"] = settings.pinned.isoformat()
    if settings.watched is not None:
        environment["BODKIN_INCOMING"] = str(settings.watched)
    if settings.standins is not None:
        environment["BODKIN_STANDINS"] = settings.standins
    if settings.mail is not None:
        environment["BODKIN_MAIL"] = settings.mail
    if settings.mail_domain is not None:
        environment["BODKIN_MAIL_DOMAIN"] = settings.mail_domain
    if named := [host for host in settings.hosts if host not in LOOPBACK]:
        environment["BODKIN_HOSTS"] = ",".join(named)
    more = [*(["--reload-dir", str(ROOT / "src")] if reload else []), *(["--behind-proxy"] if named else [])]
    return _python(["bodkin.api.access.server", "--port", str(port), *more], environment)


def stand_ins(roster: Path, port: int, mail_port: int | None = None) -> "subprocess.Popen[bytes]":
    """Start the simulated services on loopback; ``mail_port``: where the mailbox takes messages."""
    words = ["uvicorn", "bodkin.standins.app:create_app", "--factory", "--host", "127.0.0.1", "--port", str(port)]
    environment = {"BODKIN_STANDIN_ROSTER": str(roster), "BODKIN_STANDIN_MAIL": str(mail_port or "")}
    return _python([*words, "--log-level", "warning", "--no-server-header"], environment)


def _python(words: Sequence[str], environment: dict[str, str]) -> "subprocess.Popen[bytes]":
    words = [sys.executable, "-m", *words]
    merged = {**os.environ, **environment}
    return subprocess.Popen(words, env=merged, start_new_session=True, preexec_fn=die_with_parent)  # noqa: PLW1509


def wait_for(port: int, process: "subprocess.Popen[bytes]", seconds: float = 60.0) -> None:
    """Wait until the application answers. Raises BodkinError where it does not."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline and process.poll() is None:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=2).close()
            return
        except OSError:
            time.sleep(0.1)
    raise BodkinError("The application does not start; its messages above say why.")


def end(process: "subprocess.Popen[bytes]") -> None:
    """End a process we started and wait for it."""
    if process.poll() is None:
        process.terminate()
        try:
            process.wait(15)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def run(
    settings: Settings,
    port: int,
    prepare: Callable[[Store], None],
    announce: Callable[[str], None],
    beside: "Callable[[], subprocess.Popen[bytes]] | None" = None,
    *,
    reload: bool = False,
) -> None:
    """Start all, say where it is, and stay until asked to stop.

    ``beside`` starts a service that belongs to it, and is ended with the rest.

    ``prepare`` fills the migrated database before the application starts. A database or an application that
    dies is started again: what was asked meanwhile is an error, and all goes on afterwards.
    """
    check_port(port)
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _on_signal)
    database = DatabaseServer(settings)
    server: subprocess.Popen[bytes] | None = None
    other: subprocess.Popen[bytes] | None = None
    try:
        database.start()
        store = Store(settings.database_url, settings.pinned)
        store.migrate()
        prepare(store)
        with store.writing(scores=False) as session:
            seal_secrets(session, settings.vault)
        store.engine.dispose()
        other = beside() if beside is not None else None
        server = application(settings, port, reload=reload)
        wait_for(port, server)
        if other is not None:
            _check_beside(other)
        announce(f"http://127.0.0.1:{port}/")
        watched = _Watched(database, lambda: application(settings, port, reload=reload), server, other)
        while True:
            time.sleep(LOOK_EVERY)
            server = watched.look()
    except _Stop:
        print("\nStopping ...", file=sys.stderr)
    finally:
        # A second Ctrl-C must not leave the database half stopped.
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        for process in (server, other):
            if process is not None:
                end(process)
        database.stop()


def _check_beside(other: "subprocess.Popen[bytes]") -> None:
    """Raise BodkinError where the service that belongs to it has not come up."""
    if other.poll() is not None:
        raise BodkinError(
            "The simulated services have ended by themselves (another program may have taken their port); start again."
        )


class _Watched:
    """The running parts: what dies is started again, and given up where it dies over and over."""

    def __init__(
        self,
        database: DatabaseServer,
        start: "Callable[[], subprocess.Popen[bytes]]",
        server: "subprocess.Popen[bytes]",
        other: "subprocess.Popen[bytes] | None",
    ) -> None:
        self._database, self._start, self._server, self._other = database, start, server, other
        self._deaths: dict[str, list[float]] = {}

    def look(self) -> "subprocess.Popen[bytes]":
        """Start again what has ended; returns the application's process. Raises BodkinError after too many deaths."""
        if not self._database.running:
            self._count("database", f"see {self._database.log}")
            self._database.start(same_port=True)
        if self._server.poll() is not None:
            self._count("application", "its messages above say why")
            self._server = self._start()
        if self._other is not None and self._other.poll() is not None:
            print("The simulated services have ended; what they gave stays.", file=sys.stderr)
            self._other = None
        return self._server

    def _count(self, what: str, why: str) -> None:
        now = time.monotonic()
        self._deaths[what] = [at for at in self._deaths.get(what, []) if now - at < 60] + [now]
        if len(self._deaths[what]) > RESTARTS:
            raise BodkinError(f"The {what} ends again and again; {why}.")
        print(f"The {what} has ended; starting it again.", file=sys.stderr)
