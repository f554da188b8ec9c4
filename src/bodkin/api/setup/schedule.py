"""The clock: once a minute, rosters whose hour has come are fetched, the watched folder is looked at, and files
nobody brought in and documents past their last day are dropped."""

import logging
import os
import subprocess
import sys
from datetime import datetime
from threading import Event, Thread

from bodkin.api.setup.drafts import drop_old
from bodkin.core.errors import BodkinError
from bodkin.exchange.services import watched
from bodkin.exchange.services.sources import pull_due
from bodkin.store.database import Store
from bodkin.store.settings import Settings
from bodkin.store.writes.student.documents import any_expired, remove_expired

EVERY = 60.0


class Clock:
    """A thread that looks at the clock until it is told to stop."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self._store = store
        self._settings = settings
        self._over = Event()
        self._thread = Thread(target=self._run, name="clock", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End, without waiting for a roster that is on its way."""
        self._over.set()

    def _run(self) -> None:
        while not self._over.wait(EVERY):
            self.tick(datetime.now().astimezone())

    def tick(self, now: datetime) -> None:
        """Fetch what is due and clear away what waited too long; whatever goes wrong, the clock goes on."""
        drop_old(self._settings)
        try:
            self._drop_documents()
            for source, outcome in pull_due(self._store, self._settings, now):
                logging.getLogger("bodkin").info("roster of %s: %s", source.name, outcome)
            if watched.dropped(self._settings) and watched.hour(self._store) in (None, now.hour):
                self._watched()
        except BodkinError as error:
            # A database that is away says so on every screen; the next minute looks again.
            logging.getLogger("bodkin").info("rosters could not be looked after: %s", error)

    def _drop_documents(self) -> None:
        today = self._settings.today
        with self._store.reading() as session:
            over = any_expired(session, today)
        if over:
            with self._store.writing(scores=False) as session:
                remove_expired(session, today)

    def _watched(self) -> None:
        """Have another process bring in what lies in the watched folder: a large file must not weigh on this one."""
        here = {
            "BODKIN_VAR": str(self._settings.folder),
            "BODKIN_TODAY": self._settings.today.isoformat(),
            "BODKIN_INCOMING": str(self._settings.incoming),
        }
        words = [sys.executable, "-m", "bodkin.exchange.services.watched"]
        done = subprocess.run(words, env={**os.environ, **here}, capture_output=True, text=True, check=False)  # noqa: S603
        logging.getLogger("bodkin").info("watched folder: %s", done.stdout.strip() or done.stderr.strip()[-400:])
