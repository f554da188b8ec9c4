"""One file per student, in a zip or a folder: named by family name and id, whole or not at all."""

import hashlib
import os
import unicodedata
import zipfile
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from threading import local

from bodkin.answers.comparison.step_answer import Names
from bodkin.answers.share.blocks import PageSheet
from bodkin.core.errors import Conflict
from bodkin.documents.press import Press

LONGEST_PART = 40
AT_ONCE = min(4, os.cpu_count() or 1)
"""Pages made at the same time; the press leaves Python alone while it works."""
ReportDone = Callable[[int], None]
"""What to tell of the progress: how many students are done."""


@dataclass(frozen=True, slots=True)
class MadeFile:
    """A file that was made: about whom, its name, and its digest; ``letters``: those no font has."""

    student_id: str
    name: str
    sha256: str
    letters: str


def _part(text: str) -> str:
    kept = "".join(
        letter if letter.isalnum() or letter in " '’-" else "-" for letter in unicodedata.normalize("NFC", text)
    )
    return " ".join(kept.split())[:LONGEST_PART].strip(" -'’")


def file_names(sheets: Sequence[PageSheet], names: Names) -> dict[str, str]:
    """A file name for each student: family name, given name, id; no two are alike on any file system."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for sheet in sheets:
        family, given = names.get(sheet.student_id, ("", ""))
        parts = [_part(one) for one in (family, given, sheet.student_id)]
        stem = "_".join(part for part in parts if part) or "student"
        name, more = stem, 2
        while name.casefold() in taken:
            name, more = f"{stem}-{more}", more + 1
        taken.add(name.casefold())
        found[sheet.student_id] = f"{name}.pdf"
    return found


def in_order(sheets: Iterable[PageSheet]) -> list[PageSheet]:
    """Sheets by family name, given name, id."""
    return sorted(sheets, key=lambda one: one.sort)


@contextmanager
def whole_or_not(path: Path) -> Iterator[Path]:
    """A path to write to that takes its name only when all is done; what was half written goes.

    Raises Conflict where the disk is full or cannot be written to.
    """
    draft = path.with_name(f".{path.name}.part")
    try:
        draft.touch(mode=0o600)
        yield draft
        draft.replace(path)
    except OSError as error:
        raise Conflict(f"The file could not be written ({os.strerror(error.errno or 0)}); nothing was kept.") from error
    finally:
        draft.unlink(missing_ok=True)


def pages_of(sheets: Sequence[PageSheet], names: Names) -> Iterator[tuple[MadeFile, bytes]]:
    """Each student's own PDF, one after the other, in the order of names; a few are made at the same time."""
    ordered = in_order(sheets)
    files = file_names(ordered, names)
    own = local()

    def made(sheet: PageSheet) -> tuple[MadeFile, bytes]:
        if not hasattr(own, "press"):
            own.press = Press()
        printed = own.press.pdf([sheet])
        digest = hashlib.sha256(printed.content).hexdigest()
        return MadeFile(sheet.student_id, files[sheet.student_id], digest, printed.letters), printed.content

    with ThreadPoolExecutor(AT_ONCE) as pool:
        # Few are on their way at a time: a stop takes effect at once, and thousands do not wait in memory.
        ahead: deque[Future[tuple[MadeFile, bytes]]] = deque()
        for sheet in ordered:
            ahead.append(pool.submit(made, sheet))
            if len(ahead) >= 2 * AT_ONCE:
                yield ahead.popleft().result()
        while ahead:
            yield ahead.popleft().result()


def write_zip(
    path: Path, sheets: Sequence[PageSheet], names: Names, done: ReportDone = lambda _n: None
) -> list[MadeFile]:
    """A zip with one file per student; it appears whole or not at all."""
    found: list[MadeFile] = []
    # A PDF is packed already.
    with whole_or_not(path) as draft, zipfile.ZipFile(draft, "w", zipfile.ZIP_STORED) as packed:
        for made, content in pages_of(sheets, names):
            packed.writestr(made.name, content)
            found.append(made)
            done(len(found))
    return found


def write_folder(folder: Path, sheets: Sequence[PageSheet], names: Names) -> list[MadeFile]:
    """One file per student in a folder; a fault leaves none of them."""
    found: list[MadeFile] = []
    try:
        for made, content in pages_of(sheets, names):
            with whole_or_not(folder / made.name) as draft:
                draft.write_bytes(content)
            found.append(made)
    except BaseException:
        for made in found:
            (folder / made.name).unlink(missing_ok=True)
        raise
    return found
