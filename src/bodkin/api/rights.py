"""The one place that decides what a role may do. Denied unless it stands here."""

from enum import StrEnum

from bodkin.core.errors import NotAllowed
from bodkin.store.reads.people import Someone


class Right(StrEnum):
    """Something a role may do or not."""

    SIGNED_IN = "be signed in"
    SCORES = "see scores, growth and bands"
    GROUPS_SEE = "see groups"
    GROUPS_MAKE = "make and change groups"
    GOALS_SET = "set goals"
    EXPORT_NAMES = "export with names"
    ASK_RETEST = "ask for a retest or say why somebody was not tested"
    DECIDE = "set results aside or choose which counts"
    ENTER = "enter what students hold, sessions and practice"
    TEAM = "see practice and decide about students' help"
    NOTES = "write and read notes on students"
    DOCUMENTS = "attach and read documents on students"
    PAGES = "make pages for students and families"
    MATERIAL = "keep material and give it to students"
    ITEMS = "correct the key of an item or drop it"
    SETUP = "bring in files, cuts, norms and people"
    LOGS = "see who opened and exported what"


EVERY_ROLE = frozenset({"coach", "school_lead", "teacher", "interventionist", "aide"})

GRANTS: dict[Right, frozenset[str]] = {
    Right.SIGNED_IN: EVERY_ROLE,
    # Whose scores is decided by reach; an aide's also by the measure of the group.
    Right.SCORES: EVERY_ROLE,
    Right.GROUPS_SEE: EVERY_ROLE,
    Right.GROUPS_MAKE: EVERY_ROLE - {"aide"},
    Right.GOALS_SET: EVERY_ROLE - {"aide"},
    Right.EXPORT_NAMES: EVERY_ROLE - {"aide"},
    Right.ASK_RETEST: EVERY_ROLE - {"aide"},
    Right.DECIDE: frozenset({"coach", "school_lead"}),
    Right.ENTER: EVERY_ROLE,
    Right.TEAM: EVERY_ROLE - {"aide"},
    Right.NOTES: EVERY_ROLE - {"aide"},
    Right.DOCUMENTS: EVERY_ROLE - {"aide"},
    Right.PAGES: EVERY_ROLE - {"aide"},
    Right.MATERIAL: EVERY_ROLE - {"aide"},
    # A mended item changes the scores of every school that sat the test.
    Right.ITEMS: frozenset({"coach"}),
    Right.SETUP: frozenset({"coach"}),
    Right.LOGS: frozenset({"coach", "school_lead"}),
}

UNDO: dict[str, Right] = {
    "decision": Right.DECIDE,
    "correction": Right.DECIDE,
    "retest": Right.ASK_RETEST,
    "reason": Right.ASK_RETEST,
    "goal": Right.GOALS_SET,
    "target": Right.GOALS_SET,
    "group": Right.GROUPS_MAKE,
    "session": Right.ENTER,
    "import": Right.SETUP,
    "item": Right.ITEMS,
    "mastery": Right.ENTER,
    "material": Right.MATERIAL,
    "practice goal": Right.GOALS_SET,
    "team": Right.TEAM,
    "word": Right.TEAM,
    "note": Right.NOTES,
    "document": Right.DOCUMENTS,
    "page set": Right.DECIDE,
}
"""Which right taking back an act of each kind needs; an own act, or anybody's for a coach."""

_WORDS = {
    "coach": "data coach",
    "school_lead": "school lead",
    "teacher": "teacher",
    "interventionist": "intervention teacher",
    "aide": "aide",
}


def role_title(role: str) -> str:
    """A role as people say it."""
    return _WORDS.get(role, role)


def may(role: str, right: Right) -> bool:
    """Whether a role has a right; an unknown role has none."""
    return role in GRANTS.get(right, frozenset())


def require(person: Someone, right: Right) -> None:
    """Raise NotAllowed unless the person's role has the right."""
    if not may(person.role, right):
        raise NotAllowed(f"As {role_title(person.role)} you cannot {right.value}.")


def reads_internal(person: Someone, *, shared: bool, by_id: int | None) -> bool:
    """Whether a person may read what colleagues keep about a student: own and shared, all of it as coach or lead."""
    return shared or by_id == person.id or person.role in ("coach", "school_lead")
