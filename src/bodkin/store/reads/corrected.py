"""What files said of results that somebody has corrected since, for holding a new file against it."""

from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.tables import Correction


@dataclass(frozen=True, slots=True)
class Corrected:
    """Cells corrected by hand, by column and the key of the result: what the file ``said``, and what stands ``now``."""

    said: dict[str, dict[int, str | None]] = field(default_factory=dict)
    now: dict[str, dict[int, str | None]] = field(default_factory=dict)


def corrected(session: Session) -> Corrected:
    """Every cell that was corrected by hand; of several corrections of one the first says what the file said."""
    found = Corrected()
    columns = (Correction.column, Correction.result_id, Correction.before, Correction.after)
    for column, key, before, after in session.execute(select(*columns).order_by(Correction.id)):
        found.said.setdefault(column, {}).setdefault(key, before)
        found.now.setdefault(column, {})[key] = after
    return found
