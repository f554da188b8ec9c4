"""The results that the last process held, in a file beside the database: a start reads what is newer and no more."""

import json
import logging
import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from tempfile import mkstemp
from typing import Any

import polars as pl

from bodkin.store.reads.table.load import KeyNames
from bodkin.store.reads.table.score_table import RESULTS

FORMAT = 2
"""Raised when what stands in the file means something else."""
SAID, ROWS = "scores.json", "scores-{}.arrow"
_log = logging.getLogger(__name__)


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


def _naming(plain: dict[str, Any]) -> KeyNames:
    return KeyNames(
        {key: (name, subject) for key, name, subject in plain["measures"]}, dict(plain["windows"]),
        {kind: dict(names) for kind, names in plain["places"].items()}, frozenset(plain["shared"]),
    )  # fmt: skip


class StartFile:
    """A folder that holds the results of a district, for its own database alone."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def write(self, held: HeldResults, identity: str) -> None:
        """Keep results; what is there takes their place whole, and a disk that is full leaves it as it was."""
        rows = self._folder / ROWS.format(held.version)
        said = {"format": FORMAT, "identity": identity, "version": held.version, "height": held.rows.height,
                "naming": _plain(held.naming)}  # fmt: skip
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._put(rows, held.rows.write_ipc)
            self._put(self._folder / SAID, lambda draft: draft.write_text(json.dumps(said)))
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
            (self._folder / SAID).unlink()
        self._drop()

    def _drop(self, but: Path | None = None) -> None:
        for other in self._folder.glob(ROWS.format("*")):
            if other != but:
                with suppress(OSError):
                    other.unlink()

    def read(self, identity: str, newest: int) -> HeldResults | None:
        """What was kept of just this database, at a version up to ``newest``; None where it cannot be used."""
        try:
            said = json.loads((self._folder / SAID).read_text())
            if said["format"] != FORMAT or said["identity"] != identity:
                # What another database held is nobody's any more.
                self.remove()
                return None
            if not said["version"] <= newest:
                return None
            rows = pl.read_ipc(self._folder / ROWS.format(said["version"]))
            if rows.schema != RESULTS or rows.height != said["height"]:
                return None
            return HeldResults(rows, said["version"], _naming(said["naming"]))
        except FileNotFoundError:
            return None
        except Exception as error:
            # Whatever is wrong with it, the database has it all.
            _log.warning("the results kept for a start could not be read: %s", error)
            return None
