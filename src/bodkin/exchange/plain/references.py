"""What the rows of a file name and the tables hold under a key: students, tests, standards, groups."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import polars as pl
from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, aliased

from bodkin.exchange.changes.ledger import Ledger
from bodkin.policy.roles import NAMED_LEADER
from bodkin.store.reads.table.load import window_names
from bodkin.store.tables import (
    Assessment,
    Field,
    Group,
    GroupSession,
    Item,
    MarkingPeriod,
    Person,
    Program,
    Result,
    School,
    SchoolYear,
    Section,
    Standard,
    Strand,
    Student,
)

Known = Callable[[Session], pl.DataFrame]
"""What is there: ``key`` and the columns of a file that say what stands under it."""

Find = Callable[[Session, pl.DataFrame], pl.Series]
"""Keys of what each row names; missing where there is no such thing."""

Add = Callable[[Session, Ledger, pl.DataFrame], None]
"""Adds what rows name and nobody has; gets those rows."""


@dataclass(frozen=True, slots=True)
class Reference:
    """A key column, and the columns of the file that name what it points at.

    ``add`` brings in what is not there yet; without it such a row is refused. An ``optional``
    one may be left empty in the file. ``chosen`` finds keys where the names alone do not.
    """

    key: str
    names: tuple[str, ...]
    what: str
    known: Known
    add: Add | None = None
    optional: bool = False
    chosen: Find | None = None

    def find(self, session: Session, rows: pl.DataFrame) -> pl.Series:
        """Key of what each row names; missing where there is no such thing."""
        if self.chosen is not None:
            return self.chosen(session, rows)
        return _looked_up(rows, self.known(session), self.names)


def _looked_up(rows: pl.DataFrame, known: pl.DataFrame, names: Sequence[str]) -> pl.Series:
    first = known.select("key", *names).unique(list(names), keep="first", maintain_order=True)
    return rows.select(names).join(first, on=list(names), how="left", nulls_equal=True, maintain_order="left")["key"]


def _asked(query: Select[*tuple[Any, ...]], *texts: str, **others: Any) -> Known:
    """What a query finds: the key first, then columns of text, then columns of other types."""
    schema = {"key": pl.Int64, **dict.fromkeys(texts, pl.String), **others}

    def known(session: Session) -> pl.DataFrame:
        return pl.DataFrame([tuple(row) for row in session.execute(query)], schema=schema, orient="row")

    return known


def _windows(session: Session) -> pl.DataFrame:
    return pl.DataFrame(
        list(window_names(session).items()), schema={"key": pl.Int64, "window": pl.String}, orient="row"
    )


def _all_results(session: Session) -> pl.DataFrame:
    """Every result, earlier ones first."""
    query = (
        select(
            Result.id, Student.student_id, Assessment.name, Assessment.subject, Result.language, Result.tested_on,
            Result.window_id,
        )
        .join(Student, Student.id == Result.student_id)
        .join(Assessment, Assessment.id == Result.assessment_id)
        .order_by(Result.tested_on, Result.id)
    )  # fmt: skip
    there = _asked(query, "student_id", "assessment", "subject", "language", tested_on=pl.Date, window_id=pl.Int64)(
        session
    )
    names = window_names(session)
    return there.with_columns(window=pl.col("window_id").replace_strict(names, default=None, return_dtype=pl.String))


def _results(session: Session, rows: pl.DataFrame) -> pl.Series:
    """The result a row belongs to: of its day where it names one, else the latest of its window."""
    there = _all_results(session)
    who = ["student_id", "assessment", "subject"]
    found = pl.repeat(None, rows.height, dtype=pl.Int64, eager=True)
    for when in ("tested_on", "window"):
        for more in (["language"], []):
            by = [*who, when, *more]
            known = there.filter(pl.col(when).is_not_null()).unique(by, keep="last", maintain_order=True)
            keys = _looked_up(rows, known, by)
            # A row that names a day or a language belongs to no result of another.
            other = rows["tested_on"].is_not_null() if when == "window" else rows["tested_on"].is_null()
            other = other | (rows["language"].is_null() if more else rows["language"].is_not_null())
            found = pl.select(pl.coalesce(pl.lit(found), pl.lit(keys.set(other, None)))).to_series()
    return found


def _add_measures(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    named = rows.select("assessment", "subject").unique(maintain_order=True)
    ledger.add(
        Assessment, [{"name": name, "subject": subject, "kind": "adaptive"} for name, subject in named.iter_rows()]
    )


def _add_strands(session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    named = rows.select("assessment", "subject", "strand").unique(maintain_order=True)
    keys = MEASURE.find(session, named)
    ledger.add(
        Strand,
        [
            {"assessment_id": key, "name": name}
            for key, name in zip(keys, named["strand"], strict=True)
            if key is not None
        ],
    )


def _add_programs(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    ledger.add(Program, [{"name": name} for name in rows["program"].unique(maintain_order=True)])


def _add_years(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    named = rows["school_year"].unique(maintain_order=True)
    ledger.add(SchoolYear, [{"name": name, "first_day": None, "last_day": None} for name in named])


def _add_schools(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    ledger.add(School, [{"name": name} for name in rows["school"].unique(maintain_order=True)])


def _add_students(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    """Students by the last of their rows."""
    last = rows.unique("student_id", keep="last", maintain_order=True)
    ledger.add(Student, last.select("student_id", "given_name", "family_name").to_dicts())


def _add_fields(_session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    ledger.add(Field, [{"name": name, "shown": False} for name in rows["field"].unique(maintain_order=True)])


def _add_periods(session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    """Marking periods by name, their days unknown; a school year that is not there is added too."""
    named = [text.split(" ", 1) for text in rows["marking_period"].unique(maintain_order=True)]
    known = set(session.scalars(select(SchoolYear.name)))
    ledger.add(
        SchoolYear,
        [
            {"name": year, "first_day": None, "last_day": None}
            for year in dict.fromkeys(year for year, _ in named)
            if year not in known
        ],
    )
    years = {name: key for key, name in session.execute(select(SchoolYear.id, SchoolYear.name))}
    ledger.add(
        MarkingPeriod,
        [{"school_year_id": years[year], "name": name, "first_day": None, "last_day": None} for year, name in named],
    )


GROUP_PARTS = ("focus", "tier", "times_a_week", "entry_rule", "exit_rule", "slots", "fewest", "most")


def _add_groups(session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    """Groups as the first of their rows tells them."""
    first = rows.unique("group", keep="first", maintain_order=True)
    second = first.select(adult=pl.col("second_adult"))
    named = pl.concat([first.select("adult"), second]).drop_nulls().unique(maintain_order=True)
    strange = named.filter(ADULT.find(session, named).is_null())
    ledger.add(Person, [{"name": name, "role": NAMED_LEADER} for name in strange["adult"]])
    measures, adults, seconds = MEASURE.find(session, first), ADULT.find(session, first), ADULT.find(session, second)
    ledger.add(
        Group,
        [
            {
                "name": row["group"],
                "first_day": row["group_from"] or row["from"],
                "last_day": row["group_to"] or row["to"] or row["group_from"] or row["from"],
                "minutes": row["minutes"],
                **{name: row[name] for name in GROUP_PARTS},
                "focus": row["focus"] or "",
                "assessment_id": measure,
                "adult_id": adult,
                "second_adult_id": other,
            }
            for row, measure, adult, other in zip(first.iter_rows(named=True), measures, adults, seconds, strict=True)
        ],
    )


def _add_sessions(session: Session, ledger: Ledger, rows: pl.DataFrame) -> None:
    met = rows.group_by("group", "on", maintain_order=True).agg(
        pl.coalesce(pl.col("session_minutes").max(), pl.col("minutes").max()).alias("minutes"),
        pl.col("note").drop_nulls().first(),
    )
    keys = GROUP.find(session, met)
    ledger.add(
        GroupSession,
        [
            {"group_id": key, "day": row["on"], "minutes": row["minutes"], "note": row["note"]}
            for key, row in zip(keys, met.iter_rows(named=True), strict=True)
        ],
    )


def standard(key: str, column: str) -> Reference:
    """A standard that is named by its code."""
    return Reference(key, (column,), "standard", _asked(select(Standard.id, Standard.code), column))


STUDENT = Reference(
    "student_id", ("student_id",), "student", _asked(select(Student.id, Student.student_id), "student_id")
)
MEASURE = Reference(
    "assessment_id",
    ("assessment", "subject"),
    "test",
    _asked(select(Assessment.id, Assessment.name, Assessment.subject), "assessment", "subject"),
    _add_measures,
)
STRAND = Reference(
    "strand_id",
    ("assessment", "subject", "strand"),
    "strand",
    _asked(
        select(Strand.id, Assessment.name, Assessment.subject, Strand.name).join(
            Assessment, Assessment.id == Strand.assessment_id
        ),
        "assessment",
        "subject",
        "strand",
    ),
    _add_strands,
)
RESULT = Reference(
    "result_id", ("student_id", "assessment", "subject", "window"), "result", _all_results, chosen=_results
)
WINDOW_OF = Reference("window_id", ("window",), "window", _windows)
PERIOD = Reference(
    "marking_period_id",
    ("marking_period",),
    "marking period",
    _asked(
        select(MarkingPeriod.id, func.concat(SchoolYear.name, " ", MarkingPeriod.name)).join(
            SchoolYear, SchoolYear.id == MarkingPeriod.school_year_id
        ),
        "marking_period",
    ),
    _add_periods,
)
PROGRAM = Reference(
    "program_id", ("program",), "program", _asked(select(Program.id, Program.name), "program"), _add_programs
)
ITEM = Reference("item_id", ("test", "item"), "item", _asked(select(Item.id, Item.test, Item.item), "test", "item"))
# Of two people with one name the one who signs in stands.
ADULT = Reference(
    "adult_id",
    ("adult",),
    "person",
    _asked(select(Person.id, Person.name).order_by(Person.login.is_(None), Person.id), "adult"),
    optional=True,
)
_SECOND = aliased(Person)
GROUP = Reference(
    "group_id",
    ("group",),
    "group",
    _asked(
        select(
            Group.id, Group.name, Group.focus, Group.entry_rule, Group.exit_rule, Assessment.name, Assessment.subject,
            Person.name, _SECOND.name, Group.slots, Group.tier, Group.times_a_week, Group.minutes, Group.first_day,
            Group.last_day, Group.fewest, Group.most,
        )
        .outerjoin(Assessment, Assessment.id == Group.assessment_id)
        .outerjoin(Person, Person.id == Group.adult_id)
        .outerjoin(_SECOND, _SECOND.id == Group.second_adult_id),
        "group", "focus", "entry_rule", "exit_rule", "assessment", "subject", "adult", "second_adult", "slots",
        tier=pl.Int64, times_a_week=pl.Int64, minutes=pl.Float64, group_from=pl.Date, group_to=pl.Date,
        fewest=pl.Int64, most=pl.Int64,
    ),
    _add_groups,
)  # fmt: skip
MET_GROUP = replace(GROUP, add=None)
SESSION = Reference(
    "session_id",
    ("group", "on"),
    "session",
    _asked(
        select(
            GroupSession.id, Group.name, GroupSession.note, GroupSession.day, GroupSession.minutes
        ).join(Group, Group.id == GroupSession.group_id),
        "group", "note", on=pl.Date, session_minutes=pl.Float64,
    ),
    _add_sessions,
)  # fmt: skip
YEAR = Reference(
    "school_year_id", ("school_year",), "school year", _asked(select(SchoolYear.id, SchoolYear.name), "school_year")
)
NEW_STUDENT = Reference(
    "student_id",
    ("student_id",),
    "student",
    _asked(
        select(Student.id, Student.student_id, Student.given_name, Student.family_name),
        "student_id",
        "given_name",
        "family_name",
    ),
    _add_students,
)
NEW_YEAR = replace(YEAR, add=_add_years)
SCHOOL = Reference(
    "school_id", ("school",), "school", _asked(select(School.id, School.name), "school"), _add_schools, optional=True
)
SECTION = Reference(
    "section_id",
    ("school_year", "school", "section"),
    "class",
    _asked(
        select(Section.id, SchoolYear.name, School.name, Section.name)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .outerjoin(School, School.id == Section.school_id),
        "school_year",
        "school",
        "section",
    ),
    optional=True,
)
FIELD = Reference("field_id", ("field",), "field", _asked(select(Field.id, Field.name), "field"), _add_fields)
