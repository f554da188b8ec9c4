"""The score table kept in memory: a write is followed by reading what it touched, not everything anew."""

import gc
from collections.abc import Callable, Hashable
from dataclasses import replace
from datetime import date
from threading import Lock, Thread
from typing import NamedTuple

import polars as pl
from sqlalchemy import BigInteger, ColumnClause, func, literal_column, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import read_rows
from bodkin.store.database import versions
from bodkin.store.ledger import REMOVED, changed_since, identity
from bodkin.store.reads.kept import Kept
from bodkin.store.reads.table.load import (
    NOT_COUNTED,
    Naming,
    counts,
    kept_results,
    load_calendar,
    load_cuts,
    load_fields,
    load_growth_norms,
    load_naming,
    load_norms,
    load_roster,
    named_results,
)
from bodkin.store.reads.table.score_table import ScoreTable
from bodkin.store.reads.table.start_file import HeldResults, StartFile
from bodkin.store.tables import Result

MANY = 100_000
"""Results from which on a table is kept out of the collector's way."""
MANY_NEWER = 20_000
"""So many results newer than the file of a start, and it is written anew."""
MOST_TOUCHED = 0.25
"""With a larger share of the results touched, all are read anew."""
FEW = 500
"""So many rows are put in between slices of the others; more are sorted in."""
MOST_PIECES = 600
"""From so many pieces on a frame is laid out in one again."""
_VERSION: ColumnClause[int] = literal_column("result.data_version", BigInteger)
"""The version at which the database noted that a result was last written; no model has it."""
_STRANDS = {"strand", "strand_result"}

Measure = tuple[str, str]
Rows = Callable[[Session, ScoreTable], pl.DataFrame]

OF_MEASURE = frozenset(
    {"norms", "norm_curve", "cuts", "district", "district means", "history", "curves", "measure", "window", "pairs",
     "numbers", "strand", "strands of points", "past outlook"}
)  # fmt: skip
"""Kinds of what was worked out whose key goes on with the measure that it rests on alone."""
OF_STRANDS = frozenset({"strand", "strands of points", "numbers"})


class _Change(NamedTuple):
    """Results after a change; ``measures``: those whose results changed, None where that may be all of them."""

    results: HeldResults
    measures: frozenset[Measure] | None


def _measures(rows: pl.DataFrame) -> frozenset[Measure]:
    return frozenset(rows.select("assessment", "subject").unique().iter_rows())


class ScoreTables:
    """Keeps the score table of the newest version; the database stays the truth.

    ``more``: rows of measures that are made from other tables, such as common tests from their answers.
    ``start``: where results are kept for the next start, from so ``many`` on.
    """

    def __init__(self, today: date, more: Rows | None = None, start: StartFile | None = None, many: int = MANY) -> None:
        self._more = more
        self._start, self._many = start, many
        self._newer = 0
        self.keeping: Thread | None = None
        self._norms, self._growth = Kept(load_norms), Kept(load_growth_norms)
        self._cuts, self._calendar = Kept(load_cuts), Kept(load_calendar)
        self._roster, self._fields = Kept(lambda session: load_roster(session, today)), Kept(load_fields)
        self._naming = Kept(load_naming)
        self._results: HeldResults | None = None
        self._made: pl.DataFrame | None = None
        self._table: ScoreTable | None = None
        self._lock = Lock()

    def current(self, session: Session) -> ScoreTable:
        """The table for the version that the session sees, brought up to it where it is not held."""
        wanted, table = versions(session)[1], self._table
        if table is not None and table.version == wanted:
            return table
        with self._lock:
            table = self._table
            if table is not None and table.version == wanted:
                return table
            if table is not None and table.version > wanted:
                # A question that began before the last change: answered as it was, and not kept.
                return self._fresh(session, wanted, self._whole(session, self._naming.current(session)))
            self._table = self._brought_up(session, wanted, table)
            return self._table

    def _fresh(self, session: Session, version: int, results: HeldResults) -> ScoreTable:
        table = ScoreTable(
            results.rows, self._norms.current(session), self._growth.current(session), self._cuts.current(session),
            self._calendar.current(session), version, roster=self._roster.current(session),
            fields=self._fields.current(session), mark=version,
        )  # fmt: skip
        if self._more is None:
            return table
        made = self._more(session, table)
        return _with(table, made) if made.height else table

    def _brought_up(self, session: Session, wanted: int, old: ScoreTable | None) -> ScoreTable:
        before, made = self._results, self._made
        change = self._changed(session, before)
        table = ScoreTable(
            change.results.rows, self._norms.current(session), self._growth.current(session),
            self._cuts.current(session), self._calendar.current(session), wanted, roster=self._roster.current(session),
            fields=self._fields.current(session), mark=wanted,
        )  # fmt: skip
        self._results = change.results
        if self._more is not None:
            self._made = self._more(session, table)
            table = _with(table, self._made) if self._made.height else table
        measures = change.measures
        if old is None or before is None or measures is None or not _same_beside(old, table):
            return table
        if self._made is not made and self._made is not None and made is not None:
            measures = measures | _measures(self._made) | _measures(made)
        lost = OF_STRANDS if changed_since(session, before.version) & _STRANDS else frozenset()
        return _kept(table, old, measures, lost, wanted)

    def _whole(self, session: Session, naming: Naming) -> HeldResults:
        kept = kept_results(session, lambda query: query.where(counts()))
        return HeldResults(named_results(kept, naming), versions(session)[0], naming)

    def _changed(self, session: Session, before: HeldResults | None) -> _Change:
        """The results at the session's version, from those before where that is possible."""
        naming = self._naming.current(session)
        if before is None and self._start is not None:
            before = self._start.read(identity(session), versions(session)[0])
            self._newer = 0
        if before is None or not naming.holds(before.naming):
            return self._read_anew(session, naming)
        changed = changed_since(session, before.version)
        if not changed & {"result", REMOVED + "result", REMOVED + "student", REMOVED + "assessment"}:
            return _Change(replace(before, version=versions(session)[0], naming=naming), frozenset())
        since = select(func.count()).select_from(Result).where(before.version < _VERSION)
        if (session.scalar(since) or 0) > MOST_TOUCHED * before.rows.height:
            return self._read_anew(session, naming)
        touched = kept_results(session, lambda query: query.where(before.version < _VERSION))
        state = {"line": (Result.id, pl.Int64())}
        aside = read_rows(
            session, state, lambda query: query.where(before.version < _VERSION, Result.state.in_(NOT_COUNTED))
        )
        gone = touched["line"]
        if changed & {REMOVED + "result", REMOVED + "student", REMOVED + "assessment"}:
            there = read_rows(session, state)["line"]
            gone = pl.concat([gone, before.rows.filter(~pl.col("line").is_in(there.implode()))["line"]])
            # What was removed is to be gone from the file as well.
            self._newer = MANY_NEWER + 1
        away = pl.col("line").is_in(gone.implode())
        old, stay = before.rows.filter(away), before.rows.filter(~away)
        new = named_results(touched.filter(~pl.col("line").is_in(aside["line"].implode())), naming)
        results = HeldResults(_merged(stay, new), versions(session)[0], naming)
        self._newer += touched.height
        if self._newer > MANY_NEWER:
            self._keep(results, session)
        return _Change(results, _measures(old) | _measures(new))

    def _read_anew(self, session: Session, naming: Naming) -> _Change:
        results = self._whole(session, naming)
        if results.rows.height > self._many:
            # What was just loaded stays; the collector need not walk it at every turn.
            gc.collect()
            gc.freeze()
            self._keep(results, session)
        elif self._start is not None:
            self._start.remove()
        return _Change(results, None)

    def _keep(self, results: HeldResults, session: Session) -> None:
        """Leave results for the next start; whoever asked need not wait for that."""
        if self._start is not None:
            self._newer = 0
            self.keeping = Thread(target=self._start.write, args=(results, identity(session)))
            self.keeping.start()


def _merged(stay: pl.DataFrame, new: pl.DataFrame) -> pl.DataFrame:
    """Rows put in among others, all by their line; few are put in between slices, which copies nothing."""
    if not new.height:
        return stay
    if new.height > FEW:
        return pl.concat([stay, new]).sort("line")
    places = stay["line"].search_sorted(new["line"]).to_list()
    parts, done, first = [], 0, 0
    for at, place in enumerate([*places[1:], None], start=1):
        if place != places[first]:
            parts += [stay.slice(done, places[first] - done), new.slice(first, at - first)]
            done, first = places[first], at
    rows = pl.concat([*parts, stay.slice(done)])
    return rows.rechunk() if rows.n_chunks() > MOST_PIECES else rows


def _with(table: ScoreTable, made: pl.DataFrame) -> ScoreTable:
    """A table with the rows of measures that are made."""
    return ScoreTable(
        pl.concat([table.results, made]), table.norms, table.growth_norms, table.cuts, table.calendar, table.version,
        roster=table.roster, fields=table.fields, mark=table.mark,
    )  # fmt: skip


def _same_beside(old: ScoreTable, new: ScoreTable) -> bool:
    """Whether all but the results is the very same as before."""
    names = ("norms", "growth_norms", "cuts", "calendar", "roster", "fields")
    return all(getattr(old, name) is getattr(new, name) for name in names)


def _kept(
    table: ScoreTable, old: ScoreTable, measures: frozenset[Measure], lost: frozenset[str], version: int
) -> ScoreTable:  # fmt: skip
    """The table with what was worked out from other measures than those that changed."""

    def stays(key: Hashable) -> bool:
        if not isinstance(key, tuple) or len(key) < 3 or key[0] in lost:
            return False
        return key[0] in OF_MEASURE and key[1:3] not in measures

    marks = {**old.marks, **dict.fromkeys(measures, version)}
    return ScoreTable(
        table.results, table.norms, table.growth_norms, table.cuts, table.calendar, version, roster=table.roster,
        fields=table.fields, worked=old.worked.kept(stays), mark=old.mark, marks=marks,
    )  # fmt: skip
