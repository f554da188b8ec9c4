"""Rows of a package on their way out, and the sourcedIds that others point at."""

import hashlib
import uuid
from dataclasses import dataclass, field
from datetime import date
from json.encoder import encode_basestring
from typing import Any

from sqlalchemy.orm import Session

from bodkin.exchange.oneroster.files import FILES

NAMESPACE = uuid.uuid5(uuid.NAMESPACE_URL, "bodkin:oneroster")


def made_id(kind: str, *names: object) -> str:
    """A sourcedId from names: the same for the same names, on every machine.

    The UUID of version 5 (RFC 9562) of the names as a JSON list; a package holds hundreds of thousands, for which the
    library's own ``uuid5`` takes five times as long.
    """
    text = f"[{', '.join([encode_basestring(str(name)) for name in (kind, *names)])}]"
    made = hashlib.sha1(NAMESPACE.bytes + text.encode(), usedforsecurity=False).hexdigest()
    variant = "89ab"[int(made[16], 16) & 3]
    return f"{made[:8]}-{made[8:12]}-5{made[13:16]}-{variant}{made[17:20]}-{made[20:32]}"


def days_of(year: str) -> tuple[date, date]:
    """August to July: the days of a school year whose own are not known."""
    began = int(year[:4])
    return date(began, 8, 1), date(began + 1, 7, 31)


def year_name(first: date) -> str:
    """The school year that a day lies in, August to July."""
    began = first.year if first.month >= 7 else first.year - 1
    return f"{began}-{(began + 1) % 100:02d}"


def true_word(value: object) -> str:
    """The word of the specification for true and false."""
    return "true" if value else "false"


def grade_code(grade: str | None) -> str | None:
    """A grade by the list that the specification names (CEDS entry grade level): two digits, KG, PK."""
    if grade is None:
        return None
    return grade.zfill(2) if grade.isdigit() else {"K": "KG"}.get(grade, grade)


@dataclass(slots=True)
class PackageRows:
    """Rows of every file, and the sourcedIds of what others point at, by our keys."""

    session: Session
    rows: dict[str, list[dict[str, Any]]] = field(default_factory=lambda: {name: [] for name in FILES})
    ids: dict[tuple[str, int], str] = field(default_factory=dict)
    district: str = ""
    after: dict[str, tuple[str, int]] = field(default_factory=dict)
    always: dict[str, dict[str, str]] = field(default_factory=dict)
    """What every row of a file says alike, by file and column."""

    def put(self, file: str, sourced: str, **values: Any) -> None:
        """A row of a file."""
        self.rows[file].append({"sourcedId": sourced, **values})

    def place(self, row: dict[str, Any]) -> tuple[str, int]:
        """Where a row stands in its file: by its id; of several results of a day each after the one before it."""
        return self.after.get(row["sourcedId"], (row["sourcedId"], 0))

    def named(self, kind: str, key: int, sourced: str | None, *names: object) -> str:
        """The sourcedId of a row, kept under our key."""
        made = sourced or made_id(kind, *names)
        self.ids[kind, key] = made
        return made

    def org(self, school: int | None) -> str:
        """The sourcedId of a school, or of the district."""
        return self.ids["school", school] if school is not None else self.district
