"""Files whose lines are rows of one table: their columns, and how a line finds its row."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from bodkin.exchange.faults import Fault
from bodkin.exchange.plain.plain_files import MEASURE as MEASURE_COLUMNS
from bodkin.exchange.plain.references import (
    FIELD,
    GROUP,
    ITEM,
    MEASURE,
    MET_GROUP,
    NEW_STUDENT,
    NEW_YEAR,
    PERIOD,
    PROGRAM,
    RESULT,
    SCHOOL,
    SECTION,
    SESSION,
    STRAND,
    STUDENT,
    WINDOW_OF,
    YEAR,
    Reference,
    standard,
)
from bodkin.exchange.tables_in.reading import (
    CODE,
    COUNT,
    DAY,
    GRADE,
    LIST,
    LONG,
    NOT_NEGATIVE,
    NUMBER,
    POSITIVE,
    SEASON,
    TRUTH,
    WINDOW,
    Column,
    Kind,
    Layout,
    Reading,
    one_of,
)
from bodkin.store.tables import (
    Absence,
    Answer,
    Attendance,
    Base,
    CourseGrade,
    Entitlement,
    Goal,
    GroupMember,
    Identifier,
    Item,
    Link,
    MasteryEntry,
    Material,
    NotTested,
    PracticeEntry,
    PracticeGoal,
    Prerequisite,
    ResultScale,
    Standard,
    StrandResult,
    StudentField,
    StudentProgram,
    StudentYear,
    TeachingCalendar,
)


@dataclass(frozen=True, slots=True)
class RowFile:
    """A kind of file whose lines are rows of ``table``.

    ``place``: columns of the table that say which row a line is, ``values``: what it says of it.
    ``written``: how the file calls a column of the table where the two names differ. ``instead``:
    what stands where the file is silent. ``check``: faults that a single cell does not show.
    ``needs``: what must be there although the table does not point at it.
    """

    layout: Layout
    table: type[Base]
    references: tuple[Reference, ...]
    place: tuple[str, ...]
    values: tuple[str, ...]
    written: Mapping[str, str] = field(default_factory=dict)
    instead: Mapping[str, Any] = field(default_factory=dict)
    check: Callable[[Reading], list[Fault]] = lambda _: []
    needs: tuple[Reference, ...] = ()

    def column(self, name: str) -> str:
        """What the file calls a column of the table."""
        return self.written.get(name, name)


def must(name: str, kind: Kind | None = None) -> Column:
    """A column that every row fills."""
    return Column(name, kind, required=True, filled=True) if kind else Column(name, required=True, filled=True)


def in_order(earlier: str, later: str) -> Callable[[Reading], list[Fault]]:
    """Faults of lines in which the later column is before the earlier one."""

    def check(reading: Reading) -> list[Fault]:
        wrong = reading.frame.filter(pl.col(later) < pl.col(earlier))["line"]
        return [Fault(reading.file, line, later, f"is before {earlier}") for line in wrong]

    return check


def _not_above(part: str, whole: str) -> Callable[[Reading], list[Fault]]:
    def check(reading: Reading) -> list[Fault]:
        wrong = reading.frame.filter(pl.col(part) > pl.col(whole))["line"]
        return [Fault(reading.file, line, part, f"is more than {whole}") for line in wrong]

    return check


def _something(*names: str) -> Callable[[Reading], list[Fault]]:
    def check(reading: Reading) -> list[Fault]:
        bad = {fault.line for fault in reading.faults}
        lacking = reading.frame.filter(pl.all_horizontal(pl.col(name).is_null() for name in names))["line"]
        message = f"{' and '.join(names)} are both empty; one of them is needed"
        return [Fault(reading.file, line, names[0], message) for line in lacking if line not in bad]

    return check


def _period_named(reading: Reading) -> list[Fault]:
    named = reading.frame["marking_period"]
    wrong = reading.frame.filter(named.is_not_null() & ~named.str.contains(r"^\d{4}-\d{2} \S"))["line"]
    message = "write the school year and the period, such as 2026-27 quarter 1"
    return [Fault(reading.file, line, "marking_period", message) for line in wrong]


def _practice_goals(reading: Reading) -> list[Fault]:
    above = reading.frame.filter(pl.col("accuracy") > 1)["line"]
    message = "is a share from 0 to 1, such as 0.8"
    return [
        *_period_named(reading), *in_order("easiest", "hardest")(reading),
        *(Fault(reading.file, line, "accuracy", message) for line in above),
    ]  # fmt: skip


WHO = must("student_id", CODE)
SITTING = (WHO, *MEASURE_COLUMNS, Column("window", WINDOW, required=True))
FROM_TO = {"first_day": "from", "last_day": "to"}
STATES = ("mastered", "nearly", "not yet")


def _year_named(reading: Reading) -> list[Fault]:
    named = reading.frame["school_year"]
    wrong = reading.frame.filter(named.is_not_null() & ~named.str.contains(r"^\d{4}-\d{2}$"))["line"]
    return [Fault(reading.file, line, "school_year", "write the school year as 2026-27") for line in wrong]


ROW_FILES: dict[str, RowFile] = {
    "students": RowFile(
        Layout(
            "students",
            (
                WHO, must("school_year", CODE), Column("given_name", required=True),
                Column("family_name", required=True), Column("school"), Column("grade", GRADE),
                Column("home_language", CODE),
            ),
        ),
        StudentYear, (NEW_STUDENT, NEW_YEAR, SCHOOL), ("student_id", "school_year_id"),
        ("school_id", "grade", "home_language"), check=_year_named,
    ),
    "standards": RowFile(
        Layout(
            "standards",
            (
                must("code", CODE), must("grade", GRADE), must("subject", CODE), must("strand"), must("text", LONG),
                Column("kind", one_of("priority", "supporting", "process")), Column("parent", CODE),
            ),
        ),
        Standard, (), ("code",), ("grade", "subject", "strand", "text", "kind", "parent"),
    ),
    "prerequisites": RowFile(
        Layout("prerequisites", (must("code", CODE), must("rests_on", CODE))),
        Prerequisite, (standard("standard_id", "code"), standard("rests_on_id", "rests_on")),
        ("standard_id", "rests_on_id"), (),
    ),
    "strand_scores": RowFile(
        Layout(
            "strand_scores",
            (
                *SITTING, must("strand"), Column("tested_on", DAY), Column("language", CODE), Column("score", NUMBER),
                Column("standard_error", POSITIVE), Column("points", NUMBER), Column("points_possible", NOT_NEGATIVE),
            ),
        ),
        StrandResult, (RESULT, STRAND), ("result_id", "strand_id"),
        ("score", "standard_error", "points", "points_possible"), check=_something("score", "points"),
    ),
    "result_scales": RowFile(
        Layout(
            "result_scales",
            (
                *SITTING, must("scale"), must("value"), Column("tested_on", DAY), Column("language", CODE),
                Column("low", NUMBER), Column("high", NUMBER),
            ),
        ),
        ResultScale, (RESULT,), ("result_id", "scale"), ("value", "low", "high"), check=in_order("low", "high"),
    ),
    "links": RowFile(
        Layout(
            "links",
            (
                *MEASURE_COLUMNS, must("grade", GRADE), must("season", SEASON), must("min_score", NUMBER),
                must("outcome"), must("level", CODE),
            ),
        ),
        Link, (MEASURE,), ("assessment_id", "grade", "season", "outcome", "level"), ("min_score",),
    ),
    "items": RowFile(
        Layout(
            "items",
            (
                must("test"), must("item", CODE), must("key", CODE), Column("points", POSITIVE),
                Column("options", LIST), Column("standards", LIST), Column("dropped", TRUTH),
            ),
        ),
        Item, (), ("test", "item"), ("key", "points", "options", "standards", "dropped"),
        instead={"points": 1.0, "dropped": False},
    ),
    "answers": RowFile(
        Layout(
            "answers",
            (
                WHO, must("test"), must("item", CODE), Column("option", CODE, required=True), Column("tested_on", DAY),
                Column("points", NOT_NEGATIVE),
            ),
        ),
        Answer, (STUDENT, ITEM), ("student_id", "item_id", "tested_on"), ("option", "points"),
    ),
    "mastery": RowFile(
        Layout(
            "mastery",
            (
                WHO, must("standard", CODE), must("state", one_of(*STATES)), must("on", DAY), Column("source"),
                Column("note", LIST),
            ),
        ),
        MasteryEntry, (STUDENT, standard("standard_id", "standard")), ("student_id", "standard_id", "day", "source"),
        ("state", "note"), {"day": "on"},
    ),
    "materials": RowFile(
        Layout(
            "materials", (must("standard", CODE), must("title"), Column("link", LONG), Column("check", LONG)),
        ),
        Material, (standard("standard_id", "standard"),), ("standard_id", "title"), ("link", "check"),
    ),
    "teaching_calendar": RowFile(
        Layout(
            "teaching_calendar",
            (
                must("school_year", CODE), must("standard", CODE), must("from", DAY), must("to", DAY),
                Column("grade", GRADE), Column("school"), Column("section"),
            ),
        ),
        TeachingCalendar, (YEAR, SECTION, standard("standard_id", "standard")),
        ("school_year_id", "grade", "section_id", "standard_id", "first_day"), ("last_day",), FROM_TO,
        check=in_order("from", "to"),
    ),
    "programs": RowFile(
        Layout("programs", (WHO, must("program"), Column("from", DAY, required=True), Column("to", DAY))),
        StudentProgram, (STUDENT, PROGRAM), ("student_id", "program_id", "first_day"), ("last_day",), FROM_TO,
        check=in_order("from", "to"),
    ),
    "identifiers": RowFile(
        Layout("identifiers", (WHO, must("identifier", CODE), must("value", CODE))),
        Identifier, (STUDENT,), ("student_id", "kind"), ("value",), {"kind": "identifier"},
    ),
    "student_fields": RowFile(
        Layout("student_fields", (WHO, must("field", CODE), must("value"))),
        StudentField, (STUDENT, FIELD), ("student_id", "field_id"), ("value",),
    ),
    "entitlements": RowFile(
        Layout("entitlements", (WHO, must("accommodation"), Column("from", DAY), Column("to", DAY), Column("source"))),
        Entitlement, (STUDENT,), ("student_id", "accommodation", "first_day"), ("last_day", "source"), FROM_TO,
        check=in_order("from", "to"),
    ),
    "absences": RowFile(
        Layout("absences", (WHO, must("on", DAY), Column("reason"), Column("minutes", COUNT))),
        Absence, (STUDENT,), ("student_id", "day"), ("reason", "minutes"), {"day": "on"},
    ),
    "not_tested": RowFile(
        Layout("not_tested", (WHO, must("window", WINDOW), must("reason"))),
        NotTested, (STUDENT, WINDOW_OF), ("student_id", "window_id"), ("reason",),
    ),
    "course_grades": RowFile(
        Layout(
            "course_grades",
            (WHO, must("subject", CODE), must("marking_period"), must("symbol", CODE), Column("points", NUMBER)),
        ),
        CourseGrade, (STUDENT, PERIOD), ("student_id", "subject", "marking_period_id"), ("symbol", "points"),
        check=_period_named,
    ),
    "groups": RowFile(
        Layout(
            "groups",
            (
                must("group"), WHO, must("from", DAY), Column("to", DAY), Column("reason", LIST), Column("focus", LIST),
                Column("assessment"), Column("subject", CODE), Column("adult"), Column("tier", COUNT),
                Column("times_a_week", COUNT), Column("minutes", NOT_NEGATIVE), Column("group_from", DAY),
                Column("group_to", DAY), Column("entry_rule", LIST), Column("exit_rule", LIST), Column("second_adult"),
                Column("slots", LIST), Column("fewest", COUNT), Column("most", COUNT),
            ),
        ),
        GroupMember, (GROUP, STUDENT), ("group_id", "student_id", "first_day"), ("last_day", "reason"), FROM_TO,
        check=in_order("from", "to"),
    ),
    "sessions": RowFile(
        Layout(
            "sessions",
            (
                must("group"), must("on", DAY), WHO, must("minutes", NOT_NEGATIVE),
                Column("session_minutes", NOT_NEGATIVE), Column("note", LIST),
            ),
        ),
        Attendance, (SESSION, STUDENT), ("session_id", "student_id"), ("minutes",), needs=(MET_GROUP,),
        check=_not_above("minutes", "session_minutes"),
    ),
    "goals": RowFile(
        Layout(
            "goals",
            (
                WHO, *MEASURE_COLUMNS, must("kind", one_of("keep pace", "catch up", "own")), must("target", NUMBER),
                must("by", DAY), Column("plan", LIST), Column("agreed_with"), Column("review_on", DAY),
            ),
        ),
        Goal, (STUDENT, MEASURE), ("student_id", "assessment_id", "by_day", "kind"),
        ("target", "plan", "agreed_with", "review_on"), {"by_day": "by"},
    ),
    "practice": RowFile(
        Layout(
            "practice",
            (
                WHO, must("on", DAY), must("text"), Column("minutes", NOT_NEGATIVE), Column("kind", CODE),
                Column("length", COUNT), Column("level", NUMBER), Column("help", CODE), Column("items", COUNT),
                Column("right", COUNT), Column("passed", TRUTH),
            ),
        ),
        PracticeEntry, (STUDENT,), ("student_id", "day", "text"),
        ("minutes", "kind", "length", "level", "help", "items", "right", "passed"), {"day": "on"},
        check=_not_above("right", "items"),
    ),
    "practice_goals": RowFile(
        Layout(
            "practice_goals",
            (
                WHO, must("marking_period"), Column("accuracy", NOT_NEGATIVE), Column("minutes", NOT_NEGATIVE),
                Column("easiest", NUMBER), Column("hardest", NUMBER),
            ),
        ),
        PracticeGoal, (STUDENT, PERIOD), ("student_id", "marking_period_id"),
        ("accuracy", "minutes", "easiest", "hardest"), check=_practice_goals,
    ),
}  # fmt: skip
"""Kinds of files by name, those that others rest on first."""
