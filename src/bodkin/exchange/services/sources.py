"""Fetching a roster from its service and bringing it in, by hand or by the clock."""

from datetime import UTC, datetime

from bodkin.core.errors import BodkinError
from bodkin.exchange.changes.plans import ReportProgress, no_progress
from bodkin.exchange.imports import imports
from bodkin.exchange.services.addresses import check_elsewhere
from bodkin.exchange.services.rostering import fetch
from bodkin.store.database import Store
from bodkin.store.settings import Settings
from bodkin.store.writes.setup import Source, all_sources, note_fetch


def file_name(source: Source) -> str:
    """The name under which what a source gives stands in the history."""
    return f"roster of {source.name}.zip"


def utc_now() -> datetime:
    """Now, as the tables keep it: UTC without zone."""
    return datetime.now(UTC).replace(tzinfo=None)


def fetch_from(source: Source, settings: Settings, progress: ReportProgress = no_progress) -> bytes:
    """The whole roster of a source as a package of files. Raises ServiceAway, BadInput for a secret that is gone."""
    check_elsewhere(source.address, settings.standins)
    return fetch(source.address, source.client_id, settings.vault.open(source.client_secret), progress)


def pull(
    store: Store, settings: Settings, source: Source, by_id: int | None = None, progress: ReportProgress = no_progress
) -> str:
    """Fetch a roster and bring its good rows in; returns what came of it, which the source keeps too.

    Raises BodkinError where that fails; nothing is changed then, and the source keeps why.
    """
    try:
        content = fetch_from(source, settings, progress)
        with store.reading() as session:
            nothing = imports.preview(session, file_name(source), content).plan.empty
        if nothing:
            said = "Nothing has changed."
        else:
            with store.writing(scores=True) as session:
                now = utc_now()
                _, seen = imports.bring_in(session, file_name(source), content, by_id, now, progress=progress)
            counts = seen.plan.counts
            said = f"{counts['new']} new, {counts['changed']} changed, {len(seen.reading.faults)} refused."
    except BodkinError as error:
        with store.writing(scores=False) as session:
            note_fetch(session, source.id, utc_now(), str(error), failed=True)
        raise
    with store.writing(scores=False) as session:
        note_fetch(session, source.id, utc_now(), said, failed=False)
    return said


def pull_due(store: Store, settings: Settings, now: datetime) -> list[tuple[Source, str]]:
    """Fetch every source whose hour has come; returns each with what came of it. ``now``: in the district's zone."""
    with store.reading() as session:
        due = [source for source in all_sources(session) if source.due(now)]
    done = []
    for source in due:
        try:
            done.append((source, pull(store, settings, source)))
        except BodkinError as error:
            done.append((source, str(error)))
    return done
