"""Imports: what came in from which file, how it was read, what it changed; and other systems to fetch from."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Boolean, DateTime, ForeignKey, Integer, String
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base, BroughtIn, Code, Name


class Import(Base):
    """A file brought in. ``state`` is ``done`` or ``undone``; ``counts`` what it came to.

    ``came_by``: how it came where nobody chose it on a screen, such as ``watched folder``.
    """

    __tablename__ = "import"
    file: Mapped[Name]
    sha256: Mapped[str] = mapped_column(String(64))
    kind: Mapped[str] = mapped_column(String(32))
    counts: Mapped[dict[str, Any]] = mapped_column(JSON)
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", use_alter=True))
    at: Mapped[datetime] = mapped_column(DateTime)
    state: Mapped[str] = mapped_column(String(16))
    mapping: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    came_by: Mapped[Code | None]


class ImportMapping(Base, BroughtIn):
    """How files of one shape are read, as it was confirmed with an import; ``shape`` is a digest of the headers.

    Of several for a shape the newest holds; undoing its import takes it away.
    """

    __tablename__ = "import_mapping"
    shape: Mapped[str] = mapped_column(String(64), index=True)
    kind: Mapped[str] = mapped_column(String(32))
    mapping: Mapped[dict[str, Any]] = mapped_column(JSON)
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)


class ImportChange(Base):
    """A row that was there already and that an import changed or removed.

    ``before``: of a removed row everything, of a changed one the columns that changed.
    """

    __tablename__ = "import_change"
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id"))
    table: Mapped[str] = mapped_column(String(64))
    row_id: Mapped[int] = mapped_column(BigInteger)
    act: Mapped[str] = mapped_column(String(16))
    before: Mapped[dict[str, Any]] = mapped_column(JSON)


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
