"""The roster, the tests and their results as OneRoster 1.2 files.

What has no sourcedId of another system gets one made from its name, so that the same data always
make the same files. Strand scores, norms, programs and all that Bodkin's own steps keep have no
place in the specification and stay out; a backup holds everything.
"""

import json
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.windows import SEASONS
from bodkin.exchange.oneroster.files import FIELD, FILES, OURS, columns_of, listed, write_package
from bodkin.store.database import two_columns
from bodkin.store.reads.load import NOT_COUNTED, window_names
from bodkin.store.tables import (
    Assessment,
    Course,
    Cut,
    District,
    Enrolment,
    Field,
    Identifier,
    MarkingPeriod,
    Person,
    Result,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentField,
    StudentYear,
    Window,
)

NAMESPACE = uuid.uuid5(uuid.NAMESPACE_URL, "bodkin:oneroster")

ROLES = {
    "coach": "districtAdministrator",
    "school_lead": "principal",
    "teacher": "teacher",
    "interventionist": "teacher",
    "aide": "aide",
}
"""The specification's word for each role; our own stands beside it."""

CLASS_TYPES = {"home": "homeroom", "subject": "scheduled", None: "scheduled"}
CATEGORY = "Assessments"


def made_id(kind: str, *names: object) -> str:
    """A sourcedId from names: the same for the same names, on every machine."""
    return str(uuid.uuid5(NAMESPACE, json.dumps([kind, *map(str, names)], ensure_ascii=False)))


def days_of(year: str) -> tuple[date, date]:
    """August to July: the days of a school year whose own are not known."""
    began = int(year[:4])
    return date(began, 8, 1), date(began + 1, 7, 31)


def _true(value: object) -> str:
    return "true" if value else "false"


@dataclass(slots=True)
class _Out:
    """Rows of every file, and the sourcedIds of what others point at, by our keys."""

    session: Session
    rows: dict[str, list[dict[str, Any]]] = field(default_factory=lambda: {name: [] for name in FILES})
    ids: dict[tuple[str, int], str] = field(default_factory=dict)
    district: str = ""

    def put(self, file: str, sourced: str, **values: Any) -> None:
        self.rows[file].append({"sourcedId": sourced, **values})

    def named(self, kind: str, key: int, sourced: str | None, *names: object) -> str:
        """The sourcedId of a row, kept under our key."""
        made = sourced or made_id(kind, *names)
        self.ids[kind, key] = made
        return made

    def org(self, school: int | None) -> str:
        return self.ids["school", school] if school is not None else self.district


def _orgs(out: _Out) -> None:
    name = out.session.scalars(select(District.name)).one()
    out.district = made_id("district", name)
    out.put("orgs", out.district, name=name, type="district")
    for school in out.session.scalars(select(School).order_by(School.name)):
        key = out.named("school", school.id, school.sourced_id, school.name)
        out.put("orgs", key, name=school.name, type="school", parentSourcedId=out.district)


def _sessions(out: _Out) -> dict[int, str]:
    """School years, marking periods and windows; returns the names of the years."""
    names: dict[int, str] = {}
    spans: dict[int, tuple[date, date]] = {}

    def put(key: str, title: str, kind: str, year: int, first: date | None, last: date | None, parent: str) -> None:
        known = first is not None and last is not None
        begins, ends = (first, last) if known else spans[year]
        out.put(
            "academicSessions", key, title=title, type=kind, startDate=begins, endDate=ends, parentSourcedId=parent,
            schoolYear=str(int(names[year][:4]) + 1), **{f"{OURS}daysKnown": _true(known)},
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


def _classes(out: _Out, years: dict[int, str]) -> None:
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


def _course(out: _Out, key: str, year: str, title: str, course: Course | None) -> None:
    by_name = {out_row["title"]: out_row["sourcedId"] for out_row in out.rows["academicSessions"]}
    if any(row["sourcedId"] == key for row in out.rows["courses"]):
        return
    out.put(
        "courses", key, schoolYearSourcedId=by_name.get(year, ""), title=title, orgSourcedId=out.district,
        courseCode=course.code if course else None, grades=course.grade if course else None,
        subjects=course.subject if course else None,
    )  # fmt: skip


def _people(out: _Out) -> None:
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
            role=ROLES.get(person.role, "teacher"), orgSourcedId=out.org(person.school_id),
            **{f"{OURS}role": person.role},
        )  # fmt: skip


def _students(out: _Out, years: dict[int, str]) -> None:
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
            identifier=student.student_id, grades=last.grade if last else None,
            primaryOrgSourcedId=out.org(last.school_id if last else None), **{f"{OURS}nameKnown": _true(known)},
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


def _enrolments(out: _Out) -> None:
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
                "primary": _true(kind == "person"), "beginDate": one["first_day"], "endDate": one["last_day"],
            }  # fmt: skip
            rows.append((key, values))
    for key, values in sorted(rows, key=lambda row: row[0]):
        out.put("enrollments", key, **values)


def _demographics(out: _Out) -> list[str]:
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


def _score_scales(out: _Out) -> None:
    query = (
        select(Assessment.name, Assessment.subject, Cut)
        .join(Assessment, Assessment.id == Cut.assessment_id)
        .order_by(Assessment.name, Assessment.subject, Cut.purpose, Cut.grade, Cut.season, Cut.order)
    )
    sets: dict[tuple[Any, ...], list[Cut]] = {}
    for name, subject, cut in out.session.execute(query):
        sets.setdefault((name, subject, cut.grade, cut.season, cut.purpose), []).append(cut)
    for (name, subject, grade, season, purpose), cuts in sets.items():
        bands = [[cut.order, cut.band, cut.min_score, cut.min_percentile] for cut in cuts]
        lows = [cut.min_score if cut.min_score is not None else cut.min_percentile for cut in cuts]
        highs = [*lows[1:], None]
        scales = [
            f"{{{cut.band}:{'' if low is None else f'{low:g}'}-{'' if high is None else f'{high:g}'}}}"
            for cut, low, high in zip(cuts, lows, highs, strict=True)
        ]
        out.put(
            "scoreScales", made_id("scale", name, subject, grade, season, purpose),
            title=f"{name} {subject}, grade {grade}, {season or 'year-end'} ({purpose})", type="bands",
            orgSourcedId=out.district, scoreScaleValue=listed(scales),
            **{
                f"{OURS}assessment": name, f"{OURS}subject": subject, f"{OURS}grade": grade, f"{OURS}season": season,
                f"{OURS}purpose": purpose, f"{OURS}bands": json.dumps(bands, ensure_ascii=False),
            },
        )  # fmt: skip


def _number(value: float | None) -> str | None:
    return None if value is None else repr(value) if not float(value).is_integer() else str(int(value))


def _results(out: _Out) -> None:
    out.put("categories", made_id("category", CATEGORY), title=CATEGORY)
    session, windows = out.session, window_names(out.session)
    tests = {test.id: test for test in session.scalars(select(Assessment))}
    spans = {row["sourcedId"]: (row["startDate"], row["endDate"]) for row in out.rows["academicSessions"]}
    years = {name: out.ids["year", key] for key, name in session.execute(select(SchoolYear.id, SchoolYear.name))}
    columns = (
        Result.id, Result.student_id, Result.assessment_id, Result.window_id, Result.section_id, Result.school_id,
        Result.teacher_id, Result.tested_on, Result.grade, Result.language, Result.score, Result.standard_error,
        Result.percentile, Result.percentile_basis, Result.minutes, Result.items_tried, Result.items_right,
        Result.points, Result.points_possible, Result.accommodations,
    )  # fmt: skip
    lines: dict[tuple[Any, ...], str] = {}
    seen: dict[tuple[Any, ...], int] = {}
    made_lines: list[dict[str, Any]] = []
    for one in session.execute(
        select(*columns).where(Result.state.is_(None) | Result.state.not_in(NOT_COUNTED)).order_by(Result.id)
    ):
        test, window = tests[one.assessment_id], windows.get(one.window_id)
        section = out.ids.get(("section", one.section_id))
        place = (test.name, test.subject, window, section or out.org(one.school_id))
        if place not in lines:
            lines[place] = made_id("line", *place)
            session_key = out.ids.get(("window", one.window_id)) or _year_of(one.tested_on, years, spans)
            begins, ends = spans.get(session_key or "", (None, None))
            made_lines.append(
                {
                    "sourcedId": lines[place], "title": f"{test.name} {test.subject}",
                    "description": window or "outside the windows", "assignDate": begins, "dueDate": ends,
                    "classSourcedId": section, "categorySourcedId": made_id("category", CATEGORY),
                    "academicSessionSourcedId": session_key, "schoolSourcedId": out.org(one.school_id),
                    f"{OURS}assessment": test.name, f"{OURS}subject": test.subject, f"{OURS}kind": test.kind,
                    f"{OURS}normGroup": test.norm_group, f"{OURS}window": window,
                }
            )  # fmt: skip
        student = out.ids["student", one.student_id]
        again = (lines[place], student, one.tested_on, one.language)
        nth = seen[again] = seen.get(again, -1) + 1
        day = one.tested_on or (
            spans[session_key][0] if (session_key := out.ids.get(("window", one.window_id))) else None
        )
        out.put(
            "results", made_id("result", *again, nth), lineItemSourcedId=lines[place], studentSourcedId=student,
            scoreStatus="fully graded", score=_number(one.score), scoreDate=day, classSourcedId=section,
            inProgress="false", incomplete="false", late="false", missing="false",
            **{
                f"{OURS}grade": one.grade, f"{OURS}teacher": out.ids.get(("person", one.teacher_id)),
                f"{OURS}language": one.language, f"{OURS}standardError": _number(one.standard_error),
                f"{OURS}percentile": _number(one.percentile), f"{OURS}percentileBasis": one.percentile_basis,
                f"{OURS}minutes": _number(one.minutes), f"{OURS}itemsTried": one.items_tried,
                f"{OURS}itemsRight": one.items_right, f"{OURS}points": _number(one.points),
                f"{OURS}pointsPossible": _number(one.points_possible), f"{OURS}accommodations": one.accommodations,
                f"{OURS}dateKnown": _true(one.tested_on is not None),
            },
        )  # fmt: skip
    out.rows["lineItems"] = sorted(made_lines, key=lambda row: str(row["sourcedId"]))


def _year_of(day: date | None, years: dict[str, str], spans: dict[str, tuple[date, date]]) -> str | None:
    for key in years.values():
        if day is not None and spans[key][0] <= day <= spans[key][1]:
            return key
    return None


def _frame(name: str, rows: Sequence[dict[str, Any]], more: Sequence[str]) -> pl.DataFrame:
    columns = [*columns_of(name), *more]
    return pl.DataFrame(
        {
            column: pl.Series(
                [None if (value := row.get(column)) in (None, "") else str(value) for row in rows], dtype=pl.String
            )
            for column in columns
        }
    )


def oneroster_tables(session: Session, *, results: bool = True) -> dict[str, pl.DataFrame]:
    """Every file as a frame of text, in an order that depends on the data alone."""
    out = _Out(session)
    _orgs(out)
    years = _sessions(out)
    _classes(out, years)
    _people(out)
    _students(out, years)
    _enrolments(out)
    more = _demographics(out)
    if results:
        _score_scales(out)
        _results(out)
    # What was put under its key last stands; people come before students.
    return {
        name: _frame(name, rows, more if name == "demographics" else ())
        for name, rows in out.rows.items()
        if rows or name in ("orgs", "academicSessions", "courses", "classes", "users", "roles", "enrollments")
    }


def oneroster_package(session: Session) -> bytes:
    """A zip of bulk files; the same data make the same bytes."""
    return write_package(oneroster_tables(session), "Bodkin")
