"""The scope: what is being looked at, and the sentence that says so."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from bodkin.core.errors import BadInput
from bodkin.core.windows import Window, grade_key, parse_window

By = Literal["school", "grade", "teacher", "section", "language", "program"]
CutChoice = Literal["season", "year-end"]


class Scope(BaseModel):
    """A question's scope: measure, two windows, who, matched or all, and which cuts.

    Values of one filter add up, filters narrow each other. ``students`` narrows to a list of
    students, such as the members of a group or the pins; an empty filter lets all through.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    assessment: str
    subject: str
    from_window: str
    to_window: str
    matched: bool = True
    cuts: CutChoice = "season"
    grade: tuple[str, ...] = ()
    school: tuple[str, ...] = ()
    section: tuple[str, ...] = ()
    teacher: tuple[str, ...] = ()
    program: tuple[str, ...] = ()
    language: str | None = None
    group: tuple[int, ...] = ()
    students: frozenset[str] | None = Field(default=None)
    by: By | None = None

    @field_validator("from_window", "to_window")
    @classmethod
    def _window(cls, text: str) -> str:
        return str(parse_window(text))

    @model_validator(mode="after")
    def _in_order(self) -> "Scope":
        if self.second <= self.first:
            raise BadInput(f'the second window must come after the first; "{self.to_window}" does not')
        return self

    @property
    def first(self) -> Window:
        """The earlier window."""
        return parse_window(self.from_window)

    @property
    def second(self) -> Window:
        """The later window."""
        return parse_window(self.to_window)


class Piece(BaseModel):
    """A piece of the scope sentence; one with a ``key`` can be changed in place.

    ``changed`` marks a piece that differs from its first choice.
    """

    text: str
    key: str | None = None
    changed: bool = False


def measure_title(assessment: str, subject: str) -> str:
    """A measure as people say it, such as ``Saltgauge Reading``; never the subject twice."""
    if subject.lower() in assessment.lower():
        return assessment
    return f"{assessment} {subject[:1].upper()}{subject[1:]}"


def windows_title(first: Window, second: Window) -> str:
    """``fall to winter 2026-27``, or both years where they differ."""
    if first.year == second.year:
        return f"{first.season} to {second.season} {first.school_year}"
    return f"{first} to {second}"


def _listed(values: tuple[str, ...], one: str, many: str) -> str:
    shown = sorted(values, key=grade_key)
    if len(shown) > 3:
        return f"{len(shown)} {many}"
    joined = shown[0] if len(shown) == 1 else ", ".join(shown[:-1]) + " and " + shown[-1]
    return f"{one if len(shown) == 1 else many} {joined}".strip()


def who_title(scope: Scope, groups: tuple[str, ...] = (), everyone: str = "all students") -> str:
    """Who is looked at, in words; ``everyone`` where nothing narrows it."""
    parts: list[str] = []
    if groups:
        parts.append(_listed(groups, "group", "groups"))
    if scope.students is not None and not groups:
        parts.append(f"{len(scope.students)} pinned student{'' if len(scope.students) == 1 else 's'}")
    if scope.grade:
        parts.append(_listed(scope.grade, "grade", "grades"))
    if scope.section:
        parts.append(_listed(scope.section, "class", "classes"))
    if scope.teacher:
        parts.append("students of " + _listed(scope.teacher, "", "teachers"))
    if scope.program:
        parts.append("in " + _listed(scope.program, "", "programs"))
    if scope.language:
        parts.append(f"tested in {scope.language}")
    where = f"at {_listed(scope.school, '', 'schools')}" if scope.school else ""
    told = ", ".join(parts)
    return " ".join(filter(None, [told or (everyone if not where else "students"), where]))


def sentence(scope: Scope, *, norms: bool, groups: tuple[str, ...] = (), everyone: str = "all students") -> list[Piece]:
    """The scope as a sentence in pieces; pieces at their first choice are not spelled out."""
    narrowed = bool(
        groups
        or scope.students is not None
        or any((scope.grade, scope.school, scope.section, scope.teacher, scope.program, scope.language))
    )
    pieces = [
        Piece(text=measure_title(scope.assessment, scope.subject), key="measure"),
        Piece(text=" for "),
        Piece(text=who_title(scope, groups, everyone), key="who", changed=narrowed),
        Piece(text=", "),
        Piece(text=windows_title(scope.first, scope.second), key="windows"),
        Piece(text=", "),
        Piece(
            text="students with both results" if scope.matched else "all students with a result",
            key="matched",
            changed=not scope.matched,
        ),
    ]
    if scope.cuts == "year-end":
        pieces += [Piece(text=", by "), Piece(text="year-end cuts", key="cuts", changed=True)]
    pieces += [Piece(text=", against "), Piece(text="norms" if norms else "no norms"), Piece(text=".")]
    return pieces


def caption(pieces: list[Piece]) -> str:
    """The sentence as one line of text, the caption of every print and export."""
    return "".join(piece.text for piece in pieces)
