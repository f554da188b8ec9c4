"""Puts the invented district into an empty database."""

import math
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
from numpy.random import Generator
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from bodkin.demo import daily, district
from bodkin.demo import help as help_
from bodkin.demo.district import CLASSES, GRADES, PROGRAMS, SCALES, SCHOOLS, SEASON_WEEKS, YEARS
from bodkin.demo.loading.load_rest import between_the_windows, help_given, other_tests, standards_and_checks
from bodkin.demo.loading.put import brought_in, put
from bodkin.demo.names import FAMILY, GIVEN
from bodkin.demo.other_tests import left_the_program
from bodkin.demo.pupils import AWAY, MOVED_ON, Pupils, arrived_on, ever_here, make_pupils, school_at
from bodkin.demo.results import STRAND_SPREAD, Helped, Standing, choose_helped, note_standing, result_rows, sittings
from bodkin.store.database import DISTRICT
from bodkin.store.tables import (
    Assessment,
    AssignedGrade,
    Closure,
    Course,
    Cut,
    District,
    Enrolment,
    Field,
    GrowthNorm,
    Identifier,
    MarkingPeriod,
    Norm,
    Person,
    Program,
    Result,
    ResultScale,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Strand,
    StrandResult,
    Student,
    StudentField,
    StudentProgram,
    StudentYear,
    Window,
)

SEED = 20270212

Place = tuple[str, int, int, int]
"""School year, school, grade and class of a section."""


def is_empty(session: Session) -> bool:
    """Whether nobody and nothing is in the database yet."""
    return session.scalar(select(Person.id).limit(1)) is None and session.scalar(select(Result.id).limit(1)) is None


def load_demo(session: Session, hash_password: Callable[[str], str]) -> None:
    """Write the whole district, within the caller's transaction."""
    rng = np.random.default_rng(SEED)
    session.execute(update(District).where(District.id == DISTRICT).values(name=district.NAME))
    pupils = make_pupils(rng)
    with _file(session, "calendar.csv", "calendar"):
        _calendar(session)
    with _file(session, "tests-norms-cuts.csv", "norms"):
        keys = _measures(session)
    with _file(session, "roster.csv", "students"):
        keys |= _classes(session, rng, pupils)
        keys["programs"] = _students(session, pupils)
        keys["entitled"] = help_.entitled_to(pupils)
    _sign_ins(session, keys, hash_password)
    with _file(session, "programs-and-places.csv", "programs"):
        _belonging(session, pupils, keys)
        helped = choose_helped(pupils)
    with _file(session, "saltgauge-results.csv", "scores"):
        standing = _results(session, rng, pupils, helped, keys)
    more = np.random.default_rng([SEED, 1])
    with _file(session, "other-tests.csv", "scores"):
        other_tests(session, more, pupils, helped, standing, keys)
    with _file(session, "standards-and-unit-checks.csv", "standards"):
        standards_and_checks(session, more, pupils, standing)
    with _file(session, "practice-and-absences.csv", "practice"):
        between_the_windows(session, more, pupils, standing, keys)
    with _file(session, "groups-and-sessions.csv", "groups"):
        help_given(session, more, pupils, helped, keys)


def _file(session: Session, name: str, kind: str) -> AbstractContextManager[None]:
    """A file of the invented district, brought in as it is loaded."""
    return brought_in(session, name, kind, datetime.now(UTC).replace(tzinfo=None))


def _calendar(session: Session) -> None:
    put(session, School, [{"id": at + 1, "name": name} for at, name in enumerate(SCHOOLS)])
    years = []
    windows = []
    for at, year in enumerate(YEARS):
        days = district.school_days(year)
        years.append({"id": at + 1, "name": year, "first_day": days[0], "last_day": days[-1]})
        for season in SEASON_WEEKS:
            first, last = district.window_days(year, season)
            windows.append({"school_year_id": at + 1, "season": season, "first_day": first, "last_day": last})
    put(session, SchoolYear, years)
    put(
        session,
        MarkingPeriod,
        [
            {"school_year_id": at + 1, "name": name, "first_day": first, "last_day": last}
            for at, name, first, last in daily.periods()
        ],
    )
    put(session, Window, [{"id": at + 1, **row} for at, row in enumerate(windows)])
    put(session, Closure, [{"name": n, "first_day": f, "last_day": t} for n, f, t in district.CLOSURES])


def _measures(session: Session) -> dict[str, Any]:
    """The tests with strands, norms and cuts; returns their keys and those of the windows."""
    norms, cuts, growth, strands = [], [], [], []
    for at, scale in enumerate(SCALES, start=1):
        put(
            session,
            Assessment,
            [
                {
                    "id": at,
                    "name": district.ASSESSMENT,
                    "subject": scale.subject,
                    "kind": "adaptive",
                    "norm_group": "Invented norms",
                }
            ],
        )
        strands += [{"assessment_id": at, "name": name} for name in scale.strands]
        for grade in GRADES:
            place = {"assessment_id": at, "grade": str(grade)}
            for season, weeks in district.NORM_WEEKS.items():
                for week in weeks:
                    mean = round(scale.fall[grade] + scale.gain[grade] * district.grown_by(week), 1)
                    norms += norm_rows({**place, "season": season, "week": week}, mean, scale)
                cuts += _cut_rows({**place, "season": season}, district.norm_mean(scale, grade, season), scale.sd)
            cuts += _cut_rows({**place, "season": None}, district.norm_mean(scale, grade, "spring"), scale.sd)
            cuts += [
                {**place, "season": None, "purpose": "help", "order": order, "band": band, "min_score": None,
                 "min_percentile": low}
                for order, (band, low) in enumerate(district.HELP, start=1)
            ]  # fmt: skip
            growth += [
                {**place, "from_season": first, "to_season": second, "correlation": rho}
                for (first, second), rho in district.CORRELATIONS.items()
            ]
    put(session, Strand, [{"id": at + 1, **row} for at, row in enumerate(strands)])
    put(session, Norm, norms)
    put(session, Cut, cuts)
    put(session, GrowthNorm, growth)
    seasons = list(SEASON_WEEKS)
    return {
        "assessment": {scale.subject: at for at, scale in enumerate(SCALES, start=1)},
        "strands": {scale.subject: [5 * at + k + 1 for k in range(5)] for at, scale in enumerate(SCALES)},
        "window": {
            (year, season): y * len(seasons) + s + 1 for y, year in enumerate(YEARS) for s, season in enumerate(seasons)
        },
    }


def norm_rows(place: dict[str, Any], mean: float, scale: district.Scale) -> list[dict[str, Any]]:
    """The norm of the whole test and of each strand, which spreads wider."""
    strand = {**place, "mean": mean, "sd": round(math.hypot(scale.sd, STRAND_SPREAD), 1)}
    whole = {**place, "mean": mean, "sd": scale.sd, "strand": None}
    return [whole, *({**strand, "strand": name} for name in scale.strands)]


def _cut_rows(place: dict[str, Any], mean: float, sd: float) -> list[dict[str, Any]]:
    lows = [None, *(float(round(mean + z * sd)) for z in district.BAND_Z)]
    return [
        {**place, "purpose": "performance", "order": order, "band": band, "min_score": low, "min_percentile": None}
        for order, (band, low) in enumerate(zip(district.BANDS, lows, strict=True), start=1)
    ]


def _classes(session: Session, rng: Generator, pupils: Pupils) -> dict[str, Any]:
    """Sections of every year and one teacher for each class of a grade, the same over the years."""
    places: list[Place] = sorted(
        {
            (year, int(school), int(grade), int(section))
            for at, year in enumerate(YEARS)
            for season in SEASON_WEEKS
            for school, grade, section in zip(
                school_at(pupils, year, season), pupils.grade[at], pupils.section[at], strict=True
            )
            if school != AWAY
        }
    )
    rooms = sorted({place[1:] for place in places})
    pairs = rng.choice(len(GIVEN) * len(FAMILY), size=len(rooms), replace=False)
    teacher: dict[tuple[int, int, int], int] = {}
    people = []
    for at, (room, pair) in enumerate(zip(rooms, pairs.tolist(), strict=True), start=1):
        teacher[room] = at
        name = f"{GIVEN[pair % len(GIVEN)]} {FAMILY[pair // len(GIVEN)]}"
        people.append({"id": at, "name": name, "role": "teacher", "school_id": room[0] + 1})
    put(session, Person, people)
    section = {place: at for at, place in enumerate(places, start=1)}
    course = {(year, grade): at for at, (year, grade) in enumerate(((y, g) for y in YEARS for g in GRADES), start=1)}
    put(
        session,
        Course,
        [
            {"id": key, "school_year_id": YEARS.index(year) + 1, "title": f"Grade {grade}", "code": f"G{grade}",
             "subject": None, "grade": str(grade)}
            for (year, grade), key in course.items()
        ],
    )  # fmt: skip
    put(
        session,
        Section,
        [
            {
                "id": key,
                "school_year_id": YEARS.index(place[0]) + 1,
                "school_id": place[1] + 1,
                "name": f"{place[2]} {CLASSES[SCHOOLS[place[1]]][place[3]]}",
                "kind": "home",
                "course_id": course[place[0], place[2]],
            }
            for place, key in section.items()
        ],
    )
    put(session, SectionTeacher, [{"section_id": key, "person_id": teacher[p[1:]]} for p, key in section.items()])
    return {"section": section, "teacher": teacher}


LEFT_ON = date(2026, 6, 30)
"""Last day in the program of the learners whose English stands well."""


def _students(session: Session, pupils: Pupils) -> Callable[[int, date], str | None]:
    """Students, identifiers, fields and programs; returns a student's programs on a day as results keep them."""
    here = ever_here(pupils)
    put(
        session,
        Student,
        [
            {"id": at + 1, "student_id": f"SR{at + 10001}", "given_name": given, "family_name": family}
            for at, (given, family) in enumerate(zip(pupils.given, pupils.family, strict=True))
            if here[at]
        ],
    )
    everyone = (np.flatnonzero(here) + 1).tolist()
    put(
        session, Identifier, [{"student_id": at, "kind": "state", "value": f"{at * 7919 + 4000037}"} for at in everyone]
    )
    put(session, Field, [{"id": 1, "name": "sex", "shown": True}])
    put(
        session,
        StudentField,
        [{"student_id": at, "field_id": 1, "value": ("female", "male")[at * 7919 // 13 % 2]} for at in everyone],
    )
    names = list(PROGRAMS)
    put(session, Program, [{"id": at + 1, "name": name} for at, name in enumerate(names)])
    learner = names.index("Multilingual learner")
    left = set(left_the_program(pupils).tolist())
    inside = [
        {
            "student_id": int(who) + 1, "program_id": int(program) + 1,
            "first_day": district.FIRST_DAYS[YEARS[max(0, int(pupils.missing_until[who]) // len(SEASON_WEEKS))]],
            "last_day": LEFT_ON if program == learner and int(who) in left else None,
        }
        for who, program in zip(*np.nonzero(pupils.program & here[:, None]), strict=True)
    ]  # fmt: skip
    put(session, StudentProgram, inside)
    joined = [";".join(names[at] for at in np.flatnonzero(row)) or None for row in pupils.program]
    since = {
        who: ";".join(names[at] for at in np.flatnonzero(pupils.program[who]) if at != learner) or None for who in left
    }
    return lambda who, day: since[who] if who in since and day > LEFT_ON else joined[who]


def _sign_ins(session: Session, keys: dict[str, Any], hash_password: Callable[[str], str]) -> None:
    """The people one can sign in as: the teacher takes over a class, the others are new."""
    secret = hash_password(district.PASSWORD)
    school, name = district.TEACHER_CLASS
    room = (SCHOOLS.index(school), int(name.split()[0]), CLASSES[school].index(name.split()[1]))
    lead_school = SCHOOLS.index(district.LEAD_SCHOOL) + 1
    for login, person, role in district.SIGN_INS:
        if role == "teacher":
            session.execute(
                update(Person)
                .where(Person.id == keys["teacher"][room])
                .values(name=person, login=login, password_hash=secret)
            )
            continue
        row = Person(name=person, role=role, login=login, password_hash=secret)
        row.school_id = lead_school if role == "school_lead" else None
        session.add(row)
        session.flush()
        keys[role] = row.id
    session.add(AssignedGrade(person_id=keys["interventionist"], school_id=lead_school, grade="3"))


def _belonging(session: Session, pupils: Pupils, keys: dict[str, Any]) -> None:
    years, enrolments = [], []
    for at, year in enumerate(YEARS):
        days = district.school_days(year)
        for who in np.flatnonzero(pupils.school[at] != AWAY).tolist():
            school, grade, section = (int(a[at][who]) for a in (pupils.school, pupils.grade, pupils.section))
            language = "Portuguese" if pupils.portuguese[who] else "English"
            years.append(
                {"student_id": who + 1, "school_year_id": at + 1, "school_id": school + 1, "grade": str(grade),
                 "home_language": language}
            )  # fmt: skip
            begins = max(days[0], arrived_on(pupils, who, year))
            stays = [(school, begins, days[-1])]
            if year == YEARS[-1] and pupils.moved[who]:
                stays = [(1 - school, begins, MOVED_ON - timedelta(days=1)), (school, MOVED_ON, days[-1])]
            enrolments += [
                {"student_id": who + 1, "section_id": keys["section"][year, where, grade, section], "first_day": first,
                 "last_day": last}
                for where, first, last in stays
            ]  # fmt: skip
    put(session, StudentYear, years)
    put(session, Enrolment, enrolments)


def _text_range(result: dict[str, Any]) -> dict[str, Any] | None:
    """The range of texts that a reading score stands for, on an invented scale."""
    if result["assessment_id"] != 1 or result["language"] != "English":
        return None
    middle = 1.0 + max(0.0, result["score"] - 380.0) / 26.0
    low, high = round(middle - 0.4, 1), round(middle + 0.4, 1)
    return {
        "result_id": result["id"], "scale": "Text range", "value": f"{low:.1f} to {high:.1f}", "low": low, "high": high,
    }  # fmt: skip


def _results(session: Session, rng: Generator, pupils: Pupils, helped: Helped, keys: dict[str, Any]) -> Standing:
    """Every sitting of Saltgauge; returns where the students stood."""
    key = 0
    results: list[dict[str, Any]] = []
    strands: list[dict[str, Any]] = []
    standing: Standing = {}
    for sitting in sittings(rng, pupils, helped):
        note_standing(standing, sitting, pupils.n)
        strand_keys = keys["strands"][sitting.scale.subject]
        for row, parts in zip(result_rows(sitting, keys), sitting.strands.tolist(), strict=True):
            key += 1
            results.append({"id": key, **row})
            strands += [
                {"result_id": key, "strand_id": strand, "score": score, "standard_error": 15.0}
                for strand, score in zip(strand_keys, parts, strict=True)
            ]
    put(session, Result, results)
    put(session, StrandResult, strands)
    put(session, ResultScale, [row for row in map(_text_range, results) if row is not None])
    keys["results"] = key
    return standing
