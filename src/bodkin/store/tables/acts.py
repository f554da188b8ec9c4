"""Acts: what people changed, kept so that it can be taken back."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, DateTime, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from bodkin.store.tables.base import Base


class Act(Base):
    """Something somebody changed, in words, with every row it changed as it was before.

    ``kind`` is one of ``bodkin.store.writes.undo.KINDS``; an act of kind ``import`` names its import,
    whose own list of changes says what was there. ``scores``: whether it changes which results count.
    ``state`` is ``done``, ``undone``, or ``final`` for what cannot be taken back.
    """

    __tablename__ = "act"
    kind: Mapped[str] = mapped_column(String(16))
    by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(DateTime)
    said: Mapped[str] = mapped_column(String(500))
    before: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    scores: Mapped[bool]
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id"))
    state: Mapped[str] = mapped_column(String(12))
