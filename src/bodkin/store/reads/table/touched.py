"""Results written since a version of the data, read once for all who follow writes."""

from threading import Lock

import polars as pl
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, read_rows
from bodkin.store.database import versions
from bodkin.store.reads.table.load import RESULT_COLUMNS, RESULT_VERSION
from bodkin.store.reads.table.score_table import WORD
from bodkin.store.tables import Result

SITTING_COLUMNS: Columns = {
    "minutes": (Result.minutes, pl.Float64()),
    "items_tried": (Result.items_tried, pl.Int64()),
    "items_right": (Result.items_right, pl.Int64()),
    "accommodations": (Result.accommodations, WORD),
    "state": (Result.state, pl.String()),
    "state_why": (Result.state_why, pl.String()),
    "state_by": (Result.state_by_id, pl.Int64()),
}
"""What a sitting has beside what the score table holds of a result."""
_EVERY: Columns = {**RESULT_COLUMNS, **SITTING_COLUMNS}
MOST_HELD = 100_000
"""So many rows at most are held until the next write; more are read by each who asks."""


class TouchedResults:
    """The results that were written between two versions; the score table and Check ask for the same ones."""

    def __init__(self) -> None:
        self._held: tuple[tuple[int, int], pl.DataFrame] | None = None
        self._lock = Lock()

    def since(self, session: Session, version: int) -> pl.DataFrame:
        """Results as they are kept, keys instead of names, that were written after a version up to the session's."""
        between = version, versions(session)[0]
        with self._lock:
            if self._held is not None and self._held[0] == between:
                return self._held[1]
            rows = read_rows(session, _EVERY, lambda query: query.where(version < RESULT_VERSION).order_by(Result.id))
            self._held = (between, rows) if rows.height <= MOST_HELD else None
            return rows
