"""What Setup keeps: other systems that Bodkin fetches the roster from, what a test is, the time zone."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import delete, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.database import DISTRICT
from bodkin.store.day import zone_named
from bodkin.store.reads.assessments import KINDS, all_tests
from bodkin.store.tables import Assessment, District, RosterSource
from bodkin.store.vault import MARK, Vault
from bodkin.store.writes.undo import Before, was


@dataclass(frozen=True, slots=True)
class Source:
    """A rostering service; ``at_hour`` is the local hour at which it is fetched every day, none: when asked to."""

    id: int
    name: str
    address: str
    client_id: str
    client_secret: str
    at_hour: int | None
    last_at: datetime | None
    last_outcome: str | None
    last_failed: bool | None

    def due(self, now: datetime) -> bool:
        """Whether its hour has come today and it has not been fetched since. ``now`` is local, with its zone.

        On the day on which clocks go back, an hour that comes twice has come with the first of the two.
        """
        if self.at_hour is None or now.hour < self.at_hour:
            return False
        hour = now.replace(hour=self.at_hour, minute=0, second=0, microsecond=0, fold=0)
        return self.last_at is None or self.last_at.replace(tzinfo=UTC) < hour


def _source(row: RosterSource) -> Source:
    return Source(
        row.id, row.name, row.address, row.client_id, row.client_secret, row.at_hour, row.last_at, row.last_outcome,
        row.last_failed,
    )  # fmt: skip


def set_time_zone(session: Session, name: str | None) -> list[Before]:
    """Say in which time zone the district's days begin and end, None: the machine's; returns what was there before.

    Raises BadInput for a name that is none.
    """
    zone_named(name)
    district = select(District.id, District.time_zone).where(District.id == DISTRICT)
    before = was(District, session.execute(district).one()._mapping)
    session.execute(update(District).where(District.id == DISTRICT).values(time_zone=name))
    return [before]


def all_sources(session: Session) -> Sequence[Source]:
    """Every source by name."""
    return [_source(row) for row in session.scalars(select(RosterSource).order_by(RosterSource.name))]


def source(session: Session, key: int) -> Source:
    """One source. Raises NotFound."""
    row = session.get(RosterSource, key)
    if row is None:
        raise NotFound("There is no such rostering service.")
    return _source(row)


def _checked(address: str, at_hour: int | None) -> None:
    if not address.startswith(("https://", "http://")):
        raise BadInput("address: write the address of the service, beginning with https://")
    if at_hour is not None and not 0 <= at_hour <= 23:
        raise BadInput("at_hour: write an hour from 0 to 23")


def add_source(
    session: Session, *, name: str, address: str, client_id: str, client_secret: str, at_hour: int | None
) -> int:
    """A new source; returns its key. Raises BadInput for another address, Conflict where the name is taken."""
    _checked(address, at_hour)
    row = RosterSource(name=name, address=address, client_id=client_id, client_secret=client_secret, at_hour=at_hour)
    session.add(row)
    try:
        session.flush()
    except IntegrityError:
        raise Conflict(f'there is already a rostering service called "{name}"') from None
    return row.id


def change_source(session: Session, key: int, *, at_hour: int | None, address: str | None = None) -> None:
    """Change when a source is fetched, and from where. Raises NotFound, BadInput."""
    known = source(session, key)
    _checked(address or known.address, at_hour)
    values = {"at_hour": at_hour, "address": address or known.address}
    session.execute(update(RosterSource).where(RosterSource.id == key).values(values))


def seal_secrets(session: Session, vault: Vault) -> None:
    """Seal what an earlier Bodkin kept in plain text."""
    for one in all_sources(session):
        if not one.client_secret.startswith(MARK):
            sealed = vault.seal(one.client_secret)
            session.execute(update(RosterSource).where(RosterSource.id == one.id).values(client_secret=sealed))


def note_fetch(session: Session, key: int, now: datetime, outcome: str, *, failed: bool) -> None:
    """Keep what came of fetching; ``now`` without zone, in UTC."""
    values = {"last_at": now, "last_outcome": outcome[:1000], "last_failed": failed}
    session.execute(update(RosterSource).where(RosterSource.id == key).values(values))


def remove_source(session: Session, key: int) -> None:
    """Forget a source; what came from it stays. Raises NotFound."""
    source(session, key)
    session.execute(delete(RosterSource).where(RosterSource.id == key))


def change_test(session: Session, name: str, subject: str, *, kind: str, norm_group: str | None) -> None:
    """Say what kind a test is and whose norms it has. Raises BadInput for another kind, NotFound."""
    if kind not in KINDS:
        raise BadInput(f"kind: write one of {', '.join(KINDS)}")
    if (name, subject) not in all_tests(session):
        raise NotFound("There is no such test.")
    here = (Assessment.name == name, Assessment.subject == subject)
    session.execute(update(Assessment).where(*here).values(kind=kind, norm_group=norm_group))
