"""Rows that the last process held, in a file beside the database: a start reads what is newer and no more."""

import hashlib
import json
import logging
import os
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from tempfile import mkstemp
from typing import Any, TypeVar

import polars as pl

from bodkin.store.reads.table.load import KeyNames
from bodkin.store.reads.table.score_table import RESULTS

T = TypeVar("T")
FORMAT = 4
"""Raised when what stands in a file means something else."""
SITTINGS_FILE = "sittings-"
"""How the names of the files of sittings begin, one for each measure."""
WORKED_FILE = "worked-"
"""The same of what was worked out from sittings."""
STRANDS_FILE = "strands-"
"""The same of the files of strands."""
ANSWERS_FILE, PRACTICE_FILE, ENTRIES_FILE, POINTS_FILE = "answers", "practice", "entries", "points"
ROSTERS_FILE, ROSTER_FILE = "rosters", "roster-today"
"""Places in classes of every year, and where everybody is today."""
MANY_SCORES = 10_000
"""Scores of a strand from which on a start finds them in a file: a test has a dozen strands. Also entries and places,
which take longer to read than a row of others."""
MANY = 100_000
"""Rows from which on a start finds them in a file; fewer are read from the database soon enough."""
MANY_NEWER = 20_000
"""So many results newer than the file of a start, and it is written anew."""
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class HeldRows:
    """Rows of the score table, at a version of the data; ``said``: what else was kept with them, as JSON has it."""

    rows: pl.DataFrame
    version: int
    said: Mapping[str, Any]


class RowsFile:
    """Rows in a folder, for its own database alone; ``name``: of the files; ``schema``: of the rows, if it is set."""

    def __init__(self, folder: Path, name: str, schema: pl.Schema | None = RESULTS) -> None:
        self._folder, self._name, self._schema = folder, name, schema
        self.said = folder / f"{name}.json"

    @classmethod
    def of(cls, folder: Path, begin: str, parts: Sequence[str], schema: pl.Schema | None) -> "RowsFile":
        """The file of something that several words name, which may hold what no file name can."""
        return cls(folder, begin + hashlib.sha256("\0".join(parts).encode()).hexdigest()[:16], schema)

    def _rows(self, version: int) -> Path:
        return self._folder / f"{self._name}-{version}.arrow"

    def write(self, held: HeldRows, identity: str) -> None:
        """Keep rows; what is there takes their place whole, and a disk that is full leaves it as it was."""
        rows = self._rows(held.version)
        said = {**held.said, "format": FORMAT, "identity": identity, "version": held.version,
                "height": held.rows.height}  # fmt: skip
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._put(rows, held.rows.write_ipc)
            self._put(self.said, lambda draft: draft.write_text(json.dumps(said)))
        except (OSError, pl.exceptions.PolarsError) as error:
            _log.warning("the results were not kept for the next start: %s", error)
            return
        self._drop(rows)

    def _put(self, place: Path, write: Callable[[Path], object]) -> None:
        """A file that is there whole or not at all; its draft is nobody else's to read, and of this writer alone."""
        handle, name = mkstemp(dir=self._folder, suffix=".draft")
        os.close(handle)
        draft = Path(name)
        try:
            write(draft)
            draft.replace(place)
        finally:
            draft.unlink(missing_ok=True)

    def remove(self) -> None:
        """Leave nothing for the next start."""
        with suppress(OSError):
            self.said.unlink()
        self._drop()

    def _drop(self, but: Path | None = None) -> None:
        for other in self._folder.glob(f"{self._name}-*.arrow"):
            if other != but:
                with suppress(OSError):
                    other.unlink()

    def read(self, identity: str, newest: int, make: Callable[[HeldRows], T | None]) -> T | None:
        """What was kept of just this database, at a version up to ``newest``; None where it cannot be used.

        ``make``: what is to be made of the rows and of what was said of them; None where that does not suit.
        """
        try:
            said = json.loads(self.said.read_text())
            if said["format"] != FORMAT or said["identity"] != identity:
                # What another database held is nobody's any more.
                self.remove()
                return None
            if not said["version"] <= newest:
                return None
            rows = pl.read_ipc(self._rows(said["version"]))
            if self._schema not in (None, rows.schema) or rows.height != said["height"]:
                return None
            return make(HeldRows(rows, said["version"], said))
        except FileNotFoundError:
            return None
        except Exception as error:
            # Whatever is wrong with it, the database has it all.
            _log.warning("the results kept for a start could not be read: %s", error)
            return None


@dataclass(frozen=True, slots=True)
class LeftRows:
    """What was worked out from some windows of a measure's sittings, in files beside those: a start does it no more.

    ``since``: the version of the sittings in their file; what was worked out before it may rest on others. ``newest``:
    the version of the data. ``windows``: those whose sittings stand as they do in the file.
    """

    folder: Path
    measure: tuple[str, str]
    identity: str
    since: int
    newest: int
    windows: frozenset[str]

    def once(self, name: str, windows: Collection[str], by: str, make: Callable[[], pl.DataFrame]) -> pl.DataFrame:
        """The rows that the last process left, else made and left for the next; ``by``: by which code."""
        if not self.windows.issuperset(windows):
            return make()
        file = RowsFile.of(self.folder, WORKED_FILE, (*self.measure, name), None)
        found = file.read(
            self.identity, self.newest,
            lambda held: held.rows if held.version >= self.since and held.said["by"] == by else None,
        )  # fmt: skip
        if found is None:
            found = make()
            file.write(HeldRows(found, self.newest, {"by": by}), self.identity)
        return found


def remove_beside(folder: Path) -> None:
    """Leave nothing of the files beside the results: somebody was removed who may stand in one of them."""
    for name in (
        SITTINGS_FILE, WORKED_FILE, STRANDS_FILE, ANSWERS_FILE, PRACTICE_FILE, ENTRIES_FILE, POINTS_FILE, ROSTERS_FILE,
        ROSTER_FILE,
    ):  # fmt: skip
        for kind in ("json", "arrow"):
            for file in folder.glob(f"{name}*.{kind}"):
                with suppress(OSError):
                    file.unlink()


@dataclass(frozen=True, slots=True)
class HeldResults:
    """Counted results as named rows, at a version of the data, with what their keys stood for."""

    rows: pl.DataFrame
    version: int
    naming: KeyNames


def _plain(naming: KeyNames) -> dict[str, Any]:
    return {
        "measures": [[key, *names] for key, names in naming.measures.items()],
        "windows": list(naming.windows.items()),
        "places": {kind: list(names.items()) for kind, names in naming.places.items()},
        "shared": sorted(naming.shared),
    }


@lru_cache(maxsize=1)
def _naming(text: str) -> KeyNames:
    """What keys stand for, read once where several files say the same."""
    plain = json.loads(text)
    return KeyNames(
        {key: (name, subject) for key, name, subject in plain["measures"]}, dict(plain["windows"]),
        {kind: dict(names) for kind, names in plain["places"].items()}, frozenset(plain["shared"]),
    )  # fmt: skip


def write_results(file: RowsFile, held: HeldResults, identity: str) -> None:
    """Keep results with what their keys stand for."""
    file.write(HeldRows(held.rows, held.version, {"naming": json.dumps(_plain(held.naming))}), identity)


def read_results(file: RowsFile, identity: str, newest: int) -> HeldResults | None:
    """The results that were kept, as :meth:`RowsFile.read` finds them."""
    return file.read(identity, newest, lambda held: HeldResults(held.rows, held.version, _naming(held.said["naming"])))
