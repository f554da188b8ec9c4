"""Other systems that Bodkin fetches from, and when."""

from datetime import datetime

from sqlalchemy import Boolean, DateTime, Integer, String
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, Name


class RosterSource(Base):
    """A rostering service: its address, how Bodkin signs in there, and what came of the last time.

    ``at_hour`` is the hour of the day at which the roster is fetched; empty: only when asked to.
    """

    __tablename__ = "roster_source"
    name: Mapped[Name] = mapped_column(unique=True)
    address: Mapped[str] = mapped_column(String(255))
    client_id: Mapped[Name]
    # Sealed with a key that lies outside the database, see bodkin.store.vault.
    client_secret: Mapped[str] = mapped_column(String(1000))
    at_hour: Mapped[int | None] = mapped_column(Integer)
    last_at: Mapped[datetime | None] = mapped_column(DateTime)
    last_outcome: Mapped[str | None] = mapped_column(String(1000))
    last_failed: Mapped[bool | None] = mapped_column(Boolean)
