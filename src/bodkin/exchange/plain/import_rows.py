"""Bringing in files whose lines are rows of one table, and writing them out again."""

from typing import Any

import polars as pl
from sqlalchemy import Boolean, Date, Double, Float, Integer, select
from sqlalchemy.orm import Session

from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import SHOWN, Plan, PlannedRow, difference
from bodkin.exchange.faults import Fault
from bodkin.exchange.plain.references import NEW_STUDENT, Reference
from bodkin.exchange.plain.row_files import RowFile
from bodkin.exchange.tables_in.reading import Reading, read_plain
from bodkin.exchange.tables_in.sheets import Sheet
from bodkin.store.tables import Student


def read_rows(kind: RowFile, file: str, content: bytes | Sheet) -> Reading:
    """A file of rows; two lines for the same row are a fault of the later one."""
    reading = read_plain(file, content, kind.layout)
    reading.faults = sorted(reading.faults + kind.check(reading))
    return reading


def _dtype(column: Any) -> type[pl.DataType]:
    kinds: tuple[tuple[type, type[pl.DataType]], ...] = (
        (Boolean, pl.Boolean), (Date, pl.Date), (Double, pl.Float64), (Float, pl.Float64), (Integer, pl.Int64),
    )  # fmt: skip
    return next((dtype for kind, dtype in kinds if isinstance(column.type, kind)), pl.String)


def _table(session: Session, kind: RowFile) -> pl.DataFrame:
    """What the table holds: ``id``, place and values."""
    columns = [kind.table.__table__.c[name] for name in ("id", *kind.place, *kind.values)]
    schema = {column.name: _dtype(column) for column in columns}
    rows = session.execute(select(*columns).order_by(columns[0]).execution_options(yield_per=20_000))
    frames = [pl.DataFrame([tuple(row) for row in part], schema=schema, orient="row") for part in rows.partitions()]
    return pl.concat([pl.DataFrame(schema=schema), *frames])


def _written(rows: pl.DataFrame, kind: RowFile) -> pl.DataFrame:
    """Rows of a file with the table's names and types in place of the file's."""
    columns = kind.table.__table__.c
    made = []
    for name in dict.fromkeys((*kind.place, *kind.values)):
        if name in {reference.key for reference in kind.references}:
            continue
        value = pl.col(kind.column(name))
        if isinstance(columns[name].type, Boolean):
            value = value == "true"
        if name in kind.instead:
            value = value.fill_null(kind.instead[name])
        made.append(value.cast(_dtype(columns[name])).alias(f"@{name}"))
    return rows.with_columns(made)


def _keyed(session: Session, rows: pl.DataFrame, kind: RowFile) -> pl.DataFrame:
    every = (*kind.references, *kind.needs)
    return rows.with_columns(reference.find(session, rows).alias(f"@{reference.key}") for reference in every)


def _named(reference: Reference) -> pl.Expr:
    # The last name is the thing's own; the ones before it say where it is looked for.
    return pl.col(reference.names[-1]).is_not_null()


def _refuse(reading: Reading, rows: pl.DataFrame, kind: RowFile) -> pl.DataFrame:
    """Rows that can be brought in; the others become faults that say what they name in vain."""
    faults: list[Fault] = []
    for reference in (*kind.references, *kind.needs):
        if reference.add is not None:
            continue
        missing = pl.col(f"@{reference.key}").is_null()
        vain = rows.filter(missing & _named(reference) if reference.optional else missing)
        column = reference.names[-1]
        for row in vain.select("line", *reference.names).iter_rows():
            what = " ".join(str(part) for part in row[1:] if part is not None)
            faults.append(
                Fault(reading.file, row[0], column, f'there is no {reference.what} "{what}"; import it first')
            )
    # What is not there yet is told apart by its names.
    place = [f"@{name}" for name in kind.place]
    place += [name for reference in kind.references if reference.add is not None for name in reference.names]
    good = rows.filter(~pl.col("line").is_in(sorted({fault.line for fault in faults})))
    first = good.select("line", pl.col("line").min().over(place).alias("first"))
    faults += [
        Fault(reading.file, line, kind.layout.columns[0].name, f"repeats line {before} or contradicts it")
        for line, before in first.filter(pl.col("line") > pl.col("first")).iter_rows()
    ]
    reading.faults = sorted(reading.faults + faults)
    return rows.filter(~pl.col("line").is_in(sorted({fault.line for fault in faults})))


def _what(row: dict[str, Any], kind: RowFile) -> str:
    names = [column.name for column in kind.layout.columns if column.required]
    return " · ".join(str(row[name]) for name in names if row[name] is not None)[:160]


def _parted(session: Session, rows: pl.DataFrame, kind: RowFile) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows that are new, and rows that say something else than what is there (``id``, ``_before``)."""
    place = [f"@{name}" for name in kind.place]
    there = _table(session, kind).rename({name: f"@{name}" for name in kind.place})
    before = there.rename({name: f"{name}_before" for name in kind.values})
    met = rows.join(before, on=place, how="left", nulls_equal=True, maintain_order="left")
    new = met.filter(pl.col("id").is_null())
    known = met.filter(pl.col("id").is_not_null())
    if not kind.values:
        return new, known.clear()
    differs = pl.any_horizontal(pl.col(f"@{name}").ne_missing(pl.col(f"{name}_before")) for name in kind.values)
    return new, known.filter(differs)


def plan_rows(session: Session, reading: Reading, kind: RowFile) -> Plan:
    """What a file of rows would do. Lines that name what is not there become faults of the reading."""
    rows = _keyed(session, _written(reading.good(), kind), kind)
    rows = _refuse(reading, rows, kind)
    new, changed = _parted(session, rows, kind)
    planned = [
        PlannedRow(
            row["line"],
            _what(row, kind),
            "changed",
            difference({n: row[f"{n}_before"] for n in kind.values}, {n: row[f"@{n}"] for n in kind.values}),
        )
        for row in changed.head(SHOWN).iter_rows(named=True)
    ]
    planned += [
        PlannedRow(row["line"], _what(row, kind), "new") for row in new.head(SHOWN - len(planned)).iter_rows(named=True)
    ]
    adds: dict[str, int] = {}
    for reference in kind.references:
        lacking = rows.filter(pl.col(f"@{reference.key}").is_null() & _named(reference))
        if reference.add is not None and lacking.height:
            adds[f"{reference.what}s"] = lacking.select(reference.names).unique().height

    def apply(ledger: Ledger) -> None:
        keyed = rows
        for reference in kind.references:
            lacking = keyed.filter(pl.col(f"@{reference.key}").is_null() & _named(reference))
            if reference.add is not None and lacking.height:
                reference.add(session, ledger, lacking)
                keyed = _keyed(session, keyed, kind)
        fresh, other = _parted(session, keyed, kind)
        names = [*kind.place, *kind.values]
        ledger.add_frame(kind.table, fresh.select(pl.col(f"@{name}").alias(name) for name in names))
        ledger.change(
            kind.table, other.select("id", *(pl.col(f"@{name}").alias(name) for name in kind.values)).to_dicts()
        )

    counts = {"new": new.height, "changed": changed.height, "same": rows.height - new.height - changed.height}
    return Plan(counts, sorted(planned, key=lambda row: row.line), apply, adds)


def plan_students(session: Session, reading: Reading, kind: RowFile) -> Plan:
    """What a roster file would do: as any file of rows, and names that have changed."""
    plan = plan_rows(session, reading, kind)
    named = reading.good().unique("student_id", keep="last", maintain_order=True)
    there = NEW_STUDENT.known(session).rename({"given_name": "given", "family_name": "family"})
    both = named.join(there, on="student_id", maintain_order="left")
    other = both.filter(
        pl.any_horizontal(
            pl.col(new).is_not_null() & pl.col(new).ne_missing(pl.col(old))
            for new, old in (("given_name", "given"), ("family_name", "family"))
        )
    ).select(
        pl.col("key").alias("id"),
        pl.coalesce("given_name", "given").alias("given_name"),
        pl.coalesce("family_name", "family").alias("family_name"),
    )
    rest = plan.apply

    def apply(ledger: Ledger) -> None:
        ledger.change(Student, other.to_dicts())
        rest(ledger)

    if other.height:
        plan.adds["names_changed"] = other.height
    plan.apply = apply
    return plan


def rows_out(session: Session, kind: RowFile) -> pl.DataFrame:
    """The table as a file of this kind: every column of the layout, in its order, by order of arrival."""
    rows = _table(session, kind)
    for reference in kind.references:
        known = reference.known(session)
        columns = [name for name in known.columns if name == "key" or name not in rows.columns or name == reference.key]
        known = known.select(columns).rename({name: f"{name}@" for name in columns if name != "key"})
        rows = rows.join(known, left_on=reference.key, right_on="key", how="left", maintain_order="left")
        rows = rows.drop(reference.key).rename({f"{name}@": name for name in columns if name != "key"})
    rows = rows.rename({name: kind.column(name) for name in (*kind.place, *kind.values) if name in rows.columns})
    truths = [name for name, dtype in rows.schema.items() if dtype == pl.Boolean]
    rows = rows.with_columns(pl.col(name).cast(pl.String) for name in truths)
    return rows.select(
        pl.col(column.name) if column.name in rows.columns else pl.lit(None, dtype=column.kind.dtype).alias(column.name)
        for column in kind.layout.columns
    )
