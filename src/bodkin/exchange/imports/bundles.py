"""Several files at once: unpacked from a zip, in the order in which one needs another, all or none."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import PurePosixPath

from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.exchange.changes.plans import ReportProgress, no_progress
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.imports import imports
from bodkin.exchange.imports.kinds import KINDS, WHOLE_KINDS, whole_kind
from bodkin.exchange.imports.understanding import NOTHING_SAID, Changes, opened
from bodkin.exchange.imports.wide import plain_parts
from bodkin.exchange.tables_in.archives import is_archive, unpacked

TABLES = (".csv", ".tsv", ".txt", ".xlsx", ".xls", ".ods")
LARGEST_PART = 200 << 20
ORDER = [*WHOLE_KINDS, *KINDS]


@dataclass(frozen=True, slots=True)
class Waiting:
    """A file that waits to be brought in, with what a person has said about it."""

    key: str
    name: str
    content: Callable[[], bytes]
    changes: Changes = NOTHING_SAID


@dataclass(frozen=True, slots=True)
class FilePreview:
    """A file as it would come in after those before it; or why it cannot be read."""

    file: Waiting
    seen: imports.Preview | None = None
    problem: BadInput | None = None


def files_in(name: str, content: bytes) -> tuple[list[tuple[str, bytes]], list[str]]:
    """The files that a file stands for: those of a zip, the plain ones of a wide file, else itself.

    And what was left out of it, or how it was read. Raises BadFile for a zip that cannot be unpacked or holds no
    table, and for a wide file that cannot be taken.
    """
    if whole_kind(content) is not None:
        return [(name, content)], []
    if not is_archive(content):
        parts = plain_parts(name, content)
        if parts is None:
            return [(name, content)], []
        said = " and ".join(part.removesuffix(".csv").rsplit(" - ", 1)[-1] for part, _ in parts)
        return parts, [f"{name} has a column for each item, standard or day; it is read as {said}"]
    found: list[tuple[str, bytes]] = []
    left = []
    for part, data in unpacked(name, content).items():
        path = PurePosixPath(part)
        if len(data) > LARGEST_PART:
            message = f"is larger than {LARGEST_PART >> 20} MB; split it into several files"
            raise BadFile([Fault(f"{name}/{part}", 0, "", message)])
        if part.startswith("__MACOSX") or path.name.startswith("."):
            continue
        if path.suffix.lower() in TABLES or whole_kind(data) is not None:
            found.append((path.name, data))
        elif path.name != "datapackage.json":
            left.append(part)
    if not found:
        raise BadFile([Fault(name, 0, "", "there is no table in this zip file")])
    return found, [f"left out of {name}: {', '.join(left[:8])}"] if left else []


def _place(session: Session, file: Waiting) -> int:
    """Where a file's kind stands in the order; what cannot be read comes last."""
    content = file.content()
    whole = whole_kind(content)
    if whole is not None:
        return ORDER.index(whole)
    try:
        return ORDER.index(opened(session, file.name, content, file.changes)[1].kind)
    except BadInput:
        return len(ORDER)


def preview_all(
    session: Session, files: Sequence[Waiting], now: datetime, progress: ReportProgress = no_progress
) -> list[FilePreview]:
    """Each file as it would come in after those that it may rest on.

    Writes within the session's transaction, which the caller must not commit.
    """
    if len(files) == 1:
        return [_previewed(session, files[0], progress)]
    found: list[FilePreview] = []
    ordered = sorted(files, key=lambda file: _place(session, file))
    for at, file in enumerate(ordered):
        progress(f"Reading {file.name}", at, len(files))
        one = _previewed(session, file)
        found.append(one)
        if file is not ordered[-1] and one.seen is not None and not one.seen.understood.missing:
            # What was only guessed at or is still asked is taken as it is, to see what the next file makes of it.
            try:
                imports.bring_in(session, file.name, file.content(), None, now, file.changes, supposing=True)
            except BadInput as error:
                found[-1] = FilePreview(file, problem=error)
    return found


def _previewed(session: Session, file: Waiting, progress: ReportProgress = no_progress) -> FilePreview:
    try:
        return FilePreview(file, imports.preview(session, file.name, file.content(), file.changes, progress))
    except BadInput as error:
        return FilePreview(file, problem=error)


def bring_in_all(
    session: Session, files: Sequence[Waiting], by_id: int | None, now: datetime,
    progress: ReportProgress = no_progress, came_by: str | None = None, *, supposing: bool = False,
) -> list[tuple[Waiting, int | None, imports.Preview]]:  # fmt: skip
    """Bring files in, all or none, within the caller's transaction; each is an import of its own.

    ``supposing``: take guesses as right and open questions as answered, to see what would come of it.
    """
    ordered = sorted(files, key=lambda file: _place(session, file)) if len(files) > 1 else files
    return [
        (
            file,
            *imports.bring_in(
                session, file.name, file.content(), by_id, now, file.changes, progress, came_by, supposing=supposing
            ),
        )
        for file in ordered
    ]
