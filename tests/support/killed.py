"""What a process does that a test kills in the middle of it; imports little, since each start pays for it."""

import multiprocessing
import time
from datetime import datetime
from pathlib import Path

from bodkin.exchange.imports import imports
from bodkin.exchange.imports.understanding import Changes
from bodkin.store.backup import restore_backup
from bodkin.store.database import Store
from tests.support.answers import AS_IT_IS

_PROCESSES = multiprocessing.get_context("forkserver")
# Every process begins as a copy of one that has read all modules already.
_PROCESSES.set_forkserver_preload([__name__])


def bring_and_wait(url: str, content: bytes, now: datetime, ready) -> None:
    """Bring a file in, and wait before the end of the transaction."""
    store = Store(url)
    with store.writing(scores=True) as session:
        imports.bring_in(session, "scores.csv", content, None, now, Changes(answers=AS_IT_IS))
        ready.set()
        time.sleep(60)


def bring(url: str, content: bytes, now: datetime, ready) -> None:
    """Bring a file in, whole."""
    ready.set()
    with Store(url).writing(scores=True) as session:
        imports.bring_in(session, "scores.csv", content, None, now, Changes(answers=AS_IT_IS))


def restore(url: str, path: Path, ready) -> None:
    """Put a backup back over what is there."""
    ready.set()
    restore_backup(Store(url), path, replace=True)


def kill_restore(url: str, path: Path, after: float) -> None:
    """Start to restore in a process of its own and kill it ``after`` seconds from when it is ready."""
    _killed(restore, (url, path), after)


def kill(target, url: str, content: bytes, now: datetime, after: float) -> None:
    """Start ``target`` in a process of its own and kill it ``after`` seconds from when it is ready."""
    _killed(target, (url, content, now), after)


def _killed(target, words, after: float) -> None:
    ready = _PROCESSES.Event()
    process = _PROCESSES.Process(target=target, args=(*words, ready))
    process.start()
    if not ready.wait(30):
        raise AssertionError("the process to be killed was not ready in time")
    time.sleep(after)
    process.kill()
    process.join()
