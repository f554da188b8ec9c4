"""The invented help: what students are entitled to, three groups with their sessions, goals and notes."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.random import Generator

from bodkin.core.arrays import IntArray
from bodkin.core.groups.membership_rules import MembershipRule
from bodkin.demo.district import PROGRAMS, SCALES, YEARS, norm_mean, school_days
from bodkin.demo.pupils import Pupils, ever_here
from bodkin.demo.results import Helped

BEGAN, ENDS = date(2026, 10, 12), date(2027, 4, 16)
MEETS = (0, 2, 3)
"""Weekdays on which the groups meet: Monday, Wednesday, Thursday."""

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri")
MOST = 16
ENTRY = MembershipRule("Saltgauge", "reading", "percentile", "below", 15)
EXIT = MembershipRule("Saltgauge", "reading", "percentile", "at least", 40)
REQUIRED = {2: 90.0, 3: 150.0}
"""Minutes of help a week that each tier requires."""

ACCOMMODATIONS = ("Extra time", "Small room", "Read aloud")


@dataclass(frozen=True, slots=True)
class PlannedGroup:
    """A group as it is planned and as it went: share of sessions held, minutes of one, attendance."""

    name: str
    focus: str
    members: IntArray
    adult: str
    tier: int
    minutes: float
    held: float
    held_minutes: float
    attendance: float
    begins: str


def groups(helped: Helped) -> tuple[PlannedGroup, ...]:
    """One works, one does not although attendance is good, one met half its planned minutes."""
    return (
        PlannedGroup(
            "Tide pool readers", "Story structure", helped.works, "interventionist", 2, 30, 0.96, 30, 0.93, "9:00"
        ),
        PlannedGroup(
            "Deep water readers", "Reading closely", helped.works_not, "interventionist", 2, 30, 0.97, 30, 0.95, "10:00"
        ),
        PlannedGroup("Osier word workshop", "Word work", helped.half_met, "aide", 2, 30, 0.62, 24, 0.9, "13:00"),
    )


def group_row(group: PlannedGroup, assessment: int, adult: int, made_by: int) -> dict[str, Any]:
    """The group as it is kept."""
    return {
        "name": group.name, "focus": group.focus, "assessment_id": assessment, "adult_id": adult, "first_day": BEGAN,
        "last_day": ENDS, "made_by_id": made_by, "tier": group.tier, "times_a_week": len(MEETS),
        "minutes": group.minutes, "slots": "; ".join(f"{DAYS[day]} {group.begins}" for day in MEETS),
        "fewest": 4, "most": MOST, "entry_rule": ENTRY.text, "exit_rule": EXIT.text,
    }  # fmt: skip


def meetings(rng: Generator, group: PlannedGroup, until: date) -> Iterator[tuple[date, float, list[tuple[int, float]]]]:
    """Each session held: day, minutes, and how many of them each member was there."""
    for day in school_days(YEARS[-1]):
        if not BEGAN <= day <= until or day.weekday() not in MEETS or rng.random() > group.held:
            continue
        there = rng.random(group.members.size) < group.attendance
        yield (
            day,
            group.held_minutes,
            [(int(who), group.held_minutes if came else 0.0) for who, came in zip(group.members, there, strict=True)],
        )


def entitlements(pupils: Pupils) -> Iterator[dict[str, Any]]:
    """What students with a plan are entitled to since the first year."""
    names, named = list(PROGRAMS), set()
    for plan, how_many in (("Individual plan", 2), ("Accommodation plan", 1)):
        for who in np.flatnonzero(pupils.program[:, names.index(plan)] & ever_here(pupils)).tolist():
            for at in range(how_many):
                accommodation = ACCOMMODATIONS[(who + at) % len(ACCOMMODATIONS)]
                if (who, accommodation) in named:
                    continue
                named.add((who, accommodation))
                yield {
                    "student_id": who + 1, "accommodation": accommodation, "first_day": date(2024, 8, 26),
                    "last_day": None, "source": plan,
                }  # fmt: skip


def entitled_to(pupils: Pupils) -> list[str | None]:
    """Each student's accommodations as a result keeps them."""
    named: dict[int, set[str]] = {}
    for row in entitlements(pupils):
        named.setdefault(row["student_id"] - 1, set()).add(row["accommodation"])
    return [";".join(sorted(named[who])) if who in named else None for who in range(pupils.n)]


def goals(helped: Helped, pupils: Pupils, assessment: int, made_by: int) -> Iterator[dict[str, Any]]:
    """Goals agreed in autumn with the first members of each group: the third band by spring."""
    reading = SCALES[0]
    for members in (helped.works, helped.works_not, helped.half_met):
        for place, who in enumerate(members[:6].tolist()):
            grade = int(pupils.grade[-1][who])
            target = norm_mean(reading, grade, "spring") + (-0.84, -0.13)[place % 2] * reading.sd
            yield {
                "student_id": who + 1, "assessment_id": assessment, "kind": ("keep pace", "catch up")[place % 2],
                "target": float(round(target)), "by_day": date(2027, 5, 14),
                "plan": ("Read aloud at home four evenings a week", "Tell the group what happened and why")[place % 2],
                "agreed_with": "student and family", "review_on": date(2027, 2, 19), "made_by_id": made_by,
            }  # fmt: skip


NOTES = (
    ("internal", "Loses the thread when a text changes its teller; works well beside a calm partner."),
    ("family", "Enjoys the stories of the river; ten minutes of reading aloud at home will help."),
    ("internal", "Hurried through the last page; ask how the morning went before a second sitting."),
    ("family", "Tells a story well in the right order; next we look at why people in it act as they do."),
)


def notes(helped: Helped, by: int) -> Iterator[dict[str, Any]]:
    """Some notes on members of the groups, for the team and for the family."""
    everyone = np.concatenate([helped.works[:4], helped.works_not[:4], helped.half_met[:4]])
    for place, who in enumerate(everyone.tolist()):
        audience, text = NOTES[place % len(NOTES)]
        yield {
            "student_id": who + 1, "day": date(2026, 11, 3 + place), "text": text, "audience": audience, "by_id": by,
        }  # fmt: skip


MEETING = date(2026, 12, 10)
MET_NAME = "Reading help, December"
DECIDED = (
    ("stay", "The trend follows the aim line; go on", "intervention teacher", True),
    ("other", "Talk with the family about coming on time", "class teacher", False),
    ("stay", "Too few results yet; look again after winter", "intervention teacher", None),
)


def meeting_rows(helped: Helped, made_by: int) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """Whom the team talked about in December, and what it decided: nothing that changes a student's help."""
    listed = [int(who) for members in (helped.works_not, helped.half_met) for who in members[:3]]
    students = [
        {"meeting_id": 1, "student_id": who + 1, "place": at, "why": "reads below the aim line"}
        for at, who in enumerate(listed, start=1)
    ]
    nothing: dict[str, Any] = {
        "on": MEETING.isoformat(),
        "groups": [],
        "standing": [],
        "practice": None,
        "practice_period": None,
    }
    decisions = []
    for at, who in enumerate(listed):
        kind, text, adult, done = DECIDED[at % len(DECIDED)]
        decisions.append(
            {"student_id": who + 1, "group_id": 2 if at < 3 else 3, "meeting_id": 1, "day": MEETING, "kind": kind,
             "text": text, "who": adult, "review_on": date(2027, 2, 11), "done": done, "evidence": nothing,
             "made_by_id": made_by}
        )  # fmt: skip
    return students, decisions
