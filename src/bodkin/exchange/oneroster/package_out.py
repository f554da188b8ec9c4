"""The roster, the tests and their results as OneRoster 1.2 files.

What has no sourcedId of another system gets one made from its name, so that the same data always
make the same files. Strand scores, norms, programs and all that Bodkin's own steps keep have no
place in the specification and stay out; a backup holds everything.
"""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.windows import SEASONS
from bodkin.exchange.oneroster.files import FIELD, FILES, OURS, columns_of, listed, write_package
from bodkin.exchange.oneroster.package_rows import PackageRows, days_of, grade_code, made_id, true_word
from bodkin.exchange.oneroster.results_out import results_out, score_scales
from bodkin.policy.roles import role_of
from bodkin.store.database import two_columns
from bodkin.store.tables import (
    Course,
    District,
    Enrolment,
    Field,
    Identifier,
    MarkingPeriod,
    Person,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentField,
    StudentYear,
    Window,
)

CLASS_TYPES = {"home": "homeroom", "subject": "scheduled", None: "scheduled"}


def _orgs(out: PackageRows) -> None:
    name = out.session.scalars(select(District.name)).one()
    out.district = made_id("district", name)
    out.put("orgs", out.district, name=name, type="district")
    for school in out.session.scalars(select(School).order_by(School.name)):
        key = out.named("school", school.id, school.sourced_id, school.name)
        out.put("orgs", key, name=school.name, type="school", parentSourcedId=out.district)


def _sessions(out: PackageRows) -> dict[int, str]:
    """School years, marking periods and windows; returns the names of the years."""
    names: dict[int, str] = {}
    spans: dict[int, tuple[date, date]] = {}

    def put(key: str, title: str, kind: str, year: int, first: date | None, last: date | None, parent: str) -> None:
        known = first is not None and last is not None
        begins, ends = (first, last) if known else spans[year]
        out.put(
            "academicSessions", key, title=title, type=kind, startDate=begins, endDate=ends, parentSourcedId=parent,
            schoolYear=str(int(names[year][:4]) + 1), **{f"{OURS}daysKnown": true_word(known)},
        )  # fmt: skip

    for year in out.session.scalars(select(SchoolYear).order_by(SchoolYear.name)):
        names[year.id] = year.name
        spans[year.id] = days_of(year.name)
        key = out.named("year", year.id, year.sourced_id, year.name)
        put(key, year.name, "schoolYear", year.id, year.first_day, year.last_day, "")
        if year.first_day is not None and year.last_day is not None:
            spans[year.id] = (year.first_day, year.last_day)
    periods = list(out.session.scalars(select(MarkingPeriod)))
    for period in sorted(periods, key=lambda one: (names[one.school_year_id], one.name)):
        title = names[period.school_year_id]
        key = out.named("period", period.id, period.sourced_id, title, period.name)
        parent = out.ids["year", period.school_year_id]
        put(key, period.name, "gradingPeriod", period.school_year_id, period.first_day, period.last_day, parent)
    windows = list(out.session.scalars(select(Window)))
    for window in sorted(windows, key=lambda one: (names[one.school_year_id], SEASONS.index(one.season))):
        key = out.named("window", window.id, window.sourced_id, names[window.school_year_id], window.season)
        parent = out.ids["year", window.school_year_id]
        put(key, window.season, "ext:testingWindow", window.school_year_id, window.first_day, window.last_day, parent)
    return names


def _classes(out: PackageRows, years: dict[int, str]) -> None:
    courses = list(out.session.scalars(select(Course)))
    for course in sorted(courses, key=lambda one: (years.get(one.school_year_id or 0, ""), one.title)):
        year = years.get(course.school_year_id or 0, "")
        key = out.named("course", course.id, course.sourced_id, year, course.title)
        _course(out, key, year, course.title, course)
    sections = list(out.session.scalars(select(Section)))
    names = two_columns(out.session, select(School.id, School.name))

    def place(one: Section) -> tuple[str, str, str]:
        return years[one.school_year_id], names.get(one.school_id or 0, ""), one.name

    general = dict.fromkeys(years[one.school_year_id] for one in sorted(sections, key=place) if one.course_id is None)
    for year in general:
        _course(out, made_id("course", year, "Classes"), year, "Classes", None)
    for section in sorted(sections, key=place):
        year = years[section.school_year_id]
        key = out.named("section", section.id, section.sourced_id, *place(section))
        course_key = (
            out.ids["course", section.course_id]
            if section.course_id is not None
            else made_id("course", year, "Classes")
        )
        out.put(
            "classes", key, title=section.name, courseSourcedId=course_key,
            classType=CLASS_TYPES.get(section.kind, "scheduled"), schoolSourcedId=out.org(section.school_id),
            termSourcedIds=out.ids["year", section.school_year_id],
        )  # fmt: skip


def _course(out: PackageRows, key: str, year: str, title: str, course: Course | None) -> None:
    by_name = {out_row["title"]: out_row["sourcedId"] for out_row in out.rows["academicSessions"]}
    if any(row["sourcedId"] == key for row in out.rows["courses"]):
        return
    out.put(
        "courses", key, schoolYearSourcedId=by_name.get(year, ""), title=title, orgSourcedId=out.district,
        courseCode=course.code if course else None, grades=grade_code(course.grade) if course else None,
        subjects=course.subject if course else None,
    )  # fmt: skip


def _people(out: PackageRows) -> None:
    people = list(out.session.scalars(select(Person)))
    seen: dict[tuple[str, str], int] = {}
    for person in sorted(people, key=lambda one: (one.name, one.role, one.id)):
        nth = seen[person.name, person.role] = seen.get((person.name, person.role), 0) + 1
        key = out.named("person", person.id, person.sourced_id, person.name, person.role, nth)
        given, _, family = person.name.rpartition(" ")
        out.put(
            "users", key, enabledUser="true", username=key, givenName=given or family, familyName=family,
            primaryOrgSourcedId=out.org(person.school_id), **{f"{OURS}nameKnown": "true"},
        )  # fmt: skip
        out.put(
            "roles", made_id("role", key), userSourcedId=key, roleType="primary",
            role=role_of(person.role).oneroster, orgSourcedId=out.org(person.school_id),
            **{f"{OURS}role": person.role},
        )  # fmt: skip


def _students(out: PackageRows, years: dict[int, str]) -> None:
    session = out.session
    other: dict[int, list[str]] = {}
    for one in session.scalars(select(Identifier).order_by(Identifier.kind)):
        other.setdefault(one.student_id, []).append(f"{{{one.kind}:{one.value}}}")
    stays: dict[int, list[StudentYear]] = {}
    for stay in session.scalars(select(StudentYear)):
        stays.setdefault(stay.student_id, []).append(stay)
    spans = {row["sourcedId"]: (row["startDate"], row["endDate"]) for row in out.rows["academicSessions"]}
    for student in session.scalars(select(Student).order_by(Student.student_id)):
        key = out.named("student", student.id, student.sourced_id, student.student_id)
        mine = sorted(stays.get(student.id, []), key=lambda stay: years[stay.school_year_id])
        last = mine[-1] if mine else None
        known = student.given_name is not None or student.family_name is not None
        out.put(
            "users", key, enabledUser="true", username=student.student_id, userIds=listed(other.get(student.id, [])),
            givenName=student.given_name or student.student_id, familyName=student.family_name or student.student_id,
            identifier=student.student_id, grades=grade_code(last.grade) if last else None,
            primaryOrgSourcedId=out.org(last.school_id if last else None), **{f"{OURS}nameKnown": true_word(known)},
        )  # fmt: skip
        if not mine:
            out.put(
                "roles", made_id("role", key), userSourcedId=key, roleType="primary", role="student",
                orgSourcedId=out.district,
            )  # fmt: skip
        for stay in mine:
            year = years[stay.school_year_id]
            first, final = spans[out.ids["year", stay.school_year_id]]
            out.put(
                "roles", made_id("role", key, year), userSourcedId=key, role="student",
                roleType="primary" if stay is last else "secondary", beginDate=first, endDate=final,
                orgSourcedId=out.org(stay.school_id),
                **{f"{OURS}schoolYear": year, f"{OURS}grade": stay.grade, f"{OURS}homeLanguage": stay.home_language},
            )  # fmt: skip


def session_rows(session: Session, table: type[Enrolment | SectionTeacher]) -> list[dict[str, Any]]:
    """Every row of a table as a dictionary."""
    return [dict(row) for row in session.execute(select(*table.__table__.c)).mappings()]


def _enrolments(out: PackageRows) -> None:
    schools = two_columns(out.session, select(Section.id, Section.school_id))
    rows: list[tuple[str, dict[str, Any]]] = []
    for kind, stays in (
        ("student", session_rows(out.session, Enrolment)),
        ("person", session_rows(out.session, SectionTeacher)),
    ):
        for one in stays:
            section = out.ids["section", one["section_id"]]
            user = out.ids[kind, one[f"{kind}_id"]]
            key = one["sourced_id"] or made_id(
                "enrolment", section, user, one["first_day"] if kind == "student" else ""
            )
            values = {
                "classSourcedId": section, "schoolSourcedId": out.org(schools[one["section_id"]]),
                "userSourcedId": user, "role": "student" if kind == "student" else "teacher",
                "primary": true_word(kind == "person"), "beginDate": one["first_day"], "endDate": one["last_day"],
            }  # fmt: skip
            rows.append((key, values))
    for key, values in sorted(rows, key=lambda row: row[0]):
        out.put("enrollments", key, **values)


def _demographics(out: PackageRows) -> list[str]:
    """What the roster's fields say; returns those that the specification does not know."""
    by_student: dict[str, dict[str, str]] = {}
    query = (
        select(Student.id, Field.name, StudentField.value)
        .join(StudentField, StudentField.student_id == Student.id)
        .join(Field, Field.id == StudentField.field_id)
        .order_by(Student.student_id)
    )
    more: set[str] = set()
    for student, name, value in out.session.execute(query):
        column = name if name in FILES["demographics"] else f"{OURS}{FIELD}{name}"
        more |= {column} - set(FILES["demographics"])
        by_student.setdefault(out.ids["student", student], {})[column] = value
    for key, values in by_student.items():
        out.put("demographics", key, **values)
    return sorted(more)


def _frame(name: str, rows: Sequence[dict[str, Any]], more: Sequence[str], always: Mapping[str, str]) -> pl.DataFrame:
    columns = [*columns_of(name), *more]
    return pl.DataFrame(
        {
            column: pl.repeat(always[column], len(rows), dtype=pl.String, eager=True)
            if column in always
            else pl.Series(
                [None if (value := row.get(column)) is None or value == "" else str(value) for row in rows],
                dtype=pl.String,
            )
            for column in columns
        }
    )


def oneroster_tables(session: Session, *, results: bool = True) -> dict[str, pl.DataFrame]:
    """Every file as a frame of text, in an order that depends on the data alone."""
    out = PackageRows(session)
    _orgs(out)
    years = _sessions(out)
    _classes(out, years)
    _people(out)
    _students(out, years)
    _enrolments(out)
    more = _demographics(out)
    if results:
        score_scales(out)
        results_out(out)
    # The order of a file follows the ids, so that a row more or less moves no other one.
    return {
        name: _frame(
            name, sorted(rows, key=out.place), more if name == "demographics" else (), out.always.get(name, {})
        )
        for name, rows in out.rows.items()
        if rows or name in ("orgs", "academicSessions", "courses", "classes", "users", "roles", "enrollments")
    }


def oneroster_package(session: Session) -> bytes:
    """A zip of bulk files; the same data make the same bytes."""
    return write_package(oneroster_tables(session), "Bodkin")
