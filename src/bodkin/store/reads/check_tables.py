"""What the Check step looks at, kept while it stays as it is: the sittings of a measure follow writes."""

from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock, Thread

import polars as pl
from sqlalchemy.orm import Session

from bodkin.store.bulk import read_rows
from bodkin.store.database import day_of, versions
from bodkin.store.ledger import changed_since, identity, looked_at
from bodkin.store.reads.check_data import (
    KEPT_COLUMNS,
    SITTINGS,
    Beside,
    CheckData,
    named_sittings,
    of_test,
    programs,
    put_together,
    read_beside,
    rosters,
    sittings_of,
    with_decisions,
)
from bodkin.store.reads.kept import Kept, Lately
from bodkin.store.reads.table.load import RESULT_REMOVALS, KeyNames
from bodkin.store.reads.table.merged import MOST_TOUCHED, merged_rows, of_keys
from bodkin.store.reads.table.start_file import (
    MANY,
    MANY_NEWER,
    SITTINGS_FILE,
    HeldResults,
    LeftRows,
    RowsFile,
    read_results,
    write_results,
)
from bodkin.store.reads.table.touched import TouchedResults
from bodkin.store.tables import Result

WrittenSince = Callable[[Session, int], pl.DataFrame]

MOST_MEASURES = 4
"""Of so many measures the data are held: 40 MB each with half a million results."""


@dataclass(frozen=True, slots=True)
class _Sittings:
    """Sittings of a measure at a version of the data, in the order in which they came.

    ``changed``: the version at which those of each window last changed. ``newer``: how many the file of a start
    does not have as they are. ``left``: the version of those in that file, where there is one.
    """

    rows: pl.DataFrame
    version: int
    naming: KeyNames
    changed: Mapping[str, int]
    newer: int = 0
    left: int | None = None


class _OfMeasure:
    """What is held of one measure: its sittings follow writes, what rests on them is read anew."""

    def __init__(
        self, measure: tuple[str, str], naming: Kept[KeyNames], beside: Kept[Beside], written: WrittenSince,
        file: RowsFile | None, many: int,
    ) -> None:  # fmt: skip
        self._measure, self._naming, self._beside, self._written = measure, naming, beside, written
        self._file, self._many = file, many
        self.keeping: Thread | None = None
        self._sittings: Lately[_Sittings] = Lately()
        self.lately: Lately[Kept[CheckData]] = Lately()
        self._newest: CheckData | None = None
        self._lock = Lock()

    def kept(self) -> Kept[CheckData]:
        """The data while the results of the measure stay: what is decided is read without the rest."""
        # Results of other measures come and go without it.
        plain = Kept(self._undecided, but=("result",))

        def load(session: Session) -> CheckData:
            # What was decided about a result stands with it; no score need have changed. Sittings that are held
            # already are read from no table.
            looked_at(session, frozenset({"result"}))
            return with_decisions(session, plain.current(session), self._followed(session).rows, *self._measure)

        return Kept(load)

    def _undecided(self, session: Session) -> CheckData:
        sittings, before = self._followed(session), self._newest
        now = put_together(sittings.rows, self._beside.current(session), sittings.changed)
        now = replace(now, left=self._left(session, sittings))
        if before is not None:
            now.worked.update(before.carried(now.changed))
        self._newest = now
        return now

    def _left(self, session: Session, sittings: _Sittings) -> LeftRows | None:
        """What was worked out from the sittings in the file, of the windows that are still as they are there."""
        if self._file is None or sittings.left is None:
            return None
        windows = frozenset(window for window, at in sittings.changed.items() if at <= (sittings.left or 0))
        folder, newest = self._file.said.parent, versions(session)[0]
        return LeftRows(folder, self._measure, identity(session), sittings.left, newest, windows)

    def _followed(self, session: Session) -> _Sittings:
        naming, newest, day = self._naming.current(session), versions(session)[0], day_of(session, noted=False)
        with self._lock:
            self._sittings.tidy()
            if (found := self._sittings.at(newest, day)) is not None:
                return found.value
            held = self._sittings.newest
            if held is None or held.last < newest:
                before = self._of_file(session) if held is None else replace(held.value, version=held.last)
                now = self._kept(session, _brought_up(session, self._measure, naming, before, self._written))
                if held is not None and now.rows is held.value.rows:
                    self._sittings.newest = replace(held, last=newest)
                else:
                    self._sittings.put(now, frozenset(), newest, day)
                return now
        # A question that began before what is still known reads for itself, while nobody waits.
        return _Sittings(sittings_of(session, self._measure, naming), newest, naming, {})

    def _of_file(self, session: Session) -> _Sittings | None:
        """Those that the last process left."""
        found = None if self._file is None else read_results(self._file, identity(session), versions(session)[0])
        if found is None:
            return None
        changed = dict.fromkeys(_windows(found.rows), found.version)
        return _Sittings(found.rows, found.version, found.naming, changed, left=found.version)

    def _kept(self, session: Session, now: _Sittings) -> _Sittings:
        """The same, left for the next start where many are newer; whoever asked need not wait for that."""
        anew = now.newer >= now.rows.height or now.newer > MANY_NEWER
        if self._file is None or not anew:
            return now
        if now.rows.height <= self._many:
            self._file.remove()
            return replace(now, left=None)
        held = HeldResults(now.rows, now.version, now.naming)
        self.keeping = Thread(target=write_results, args=(self._file, held, identity(session)), name="keeping sittings")
        self.keeping.start()
        return replace(now, newer=0, left=now.version)


def _brought_up(
    session: Session, measure: tuple[str, str], naming: KeyNames, before: _Sittings | None, written_since: WrittenSince
) -> _Sittings:
    """The sittings as the session sees them, from those before where that is possible."""
    newest = versions(session)[0]
    if before is None or not naming.holds(before.naming):
        return _read_whole(session, measure, naming)
    changed = changed_since(session, before.version)
    if not changed & ({"result"} | RESULT_REMOVALS):
        return replace(before, version=newest, naming=naming)
    written = written_since(session, before.version)
    # Of all measures: one of them may have been of this one before.
    gone = written["line"]
    if gone.len() > MOST_TOUCHED * max(before.rows.height, 1):
        return _read_whole(session, measure, naming)
    if changed & RESULT_REMOVALS:
        key = {"result_id": (Result.id, pl.Int64())}
        there = read_rows(session, key, lambda query: query.where(of_test(measure)))["result_id"]
        gone = pl.concat([gone, before.rows["result_id"].filter(~before.rows["result_id"].is_in(there.implode()))])
    mine = [key for key, name in naming.measures.items() if name == measure]
    new = named_sittings(
        written.filter(pl.col("measure").is_in(mine)).rename({"line": "result_id"}).select(list(KEPT_COLUMNS)), naming
    )
    touched = _windows(of_keys(before.rows, gone, "result_id")) | _windows(new)
    marks = {**before.changed, **dict.fromkeys(touched, newest)}
    rows = merged_rows(before.rows, gone, new, "result_id")
    # Whoever was removed is to be gone from the file as well. Those of other measures count too: a start reads all that
    # were written since the file, whatever they are of.
    newer = rows.height if changed & RESULT_REMOVALS else before.newer + written.height
    return _Sittings(rows, newest, naming, marks, newer, before.left)


def _windows(sittings: pl.DataFrame) -> frozenset[str]:
    return frozenset(sittings["window"].drop_nulls().unique().to_list())


def _read_whole(session: Session, measure: tuple[str, str], naming: KeyNames) -> _Sittings:
    rows, newest = sittings_of(session, measure, naming), versions(session)[0]
    return _Sittings(rows, newest, naming, dict.fromkeys(_windows(rows), newest), rows.height)


class CheckTables:
    """Keeps the step's data of the measures that were looked at lately.

    ``naming``: what keys stand for. ``touched``: who reads what was written since. ``held``: the folder in which
    sittings are kept for the next start, from so ``many`` of a measure on. ``beside``: who keeps rosters and programs.
    """

    def __init__(
        self, naming: Kept[KeyNames], touched: TouchedResults | None = None, most: int = MOST_MEASURES,
        held: Path | None = None, many: int = MANY, beside: Kept[Beside] | None = None,
    ) -> None:  # fmt: skip
        self._folder, self._many = held, many
        self._naming, self._beside, self._most = (
            naming,
            beside or Kept(lambda session: read_beside(session, rosters(session), programs(session))),
            most,
        )
        self._written = (touched or TouchedResults()).since
        self._held: OrderedDict[tuple[str, str], _OfMeasure] = OrderedDict()
        self._lock = Lock()

    def current(self, session: Session, assessment: str, subject: str, mark: int) -> CheckData:
        """The data of a measure as the session sees it; ``mark``: the version at which its results last changed."""
        measure, day = (assessment, subject), day_of(session, noted=False)
        with self._lock:
            if measure not in self._held:
                self._held[measure] = _OfMeasure(
                    measure, self._naming, self._beside, self._written, self._file_of(measure), self._many
                )
            mine = self._held[measure]
            self._held.move_to_end(measure)
            while len(self._held) > self._most:
                self._held.popitem(last=False)
            mine.lately.tidy()
            held = mine.lately.at(mark, day) or mine.lately.put(mine.kept(), frozenset(), mark, day)
        return held.value.current(session)

    def _file_of(self, measure: tuple[str, str]) -> RowsFile | None:
        if self._folder is None:
            return None
        return RowsFile.of(self._folder, SITTINGS_FILE, measure, SITTINGS)

    def forget(self) -> None:
        """Forget what was worked out from decisions; the data stay."""
        for mine in self._held.values():
            newest = mine.lately.newest
            if newest is not None and (data := newest.value.newest) is not None:
                data.decided.clear()
