"""One database server for a whole test run, in memory where the machine has room, and one demo as a template."""

import json
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bodkin.store.server import DatabaseServer
from bodkin.store.settings import ROOT, Settings

FOLDER = "BODKIN_TEST_SERVER"
"""Names the folder of the run's server to the workers."""
NEEDS_SERVER = ("tests.api", "tests.browser", "tests.commands", "tests.demo", "tests.exchange", "tests.standins",
                "tests.store")  # fmt: skip
IN_MEMORY = Path("/dev/shm")  # noqa: S108 (a folder of a random name below it)
PREFIX = "bodkin-test-"
ROOM = 3 * 2**30
"""Bytes that a memory file system must have free to be used."""
QUICK = ("--innodb-flush-log-at-trx-commit=0", "--skip-innodb-doublewrite", "--innodb-buffer-pool-size=512M",
         "--innodb-log-file-size=256M", "--innodb-lock-wait-timeout=120", "--innodb-stats-persistent=0")  # fmt: skip
"""The run's server is thrown away: it need not survive a power cut. Tests that kill servers start their own.

Nor need it keep its statistics: to write them down takes as long as to make a table, and 13,000 are made.

Whoever waits for another's change waits longer than is usual: three workers on two slow cores make large ones long.
"""


def _remove_left_over() -> None:
    """Folders of runs that were killed: what lies in memory must not stay there."""
    for folder in IN_MEMORY.glob(f"{PREFIX}*"):
        try:
            pid = int(json.loads((folder / "database.json").read_text())["pid"])
            alive = str(folder).encode() in Path(f"/proc/{pid}/cmdline").read_bytes()
        except (OSError, ValueError, KeyError):
            alive = time.time() - folder.stat().st_mtime < 600
        if not alive:
            shutil.rmtree(folder, ignore_errors=True)


def _folder() -> Path:
    _remove_left_over()
    roomy = IN_MEMORY.is_dir() and os.access(IN_MEMORY, os.W_OK) and shutil.disk_usage(IN_MEMORY).free > ROOM
    return Path(tempfile.mkdtemp(prefix=PREFIX, dir=IN_MEMORY if roomy else None))


def load_template() -> None:
    """Load the demo that tests copy; called in a worker, beside the first tests."""
    from tests.support import stage

    stage.make_template()


@contextmanager
def shared_server(*, wanted: bool) -> Iterator[None]:
    """The server runs while this lasts. Nothing where no test needs it."""
    if not wanted:
        yield
        return
    from tests.support import stage

    folder = _folder()
    os.environ[FOLDER] = str(folder)
    server = DatabaseServer(Settings(folder, stage.TODAY, ROOT / "web" / "dist"), QUICK, stage.SCHEMAS, stage.RIGHTS)
    try:
        server.start()
        yield
    finally:
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)
        del os.environ[FOLDER]
