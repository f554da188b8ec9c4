"""Bringing in norms, growth norms and cuts: rows compared by their place, then written."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, Plan, PlannedRow, difference
from bodkin.exchange.tables_in.reading import Reading
from bodkin.store.tables import Assessment, Cut, GrowthNorm, Norm
from bodkin.store.tables.base import Base


@dataclass(frozen=True, slots=True)
class _Shape:
    """How rows of a file stand in a table: which columns say the place, which the value.

    With ``whole`` set, the rows of one place in ``whole`` are replaced as a set: what the file
    no longer has is removed.
    """

    table: type[Base]
    place: tuple[str, ...]
    values: tuple[str, ...]
    whole: tuple[str, ...] = ()


NORM_SHAPE = _Shape(Norm, ("strand", "grade", "season", "week"), ("mean", "sd"))
GROWTH_SHAPE = _Shape(GrowthNorm, ("grade", "from_season", "to_season"), ("correlation",))
CUT_SHAPE = _Shape(
    Cut,
    ("grade", "season", "purpose", "order"),
    ("band", "min_score", "min_percentile"),
    ("grade", "season", "purpose"),
)


def assessment_keys(session: Session) -> dict[tuple[str, str], int]:
    """Keys of the assessments by name and subject."""
    rows = session.execute(select(Assessment.id, Assessment.name, Assessment.subject))
    return {(name, subject): key for key, name, subject in rows}


def measures_of(rows: pl.DataFrame) -> list[tuple[str, str]]:
    """Assessments and subjects that rows name, in the order of the file."""
    named = rows.select("assessment", "subject").unique(maintain_order=True)
    return [(name, subject) for name, subject in named.iter_rows()]


def add_assessments(session: Session, ledger: Ledger, measures: Sequence[tuple[str, str]]) -> None:
    """Add the assessments that are not there yet."""
    known = assessment_keys(session)
    ledger.add(
        Assessment,
        [
            {"name": name, "subject": subject, "kind": "adaptive"}
            for name, subject in measures
            if (name, subject) not in known
        ],
    )


def plan_table(session: Session, reading: Reading, shape: _Shape) -> Plan:
    """What a file of norms, growth norms or cuts would do."""
    rows = reading.good()
    keys = assessment_keys(session)
    measures = measures_of(rows)
    table = shape.table.__table__
    columns = [table.c[name] for name in ("id", "assessment_id", *shape.place, *shape.values)]
    there: dict[tuple[Any, ...], dict[str, Any]] = {}
    wanted = [keys[measure] for measure in measures if measure in keys]
    for kept in session.execute(select(*columns).where(table.c.assessment_id.in_(wanted))).mappings():
        there[(kept["assessment_id"], *(kept[name] for name in shape.place))] = dict(kept)
    new: list[dict[str, Any]] = []
    changed: list[dict[str, Any]] = []
    planned: list[PlannedRow] = []
    met: set[tuple[Any, ...]] = set()
    wholes: set[tuple[Any, ...]] = set()
    for row in rows.iter_rows(named=True):
        measure = (row["assessment"], row["subject"])
        place = (keys.get(measure), *(row[name] for name in shape.place))
        met.add(place)
        wholes.add((place[0], *(row[name] for name in shape.whole)))
        values = {name: row[name] for name in shape.values}
        what = " ".join(str(part) for part in (*measure, *place[1:]) if part is not None)
        before = there.get(place)
        if before is None:
            new.append({"measure": measure, **dict(zip(shape.place, place[1:], strict=True)), **values})
            planned.append(PlannedRow(row["line"], what, "new"))
        elif detail := difference({name: before[name] for name in values}, values):
            changed.append({"id": before["id"], **values})
            planned.append(PlannedRow(row["line"], what, "changed", detail))
    gone = [
        row["id"]
        for place, row in there.items()
        if shape.whole and place not in met and (place[0], *(row[name] for name in shape.whole)) in wholes
    ]

    def apply(ledger: Ledger) -> None:
        add_assessments(session, ledger, measures)
        now = assessment_keys(session)
        ledger.remove(shape.table, gone)
        ledger.change(shape.table, changed)
        ledger.add(shape.table, [{"assessment_id": now[row.pop("measure")], **row} for row in (dict(r) for r in new)])

    counts = {"new": len(new), "changed": len(changed) + len(gone), "same": rows.height - len(new) - len(changed)}
    adds = {"assessments": sum(measure not in keys for measure in measures)}
    notices = [f"{len(gone)} bands that the file no longer has are removed"] if gone else []
    return Plan(counts, planned[:SHOWN], apply, adds, notices)
