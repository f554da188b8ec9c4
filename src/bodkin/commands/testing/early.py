"""The checks and the core's tests, in a process of their own that begins before the other tests are read."""

import json
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from pathlib import Path

from bodkin.commands.testing.units import Outcome, Unit, run_unit
from bodkin.store.server import die_with_parent
from bodkin.store.settings import ROOT


class Early:
    """Units that run one after another; what becomes of each is read as it comes.

    No pool of this process: the workers of the other tests are forked later, and a fork must find no thread here.
    """

    def __init__(self, units: Sequence[Unit]) -> None:
        self._missing = list(units)
        self._place = Path(tempfile.mkdtemp(prefix="bodkin-early-")) / "outcomes"
        self._place.touch()
        self._read = 0
        words = [sys.executable, "-m", __name__, str(self._place), *(f"{unit.kind}:{unit.name}" for unit in units)]
        self._process = subprocess.Popen(words, cwd=ROOT) if units else None

    def done(self) -> Iterator[Outcome]:
        """What has ended since this was last asked for."""
        with self._place.open() as lines:
            lines.seek(self._read)
            while (line := lines.readline()).endswith("\n"):
                self._read = lines.tell()
                kept = json.loads(line)
                outcome = Outcome(**{**kept, "unit": Unit(**kept["unit"])})
                self._missing.remove(outcome.unit)
                yield outcome

    def rest(self) -> Iterator[Outcome]:
        """Everything else, once it has ended; a unit that says nothing has failed."""
        if self._process is not None:
            self._process.wait()
        yield from self.done()
        for unit in self._missing:
            yield Outcome(unit, failed=1, report="its process ended without a word")
        self._missing = []

    def stop(self) -> None:
        """End what still runs, and leave no file behind."""
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait()
        shutil.rmtree(self._place.parent, ignore_errors=True)


def main(place: Path, named: Sequence[str]) -> None:
    """Run units named as ``kind:name`` and leave a line for each in a file."""
    die_with_parent()
    for one in named:
        kind, _, name = one.partition(":")
        outcome = run_unit(Unit(kind, name))
        with place.open("a") as lines:
            lines.write(json.dumps(asdict(outcome)) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
