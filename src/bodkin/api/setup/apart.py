"""Large files, looked at and brought in by a process of their own: the server's memory stays what it is.

Run as ``python -m bodkin.api.setup.apart`` with JSON on stdin; writes one JSON a line on stdout: what it is doing,
and at the end the answer or the error.
"""

import ctypes
import json
import signal
import subprocess
import sys
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any

from bodkin.answers.setup.rehearsal import Rehearsal
from bodkin.api.context import Context, now
from bodkin.api.progress import reporting_progress
from bodkin.api.setup.drafts import Draft
from bodkin.api.setup.previews import BundleAnswer, ImportOutcome, bring_in_bundle, bundle, rehearsed
from bodkin.core import errors
from bodkin.core.errors import BodkinError
from bodkin.exchange.changes.plans import ReportProgress
from bodkin.exchange.faults import BadFile, Fault
from bodkin.store.database import Store

LARGE = 6 << 20
"""Bytes of files from which a process of their own is worth its start."""
_PDEATHSIG = 1


@dataclass(frozen=True, slots=True)
class Work:
    """What is to be done: ``preview``, ``rehearse`` or ``bring in``, of which files, for whom and when."""

    what: str
    drafts: Sequence[Draft]
    notices: Sequence[str]
    today: date
    by_id: int
    now: datetime


def looked_at(context: Context, waiting: Sequence[Draft], notices: Sequence[str] = ()) -> BundleAnswer:
    """What files that wait together would do; large ones are looked at by a process of their own."""
    store = context.runtime.store
    with reporting_progress(context) as progress:
        if is_large(waiting):
            work = Work("preview", waiting, notices, context.today, context.person.id, now())
            return BundleAnswer.model_validate(done_apart(store, work, progress))
        return bundle(store, waiting, notices, progress)


def rehearsal(context: Context, waiting: Sequence[Draft]) -> Rehearsal:
    """What bringing files in would change on the screens; of large ones worked out by a process of their own."""
    store = context.runtime.store
    with reporting_progress(context) as progress:
        if is_large(waiting):
            work = Work("rehearse", waiting, (), context.today, context.person.id, now())
            return Rehearsal.model_validate(done_apart(store, work, progress))
        return rehearsed(store, waiting, progress)


def brought_in(context: Context, waiting: Sequence[Draft]) -> list[ImportOutcome]:
    """Bring files in, all or none; large ones by a process of their own."""
    store = context.runtime.store
    with reporting_progress(context) as progress:
        if is_large(waiting):
            work = Work("bring in", waiting, (), context.today, context.person.id, now())
            return [ImportOutcome.model_validate(one) for one in done_apart(store, work, progress)]
        return bring_in_bundle(store, waiting, context.person.id, now(), progress)


def is_large(drafts: Sequence[Draft]) -> bool:
    """Whether files are better looked at by a process of their own."""
    return sum(draft.size for draft in drafts) > LARGE


def done_apart(store: Store, work: Work, progress: ReportProgress) -> Any:
    """Have a process do it and hear how far it is; returns the answer as JSON. Raises what the process raised."""
    given = {
        "url": store.engine.url.render_as_string(hide_password=False),
        "what": work.what,
        "drafts": [[draft.key, str(draft.path), draft.name] for draft in work.drafts],
        "notices": list(work.notices),
        "today": work.today.isoformat(),
        "by_id": work.by_id,
        "now": work.now.isoformat(),
    }
    words = [sys.executable, "-m", "bodkin.api.setup.apart"]
    with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:  # noqa: S603 (ours)
        if process.stdin is None or process.stdout is None:
            raise BodkinError("The files could not be handed on.")
        process.stdin.write(json.dumps(given).encode())
        process.stdin.close()
        for line in process.stdout:
            said = json.loads(line)
            if "progress" in said:
                progress(*said["progress"])
            elif "error" in said:
                raise _error(said)
            else:
                return said["answer"]
    raise BodkinError("Looking at these files took more memory than there is. Split them into several and try again.")


def _error(said: dict[str, Any]) -> BodkinError:
    if said["error"] == BadFile.__name__:
        return BadFile([Fault(*fault) for fault in said["faults"]])
    kind = getattr(errors, said["error"], BodkinError)
    return kind(said["message"]) if isinstance(kind, type) and issubclass(kind, BodkinError) else BodkinError("error")


def _say(**said: Any) -> None:
    sys.stdout.write(json.dumps(said) + "\n")
    sys.stdout.flush()


def _do(given: dict[str, Any]) -> list[ImportOutcome] | BundleAnswer | Rehearsal:
    # It goes by the day of who asked, past midnight too.
    store = Store(given["url"], date.fromisoformat(given["today"]))
    drafts = [Draft(key, Path(path), name) for key, path, name in given["drafts"]]

    def report(what: str, done: int, all_: int) -> None:
        _say(progress=[what, done, all_])

    if given["what"] == "preview":
        return bundle(store, drafts, given["notices"], report)
    if given["what"] == "rehearse":
        return rehearsed(store, drafts, report)
    return bring_in_bundle(store, drafts, given["by_id"], datetime.fromisoformat(given["now"]), report)


def main() -> None:
    """Do what is asked on stdin; ends when its parent does, and is the first to go where memory is short."""
    ctypes.CDLL(None).prctl(_PDEATHSIG, signal.SIGKILL)
    with suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text("1000")
    try:
        done = _do(json.load(sys.stdin))
    except BadFile as error:
        faults = [[fault.file, fault.line, fault.column, fault.message] for fault in error.faults[:1000]]
        _say(error=type(error).__name__, message=str(error)[:2000], faults=faults)
    except BodkinError as error:
        _say(error=type(error).__name__, message=str(error))
    else:
        _say(
            answer=[one.model_dump(mode="json") for one in done]
            if isinstance(done, list)
            else done.model_dump(mode="json")
        )


if __name__ == "__main__":
    main()
