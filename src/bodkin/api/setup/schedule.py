"""The clock: once a minute, rosters whose hour has come are fetched, the watched folder is looked at, and files
nobody brought in and documents past their last day are dropped; more often, memory that is free is given back."""

import ctypes
import logging
import os
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime
from threading import Event, Thread

from bodkin.api.setup.drafts import drop_old
from bodkin.core.errors import BodkinError
from bodkin.exchange.services import watched
from bodkin.exchange.services.sources import pull_due
from bodkin.store.database import Store, day_of, zone_of
from bodkin.store.reads.kept import let_go_of_earlier
from bodkin.store.settings import Settings
from bodkin.store.writes.student.documents import any_expired, remove_expired

EVERY = 60.0
REST = 10.0
"""Seconds after which it is seen whether anybody asks."""
LONG = 6
"""So many times in turn at rest, a minute, and what was worked out is let go of: it takes a tenth of a second again."""
IDLE = 0.02
"""Part of the time that a process at rest uses the processor at most."""


def give_back() -> None:
    """Have the system's allocator give back what is free; one that cannot do so keeps it."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)


class Clock:
    """A thread that looks at the clock until it is told to stop."""

    def __init__(self, store: Store, settings: Settings, let_go: Callable[[], None] = lambda: None) -> None:
        """``let_go``: lets go of what can be worked out again, called once nobody has asked for a while."""
        self._store = store
        self._settings = settings
        self._let_go = let_go
        self._rests = 0
        self._over = Event()
        self._used = time.process_time()
        self._thread = Thread(target=self._run, name="clock", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End, without waiting for a roster that is on its way."""
        self._over.set()

    def _run(self) -> None:
        due = time.monotonic() + EVERY
        while not self._over.wait(REST):
            self.rest()
            if time.monotonic() >= due:
                due = time.monotonic() + EVERY
                self.tick(datetime.now(UTC))

    def rest(self) -> int:
        """Let go of what no question needs any more; how often in turn the process was at rest when this was called.

        Where it was, what is free in its memory goes back to the system: the work of a busy hour leaves a lot.
        """
        let_go_of_earlier()
        before, self._used = self._used, time.process_time()
        self._rests = self._rests + 1 if self._used - before <= REST * IDLE else 0
        if self._rests == LONG:
            self._let_go()
        if self._rests in (1, LONG):
            give_back()
        return self._rests

    def tick(self, now: datetime) -> None:
        """Fetch what is due and clear away what waited too long; whatever goes wrong, the clock goes on.

        ``now``: with its zone; hours and days are those of the district.
        """
        drop_old(self._settings)
        try:
            self._drop_documents()
            with self._store.reading() as session:
                now = now.astimezone(zone_of(session))
            for source, outcome in pull_due(self._store, self._settings, now):
                logging.getLogger("bodkin").info("roster of %s: %s", source.name, outcome)
            if watched.dropped(self._settings) and watched.hour(self._store) in (None, now.hour):
                self._watched()
        except BodkinError as error:
            # A database that is away says so on every screen; the next minute looks again.
            logging.getLogger("bodkin").info("rosters could not be looked after: %s", error)

    def _drop_documents(self) -> None:
        with self._store.reading() as session:
            over = any_expired(session, day_of(session))
        if over:
            with self._store.writing(scores=False) as session:
                remove_expired(session, day_of(session))

    def _watched(self) -> None:
        """Have another process bring in what lies in the watched folder: a large file must not weigh on this one."""
        here = {
            "BODKIN_VAR": str(self._settings.folder),
            "BODKIN_INCOMING": str(self._settings.incoming),
        }
        if self._settings.pinned is not None:
            here["BODKIN_TODAY"] = self._settings.pinned.isoformat()
        words = [sys.executable, "-m", "bodkin.exchange.services.watched"]
        done = subprocess.run(words, env={**os.environ, **here}, capture_output=True, text=True, check=False)  # noqa: S603
        logging.getLogger("bodkin").info("watched folder: %s", done.stdout.strip() or done.stderr.strip()[-400:])
