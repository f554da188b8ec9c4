"""Names pasted from elsewhere, matched with students: sure ones, doubtful ones, and those nobody has."""

import re
from collections.abc import Collection, Mapping
from difflib import get_close_matches
from typing import Literal

from pydantic import BaseModel

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.words import without_accents

MOST_LINES = 400
MOST_CHOICES = 5
ALIKE = 0.78
"""How alike two names must be to be offered (ratio of matching letters)."""


class NameChoice(BaseModel):
    """A student who may be meant."""

    student_id: str
    name: str
    section: str | None


class PastedName(BaseModel):
    """A pasted line and who it is: ``sure`` by id or by one student's name, ``doubtful``, or ``unknown``."""

    text: str
    state: Literal["sure", "doubtful", "unknown"]
    choices: list[NameChoice]


def _plain(text: str) -> str:
    """A name without accents, case, order of its parts and marks."""
    return " ".join(sorted(re.findall(r"[a-z0-9]+", without_accents(text).lower())))


def match_names(
    text: str, students: Collection[str], names: Names, sections: Mapping[str, str | None]
) -> list[PastedName]:
    """Who each pasted line means among some students, empty lines passed over, the first 400.

    A line may hold further columns behind a tab or a semicolon; family name and given name may stand either
    way, with a comma or not. Two students of one name are doubtful, and so is a name with a slip in it.
    """
    held: dict[str, list[str]] = {}
    for student in students:
        held.setdefault(_plain(display_name(names, student)), []).append(student)
    known, found = set(students), []
    for line in [line for line in text.splitlines() if line.strip()][:MOST_LINES]:
        cells = [cell.strip() for cell in re.split(r"[\t;]", line) if cell.strip()]
        by_id = next((cell for cell in cells if cell in known), None)
        if by_id is not None:
            mine, state = [by_id], "sure"
        else:
            tries = [_plain(cell) for cell in ([" ".join(cells[:2]), *cells] if len(cells) > 1 else cells)]
            mine = next((held[one] for one in tries if one in held), [])
            state = "sure" if len(mine) == 1 else "doubtful" if mine else "unknown"
            if not mine:
                near = [name for one in tries for name in get_close_matches(one, held, MOST_CHOICES, ALIKE)]
                mine = [student for name in dict.fromkeys(near) for student in held[name]]
                state = "doubtful" if mine else "unknown"
        choices = [
            NameChoice(student_id=one, name=display_name(names, one), section=sections.get(one))
            for one in mine[:MOST_CHOICES]
        ]
        found.append(PastedName.model_validate({"text": line.strip()[:160], "state": state, "choices": choices}))
    return found
