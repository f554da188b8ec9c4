"""Files that wait to be brought in: the file itself and what a person has said about it, each its owner's alone."""

import re
import secrets
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from bodkin.api.context import Context
from bodkin.core.errors import NotFound
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.tables_in.mapping import Mapped
from bodkin.store.settings import Settings

KEPT_SECONDS = 24 * 3600
GONE = "That file is no longer waiting; choose it again."


class Edit(BaseModel):
    """A cell that was mended, by the line of the file and the header as it is compared."""

    model_config = ConfigDict(extra="forbid")

    line: int
    column: str = Field(max_length=160)
    value: str = Field(max_length=1000)


class DraftChanges(BaseModel):
    """What a person says about a file; what is left out Bodkin finds out itself.

    ``columns``: header to column; ``values``: by column, a value of the file and what it means;
    ``answers``: by kind of question, or kind and item with a stroke between; ``sheet``: which one of a workbook.
    """

    model_config = ConfigDict(extra="forbid")

    kind: str | None = None
    by_hand: bool = False
    columns: dict[str, str] = {}
    values: dict[str, dict[str, str]] = {}
    day_format: str | None = None
    sheet: str | None = Field(default=None, max_length=255)
    answers: dict[str, str] = Field(default={}, max_length=5000)
    edits: list[Edit] = Field(default=[], max_length=2000)
    confirmed: bool = False

    def changes(self) -> Changes:
        """As the exchange takes them; ``by_hand`` says that the mapping is the person's and no longer ours."""
        how = Mapped(self.columns, self.values, self.day_format) if self.by_hand else None
        edits = {(edit.line, edit.column): edit.value for edit in self.edits}
        return Changes(self.kind, how, self.confirmed, edits, self.sheet, self.answers)


@dataclass(frozen=True, slots=True)
class Draft:
    """A file of a person that waits."""

    key: str
    path: Path
    name: str

    @property
    def size(self) -> int:
        """Bytes of the file; none where it has been given up meanwhile."""
        try:
            return self.path.stat().st_size
        except FileNotFoundError:
            return 0

    def content(self) -> bytes:
        """The file. Raises NotFound where it was brought in or given up meanwhile."""
        try:
            return self.path.read_bytes()
        except FileNotFoundError:
            raise NotFound(GONE) from None

    @property
    def _said(self) -> Path:
        return self.path.with_name(f"{self.path.name.split('-', 2)[0]}-{self.key}.json")

    def said(self) -> DraftChanges:
        """What the person has said so far; nothing where the file is given up meanwhile, which its content tells."""
        try:
            return DraftChanges.model_validate_json(self._said.read_text())
        except FileNotFoundError:
            return DraftChanges()

    def say(self, changes: DraftChanges) -> None:
        """Keep what the person says; it replaces what was said before."""
        _write(self._said, changes.model_dump_json().encode())

    def drop(self) -> None:
        """Give the file up."""
        self.path.unlink(missing_ok=True)
        self._said.unlink(missing_ok=True)


def _uploads(settings: Settings) -> Path:
    return settings.folder / "uploads"


def _folder(context: Context) -> Path:
    folder = _uploads(context.runtime.settings)
    folder.mkdir(parents=True, exist_ok=True)
    # Results of children: nobody else of the machine reads them.
    folder.chmod(0o700)
    drop_old(context.runtime.settings)
    return folder


def drop_old(settings: Settings) -> None:
    """Drop files that have waited for a day: to be brought in, and pages to be fetched."""
    for folder in (_uploads(settings), settings.pages):
        for old in folder.iterdir() if folder.is_dir() else ():
            with suppress(FileNotFoundError):
                if time.time() - old.stat().st_mtime > KEPT_SECONDS:
                    old.unlink()


def _write(path: Path, content: bytes) -> None:
    # Put there in one go: another click may be reading it.
    written = path.with_name(f".{secrets.token_hex(8)}")
    written.touch(mode=0o600)
    written.write_bytes(content)
    written.replace(path)


def keep(context: Context, name: str, content: bytes) -> Draft:
    """Keep a file until it is brought in or a day has passed."""
    key = secrets.token_hex(16)
    path = _folder(context) / f"{context.person.id}-{key}-{name}"
    _write(path, content)
    return Draft(key, path, name)


def find(context: Context, key: str) -> Draft:
    """A file that waits. Raises NotFound for another person's or none."""
    if re.fullmatch(r"[0-9a-f]{32}", key):
        for path in _folder(context).glob(f"{context.person.id}-{key}-*"):
            return Draft(key, path, path.name.split("-", 2)[2])
    raise NotFound(GONE)
