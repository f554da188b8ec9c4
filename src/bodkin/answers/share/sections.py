"""Audiences and the sections of their pages."""

from collections.abc import Sequence
from typing import Literal, get_args

from bodkin.core.errors import BadInput

Audience = Literal["family", "student", "plan", "team"]
PageSection = Literal[
    "growth", "standing", "thread", "strands", "skills", "goals", "help", "practice", "items", "accommodations",
    "notes", "home", "contact", "figures", "doubtful", "decisions", "internal",
]  # fmt: skip
SECTIONS: tuple[PageSection, ...] = get_args(PageSection)
TEAM_ONLY: frozenset[PageSection] = frozenset({"doubtful", "decisions", "internal"})
"""Sections that no page for anybody but the team may have."""

FIRST: dict[Audience, tuple[PageSection, ...]] = {
    "family": ("growth", "standing", "thread", "skills", "goals", "help", "home", "notes", "contact"),
    "student": ("growth", "standing", "thread", "strands", "skills", "goals"),
    "plan": ("standing", "growth", "thread", "strands", "skills", "goals", "help", "practice", "accommodations",
             "figures", "notes"),
    "team": ("standing", "growth", "thread", "strands", "skills", "goals", "help", "practice", "accommodations",
             "figures", "doubtful", "decisions", "notes", "internal"),
}  # fmt: skip
"""The first set of sections of each audience, in their order."""


def may_have(audience: Audience) -> tuple[PageSection, ...]:
    """The sections that a page for an audience may have."""
    return tuple(one for one in SECTIONS if audience == "team" or one not in TEAM_ONLY)


def checked_audience(text: str) -> Audience:
    """An audience by its name. Raises BadInput, naming those there are."""
    for one in get_args(Audience):
        if one == text:
            found: Audience = one
            return found
    raise BadInput(f"audience: there is no {text!r}; choose one of {', '.join(get_args(Audience))}")


def checked_sections(audience: Audience, asked: Sequence[str]) -> tuple[PageSection, ...]:
    """The sections asked for, in their order, or the first set. Raises BadInput for one the audience may not have."""
    if not asked:
        return FIRST[audience]
    allowed = may_have(audience)
    for one in asked:
        if one not in SECTIONS:
            raise BadInput(f"page_section: there is no {one!r}")
        if one not in allowed:
            raise BadInput(f"page_section: {one!r} is for the team only")
    return tuple(one for one in dict.fromkeys(asked) if one in allowed)
