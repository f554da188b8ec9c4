"""Puts the invented district into an empty database."""

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.random import Generator
from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from bodkin.demo import district
from bodkin.demo.district import CLASSES, GRADES, PROGRAMS, SCALES, SCHOOLS, SEASON_WEEKS, YEARS
from bodkin.demo.names import FAMILY, GIVEN
from bodkin.demo.pupils import AWAY, Pupils, make_pupils
from bodkin.demo.results import Helped, choose_helped, result_rows, sittings
from bodkin.store.database import DISTRICT
from bodkin.store.tables import (
    Assessment,
    AssignedGrade,
    Base,
    Closure,
    Cut,
    District,
    Enrolment,
    Group,
    GroupMember,
    GrowthNorm,
    Norm,
    Person,
    Program,
    Result,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Strand,
    StrandResult,
    Student,
    StudentProgram,
    StudentYear,
    Window,
)

SEED = 20270212
BATCH = 5000

Place = tuple[str, int, int, int]
"""School year, school, grade and class of a section."""


def _put(session: Session, table: type[Base], rows: Sequence[dict[str, Any]]) -> None:
    for start in range(0, len(rows), BATCH):
        session.execute(insert(table), list(rows[start : start + BATCH]))


def is_empty(session: Session) -> bool:
    """Whether nobody and nothing is in the database yet."""
    return session.scalar(select(Person.id).limit(1)) is None and session.scalar(select(Result.id).limit(1)) is None


def load_demo(session: Session, hash_password: Callable[[str], str]) -> None:
    """Write the whole district, within the caller's transaction."""
    rng = np.random.default_rng(SEED)
    session.execute(update(District).where(District.id == DISTRICT).values(name=district.NAME))
    pupils = make_pupils(rng)
    _calendar(session)
    keys = _measures(session)
    keys |= _classes(session, rng, pupils)
    keys["programs"] = _students(session, pupils)
    _sign_ins(session, keys, hash_password)
    _belonging(session, pupils, keys)
    helped = choose_helped(pupils)
    _results(session, rng, pupils, helped, keys)
    _groups(session, helped, keys)


def _calendar(session: Session) -> None:
    _put(session, School, [{"id": at + 1, "name": name} for at, name in enumerate(SCHOOLS)])
    years = []
    windows = []
    for at, year in enumerate(YEARS):
        days = district.school_days(year)
        years.append({"id": at + 1, "name": year, "first_day": days[0], "last_day": days[-1]})
        for season in SEASON_WEEKS:
            first, last = district.window_days(year, season)
            windows.append({"school_year_id": at + 1, "season": season, "first_day": first, "last_day": last})
    _put(session, SchoolYear, years)
    _put(session, Window, [{"id": at + 1, **row} for at, row in enumerate(windows)])
    _put(session, Closure, [{"name": n, "first_day": f, "last_day": t} for n, f, t in district.CLOSURES])


def _measures(session: Session) -> dict[str, Any]:
    """The tests with strands, norms and cuts; returns their keys and those of the windows."""
    norms, cuts, growth, strands = [], [], [], []
    for at, scale in enumerate(SCALES, start=1):
        _put(
            session, Assessment, [{"id": at, "name": district.ASSESSMENT, "subject": scale.subject, "kind": "adaptive"}]
        )
        strands += [{"assessment_id": at, "name": name} for name in scale.strands]
        for grade in GRADES:
            place = {"assessment_id": at, "grade": str(grade)}
            for season, weeks in district.NORM_WEEKS.items():
                for week in weeks:
                    mean = round(scale.fall[grade] + scale.gain[grade] * district.grown_by(week), 1)
                    norms.append({**place, "season": season, "week": week, "mean": mean, "sd": scale.sd})
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
    _put(session, Strand, [{"id": at + 1, **row} for at, row in enumerate(strands)])
    _put(session, Norm, norms)
    _put(session, Cut, cuts)
    _put(session, GrowthNorm, growth)
    seasons = list(SEASON_WEEKS)
    return {
        "assessment": {scale.subject: at for at, scale in enumerate(SCALES, start=1)},
        "strands": {scale.subject: [5 * at + k + 1 for k in range(5)] for at, scale in enumerate(SCALES)},
        "window": {
            (year, season): y * len(seasons) + s + 1 for y, year in enumerate(YEARS) for s, season in enumerate(seasons)
        },
    }


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
            for school, grade, section in zip(pupils.school[at], pupils.grade[at], pupils.section[at], strict=True)
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
    _put(session, Person, people)
    section = {place: at for at, place in enumerate(places, start=1)}
    _put(
        session,
        Section,
        [
            {
                "id": key,
                "school_year_id": YEARS.index(place[0]) + 1,
                "school_id": place[1] + 1,
                "name": f"{place[2]} {CLASSES[SCHOOLS[place[1]]][place[3]]}",
            }
            for place, key in section.items()
        ],
    )
    _put(session, SectionTeacher, [{"section_id": key, "person_id": teacher[p[1:]]} for p, key in section.items()])
    return {"section": section, "teacher": teacher}


def _students(session: Session, pupils: Pupils) -> list[str | None]:
    """Students and programs; returns each student's programs as a result keeps them."""
    _put(
        session,
        Student,
        [
            {"id": at + 1, "student_id": f"SR{at + 10001}", "given_name": given, "family_name": family}
            for at, (given, family) in enumerate(zip(pupils.given, pupils.family, strict=True))
        ],
    )
    names = list(PROGRAMS)
    _put(session, Program, [{"id": at + 1, "name": name} for at, name in enumerate(names)])
    began = district.FIRST_DAYS[YEARS[0]]
    inside = [
        {"student_id": int(who) + 1, "program_id": int(program) + 1, "first_day": began, "last_day": None}
        for who, program in zip(*np.nonzero(pupils.program), strict=True)
    ]
    _put(session, StudentProgram, inside)
    return [";".join(names[at] for at in np.flatnonzero(row)) or None for row in pupils.program]


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
            enrolments.append(
                {"student_id": who + 1, "section_id": keys["section"][year, school, grade, section],
                 "first_day": days[0], "last_day": days[-1]}
            )  # fmt: skip
    _put(session, StudentYear, years)
    _put(session, Enrolment, enrolments)


def _results(session: Session, rng: Generator, pupils: Pupils, helped: Helped, keys: dict[str, Any]) -> None:
    key = 0
    results: list[dict[str, Any]] = []
    strands: list[dict[str, Any]] = []
    for sitting in sittings(rng, pupils, helped):
        strand_keys = keys["strands"][sitting.scale.subject]
        for row, parts in zip(result_rows(sitting, keys), sitting.strands.tolist(), strict=True):
            key += 1
            results.append({"id": key, **row})
            strands += [
                {"result_id": key, "strand_id": strand, "score": score, "standard_error": 15.0}
                for strand, score in zip(strand_keys, parts, strict=True)
            ]
    _put(session, Result, results)
    _put(session, StrandResult, strands)


def _groups(session: Session, helped: Helped, keys: dict[str, Any]) -> None:
    """Three groups that began after the fall window: one works, one does not, one met half its time."""
    began, ends = date(2026, 10, 12), date(2027, 4, 16)
    told = (
        ("Tide pool readers", "Story structure", helped.works, keys["interventionist"]),
        ("Deep water readers", "Reading closely", helped.works_not, keys["interventionist"]),
        ("Osier word workshop", "Word work", helped.half_met, keys["aide"]),
    )
    for name, focus, members, adult in told:
        group = Group(
            name=name, focus=focus, assessment_id=keys["assessment"]["reading"], adult_id=adult, first_day=began,
            last_day=ends, made_by_id=keys["coach"],
        )  # fmt: skip
        session.add(group)
        session.flush()
        _put(
            session,
            GroupMember,
            [
                {"group_id": group.id, "student_id": int(who) + 1, "first_day": began, "last_day": None, "reason": None}
                for who in members
            ],
        )
