"""What a file of scores says of people, schools and classes, against what is known of them."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import InstrumentedAttribute, Session

from bodkin.core.windows import parse_window
from bodkin.exchange.changes.ledger import Ledger
from bodkin.policy.roles import NAMED_TEACHER
from bodkin.store.reads.table.load import window_names
from bodkin.store.tables import (
    Enrolment,
    Person,
    Program,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentProgram,
    StudentYear,
    Window,
)

SectionName = tuple[str, str | None, str]
"""School year, school and name of a class."""


def _known(values: Iterable[str | None]) -> list[str]:
    return sorted({value for value in values if value is not None})


def _pairs(
    session: Session, first: InstrumentedAttribute[int], second: InstrumentedAttribute[int]
) -> set[tuple[int, int]]:
    return {(one, other) for one, other in session.execute(select(first, second))}


@dataclass(frozen=True, slots=True)
class Keys:
    """Keys of what a file names, once everything is there."""

    schools: dict[str, int]
    years: dict[str, int]
    windows: dict[str, int]
    sections: dict[SectionName, int]
    teachers: dict[str, int]
    programs: dict[str, int]
    students: dict[str, int]

    def school(self, name: str | None) -> int | None:
        """Key of a school; None where the row names none."""
        return self.schools[name] if name is not None else None

    def teacher(self, name: str | None) -> int | None:
        """Key of a teacher; None where the row names none."""
        return self.teachers[name] if name is not None else None

    def section(self, year: str | None, school: str | None, name: str | None) -> int | None:
        """Key of a class; None where the row names none or its school year is not known."""
        return self.sections[year, school, name] if year is not None and name is not None else None


def _keys(session: Session) -> Keys:
    sections = session.execute(
        select(Section.id, SchoolYear.name, School.name, Section.name)
        .join(SchoolYear, SchoolYear.id == Section.school_year_id)
        .outerjoin(School, School.id == Section.school_id)
    )
    return Keys(
        {name: key for key, name in session.execute(select(School.id, School.name))},
        {name: key for key, name in session.execute(select(SchoolYear.id, SchoolYear.name))},
        {name: key for key, name in window_names(session).items()},
        {(year, school, name): key for key, year, school, name in sections},
        # Of two people with one name the first stands; a login marks the one who works here.
        {
            name: key
            for key, name in session.execute(
                select(Person.id, Person.name).order_by(Person.login.is_not(None), Person.id.desc())
            )
        },
        {name: key for key, name in session.execute(select(Program.id, Program.name))},
        {name: key for key, name in session.execute(select(Student.id, Student.student_id))},
    )


@dataclass(slots=True)
class Roster:
    """The plan for everything that is not a result."""

    rows: pl.DataFrame
    new: dict[str, list[Any]]
    renamed: list[dict[str, Any]]
    counts: dict[str, int] = field(default_factory=dict)

    @classmethod
    def plan(cls, session: Session, rows: pl.DataFrame) -> "Roster":
        """What of the roster in ``rows`` is not there yet, and which names changed."""
        keys = _keys(session)
        sections: set[SectionName] = {
            (year, school, name)
            for year, school, name in rows.select("school_year", "school", "section").unique().iter_rows()
            if year is not None and name is not None
        }
        programs = _known(name for text in rows["programs"].drop_nulls().unique() for name in text.split(";"))
        new: dict[str, list[Any]] = {
            "schools": [name for name in _known(rows["school"].unique()) if name not in keys.schools],
            "school_years": [name for name in _known(rows["school_year"].unique()) if name not in keys.years],
            "windows": [name for name in _known(rows["window"].unique()) if name not in keys.windows],
            "classes": sorted((s for s in sections if s not in keys.sections), key=str),
            "teachers": [name for name in _known(rows["teacher"].unique()) if name not in keys.teachers],
            "programs": [name for name in programs if name not in keys.programs],
        }
        latest = rows.sort(["tested_on", "line"], nulls_last=False).group_by("student_id", maintain_order=True)
        names = latest.agg(pl.col("given_name", "family_name").drop_nulls().last())
        there = {
            student: (key, given, family)
            for key, student, given, family in session.execute(
                select(Student.id, Student.student_id, Student.given_name, Student.family_name)
            )
        }
        fresh, renamed = [], []
        for student, given, family in names.select("student_id", "given_name", "family_name").iter_rows():
            known = there.get(student)
            if known is None:
                fresh.append({"student_id": student, "given_name": given, "family_name": family})
            elif (given or known[1], family or known[2]) != known[1:]:
                renamed.append({"id": known[0], "given_name": given or known[1], "family_name": family or known[2]})
        new["students"] = fresh
        counts = {name: len(values) for name, values in new.items()} | {"names_changed": len(renamed)}
        return cls(rows, new, renamed, counts)

    @staticmethod
    def keys(session: Session) -> Keys:
        """Keys of everything that is there now."""
        return _keys(session)

    def apply(self, session: Session, ledger: Ledger) -> None:
        """Write it all, in the order in which one thing needs another."""
        ledger.add(School, [{"name": name} for name in self.new["schools"]])
        ledger.add(SchoolYear, [{"name": name} for name in self.new["school_years"]])
        ledger.add(Program, [{"name": name} for name in self.new["programs"]])
        ledger.add(Person, [{"name": name, "role": NAMED_TEACHER} for name in self.new["teachers"]])
        ledger.add(Student, self.new["students"])
        ledger.change(Student, self.renamed)
        keys = _keys(session)
        windows = [(name, parse_window(name)) for name in self.new["windows"]]
        ledger.add(Window, [{"school_year_id": keys.years[w.school_year], "season": w.season} for _, w in windows])
        ledger.add(
            Section,
            [
                {"school_year_id": keys.years[year], "school_id": keys.school(school), "name": name}
                for year, school, name in self.new["classes"]
            ],
        )
        self._belong(session, ledger, _keys(session))

    def _belong(self, session: Session, ledger: Ledger, keys: Keys) -> None:
        """Who is in which school, grade, class and program, and who teaches which class."""
        rows = self.rows.sort(["tested_on", "line"], nulls_last=False)
        years = rows.filter(pl.col("school_year").is_not_null())
        there = {
            (student, year): (key, school, grade)
            for key, student, year, school, grade in session.execute(
                select(
                    StudentYear.id,
                    StudentYear.student_id,
                    StudentYear.school_year_id,
                    StudentYear.school_id,
                    StudentYear.grade,
                )
            )
        }
        fresh, moved = [], []
        latest = years.group_by("student_id", "school_year", maintain_order=True)
        for student, year, school, grade in latest.agg(pl.col("school", "grade").drop_nulls().last()).iter_rows():
            place = (keys.students[student], keys.years[year])
            values = {"school_id": keys.school(school), "grade": grade}
            known = there.get(place)
            if known is None:
                fresh.append({"student_id": place[0], "school_year_id": place[1], **values})
            elif (values["school_id"] or known[1], grade or known[2]) != known[1:]:
                moved.append({"id": known[0], "school_id": values["school_id"] or known[1], "grade": grade or known[2]})
        ledger.add(StudentYear, fresh)
        ledger.change(StudentYear, moved)
        self._enrol(session, ledger, keys, years)
        self._programs(session, ledger, keys)

    @staticmethod
    def _enrol(session: Session, ledger: Ledger, keys: Keys, years: pl.DataFrame) -> None:
        placed = years.filter(pl.col("section").is_not_null())
        enrolled = _pairs(session, Enrolment.student_id, Enrolment.section_id)
        taught = _pairs(session, SectionTeacher.section_id, SectionTeacher.person_id)
        fresh: list[dict[str, Any]] = []
        for student, year, school, name in (
            placed.select("student_id", "school_year", "school", "section").unique(maintain_order=True).iter_rows()
        ):
            pair = (keys.students[student], keys.sections[year, school, name])
            if pair not in enrolled:
                fresh.append({"student_id": pair[0], "section_id": pair[1], "first_day": None, "last_day": None})
        ledger.add(Enrolment, fresh)
        teaching: list[dict[str, Any]] = []
        with_teacher = placed.filter(pl.col("teacher").is_not_null())
        for year, school, name, teacher in (
            with_teacher.select("school_year", "school", "section", "teacher").unique(maintain_order=True).iter_rows()
        ):
            both = (keys.sections[year, school, name], keys.teachers[teacher])
            if both not in taught:
                teaching.append({"section_id": both[0], "person_id": both[1]})
        ledger.add(SectionTeacher, teaching)

    def _programs(self, session: Session, ledger: Ledger, keys: Keys) -> None:
        there = _pairs(session, StudentProgram.student_id, StudentProgram.program_id)
        first: dict[tuple[int, int], date | None] = {}
        for student, programs, day in self.rows.select("student_id", "programs", "tested_on").iter_rows():
            for name in programs.split(";") if programs else []:
                place = (keys.students[student], keys.programs[name])
                if place in there:
                    continue
                known = first.get(place)
                first[place] = min(day, known) if day is not None and known is not None else (known or day)
        ledger.add(
            StudentProgram,
            [
                {"student_id": student, "program_id": program, "first_day": day, "last_day": None}
                for (student, program), day in first.items()
            ],
        )
