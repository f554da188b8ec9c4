"""Standards over many students: what to teach first, and the grid of who holds what."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cache
from typing import Any

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.step_answer import Names, StepAnswer, display_name
from bodkin.answers.needs.evidence import (
    POINTS,
    AllEvidence,
    Limits,
    Mastery,
    all_evidence,
    mastery,
    pieces_of_evidence,
)
from bodkin.answers.needs.ground import graph_of, in_reach, skills, spans_by_standard
from bodkin.answers.words import plural
from bodkin.core.arrays import IntArray
from bodkin.core.needs.mastery import MASTERED, NONE, THIN
from bodkin.core.needs.standards import Graph, Taught, when_taught
from bodkin.core.windows import GRADES, grade_key
from bodkin.store.reads.needs_data import NeedsData

MOST_STUDENTS = 60
"""With more students the grid has classes instead of students."""


@dataclass(frozen=True, slots=True)
class Asked:
    """Which evidence counts: a period, sources (all where none is named), and the limits."""

    first: date | None = None
    last: date | None = None
    sources: tuple[str, ...] = ()
    limits: Limits = field(default_factory=Limits)


class StandardColumn(BaseModel):
    """A standard of the grid."""

    standard: str
    text: str
    grade: str
    strand: str
    kind: str | None


class ClassTaught(BaseModel):
    """When a class is taught a standard."""

    section: str
    taught: Taught


class SkillRow(StandardColumn):
    """A skill by what teaching it would help: ``weight`` = ``lacking`` x (1 + ``later``)."""

    mastered: int
    nearly: int
    not_yet: int
    thin: int
    none: int
    lacking: int
    evidence: int = Field(description="students with evidence that says mastered, nearly or not yet")
    later: int
    weight: int
    taught: dict[Taught, int] = Field(description="how many classes are taught it before, now, later or never")
    materials: int


class GridStudent(BaseModel):
    """A student of the grid; ``states`` has a digit a standard: a place in the five states."""

    student_id: str
    name: str
    section: str | None
    states: str


class ClassCell(BaseModel):
    """How many of a class hold a standard, of how many with evidence; ``lacking`` those nearly or not yet."""

    mastered: int
    lacking: int
    evidence: int


class GridClass(BaseModel):
    """A class of the grid with a cell a standard."""

    school: str | None
    section: str | None
    n: int
    cells: list[ClassCell]


class StandardsAnswer(StepAnswer):
    """Needs by standard; the grid has students, or some of the ``classes_n`` classes where they are many."""

    subject: str
    first: date | None
    last: date | None
    sources: list[str]
    chosen: list[str]
    mastered_from: float
    nearly_from: float
    fewest: float
    skills: list[SkillRow]
    columns: list[StandardColumn]
    students: list[GridStudent]
    classes: list[GridClass]
    classes_n: int
    has_calendar: bool
    has_prerequisites: bool


@dataclass(frozen=True, slots=True)
class StandardsSeen:
    """What the step works with: the students, their mastery of every standard, and what is kept of them.

    ``kept``: standards of the students' grades, and others of the subject with evidence about somebody;
    ``reach``: those that count as later.
    """

    students: pl.DataFrame
    data: NeedsData
    mastery: Mastery
    graph: Graph
    kept: list[str]
    reach: list[str]
    own_grades: list[str]


def sources_of(data: NeedsData) -> list[str]:
    """Sources that evidence comes from, points of answers first."""
    named = sorted(one for one in data.entries["source"].unique().to_list() if one)
    return ([POINTS] if data.answers.height else []) + named


def _subject_standards(data: NeedsData, subject: str, test: str | None) -> pl.DataFrame:
    """Standards of a subject; of a common test whose subject is not known those of its items."""
    rows = data.standards.filter(pl.col("subject") == subject)
    if rows.height or test is None:
        return rows
    asked = data.items.filter(pl.col("test") == test)["standards"].explode().drop_nulls().unique()
    return data.standards.filter(pl.col("standard").is_in(asked.implode()))


def everybodys_evidence(data: NeedsData, asked: Asked) -> AllEvidence:
    """What counts of everybody's evidence, found once for all questions. Raises BadInput for limits out of order."""

    def made() -> AllEvidence:
        pieces = pieces_of_evidence(data, asked.limits, asked.first, asked.last, asked.sources)
        return all_evidence(data, pieces)

    return data.said.once(("evidence", asked), made)


def seen(data: NeedsData, students: pl.DataFrame, subject: str, asked: Asked, test: str | None = None) -> StandardsSeen:
    """Who has mastered what among some students. Raises BadInput for a cycle or limits out of order."""
    graph = data.worked.once("graph", lambda: graph_of(data))
    who = students["student_id"].to_list()
    found = mastery(everybodys_evidence(data, asked), who)
    standards = _subject_standards(data, subject, test)
    own = sorted(students["grade"].drop_nulls().unique().to_list(), key=grade_key)
    at = {standard: place for place, standard in enumerate(found.standards)}
    met = (found.codes != NONE).any(axis=0) if who else np.zeros(len(at), dtype=np.bool_)
    rows = [
        (standard, grade) for standard, grade in standards.select("standard", "grade").iter_rows()
        if grade in own or met[at[standard]]
    ]  # fmt: skip
    # Own grade first, then from the nearest below.
    known = [one for one in own if one in GRADES]
    top = max((GRADES.index(one) for one in known), default=0)
    rows.sort(key=lambda row: (row[1] not in own, -GRADES.index(row[1]) if GRADES.index(row[1]) <= top else 1))
    subject_codes = set(standards["standard"])
    reach = [one for one in in_reach(data, known) if one in subject_codes] if known else list(subject_codes)
    return StandardsSeen(students, data, found, graph, [standard for standard, _ in rows], reach, own)


TAUGHT: tuple[Taught, ...] = ("now", "before", "later", "never")
"""The order in which it is told when classes are taught a standard."""

Class = tuple[str | None, str | None, str | None, list[int]]
"""School, class, grade and the places of its students."""


@dataclass(frozen=True, slots=True)
class Plans:
    """The teaching calendar by class and by grade, for quick looks."""

    by_class: dict[tuple[str | None, str], dict[str, list[tuple[date, date]]]]
    by_grade: dict[str, dict[str, list[tuple[date, date]]]]

    @classmethod
    def of(cls, teaching: pl.DataFrame) -> "Plans":
        """The plans of a teaching calendar."""
        classes: dict[tuple[str | None, str], dict[str, list[tuple[date, date]]]] = {}
        grades: dict[str, dict[str, list[tuple[date, date]]]] = {}
        for (school, section, grade), rows in teaching.group_by("school", "section", "grade"):
            spans = spans_by_standard(rows)
            if section is not None:
                classes[str(school) if school is not None else None, str(section)] = spans
            elif grade is not None:
                grades[str(grade)] = spans
        return cls(classes, grades)

    def spans(self, standard: str, school: str | None, section: str | None, grade: str | None
              ) -> list[tuple[date, date]]:  # fmt: skip
        """When a class is taught a standard: by its own plan where it has one for it, else by its grade's."""
        own = self.by_class.get((school, section or ""), {}).get(standard)
        return own if own is not None else self.by_grade.get(grade or "", {}).get(standard, [])

    def taught(self, standards: Sequence[str], classes: Sequence[Class], today: date) -> IntArray:
        """When each class is taught each standard, as places in ``TAUGHT``: shape (classes, standards).

        The plan of a grade is looked at once for all its classes.
        """
        grades = list(dict.fromkeys(one[2] for one in classes))
        number = {grade: place for place, grade in enumerate(grades)}
        by_grade = np.array(
            [
                [TAUGHT.index(when_taught(self.spans(standard, None, None, grade), today)) for standard in standards]
                for grade in grades
            ],
            dtype=np.int64,
        ).reshape(len(grades), len(standards))
        found = by_grade[[number[one[2]] for one in classes]] if classes else by_grade
        for place, (school, section, *_) in enumerate(classes):
            own = self.by_class.get((school, section or ""), {})
            for column, standard in enumerate(standards) if own else ():
                if standard in own:
                    found[place, column] = TAUGHT.index(when_taught(own[standard], today))
        return found


def classes_of(students: pl.DataFrame) -> list[Class]:
    """School, class, grade and the places of the students of each class, by school, grade and name."""
    places = students.select("school", "section", "grade").with_row_index("at")
    classes = places.group_by("school", "section", maintain_order=True).agg(pl.col("grade").first(), "at")
    order = {grade: grade_key(grade) for grade in places["grade"].unique().drop_nulls().to_list()}
    unknown = grade_key("~")
    return sorted(
        classes.select("school", "section", "grade", "at").iter_rows(),
        key=lambda one: (one[0] or "~", order.get(one[2], unknown), one[1] or "~"),
    )


def about_standards(data: NeedsData) -> dict[str, dict[str, str]]:
    """Grade, subject, strand, text and kind of each standard by its code."""
    return {row["standard"]: row for row in data.standards.iter_rows(named=True)}


def _columns(seen: StandardsSeen) -> list[StandardColumn]:
    rows = about_standards(seen.data)
    return [
        StandardColumn(standard=one, text=rows[one]["text"], grade=rows[one]["grade"], strand=rows[one]["strand"],
                       kind=rows[one]["kind"])
        for one in seen.kept
    ]  # fmt: skip


def taught_by_class(seen: StandardsSeen, standards: Iterable[str], today: date) -> dict[str, list[ClassTaught]]:
    """When each class of the students is taught each of some standards; no class without a teaching calendar."""
    classes, asked = classes_of(seen.students) if seen.data.teaching.height else [], list(standards)
    when = Plans.of(seen.data.teaching).taught(asked, classes, today)
    return {
        standard: [
            ClassTaught(section=section or "no class", taught=TAUGHT[code])
            for (_, section, *_), code in zip(classes, own, strict=True)
        ]
        for standard, own in zip(asked, when.T.tolist(), strict=True)
    }


def _skill_rows(seen: StandardsSeen, columns: Sequence[StandardColumn], today: date) -> list[SkillRow]:
    classes = classes_of(seen.students) if seen.data.teaching.height else []
    when = Plans.of(seen.data.teaching).taught(seen.kept, classes, today)
    by_when = {one: np.bincount(own, minlength=len(TAUGHT)) for one, own in zip(seen.kept, when.T, strict=True)}
    about = {column.standard: column for column in columns}
    materials: dict[str, int] = dict(seen.data.materials.group_by("standard").len().iter_rows())
    found = []
    for row in skills(seen.graph, seen.mastery, seen.kept, seen.reach, None, None):
        mastered, nearly, not_yet, thin, none = row.counts
        taught = zip(TAUGHT, by_when[row.standard].tolist(), strict=True) if row.lacking else ()
        found.append(
            SkillRow(
                **dict(about[row.standard]), mastered=mastered, nearly=nearly, not_yet=not_yet, thin=thin, none=none,
                lacking=row.lacking, evidence=mastered + nearly + not_yet, later=row.later, weight=row.weight,
                taught={one: n for one, n in taught if n},
                materials=materials.get(row.standard, 0),
            )
        )  # fmt: skip
    return found


def codes_of(seen: StandardsSeen, standards: Collection[str]) -> Any:
    """The states of the students on some standards, shape (students, standards)."""
    return seen.mastery.codes[:, seen.mastery.columns(standards)]


def _grid(seen: StandardsSeen, names: Names, count: int | None) -> tuple[list[GridStudent], list[GridClass], int]:
    codes = codes_of(seen, seen.kept)
    if seen.students.height <= MOST_STUDENTS:
        rows = [
            GridStudent(
                student_id=student, name=display_name(names, student), section=section,
                states="".join(map(str, codes[at].tolist())),
            )
            for at, (student, section) in enumerate(seen.students.select("student_id", "section").iter_rows())
        ]  # fmt: skip
        return sorted(rows, key=lambda row: (row.section or "~", names.get(row.student_id, ("", "")))), [], 0
    classes, every = [], classes_of(seen.students)

    @cache
    def cell(some: int, all_: int) -> ClassCell:
        # Thousands of cells hold few different counts.
        return ClassCell.model_construct(mastered=some, lacking=all_ - some, evidence=all_)

    for school, section, _, mine in every[:count]:
        own = codes[mine]
        held, evidence = (own == MASTERED).sum(axis=0).tolist(), (own < THIN).sum(axis=0).tolist()
        cells = [cell(some, all_) for some, all_ in zip(held, evidence, strict=True)]
        classes.append(GridClass(school=school, section=section, n=len(mine), cells=cells))
    return [], classes, len(every)


def _headline(rows: Sequence[SkillRow], data: NeedsData) -> tuple[str, str]:
    """What to teach first, in a sentence, and what is said beside it."""
    if not data.standards.height:
        return "No standards yet", "Bring in standards (standards.csv, or a CASE file), then unit checks or entries."
    if not any(row.evidence for row in rows):
        return (
            "No evidence yet on these standards",
            "Bring in answers of a common test with its items, or enter what a class holds with quick entry.",
        )
    top = rows[0]
    if not top.lacking:
        return "Nobody lacks a standard that there is evidence on", "See who is ahead, or look at another period."
    later = f", and {plural(top.later, 'later standard rests', 'later standards rest')} on it" if top.later else ""
    return (
        f"Teach first: {top.text[:1].lower()}{top.text[1:]}",
        f"{top.standard}: {top.lacking:,} of {plural(top.evidence, 'student')} with evidence lack it{later}.",
    )


def standards_answer(
    found: StandardsSeen, subject: str, asked: Asked, names: Names, parts: dict[str, Any], today: date,
    count: int | None = None,
) -> StandardsAnswer:  # fmt: skip
    """Needs by standard for a scope; ``parts`` are those that every step's answer has.

    ``count``: classes of the grid, all where it is not given.
    """
    columns = _columns(found)
    rows = _skill_rows(found, columns, today)
    students, classes, classes_n = _grid(found, names, count)
    headline, lead = _headline(rows, found.data)
    notes = [*parts["notes"]]
    if found.data.standards.height and not found.data.prerequisites.height:
        notes.append("no prerequisites: bring in prerequisites.csv to see what rests on a standard")
    if found.data.standards.height and not found.data.teaching.height:
        notes.append("no teaching calendar: bring in teaching_calendar.csv to see when a standard is taught")
    return StandardsAnswer.model_construct(
        **{**parts, "notes": notes, "covered": found.students.height}, headline=headline, lead=lead, subject=subject,
        first=asked.first, last=asked.last, sources=sources_of(found.data), chosen=list(asked.sources),
        mastered_from=asked.limits.mastered_from, nearly_from=asked.limits.nearly_from, fewest=asked.limits.fewest,
        skills=rows, columns=columns, students=students, classes=classes, classes_n=classes_n,
        has_calendar=bool(found.data.teaching.height), has_prerequisites=bool(found.data.prerequisites.height),
    )  # fmt: skip
