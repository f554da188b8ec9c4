"""A watched folder: files dropped there come in by themselves where nothing needs a person, else they wait.

Run as ``python -m bodkin.exchange.services.watched`` by the application's clock, in a process of its own.
"""

import json
import os
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path

from sqlalchemy import select, update

from bodkin.core.errors import BadInput, BodkinError, NotFound, StoreDown
from bodkin.exchange.imports.bundles import FilePreview, Waiting, bring_in_all, files_in, preview_all
from bodkin.exchange.imports.imports import open_words
from bodkin.exchange.services.sources import utc_now
from bodkin.store.database import DISTRICT, Store
from bodkin.store.settings import Settings, from_environment
from bodkin.store.tables import District

STILL_SECONDS = 30.0
"""Seconds that a file must have lain still: whoever sends it may not be done before."""
UNFINISHED = (".part", ".tmp", ".filepart", ".crdownload", ".partial")
CAME_BY = "watched folder"
TAKEN, WAITING, DONE = "taken", "waiting", "done"
"""Folders beside the dropped files: being looked at, in need of a person, brought in."""
LARGEST = 200 << 20


@dataclass(frozen=True, slots=True)
class WaitingFile:
    """A file of the watched folder that needs a person, and why."""

    name: str
    why: str
    at: datetime


def _folder(settings: Settings, part: str = "") -> Path:
    folder = settings.incoming / part if part else settings.incoming
    folder.mkdir(parents=True, exist_ok=True)
    # Results of children: whoever may drop files is let in by the machine's administrator.
    if part:
        folder.chmod(0o700)
    return folder


def dropped(settings: Settings, now: float | None = None) -> list[Path]:
    """Files that lie still in the watched folder, by name."""
    at = time.time() if now is None else now
    found = []
    for path in sorted(_folder(settings).iterdir()):
        with suppress(FileNotFoundError):
            if (
                path.is_file()
                and not path.name.startswith(".")
                and path.suffix.lower() not in UNFINISHED
                and at - path.stat().st_mtime >= STILL_SECONDS
            ):
                found.append(path)
    return found


def hour(store: Store) -> int | None:
    """The hour of the day in which the folder is looked at; None: at any time."""
    with store.reading() as session:
        return session.scalar(select(District.watch_hour).where(District.id == DISTRICT))


def set_hour(store: Store, at_hour: int | None) -> None:
    """Say in which hour of the day the folder is looked at. Raises BadInput."""
    if at_hour is not None and not 0 <= at_hour <= 23:
        raise BadInput("at_hour: write an hour from 0 to 23, or leave it empty")
    with store.writing(scores=False) as session:
        session.execute(update(District).where(District.id == DISTRICT).values(watch_hour=at_hour))


def take(store: Store, settings: Settings, now: float | None = None) -> list[tuple[str, str]]:
    """Bring in what lies in the watched folder; returns each file's name with what came of it.

    Another process that looks at the same time takes other files: each is moved out of the folder first.
    """
    for left in _folder(settings, TAKEN).iterdir():
        # Left by a process that was ended meanwhile; nothing of it came in, or all did and it changes nothing.
        if time.time() - left.stat().st_mtime > 3600:
            with suppress(FileNotFoundError):
                os.replace(left, _folder(settings) / left.name)
    outcomes = []
    for path in dropped(settings, now):
        mine = _folder(settings, TAKEN) / path.name
        try:
            path.rename(mine)
        except FileNotFoundError:
            continue
        os.utime(mine)
        outcomes.append((path.name, _take_one(store, settings, mine)))
    return outcomes


def _take_one(store: Store, settings: Settings, path: Path) -> str:
    try:
        outcome = _brought_in(store, path)
    except StoreDown as error:
        # Not the file's fault: it is looked at again.
        os.replace(path, _folder(settings) / path.name)
        return str(error)
    except BodkinError as error:
        _wait(settings, path, str(error).splitlines()[0])
        return f"waits: {str(error).splitlines()[0]}"
    os.replace(path, _free(_folder(settings, DONE), path.name))
    return outcome


def _brought_in(store: Store, path: Path) -> str:
    """Bring a file in where nothing needs a person. Raises BodkinError with why it does."""
    if path.stat().st_size > LARGEST:
        raise BadInput(f"is larger than {LARGEST >> 20} MB; split it into several files")
    parts, _ = files_in(path.name, path.read_bytes())
    waiting = [Waiting(str(at), name, partial(bytes, data)) for at, (name, data) in enumerate(parts)]
    with store.reading() if len(waiting) == 1 else store.trying() as session:
        seen = preview_all(session, waiting, utc_now())
    if needs := [why for one in seen if (why := _needs(one))]:
        raise BadInput(needs[0])
    if all(one.seen is None or one.seen.plan.empty for one in seen):
        return "nothing new"
    with store.writing(scores=True) as session:
        done = bring_in_all(session, waiting, None, utc_now(), came_by=CAME_BY)
    return ", ".join(f"{one.plan.counts['new']} new, {one.plan.counts['changed']} changed" for _, _, one in done)


def _needs(one: FilePreview) -> str | None:
    """Why a file needs a person; None where it does not."""
    if one.problem is not None:
        return str(one.problem).splitlines()[0]
    if one.seen is None:
        return None
    seen = one.seen
    if seen.understood.missing:
        return f"no column is {', '.join(seen.understood.missing)}"
    if seen.understood.to_confirm:
        return "headers, values or dates are guesses"
    if seen.reading.faults:
        return f"rows are refused: {seen.reading.faults[0]}"
    return open_words(seen) if seen.open else None


def _free(folder: Path, name: str) -> Path:
    """A name in a folder that no other file has; nothing that came before is overwritten."""
    path, at = folder / name, 1
    while path.exists():
        path, at = folder / f"{Path(name).stem} ({at}){Path(name).suffix}", at + 1
    return path


def _wait(settings: Settings, path: Path, why: str) -> None:
    place = _free(_folder(settings, WAITING), path.name)
    reason = place.with_name(f".{place.name}.json")
    reason.write_text(json.dumps({"why": why[:500], "at": utc_now().isoformat()}))
    os.replace(path, place)


def waiting_files(settings: Settings) -> list[WaitingFile]:
    """Files of the watched folder that need a person, the oldest first."""
    found = []
    for path in _folder(settings, WAITING).iterdir():
        reason = path.with_name(f".{path.name}.json")
        if path.name.startswith(".") or not reason.exists():
            continue
        said = json.loads(reason.read_text())
        found.append(WaitingFile(path.name, said["why"], datetime.fromisoformat(said["at"])))
    return sorted(found, key=lambda one: (one.at, one.name))


def waiting_content(settings: Settings, name: str) -> bytes:
    """A file that needs a person. Raises NotFound."""
    if name not in {one.name for one in waiting_files(settings)}:
        raise NotFound("That file is no longer waiting; choose it again.")
    return (_folder(settings, WAITING) / name).read_bytes()


def give_up(settings: Settings, name: str) -> None:
    """A person has taken a waiting file on, or does not want it: it goes to what is done. Raises NotFound."""
    waiting_content(settings, name)
    path = _folder(settings, WAITING) / name
    path.with_name(f".{name}.json").unlink(missing_ok=True)
    os.replace(path, _free(_folder(settings, DONE), name))


def main(_words: Sequence[str] = ()) -> None:
    """Look at the folder once."""
    settings = from_environment()
    for name, outcome in take(Store(settings.database_url, settings.pinned), settings):
        print(f"{name}: {outcome}", flush=True)  # noqa: T201 (the clock reads it)


if __name__ == "__main__":
    main()
