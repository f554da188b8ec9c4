"""Rows of another system against a table: what is new and what has changed, worked out before anything is written."""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, PlannedRow, difference
from bodkin.store.tables import Base, Person

Row = dict[str, Any]
Again = Callable[[Row], None]

MANY = {
    "class": "classes",
    "entry of a field": "entries of fields",
    "person": "people",
    "place in a class": "places in classes",
    "school year of a student": "school years of students",
    "teacher of a class": "teachers of classes",
}
"""What several of a kind are called where it is not the same with an s."""


@dataclass(slots=True)
class _Operation:
    """Rows of one table to add and to change; a key that is not there yet is below zero."""

    table: type[Base]
    natural: tuple[str, ...]
    new: list[Row]
    changed: list[Row]
    met: list[Row] = field(default_factory=list)
    lines: dict[int, tuple[int, str]] = field(default_factory=dict)
    freed: list[Row] = field(default_factory=list)


class _There:
    """What a table holds, found by what a row names, else by its sourcedId."""

    def __init__(
        self, session: Session, table: type[Base], natural: tuple[str, ...], renumbered: Collection[str]
    ) -> None:
        columns = table.__table__.c
        self._renumbered = renumbered
        # A class stays in its year and school, a place in a class is one student's: an id that says otherwise is new.
        self._fixed = [name for name in natural if columns[name].foreign_keys]
        self.rows: list[Row] = [dict(row) for row in session.execute(select(*columns)).mappings()]
        self.natural = natural
        self.sourced, self.apart = "sourced_id" in columns, table is Person
        self._by_id = {row["sourced_id"]: row for row in self.rows if self.sourced and row["sourced_id"]}
        self._by_name = {self._place(row): row for row in reversed(self.rows)}
        # A place in a class that only results have told has no days yet.
        self._dayless = {
            self._loose(row): row
            for row in self.rows
            if "first_day" in natural and row["first_day"] is None and not row["sourced_id"]
        }

    def _place(self, row: Row) -> tuple[Any, ...]:
        return tuple(row[name] for name in self.natural)

    def _loose(self, row: Row) -> tuple[Any, ...]:
        return tuple(row[name] for name in self.natural if name != "first_day")

    def find(self, row: Row, place: tuple[Any, ...]) -> Row | None:
        """The row that another one stands for; None where it is new."""
        mine = row["sourced_id"] if self.sourced else None
        by_id = self._by_id.get(mine) if mine and mine not in self._renumbered else None
        if by_id is not None and any(by_id[name] != row[name] for name in self._fixed):
            by_id = None
        if self.apart:
            if by_id is not None:
                return by_id
            # Of people of one name each is found once, and one whom another id names is somebody else.
            named = self._by_name.get(place)
            if named is None or (named["sourced_id"] and mine):
                return None
            return self._by_name.pop(place)
        return self._by_name.get(place) or by_id or self._dayless.pop(self._loose(row), None)

    def freed(self, made: _Operation) -> list[Row]:
        """Rows whose sourcedId goes to another one."""
        taken: dict[str, int] = {}
        for row in (*made.new, *made.met, *made.changed):
            if self.sourced and row.get("sourced_id"):
                taken[row["sourced_id"]] = row["id"]
        moved = ((key, taken.get(key), known["id"]) for key, known in self._by_id.items())
        return [{"id": old, "sourced_id": None} for _, new, old in moved if new is not None and new != old]


@dataclass(slots=True)
class Sync:
    """What rows of another system would do to our tables, worked out without writing."""

    session: Session
    operations: list[_Operation] = field(default_factory=list)
    shown: list[PlannedRow] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=lambda: {"new": 0, "changed": 0, "same": 0})
    adds: dict[str, int] = field(default_factory=dict)
    _next: int = 0

    def take(
        self, table: type[Base], natural: tuple[str, ...], rows: Iterable[Row], what: str, again: Again | None = None,
        renumbered: Collection[str] = (),
    ) -> dict[str, int]:  # fmt: skip
        """Compare rows with a table; returns our key for each sourcedId (below zero: not there yet).

        A row holds the columns of the table, ``line`` where it comes from one, ``said`` where it is
        called something, and ``sourced_id`` where the table keeps it. What a package leaves empty
        stays as it is. What a row names says which it is, whatever its sourcedId was before: another
        system, or the same one renumbered, knows the same school by another id. Two rows of one
        place are one, ``again`` hears of the later one; people of one name are several. ``renumbered``:
        sourcedIds that stand for something else now.
        """
        there = _There(self.session, table, natural, renumbered)
        made = _Operation(table, natural, [], [])
        keys: dict[str, int] = {}
        met: dict[tuple[Any, ...], int] = {}
        for given in rows:
            line, row = given.get("line", 0), {name: given[name] for name in given if name not in ("line", "said")}
            said = f"{what} {given.get('said') or _name(row)}".strip()
            place = tuple(row[name] for name in natural)
            known = there.find(row, place)
            if not there.apart and place in met:
                if again is not None:
                    again(given)
                key = met[place]
            elif known is not None:
                key = self._compare(made, row, known, line, said)
            else:
                self._next -= 1
                key = self._next
                made.new.append({"id": key, **row})
                made.lines[key] = (line, said)
                self._show(PlannedRow(line, said, "new"))
                many = MANY.get(what, f"{what}s")
                self.adds[many] = self.adds.get(many, 0) + 1
                self.counts["new"] += 1
            met[place] = key
            if there.sourced and row["sourced_id"]:
                keys[row["sourced_id"]] = key
        made.freed = there.freed(made)
        self.operations.append(made)
        return keys

    def _compare(self, made: _Operation, row: Row, known: Row, line: int, what: str) -> int:
        key: int = known["id"]
        after = {name: value for name, value in row.items() if value is not None}
        if "sourced_id" in after and known["sourced_id"] != after["sourced_id"]:
            # That another system knows it too, or by another id, changes nothing about it; it is only kept in mind.
            known = {**known, "sourced_id": after["sourced_id"]}
            made.met.append({"id": key, "sourced_id": after["sourced_id"]})
        points = {column.name for column in made.table.__table__.c if column.foreign_keys}
        said = {name: value for name, value in after.items() if name not in points}
        detail = difference({name: known[name] for name in said}, said)
        moved = [name.removesuffix("_id") for name in points & after.keys() if known[name] != after[name]]
        if detail := ", ".join([*filter(None, [detail]), *(f"another {name}" for name in sorted(moved))]):
            made.changed.append({"id": key, **after})
            self._show(PlannedRow(line, what, "changed", detail))
            self.counts["changed"] += 1
        else:
            self.counts["same"] += 1
        return key

    def _show(self, row: PlannedRow) -> None:
        if len(self.shown) < SHOWN:
            self.shown.append(row)

    def apply(self, ledger: Ledger) -> None:
        """Write it all, in the order in which it was taken."""
        real: dict[int, int] = {}
        for one in self.operations:
            columns = one.table.__table__.c
            points = {column.name for column in columns if column.foreign_keys}
            twice = {row["id"] for row in one.changed}
            ledger.change(one.table, one.freed)
            ledger.change(one.table, [row for row in one.met if row["id"] not in twice])
            ledger.change(one.table, [_settled(row, points, real) for row in one.changed])
            new = [_settled(row, points, real) for row in one.new]
            if not new:
                continue
            names = list(dict.fromkeys(name for row in new for name in row if name != "id"))
            ledger.add(one.table, [{name: row.get(name) for name in names} for row in new], list(one.lines.values()))
            wanted = ("sourced_id",) if "sourced_id" in columns else one.natural
            query = select(columns.id, *(columns[name] for name in wanted)).where(columns.import_id == ledger.import_id)
            found = {tuple(row[1:]): row[0] for row in self.session.execute(query)}
            real |= {row["id"]: found[tuple(row[name] for name in wanted)] for row in new}


def _settled(row: Row, points: Collection[str], real: Mapping[int, int]) -> Row:
    """A row whose keys are all there: those below zero have been written by now."""
    return {
        name: real[value] if name in points and isinstance(value, int) and value < 0 else value
        for name, value in row.items()
    }


def _name(row: Row) -> str:
    for names in (("student_id",), ("name",), ("title",), ("sourced_id",)):
        if isinstance(row.get(names[0]), str):
            return str(row[names[0]])
    return ""
