"""Puts the rest of the invented district in: other tests, standards, days in between, help given."""

from typing import Any

from numpy.random import Generator
from sqlalchemy.orm import Session

from bodkin.demo import common_tests, daily, district
from bodkin.demo import help as help_
from bodkin.demo import other_tests as other
from bodkin.demo.district import GRADES, SCALES, YEARS
from bodkin.demo.loading.put import put
from bodkin.demo.pupils import Pupils
from bodkin.demo.results import Helped, Standing
from bodkin.demo.standards import prerequisite_rows, standard_rows
from bodkin.store.tables import (
    Absence,
    Answer,
    Assessment,
    Attendance,
    CourseGrade,
    Cut,
    Decision,
    Entitlement,
    Goal,
    Group,
    GroupMember,
    GroupSession,
    Item,
    Link,
    MasteryEntry,
    Material,
    MeetingStudent,
    Norm,
    Note,
    NotTested,
    PracticeEntry,
    PracticeGoal,
    Prerequisite,
    RequiredMinutes,
    Result,
    Standard,
    Strand,
    StrandResult,
    TeachingCalendar,
    TeamMeeting,
)


def other_tests(
    session: Session, rng: Generator, pupils: Pupils, helped: Helped, standing: Standing, keys: dict[str, Any]
) -> None:
    """Outcome, reasoning and proficiency tests and weekly probes, with their cuts, norms and links."""
    test_keys: dict[tuple[str, str], int] = {}
    strand_keys: dict[tuple[str, str], list[int]] = {}
    strands = sum(len(scale.strands) for scale in SCALES)
    for at, test in enumerate(other.TESTS, start=len(SCALES) + 1):
        place = (test.name, test.subject)
        test_keys[place] = at
        row = {"id": at, "name": test.name, "subject": test.subject, "kind": test.kind, "norm_group": test.norm_group}
        put(session, Assessment, [row])
        strand_keys[place] = [strands + n for n in range(1, len(test.strands) + 1)]
        named = zip(strand_keys[place], test.strands, strict=True)
        put(session, Strand, [{"id": key, "assessment_id": at, "name": name} for key, name in named])
        strands += len(test.strands)
    cuts = [
        {"assessment_id": test_keys[row.pop("name"), row.pop("subject")], **row}
        for row in (dict(r) for r in other.cut_rows())
    ]
    put(session, Cut, cuts)
    probe = test_keys[other.PROBE, "reading"]
    put(session, Norm, [{"assessment_id": probe, **row} for row in other.probe_norms()])
    put(
        session,
        Link,
        [
            {"assessment_id": keys["assessment"][row.pop("subject")], **row}
            for row in (dict(r) for r in other.link_rows())
        ],
    )
    goals = other.probe_goals(pupils, helped, standing)
    put(session, Goal, [{"assessment_id": probe, "made_by_id": keys["interventionist"], **row} for row in goals])
    sat = [
        *other.outcomes(rng, pupils, standing),
        *other.reasoning(rng, pupils, standing),
        *other.proficiency(rng, pupils),
        *other.probes(rng, pupils, helped, standing),
    ]
    results, parts = [], []
    nothing = dict.fromkeys(
        ("standard_error", "percentile", "percentile_basis", "minutes", "points", "points_possible")
    )
    for key, one in enumerate(sat, start=keys["results"] + 1):
        at = YEARS.index(one.year)
        school, grade = int(pupils.school[at][one.who]), int(pupils.grade[at][one.who])
        room = (one.year, school, grade, int(pupils.section[at][one.who]))
        results.append(
            {"id": key, "student_id": one.who + 1, "assessment_id": test_keys[one.test],
             "window_id": keys["window"][one.window] if one.window else None, "tested_on": one.day,
             "grade": str(grade), "school_id": school + 1, "section_id": keys["section"][room],
             "teacher_id": keys["teacher"][room[1:]], "programs": keys["programs"](one.who, one.day),
             "language": "English", **nothing, **one.values}
        )  # fmt: skip
        parts += [
            {"result_id": key, "strand_id": strand, **values}
            for strand, values in zip(strand_keys[one.test], other.strand_values(one), strict=False)
        ]
    put(session, Result, results)
    put(session, StrandResult, parts)


def standards_and_checks(session: Session, rng: Generator, pupils: Pupils, standing: Standing) -> None:
    """Standards with what they rest on, the unit checks, what teachers entered, material, and the teaching calendar."""
    rows = standard_rows()
    put(session, Standard, [{"id": at, **row} for at, row in enumerate(rows, start=1)])
    keys = {row["code"]: at for at, row in enumerate(rows, start=1)}
    below = [{"standard_id": keys[one], "rests_on_id": keys[other_]} for one, other_ in prerequisite_rows()]
    put(session, Prerequisite, below)
    items: list[dict[str, Any]] = []
    answers: list[dict[str, Any]] = []
    for check in common_tests.CHECKS:
        sat = common_tests.sit(rng, pupils, standing, check)
        item_keys = [len(items) + at for at in range(1, check.items + 1)]
        items += [{"id": key, **row} for key, row in zip(item_keys, common_tests.item_rows(check), strict=True)]
        answers += list(common_tests.answer_rows(check, sat, item_keys))
    put(session, Item, items)
    put(session, Answer, answers)
    put(session, MasteryEntry, list(common_tests.entry_rows(pupils, standing, keys)))
    put(session, Material, list(common_tests.material_rows(keys)))
    put(session, TeachingCalendar, _teaching(rows, keys))


def _teaching(rows: list[dict[str, str]], keys: dict[str, int]) -> list[dict[str, Any]]:
    """Each grade's standards one after another over this year, three weeks each; the last ones find no place."""
    days = district.school_days(YEARS[-1])
    plan: list[dict[str, Any]] = []
    for grade in GRADES:
        for subject in ("reading", "mathematics"):
            mine = [row["code"] for row in rows if row["grade"] == str(grade) and row["subject"] == subject]
            for at, code in enumerate(mine[:9]):
                first, last = days[at * 20], days[at * 20 + 19]
                plan.append(
                    {"school_year_id": len(YEARS), "grade": str(grade), "section_id": None,
                     "standard_id": keys[code], "first_day": first, "last_day": last}
                )  # fmt: skip
    return plan


def between_the_windows(
    session: Session, rng: Generator, pupils: Pupils, standing: Standing, keys: dict[str, Any]
) -> None:
    """Absences, practice, course grades, and why some were not tested."""
    put(session, Absence, list(daily.absences(rng, pupils, other.DEMO_DAY)))
    # A student who reads a text twice on one day has it in the log once.
    entries = {
        (row["student_id"], row["day"], row["text"]): row
        for row in daily.practice(rng, pupils, standing, other.DEMO_DAY)
    }
    put(session, PracticeEntry, list(entries.values()))
    put(session, PracticeGoal, list(daily.practice_goals(pupils, standing)))
    put(session, CourseGrade, list(daily.course_grades(rng, pupils, standing, other.DEMO_DAY)))
    winter = keys["window"][YEARS[-1], "winter"]
    put(session, NotTested, list(daily.not_tested(rng, pupils, standing, winter)))


def help_given(session: Session, rng: Generator, pupils: Pupils, helped: Helped, keys: dict[str, Any]) -> None:
    """Entitlements; three groups that began after the fall window, their sessions, goals and notes."""
    put(session, Entitlement, list(help_.entitlements(pupils)))
    reading, sessions = keys["assessment"]["reading"], 0
    put(session, RequiredMinutes, [{"tier": tier, "minutes": n} for tier, n in help_.REQUIRED.items()])
    for at, group in enumerate(help_.groups(helped), start=1):
        put(session, Group, [{"id": at, **help_.group_row(group, reading, keys[group.adult], keys["coach"])}])
        put(
            session,
            GroupMember,
            [
                {"group_id": at, "student_id": int(who) + 1, "first_day": help_.BEGAN, "last_day": None, "reason": None}
                for who in group.members
            ],
        )
        for day, minutes, there in help_.meetings(rng, group, other.DEMO_DAY):
            sessions += 1
            put(session, GroupSession, [{"id": sessions, "group_id": at, "day": day, "minutes": minutes, "note": None}])
            put(
                session,
                Attendance,
                [{"session_id": sessions, "student_id": who + 1, "minutes": came} for who, came in there],
            )
    put(session, Goal, list(help_.goals(helped, pupils, reading, keys["interventionist"])))
    put(session, Note, list(help_.notes(helped, keys["interventionist"])))
    meeting = {"id": 1, "day": help_.MEETING, "name": help_.MET_NAME, "present": "reading team",
               "made_by_id": keys["coach"]}  # fmt: skip
    put(session, TeamMeeting, [meeting])
    listed, decided = help_.meeting_rows(helped, keys["coach"])
    put(session, MeetingStudent, listed)
    put(session, Decision, decided)
