"""What the Check step looks at: every sitting of a measure, who was expected, and what was decided."""

from collections import OrderedDict
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from threading import Lock
from typing import Any, TypeVar

import polars as pl
from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, frame_of, read_rows
from bodkin.store.database import versions
from bodkin.store.ledger import changed_since, looked_at
from bodkin.store.reads.kept import Kept, Lately
from bodkin.store.reads.section_names import shared_names_kept, with_schools
from bodkin.store.reads.table.load import (
    RESULT_COLUMNS,
    RESULT_REMOVALS,
    KeyNames,
    load_naming,
    named,
    needed,
    window_names,
)
from bodkin.store.reads.table.merged import MOST_TOUCHED, merged_rows, of_keys
from bodkin.store.reads.table.score_table import WORD, Memo, shaped
from bodkin.store.reads.table.touched import SITTING_COLUMNS, TouchedResults
from bodkin.store.tables import (
    Assessment,
    Enrolment,
    Entitlement,
    NotTested,
    Person,
    Program,
    Result,
    RetestRequest,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentProgram,
    StudentYear,
)

T = TypeVar("T")
WrittenSince = Callable[[Session, int], pl.DataFrame]

MOST_MEASURES = 4
"""Of so many measures the data are held: 40 MB each with half a million results."""

_KEPT: Columns = {
    "result_id": RESULT_COLUMNS["line"],
    **{name: RESULT_COLUMNS[name] for name in (
        "student_id", "window", "tested_on", "grade", "school", "section", "language", "score", "standard_error")},
    **SITTING_COLUMNS,
}  # fmt: skip
"""Columns of a sitting as they are kept, keys instead of names."""

_NAMED = {
    **dict.fromkeys(("student_id", "state_by"), pl.String()),
    **dict.fromkeys(("window", "school", "section"), WORD),
}
SITTINGS = pl.Schema({**{name: kind for name, (_, kind) in _KEPT.items()}, **_NAMED})
"""A sitting as the step looks at it, with names."""

ROSTER = pl.Schema(
    {
        "student_id": pl.String(), "school": WORD, "section": WORD, "teacher": WORD, "grade": WORD,
        "since": pl.Date(), "until": pl.Date(), "kind": WORD,
    }
)  # fmt: skip


_SPANS: dict[str, pl.DataType] = {"first_day": pl.Date(), "last_day": pl.Date()}


@dataclass(frozen=True, slots=True)
class CheckData:
    """Frames about one measure.

    ``sittings``: every result, whatever was decided about it, with ``window`` by name.
    ``rosters``: by school year, places in classes with their days. ``programs``: student, program
    and its days. ``reasons``: student, window, why not tested. ``entitled``: student, accommodation,
    first and last day. ``retests``: requests that are not withdrawn. ``states``: what was decided
    about results. ``changed``: the version at which a window's sittings last changed, where it is known.
    ``worked`` keeps what was worked out from the sittings of some windows, ``placed`` from the rosters,
    ``decided`` what rests on decisions too, and begins anew with each state of them.

    ``reasons``, ``retests`` and ``states`` change with every decision, the others with the scores only.
    """

    sittings: pl.DataFrame
    rosters: dict[str, pl.DataFrame]
    programs: pl.DataFrame
    entitled: pl.DataFrame
    reasons: pl.DataFrame
    retests: pl.DataFrame
    states: pl.DataFrame
    changed: Mapping[str, int] = field(default_factory=dict)
    worked: dict[str, tuple[frozenset[str], Any]] = field(default_factory=dict, compare=False)
    placed: dict[tuple[str, date], pl.DataFrame] = field(default_factory=dict, compare=False)
    decided: Memo = field(default_factory=lambda: Memo(most_bytes=48 * 2**20), init=False, compare=False)

    def once(self, name: str, windows: Collection[str], make: Callable[[], T]) -> T:
        """What rests on the sittings of some windows and on nothing else; kept until one of them changes."""
        of, held = frozenset(windows), self.worked.get(name)
        if held is None or held[0] != of:
            return self.put(name, windows, make())
        found: T = held[1]
        return found

    def put(self, name: str, windows: Collection[str], value: T) -> T:
        """Keep what rests on the sittings of some windows; see ``once``."""
        self.worked[name] = frozenset(windows), value
        return value

    def carried(self, changed: Mapping[str, int]) -> dict[str, tuple[frozenset[str], Any]]:
        """What was worked out from windows that are still as they were; ``changed``: as with later sittings."""
        return {
            name: held
            for name, held in list(self.worked.items())
            if all(one in self.changed and self.changed[one] == changed.get(one) for one in held[0])
        }


@dataclass(frozen=True, slots=True)
class _Beside:
    """Rosters by school year, programs, accommodations; ``placed``: see ``CheckData``."""

    rosters: dict[str, pl.DataFrame]
    programs: pl.DataFrame
    entitled: pl.DataFrame
    placed: dict[tuple[str, date], pl.DataFrame] = field(default_factory=dict, compare=False)


@dataclass(frozen=True, slots=True)
class _Sittings:
    """Sittings of a measure at a version of the data, in the order in which they came.

    ``changed``: the version at which those of each window last changed.
    """

    rows: pl.DataFrame
    version: int
    naming: KeyNames
    changed: Mapping[str, int]


class _OfMeasure:
    """What is held of one measure: its sittings follow writes, what rests on them is read anew."""

    def __init__(
        self, measure: tuple[str, str], naming: Kept[KeyNames], beside: Kept[_Beside], written: WrittenSince
    ) -> None:
        self._measure, self._naming, self._beside, self._written = measure, naming, beside, written
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
            return _decided(session, plain.current(session), self._followed(session).rows, *self._measure)

        return Kept(load)

    def _undecided(self, session: Session) -> CheckData:
        before, now = self._newest, _put(self._followed(session), self._beside.current(session))
        if before is not None:
            now.worked.update(before.carried(now.changed))
        self._newest = now
        return now

    def _followed(self, session: Session) -> _Sittings:
        naming, newest = self._naming.current(session), versions(session)[0]
        with self._lock:
            self._sittings.tidy()
            if (found := self._sittings.at(newest)) is not None:
                return found.value
            held = self._sittings.newest
            if held is None or held.last < newest:
                before = None if held is None else replace(held.value, version=held.last)
                now = _brought_up(session, self._measure, naming, before, self._written)
                if held is not None and now.rows is held.value.rows:
                    self._sittings.newest = replace(held, last=newest)
                else:
                    self._sittings.put(now, frozenset(), newest)
                return now
        # A question that began before what is still known reads for itself, while nobody waits.
        return _Sittings(_sittings(session, self._measure, naming), newest, naming, {})


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
        there = read_rows(session, key, lambda query: query.where(_of(measure)))["result_id"]
        gone = pl.concat([gone, before.rows["result_id"].filter(~before.rows["result_id"].is_in(there.implode()))])
    mine = [key for key, name in naming.measures.items() if name == measure]
    new = _named(
        written.filter(pl.col("measure").is_in(mine)).rename({"line": "result_id"}).select(list(_KEPT)), naming
    )
    touched = _windows(of_keys(before.rows, gone, "result_id")) | _windows(new)
    marks = {**before.changed, **dict.fromkeys(touched, newest)}
    return _Sittings(merged_rows(before.rows, gone, new, "result_id"), newest, naming, marks)


def _windows(sittings: pl.DataFrame) -> frozenset[str]:
    return frozenset(sittings["window"].drop_nulls().unique().to_list())


def _read_whole(session: Session, measure: tuple[str, str], naming: KeyNames) -> _Sittings:
    rows, newest = _sittings(session, measure, naming), versions(session)[0]
    return _Sittings(rows, newest, naming, dict.fromkeys(_windows(rows), newest))


class CheckTables:
    """Keeps the step's data of the measures that were looked at lately.

    ``naming``: what keys stand for. ``touched``: who reads what was written since.
    """

    def __init__(
        self, naming: Kept[KeyNames], touched: TouchedResults | None = None, most: int = MOST_MEASURES
    ) -> None:
        self._naming, self._beside, self._most = naming, Kept(_beside), most
        self._written = (touched or TouchedResults()).since
        self._held: OrderedDict[tuple[str, str], _OfMeasure] = OrderedDict()
        self._lock = Lock()

    def current(self, session: Session, assessment: str, subject: str, mark: int) -> CheckData:
        """The data of a measure as the session sees it; ``mark``: the version at which its results last changed."""
        measure = assessment, subject
        with self._lock:
            mine = self._held.setdefault(measure, _OfMeasure(measure, self._naming, self._beside, self._written))
            self._held.move_to_end(measure)
            while len(self._held) > self._most:
                self._held.popitem(last=False)
            mine.lately.tidy()
            held = mine.lately.at(mark) or mine.lately.put(mine.kept(), frozenset(), mark)
        return held.value.current(session)

    def forget(self) -> None:
        """Forget what was worked out from decisions; the data stay."""
        for mine in self._held.values():
            newest = mine.lately.newest
            if newest is not None and (data := newest.value.newest) is not None:
                data.decided.clear()


def load_check(session: Session, assessment: str, subject: str) -> CheckData:
    """Everything the step needs of one measure, at the state the session sees."""
    data = load_undecided(session, assessment, subject)
    return _decided(session, data, data.sittings, assessment, subject)


def load_undecided(session: Session, assessment: str, subject: str) -> CheckData:
    """The same without what was decided."""
    return _put(_read_whole(session, (assessment, subject), load_naming(session)), _beside(session))


def _of(measure: tuple[str, str]) -> ColumnElement[bool]:
    """Results of a measure."""
    tests = select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1])
    return Result.assessment_id.in_(tests)


def _sittings(session: Session, measure: tuple[str, str], naming: KeyNames) -> pl.DataFrame:
    """Every result of a measure as the step looks at it."""
    return _named(read_rows(session, _KEPT, lambda query: query.where(_of(measure)).order_by(Result.id)), naming)


def _named(kept: pl.DataFrame, naming: KeyNames) -> pl.DataFrame:
    """Sittings with names instead of keys."""
    places = {name: naming.places[name] for name in ("student_id", "school", "section")}
    names = {"window": naming.windows, **places, "state_by": naming.places["teacher"]}
    rows = kept.with_columns(named(name, needed(every, kept[name]), SITTINGS[name]) for name, every in names.items())
    return with_schools(shaped(rows, SITTINGS), naming.shared)


def _beside(session: Session) -> _Beside:
    """Rosters, programs and accommodations, which no measure is part of."""
    entitled = select(Student.student_id, Entitlement.accommodation, Entitlement.first_day, Entitlement.last_day).join(
        Student, Student.id == Entitlement.student_id
    )
    days = pl.Schema({"student_id": pl.String(), "accommodation": pl.String(), **_SPANS})
    shared = shared_names_kept(session)
    placed = {year: with_schools(roster, shared) for year, roster in rosters(session).items()}
    return _Beside(placed, programs(session), frame_of(session, entitled, days))


def _put(sittings: _Sittings, beside: _Beside) -> CheckData:
    return CheckData(
        sittings.rows, beside.rosters, beside.programs, beside.entitled, pl.DataFrame(), pl.DataFrame(),
        pl.DataFrame(), changed=sittings.changed, placed=beside.placed,
    )  # fmt: skip


def programs(session: Session) -> pl.DataFrame:
    """Programs of every student with their first and last day."""
    query = (
        select(Student.student_id, Program.name, StudentProgram.first_day, StudentProgram.last_day)
        .join(StudentProgram, StudentProgram.student_id == Student.id)
        .join(Program, Program.id == StudentProgram.program_id)
    )
    return frame_of(session, query, pl.Schema({"student_id": pl.String(), "program": pl.String(), **_SPANS}))


def _decided(session: Session, data: CheckData, sittings: pl.DataFrame, assessment: str, subject: str) -> CheckData:
    """The data with what has been decided by now; ``sittings``: with what was decided about each."""
    names = window_names(session)
    by_name = pl.col("window_id").replace_strict(names, default=None, return_dtype=WORD)
    text = pl.String()
    reasons = select(Student.student_id, NotTested.window_id, NotTested.reason).join(
        Student, Student.id == NotTested.student_id
    )
    retests = (
        select(
            RetestRequest.id, Student.student_id, RetestRequest.window_id, RetestRequest.why,
            RetestRequest.accommodations, Person.name, RetestRequest.asked_at, RetestRequest.state,
        )
        .join(Student, Student.id == RetestRequest.student_id)
        .join(Assessment, Assessment.id == RetestRequest.assessment_id)
        .outerjoin(Person, Person.id == RetestRequest.asked_by_id)
        .where(Assessment.name == assessment, Assessment.subject == subject, RetestRequest.state != "withdrawn")
        .order_by(RetestRequest.id)
    )  # fmt: skip
    windowed = pl.Schema({"student_id": text, "window_id": pl.Int64(), "reason": text})
    asked = pl.Schema(
        {"id": pl.Int64(), "student_id": text, "window_id": pl.Int64(), "why": text, "accommodations": text,
         "asked_by": text, "asked_at": pl.Datetime(), "state": text}
    )  # fmt: skip
    states = sittings.filter(pl.col("state").is_not_null()).select("result_id", "state", "state_why", "state_by")
    return replace(
        data, states=states, reasons=frame_of(session, reasons, windowed).with_columns(window=by_name),
        retests=frame_of(session, retests, asked).with_columns(window=by_name),
    )  # fmt: skip


def rosters(session: Session) -> dict[str, pl.DataFrame]:
    """Places in classes by school year, the home class of a student first."""
    teacher = (
        select(SectionTeacher.section_id, Person.name)
        .join(Person, Person.id == SectionTeacher.person_id)
        .order_by(SectionTeacher.id)
    )
    teachers: dict[int, str] = {}
    for key, name in session.execute(teacher):
        teachers.setdefault(key, name)
    query = (
        select(
            SchoolYear.name, Student.student_id, School.name, Section.name, Section.id, StudentYear.grade,
            Enrolment.first_day, Enrolment.last_day, Section.kind,
        )
        .join(Section, Section.id == Enrolment.section_id)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .join(Student, Student.id == Enrolment.student_id)
        .outerjoin(School, School.id == Section.school_id)
        .outerjoin(
            StudentYear,
            (StudentYear.student_id == Student.id) & (StudentYear.school_year_id == Section.school_year_id),
        )
    )  # fmt: skip
    found: dict[str, list[tuple[str | date | None, ...]]] = {}
    for year, student, school, section, place, grade, first, last, kind in session.execute(query):
        row = (student, school, section, teachers.get(place), grade, first, last, kind)
        found.setdefault(year, []).append(row)
    return {year: pl.DataFrame(rows, schema=ROSTER, orient="row") for year, rows in found.items()}


def window_key(session: Session, name: str) -> int | None:
    """The key of a window by name."""
    return next((key for key, known in window_names(session).items() if known == name), None)
