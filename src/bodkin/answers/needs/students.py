"""One student's standards, and the students who are ahead."""

import numpy as np
from pydantic import BaseModel

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.needs.ground import ahead, gains
from bodkin.answers.needs.standards import StandardsSeen, about_standards
from bodkin.core.needs.mastery import MASTERED, NEARLY, NONE, NOT_YET, STATES
from bodkin.core.needs.standards import standards_below, teaching_order
from bodkin.core.windows import GRADES


class HeldStandard(BaseModel):
    """A standard that a student holds, or one of the steps to build."""

    standard: str
    text: str
    grade: str
    strand: str
    state: str


class Gain(HeldStandard):
    """Where most is to be gained: points missed, and later standards that rest on it."""

    missed: float
    later: int
    weight: float


class OneStudent(BaseModel):
    """One student: what is held, what to build next from the ground up, where most is to be gained."""

    student_id: str
    name: str
    held: list[HeldStandard]
    next: list[HeldStandard]
    gains: list[Gain]


MOST_STEPS = 8
"""Steps to build next that are told."""


class Ways:
    """The standards below each standard and the order of teaching, worked out once for many students."""

    def __init__(self, seen: StandardsSeen) -> None:
        self.about = about_standards(seen.data)
        self.place = {standard: place for place, standard in enumerate(seen.mastery.standards)}
        self.order = teaching_order(seen.graph)
        self._graph = seen.graph
        self._below: dict[str, list[str]] = {}

    def below(self, standard: str) -> list[str]:
        """A standard with those it rests on."""
        if standard not in self._below:
            self._below[standard] = list(standards_below(self._graph, standard))
        return self._below[standard]

    def told(self, standard: str, code: int) -> HeldStandard:
        """A standard in a state, in the district's words."""
        row = self.about[standard]
        return HeldStandard(
            standard=standard, text=row["text"], grade=row["grade"], strand=row["strand"], state=STATES[code]
        )  # fmt: skip


def held_and_next(seen: StandardsSeen, at: int, ways: Ways) -> tuple[list[HeldStandard], list[HeldStandard]]:
    """What the student at a place of those seen holds, and what to build next from the ground up."""
    codes, place = seen.mastery.codes[at], ways.place
    held = [ways.told(one, MASTERED) for one in seen.kept if codes[place[one]] == MASTERED]
    steps: set[str] = set()
    for one in seen.kept:
        if codes[place[one]] in (NEARLY, NOT_YET):
            steps.update(step for step in ways.below(one) if codes[place[step]] != MASTERED)
    # What is known to be lacking comes before what nobody has looked at.
    ordered = sorted(steps, key=lambda one: (codes[place[one]] == NONE, ways.order[one]))
    return held, [ways.told(step, codes[place[step]]) for step in ordered[:MOST_STEPS]]


def one_student(seen: StandardsSeen, names: Names) -> OneStudent:
    """The student that the students seen are; what to build goes by the weight of what it opens."""
    student, ways = seen.mastery.students[0], Ways(seen)
    codes = seen.mastery.codes[0]
    held, steps = held_and_next(seen, 0, ways)
    rows = gains(seen.graph, seen.mastery, seen.kept, seen.reach).sort("weight", "standard", descending=[True, False])
    return OneStudent(
        student_id=student, name=display_name(names, student), held=held, next=steps,
        gains=[
            Gain(
                **ways.told(row["standard"], codes[ways.place[row["standard"]]]).model_dump(), missed=row["missed"],
                later=row["later"], weight=row["weight"],
            )
            for row in rows.head(MOST_STEPS).iter_rows(named=True)
        ],
    )  # fmt: skip


class AheadStudent(BaseModel):
    """A student who holds everything of the own grade in a strand that there is evidence on."""

    student_id: str
    name: str
    section: str | None
    beyond: list[str]


class AheadStrand(BaseModel):
    """A strand with the students who are ahead in it."""

    strand: str
    grade: str
    students: list[AheadStudent]


def ahead_by_strand(seen: StandardsSeen, names: Names) -> list[AheadStrand]:
    """Who holds all of the own grade in a strand, with what lies beyond and rests on what they hold.

    Every standard of the grade and strand must be mastered; one without evidence is not.
    """
    rows = list(seen.data.standards.select("standard", "grade", "strand").iter_rows())
    reach = set(seen.reach)
    later = [standard for standard, _, _ in rows if standard in reach]
    ready = ahead(seen.graph, seen.mastery, later)
    beyond: dict[str, list[str]] = {}
    for student, standard in ready.iter_rows():
        beyond.setdefault(student, []).append(standard)
    about = about_standards(seen.data)
    found = []
    subject_kept = set(seen.kept)
    people, grades = seen.students.select("student_id", "section"), seen.students["grade"].fill_null("").to_numpy()
    for grade in seen.own_grades:
        strands = dict.fromkeys(strand for standard, g, strand in rows if g == grade and standard in subject_kept)
        mine = np.flatnonzero(grades == grade)
        codes = seen.mastery.codes[mine]
        for strand in strands:
            own = [standard for standard, g, s in rows if g == grade and s == strand and standard in subject_kept]
            all_held = (codes[:, seen.mastery.columns(own)] == MASTERED).all(axis=1)
            students = [
                AheadStudent(
                    student_id=student, name=display_name(names, student), section=section,
                    beyond=[one for one in beyond.get(student, []) if about[one]["strand"] == strand
                            and GRADES.index(about[one]["grade"]) > GRADES.index(grade)],
                )
                for student, section in people[mine[all_held]].iter_rows()
            ]  # fmt: skip
            if students:
                found.append(AheadStrand(strand=strand, grade=grade, students=students))
    return sorted(found, key=lambda one: (-len(one.students), one.strand))
