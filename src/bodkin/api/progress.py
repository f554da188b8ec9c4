"""How far a person's long work is, while it lasts."""

from collections.abc import Iterator
from contextlib import contextmanager

from bodkin.api.context import Context
from bodkin.api.runtime import LongWork
from bodkin.exchange.changes.plans import ReportProgress


@contextmanager
def reporting_progress(context: Context) -> Iterator[ReportProgress]:
    """While it lasts the person can ask how far the work is."""
    progress, who = context.runtime.progress, context.person.id

    def report(what: str, done: int, all_: int) -> None:
        progress[who] = LongWork(what, done, all_)

    try:
        yield report
    finally:
        progress.pop(who, None)
