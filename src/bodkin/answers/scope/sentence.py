"""The sentence that says what is looked at, in pieces that can be changed in place."""

from pydantic import BaseModel

from bodkin.answers.scope.scope import Scope
from bodkin.core.windows import Window, day_words, grade_key


class Piece(BaseModel):
    """A piece of the scope sentence; one with a ``key`` can be changed in place.

    ``changed`` marks a piece that differs from its first choice.
    """

    text: str
    key: str | None = None
    changed: bool = False


def measure_title(assessment: str, subject: str, strand: str | None = None) -> str:
    """A measure as people say it, such as ``Saltgauge Reading``; never the subject twice."""
    title = assessment
    if subject.lower() not in assessment.lower():
        title = f"{assessment} {subject[:1].upper()}{subject[1:]}"
    return f"{title}, {strand}" if strand else title


def windows_title(windows: list[Window]) -> str:
    """``winter 2026-27``, ``fall to winter 2026-27``, both years where they differ, ``3 windows, ...`` for many."""
    first, second = windows[0], windows[-1]
    if len(windows) == 1:
        return first.word if first.days else f"{first.season} {first.school_year}"
    if first.days is None and second.days is None and first.year == second.year:
        words = f"{first.season} to {second.season} {first.school_year}"
    else:
        words = f"{first.label} to {second.label}"
    return words if len(windows) == 2 else f"{len(windows)} windows, {words}"


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
        on = "" if scope.group_on is None else f" as of {day_words(scope.group_on)}"
        parts.append(_listed(groups, "group", "groups") + on)
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
    if scope.field:
        parts.append(_listed(tuple(value.replace(": ", " ", 1) for value in scope.field), "with", "with"))
    if scope.language:
        parts.append(f"tested in {scope.language}")
    where = f"at {_listed(scope.school, '', 'schools')}" if scope.school else ""
    students = ", ".join(parts)
    if not students and not where:
        return everyone
    who = " ".join(filter(None, [students or "students", where]))
    return f"{everyone} but {who}" if scope.all_but else who


def target_words(scope: Scope) -> str | None:
    """Whose growth target a scope asks about; None for a choice that has none: pins, groups, all but, a strand."""
    if scope.students is not None or scope.group or scope.all_but or scope.language or scope.strand or scope.field:
        return None
    return f"{who_title(scope)}, {scope.second.school_year}"


AGAINST = {"norms": "norms", "local": "local history", "district": "the district"}


def sentence(scope: Scope, *, norms: bool, groups: tuple[str, ...] = (), everyone: str = "all students") -> list[Piece]:
    """The scope as a sentence in pieces; pieces at their first choice are not spelled out."""
    narrowed = bool(groups) or scope.narrowed
    pieces = [
        Piece(text=measure_title(scope.assessment, scope.subject, scope.strand), key="measure"),
        Piece(text=" for "),
        Piece(text=who_title(scope, groups, everyone), key="who", changed=narrowed),
    ]
    if scope.roster == "today":
        pieces += [Piece(text=", "), Piece(text="by today's classes", key="who", changed=True)]
    windows = windows_title(scope.windows)
    pieces += [Piece(text=", "), Piece(text=windows, key="windows", changed=len(scope.windows) != 2)]
    if scope.follow == "grade":
        piece = Piece(text="the same grade each time", key="matched", changed=True)
    elif scope.single:
        piece = Piece(text="students with a result", key="matched")
    elif scope.matched:
        piece = Piece(text=f"students with {'both' if len(scope.windows) == 2 else 'all'} results", key="matched")
    else:
        piece = Piece(text="all students with a result", key="matched", changed=True)
    pieces += [Piece(text=", "), piece]
    if scope.cuts == "year-end":
        pieces += [Piece(text=", by "), Piece(text="year-end cuts", key="cuts", changed=True)]
    text = AGAINST[scope.against] if norms or scope.against != "norms" else "no norms"
    against = Piece(text=text, key="against", changed=scope.against != "norms")
    return [*pieces, Piece(text=", against "), against, Piece(text=".")]


def caption(pieces: list[Piece]) -> str:
    """The sentence as one line of text, the caption of every print and export."""
    return "".join(piece.text for piece in pieces)
