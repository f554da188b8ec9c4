"""Need against the teaching calendar, class by class: never planned, taught and still lacking, coming too soon."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Literal

from pydantic import BaseModel

from bodkin.answers.needs.standards import Plans, StandardsSeen, about_standards, classes_of
from bodkin.core.needs.mastery import NEARLY, NOT_YET, THIN

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


def against_calendar(seen: StandardsSeen, today: date) -> list[PlanProblem]:
    """Where need and calendar do not meet, class by class; the most students first within each problem.

    A problem needs half of those with evidence in the class, and three students at least.
    """
    if not seen.data.teaching.height:
        return []
    plans, about = Plans.of(seen.data.teaching), about_standards(seen.data)
    at = {standard: place for place, standard in enumerate(seen.mastery.standards)}
    lack = (seen.mastery.codes == NEARLY) | (seen.mastery.codes == NOT_YET)
    known = seen.mastery.codes < THIN
    found: list[PlanProblem] = []
    classes = classes_of(seen.students)
    when = {standard: plans.taught(standard, classes, today) for standard in seen.kept}
    for place, (school, section, grade, mine) in enumerate(classes):
        lacking, evidence = lack[mine].sum(axis=0), known[mine].sum(axis=0)

        def many(standard: str, lacking: Sequence[int] = lacking, evidence: Sequence[int] = evidence) -> bool:
            place = at[standard]
            return lacking[place] >= FEWEST and 2 * lacking[place] >= evidence[place]

        for standard in seen.kept:
            taught = when[standard][place]
            if taught == "now" or (taught != "later" and not many(standard)):
                continue
            spans = plans.spans(standard, school, section, grade)
            problem: Problem | None = None
            bare: list[str] = []
            if taught == "never":
                problem = "never planned"
            elif taught == "before":
                problem = "taught and still lacking"
            elif taught == "later" and min(first for first, _ in spans if first > today) <= today + SOON:
                bare = [one for one in seen.graph.predecessors(standard) if one in at and many(one)]
                problem = "coming without its ground" if bare else None
            if problem is None:
                continue
            worst = max((int(lacking[at[one]]) for one in bare), default=int(lacking[at[standard]]))
            basis = at[bare[0]] if bare else at[standard]
            found.append(
                PlanProblem(
                    problem=problem, school=school, section=section, standard=standard, text=about[standard]["text"],
                    n=worst, evidence=int(evidence[basis]), first=spans[0][0] if spans else None,
                    last=spans[-1][1] if spans else None, ground=bare,
                )
            )  # fmt: skip
    order = {"never planned": 0, "taught and still lacking": 1, "coming without its ground": 2}
    return sorted(found, key=lambda one: (order[one.problem], -one.n, one.section or "~", one.standard))
