"""The score table kept in memory: a write is followed by reading what it touched, not everything anew."""

import gc
from collections.abc import Callable, Hashable
from dataclasses import replace
from pathlib import Path
from threading import Lock, Thread
from typing import NamedTuple

import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import read_rows
from bodkin.store.database import day_of, of_one_state, versions
from bodkin.store.ledger import DAY, changed_since, identity
from bodkin.store.reads.kept import Kept, Lately
from bodkin.store.reads.table.load import (
    NOT_COUNTED,
    RESULT_COLUMNS,
    RESULT_REMOVALS,
    RESULT_VERSION,
    KeyNames,
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
from bodkin.store.reads.table.made_rows import MadeRows, kept_rows
from bodkin.store.reads.table.merged import MOST_TOUCHED, merged_rows, of_keys
from bodkin.store.reads.table.score_table import ROSTER, Memo, ScoreTable
from bodkin.store.reads.table.start_file import (
    MANY,
    MANY_NEWER,
    MANY_SCORES,
    ROSTER_FILE,
    HeldResults,
    RowsFile,
    read_results,
    remove_beside,
    write_results,
)
from bodkin.store.reads.table.touched import TouchedResults
from bodkin.store.tables import Result

STRANDS = frozenset({"strand", "strand_result"})

OfWindow = tuple[str, str, str | None]
"""Assessment, subject and window; None outside windows."""
Rows = Callable[[Session, ScoreTable], pl.DataFrame]

BESIDE = frozenset({"norms", "norm_curve", "cuts", "carried cuts"})
"""Kinds of what was worked out from norms and cuts, whatever the results are."""
OF_WINDOW = frozenset({"window", "numbers", "window mean", "latest window"})
"""Kinds whose key goes on with a measure, a language and the windows that they rest on alone."""
OUTSIDE_TOO = frozenset({"pairs"})
"""The same of kinds that rest on results outside windows, too."""
OF_MEASURE = OF_WINDOW | {
    "district", "district means", "history", "curves", "windows met", "pairs", "everybody", "strand_rows", "strand",
    "strands of points", "past outlook", "measure choice",
}  # fmt: skip
"""Kinds whose key goes on with the measure that they rest on alone."""


class _Change(NamedTuple):
    """Results after a change; ``touched``: windows whose results changed, None where that may be all of them."""

    results: HeldResults
    touched: frozenset[OfWindow] | None


def _windows(rows: pl.DataFrame) -> frozenset[OfWindow]:
    return frozenset(rows.select("assessment", "subject", "window").unique().iter_rows())


class ScoreTables:
    """Keeps the score table of the newest version; the database stays the truth.

    ``more``: rows of measures that are made from other tables, such as common tests from their answers; ``by``: by
    which code, see ``made_by``.
    ``held``: the folder in which results are kept for the next start, from so ``many`` on.
    """

    def __init__(self, more: Rows | None = None, held: Path | None = None, many: int = MANY, by: str = "") -> None:
        self._more = more
        self._held = held
        self._start, self._many = None if held is None else RowsFile(held, "scores"), many
        self._rows_made = MadeRows(None if held is None else RowsFile(held, "made"), about=by)
        self._newer = 0
        self.keeping: Thread | None = None
        self._norms, self._growth = Kept(load_norms), Kept(load_growth_norms)
        self._cuts, self._calendar = Kept(load_cuts), Kept(load_calendar)
        roster = None if held is None else RowsFile(held, ROSTER_FILE, ROSTER)
        self._roster = kept_rows(lambda session: load_roster(session, day_of(session)), roster, MANY_SCORES)
        self._fields = Kept(load_fields)
        self.naming = Kept(load_naming)
        self.touched = TouchedResults()
        self._results: HeldResults | None = None
        self._made: pl.DataFrame | None = None
        self._lately: Lately[ScoreTable] = Lately()
        self._lock = Lock()

    def current(self, session: Session) -> ScoreTable:
        """The table for the version and the day that the session sees, brought up to them where it is not held."""
        return of_one_state(session, self, lambda: self._of(session))

    def _of(self, session: Session) -> ScoreTable:
        wanted, day = versions(session)[1], day_of(session)
        self._lately.tidy()
        if (held := self._lately.at(wanted, day)) is not None:
            return held.value
        with self._lock:
            if (held := self._lately.at(wanted, day)) is not None:
                return held.value
            old = self._lately.newest
            if old is None or (old.last, old.day or day) < (wanted, day):
                table = self._brought_up(session, wanted, None if old is None else old.value)
                # What was worked out from the one before goes on with the new one, or is out of date.
                before = None if old is None else replace(old.value, worked=Memo())
                return self._lately.put(table, frozenset({DAY}), wanted, day, before).value
        # A question that began before the changes still known: answered as it was, kept for nobody else.
        return self._fresh(session, wanted, self._whole(session, self.naming.current(session)))[0]

    def _fresh(self, session: Session, version: int, results: HeldResults) -> tuple[ScoreTable, pl.DataFrame | None]:
        """A table from which nothing has been worked out yet, and the rows in it that are made from other tables."""
        table = ScoreTable(
            results.rows, self._norms.current(session), self._growth.current(session), self._cuts.current(session),
            self._calendar.current(session), version, roster=self._roster.current(session),
            fields=self._fields.current(session), mark=version, day=day_of(session),
        )  # fmt: skip
        made = self._made_rows(session, table)
        if made is None or not made.height:
            return table, made
        return replace(table, results=pl.concat([table.results, made])), made

    def _made_rows(self, session: Session, table: ScoreTable) -> pl.DataFrame | None:
        """The rows made from other tables."""
        more = self._more
        if more is None:
            return None

        def make() -> pl.DataFrame:
            # Of the score table they rest on the calendar.
            self._calendar.current(session)
            return more(session, table)

        return self._rows_made.current(session, make, keep=table.results.height > self._many)

    def _brought_up(self, session: Session, wanted: int, old: ScoreTable | None) -> ScoreTable:
        before, made = self._results, self._made
        self._results, touched = self._changed(session, before)
        table, self._made = self._fresh(session, wanted, self._results)
        if old is None or before is None or touched is None or not _same_beside(old, table):
            return table
        # A strand is a table of its own that no result tells of.
        if changed_since(session, before.version) & STRANDS:
            return table
        if self._made is not made:
            touched = touched.union(*(_windows(rows) for rows in (self._made, made) if rows is not None))
        return _kept(table, old, touched)

    def _whole(self, session: Session, naming: KeyNames) -> HeldResults:
        kept = kept_results(session, lambda query: query.where(counts()))
        return HeldResults(named_results(kept, naming), versions(session)[0], naming)

    def _changed(self, session: Session, before: HeldResults | None) -> _Change:
        """The results at the session's version, from those before where that is possible."""
        naming = self.naming.current(session)
        if before is None and self._start is not None:
            before = read_results(self._start, identity(session), versions(session)[0])
            self._newer = 0
        if before is None or not naming.holds(before.naming):
            return self._read_anew(session, naming)
        changed = changed_since(session, before.version)
        if not changed & ({"result"} | RESULT_REMOVALS):
            return _Change(replace(before, version=versions(session)[0], naming=naming), frozenset())
        since = before.version < RESULT_VERSION
        if (
            session.scalar(select(func.count()).select_from(Result).where(since)) or 0
        ) > MOST_TOUCHED * before.rows.height:
            return self._read_anew(session, naming)
        written = self.touched.since(session, before.version)
        touched = named_results(written.select(list(RESULT_COLUMNS)), naming)
        aside = written.filter(pl.col("state").is_in(NOT_COUNTED))
        gone, removed = touched["line"], bool(changed & RESULT_REMOVALS)
        if removed:
            there = read_rows(session, {"line": (Result.id, pl.Int64())})["line"]
            gone = pl.concat([gone, before.rows.filter(~pl.col("line").is_in(there.implode()))["line"]])
        new = touched.filter(~pl.col("line").is_in(aside["line"].implode()))
        results = HeldResults(merged_rows(before.rows, gone, new, "line"), versions(session)[0], naming)
        self._newer += touched.height
        # What was removed is to be gone from the files as well; the others are written anew by who reads them next.
        if removed and self._held is not None:
            remove_beside(self._held)
        if removed or self._newer > MANY_NEWER:
            self._keep(results, session)
        # Where the removed ones belonged to is known of those that counted only.
        return _Change(results, None if removed else _windows(of_keys(before.rows, gone, "line")) | _windows(touched))

    def _read_anew(self, session: Session, naming: KeyNames) -> _Change:
        results = self._whole(session, naming)
        # Whether somebody was removed meanwhile is not known here.
        if self._held is not None:
            remove_beside(self._held)
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
            self.keeping = Thread(
                target=write_results, args=(self._start, results, identity(session)), name="keeping scores"
            )
            self.keeping.start()


def _same_beside(old: ScoreTable, new: ScoreTable) -> bool:
    """Whether all but the results is the very same as before."""
    names = ("norms", "growth_norms", "cuts", "calendar", "roster", "fields")
    return all(getattr(old, name) is getattr(new, name) for name in names)


def _kept(table: ScoreTable, old: ScoreTable, touched: frozenset[OfWindow]) -> ScoreTable:
    """The table with what was worked out from other measures and windows than those whose results changed."""
    measures = {one[:2] for one in touched}

    def stays(key: Hashable) -> bool:
        if not isinstance(key, tuple):
            return False
        if key[0] in BESIDE or (key[0] in OF_MEASURE and key[1:3] not in measures):
            return True
        if key[0] not in OF_WINDOW | OUTSIDE_TOO or (key[0] in OUTSIDE_TOO and (*key[1:3], None) in touched):
            return False
        # A window of one's own goes by the day of the test, whatever window that is in.
        return all(one.days is None and (*key[1:3], str(one)) not in touched for one in key[4:])

    marks = {**old.marks, **dict.fromkeys(measures, table.version)}
    return replace(table, worked=old.worked.kept(stays), mark=old.mark, marks=marks)
