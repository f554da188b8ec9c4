"""Need against the teaching calendar, class by class: never planned, taught and still lacking, coming too soon."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel

from bodkin.answers.needs.standards import TAUGHT, Plans, StandardsSeen, about_standards, classes_of

SOON = timedelta(days=35)
"""A standard that is taught within so many days is coming soon."""
FEWEST = 3
"""Fewest students of a class who lack a standard for a word about its calendar."""

Problem = Literal["never planned", "taught and still lacking", "coming without its ground"]


class PlanProblem(BaseModel):
    """A class and a standard where need and teaching calendar do not meet.

    ``n`` students lack it (or its ground) of ``evidence``; ``first`` and ``last``: the days it is taught.
    """

    problem: Problem
    school: str | None
    section: str | None
    standard: str
    text: str
    n: int
    evidence: int
    first: date | None
    last: date | None
    ground: list[str]


class ProblemList(BaseModel):
    """The problems of one kind, the most students first; ``n`` there are in all."""

    problem: Problem
    n: int
    rows: list[PlanProblem]


@dataclass(frozen=True, slots=True)
class _Place:
    """A class and a standard that do not meet: ``lacking`` of ``evidence`` students; ``ground`` they lack."""

    problem: Problem
    school: str | None
    section: str | None
    grade: str | None
    standard: str
    lacking: int
    evidence: int
    ground: list[str]


def against_calendar(seen: StandardsSeen, today: date, count: int | None = None) -> list[ProblemList]:
    """Where need and calendar do not meet, class by class: of each kind the first ``count`` (None: all).

    A problem needs half of those with evidence in the class, and three students at least.
    """
    if not seen.data.teaching.height:
        return []
    plans, about = Plans.of(seen.data.teaching), about_standards(seen.data)
    lists = []
    every = _places(seen, plans, today)
    for problem in get_args(Problem):
        own = [one for one in every if one.problem == problem]
        own.sort(key=lambda one: (-one.lacking, one.section or "~", one.standard))
        rows = []
        for one in own[:count]:
            spans = plans.spans(one.standard, one.school, one.section, one.grade)
            rows.append(
                PlanProblem(
                    problem=problem, school=one.school, section=one.section, standard=one.standard,
                    text=about[one.standard]["text"], n=one.lacking, evidence=one.evidence,
                    first=spans[0][0] if spans else None, last=spans[-1][1] if spans else None, ground=one.ground,
                )
            )  # fmt: skip
        if own:
            lists.append(ProblemList(problem=problem, n=len(own), rows=rows))
    return lists


def _places(seen: StandardsSeen, plans: Plans, today: date) -> list[_Place]:
    at = {standard: place for place, standard in enumerate(seen.mastery.standards)}
    classes = classes_of(seen.students)
    unit = np.full(seen.students.height, -1, dtype=np.int64)
    for place, (*_, mine) in enumerate(classes):
        unit[mine] = place
    evidence, lacking = seen.mastery.known_and_lacking(unit, len(classes))
    many = (lacking >= FEWEST) & (2 * lacking >= evidence)
    when = plans.taught(seen.kept, classes, today)
    now, later = TAUGHT.index("now"), TAUGHT.index("later")
    # What is taught now is being seen to; what comes later is looked at for its ground.
    looked = (when == later) | ((when != now) & many[:, seen.mastery.columns(seen.kept)])
    found: list[_Place] = []
    for place, column in np.argwhere(looked).tolist():
        standard, (school, section, grade, _) = seen.kept[column], classes[place]
        taught, need = TAUGHT[when[place, column]], at[standard]
        problem: Problem = "never planned" if taught == "never" else "taught and still lacking"
        bare: list[str] = []
        if taught == "later":
            spans = plans.spans(standard, school, section, grade)
            if min(first for first, _ in spans if first > today) > today + SOON:
                continue
            bare = [one for one in seen.graph.predecessors(standard) if one in at and many[place, at[one]]]
            if not bare:
                continue
            problem, need = "coming without its ground", at[bare[0]]
        worst = max((int(lacking[place, at[one]]) for one in bare), default=int(lacking[place, at[standard]]))
        found.append(_Place(problem, school, section, grade, standard, worst, int(evidence[place, need]), bare))
    return found
