"""What the Check step looks at: every sitting of a measure, who was expected, and what was decided."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any, TypeVar

import polars as pl
from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from bodkin.store.bulk import Columns, frame_of, read_rows
from bodkin.store.reads.section_names import shared_names_kept, with_schools
from bodkin.store.reads.table.load import (
    RESULT_COLUMNS,
    KeyNames,
    load_naming,
    named,
    needed,
    window_names,
)
from bodkin.store.reads.table.made_rows import MadeRows
from bodkin.store.reads.table.score_table import WORD, Memo, shaped
from bodkin.store.reads.table.start_file import LeftRows
from bodkin.store.reads.table.touched import SITTING_COLUMNS
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
KEPT_COLUMNS: Columns = {
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
SITTINGS = pl.Schema({**{name: kind for name, (_, kind) in KEPT_COLUMNS.items()}, **_NAMED})
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
    ``left``: what of that the last process left, where it left sittings.
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
    left: LeftRows | None = field(default=None, compare=False)
    worked: dict[str, tuple[frozenset[str], Any]] = field(default_factory=dict, compare=False)
    placed: dict[tuple[str, date], pl.DataFrame] = field(default_factory=dict, compare=False)
    decided: Memo = field(default_factory=lambda: Memo(most_bytes=48 * 2**20), init=False, compare=False)

    def once(self, name: str, windows: Collection[str], make: Callable[[], T]) -> T:
        """What rests on the sittings of some windows and on nothing else; kept until one of them changes."""
        held: T | None = self.known(name, windows)
        return self.put(name, windows, make()) if held is None else held

    def rows_once(
        self, name: str, windows: Collection[str], by: str, make: Callable[[], pl.DataFrame]
    ) -> pl.DataFrame:  # fmt: skip
        """The same of rows that take long, which a start finds as the last process left them; ``by``: by which code."""
        left = self.left
        return self.once(name, windows, make if left is None else lambda: left.once(name, windows, by, make))

    def known(self, name: str, windows: Collection[str]) -> Any:
        """What is kept, None where nothing is; see ``once``."""
        held = self.worked.get(name)
        return held[1] if held is not None and held[0] == frozenset(windows) else None

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
class Beside:
    """Rosters by school year, programs, accommodations; ``placed``: see ``CheckData``."""

    rosters: dict[str, pl.DataFrame]
    programs: pl.DataFrame
    entitled: pl.DataFrame
    placed: dict[tuple[str, date], pl.DataFrame] = field(default_factory=dict, compare=False)


def load_check(session: Session, assessment: str, subject: str) -> CheckData:
    """Everything the step needs of one measure, at the state the session sees."""
    data = load_undecided(session, assessment, subject)
    return with_decisions(session, data, data.sittings, assessment, subject)


def load_undecided(session: Session, assessment: str, subject: str) -> CheckData:
    """The same without what was decided."""
    beside = read_beside(session, rosters(session), programs(session))
    return put_together(sittings_of(session, (assessment, subject), load_naming(session)), beside, {})


def of_test(measure: tuple[str, str]) -> ColumnElement[bool]:
    """Results of a measure."""
    tests = select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1])
    return Result.assessment_id.in_(tests)


def sittings_of(session: Session, measure: tuple[str, str], naming: KeyNames) -> pl.DataFrame:
    """Every result of a measure as the step looks at it."""
    kept = read_rows(session, KEPT_COLUMNS, lambda query: query.where(of_test(measure)).order_by(Result.id))
    return named_sittings(kept, naming)


def named_sittings(kept: pl.DataFrame, naming: KeyNames) -> pl.DataFrame:
    """Sittings with names instead of keys."""
    places = {name: naming.places[name] for name in ("student_id", "school", "section")}
    names = {"window": naming.windows, **places, "state_by": naming.places["teacher"]}
    rows = kept.with_columns(named(name, needed(every, kept[name]), SITTINGS[name]) for name, every in names.items())
    return with_schools(shaped(rows, SITTINGS), naming.shared)


def read_beside(session: Session, every: Mapping[str, pl.DataFrame], inside: pl.DataFrame) -> Beside:
    """What no measure is part of: rosters and programs, as they are read, and accommodations."""
    entitled = select(Student.student_id, Entitlement.accommodation, Entitlement.first_day, Entitlement.last_day).join(
        Student, Student.id == Entitlement.student_id
    )
    days = pl.Schema({"student_id": pl.String(), "accommodation": pl.String(), **_SPANS})
    shared = shared_names_kept(session)
    placed = {year: with_schools(roster, shared) for year, roster in every.items()}
    return Beside(placed, inside, frame_of(session, entitled, days))


def put_together(rows: pl.DataFrame, beside: Beside, changed: Mapping[str, int]) -> CheckData:
    """The data without what was decided; ``rows``: sittings, ``changed``: see ``CheckData``."""
    return CheckData(
        rows, beside.rosters, beside.programs, beside.entitled, pl.DataFrame(), pl.DataFrame(), pl.DataFrame(),
        changed=changed, placed=beside.placed,
    )  # fmt: skip


def programs(session: Session) -> pl.DataFrame:
    """Programs of every student with their first and last day."""
    query = (
        select(Student.student_id, Program.name, StudentProgram.first_day, StudentProgram.last_day)
        .join(StudentProgram, StudentProgram.student_id == Student.id)
        .join(Program, Program.id == StudentProgram.program_id)
    )
    return frame_of(session, query, pl.Schema({"student_id": pl.String(), "program": pl.String(), **_SPANS}))


def with_decisions(
    session: Session, data: CheckData, sittings: pl.DataFrame, assessment: str, subject: str
) -> CheckData:
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


def rosters(session: Session, kept: MadeRows | None = None) -> dict[str, pl.DataFrame]:
    """Places in classes by school year, in the order in which they came; ``kept``: who finds them in a file."""
    rows = (kept or MadeRows()).current(session, lambda: _every_place(session))
    if kept is not None:
        # What is kept is what was made of them.
        kept.let_go()
    return {str(year): shaped(mine, ROSTER) for (year,), mine in rows.group_by("year", maintain_order=True)}


def _every_place(session: Session) -> pl.DataFrame:
    teacher = (
        select(SectionTeacher.section_id, Person.name)
        .join(Person, Person.id == SectionTeacher.person_id)
        .order_by(SectionTeacher.id)
    )
    teachers: dict[int, str] = {}
    for key, name in session.execute(teacher):
        teachers.setdefault(key, name)
    of_year = (StudentYear.student_id == Student.id) & (StudentYear.school_year_id == Section.school_year_id)
    rows = read_rows(
        session, _PLACES,
        lambda query: query.select_from(Enrolment)
        .join(Section, Section.id == Enrolment.section_id)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .join(Student, Student.id == Enrolment.student_id)
        .outerjoin(School, School.id == Section.school_id)
        .outerjoin(StudentYear, of_year)
        .order_by(Enrolment.id),
    )  # fmt: skip
    return shaped(rows.with_columns(named("teacher", needed(teachers, rows["teacher"]), WORD)), PLACES)


_PLACES: Columns = {
    "year": (SchoolYear.name, WORD),
    "student_id": (Student.student_id, pl.String()),
    "school": (School.name, WORD),
    "section": (Section.name, WORD),
    "teacher": (Section.id, pl.Int64()),
    "grade": (StudentYear.grade, WORD),
    "since": (Enrolment.first_day, pl.Date()),
    "until": (Enrolment.last_day, pl.Date()),
    "kind": (Section.kind, WORD),
}
"""Columns of a place in a class as they are kept; the class stands where its teacher is to stand."""
PLACES = pl.Schema({name: kind for name, (_, kind) in _PLACES.items()} | {"teacher": WORD})
"""A place in a class with its school year."""


def window_key(session: Session, name: str) -> int | None:
    """The key of a window by name."""
    return next((key for key, known in window_names(session).items() if known == name), None)
