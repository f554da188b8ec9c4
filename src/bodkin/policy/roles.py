"""Every role: what it may do and whom it sees. What is not granted here is refused; an unknown role has nothing."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from bodkin.core.errors import NotAllowed
from bodkin.policy.rights import Right
from bodkin.store.reach_by import ReachBy

if TYPE_CHECKING:
    # Only for its name: the command line, which names the roles, need not wait for a database's modules.
    from bodkin.store.reads.people import Someone

R = Right


@dataclass(frozen=True, slots=True)
class Role:
    """A role as data.

    ``title`` and ``everybody``: as people say it, of one and of all. ``reach``: where the students come from whom it
    may know of. ``names_of_own_groups``: names taken out, and goals set, only for students of groups the person leads.
    ``own_view``: it sees nobody but the students it works with, so that small groups are not withheld from it.
    ``whole_group``: it changes any group all of whose students it reaches. ``needs_school``: nobody has it without one.
    ``oneroster``: the word of that specification which stands for it, and those that it stands for.
    """

    title: str
    everybody: str
    reach: frozenset[ReachBy]
    rights: frozenset[Right]
    names_of_own_groups: bool = False
    own_view: bool = False
    whole_group: bool = False
    needs_school: bool = False
    oneroster: str = "teacher"
    from_oneroster: frozenset[str] = frozenset()


_AIDE = frozenset({R.SIGNED_IN, R.SCORES, R.GROUPS_SEE, R.ENTER})
"""Whose scores is decided by reach, and without ``EVERY_MEASURE`` by the measure of the group."""
_TEACHER = _AIDE | {
    R.EVERY_MEASURE, R.PROGRAMS, R.HISTORY, R.GROUPS_OF_STUDENTS, R.GROUPS_MAKE, R.GOALS_SET, R.EXPORT_NAMES,
    R.ASK_RETEST, R.PRACTICE, R.TEAM, R.NOTES, R.DOCUMENTS, R.PAGES, R.MATERIAL,
}  # fmt: skip
_LEAD = _TEACHER | {R.DECIDE, R.NOTES_OF_OTHERS, R.DOCUMENTS_OF_OTHERS, R.PAGES_OF_OTHERS, R.LOGS}
# A mended item changes the scores of every school that sat the test.
_COACH = _LEAD | {
    R.GROUPS_OF_OTHERS, R.NOTES_CHANGE, R.ITEMS, R.SETUP, R.UNDO_OF_OTHERS, R.LOGS_OF_DISTRICT,
}  # fmt: skip

ROLES: dict[str, Role] = {
    "coach": Role(
        "data coach", "All data coaches", frozenset({ReachBy.DISTRICT}), _COACH,
        oneroster="districtAdministrator",
        from_oneroster=frozenset({"districtAdministrator", "systemAdministrator"}),
    ),
    "school_lead": Role(
        "school lead", "All school leads", frozenset({ReachBy.SCHOOL}), _LEAD, whole_group=True, needs_school=True,
        oneroster="principal", from_oneroster=frozenset({"siteAdministrator", "principal"}),
    ),
    "teacher": Role(
        "teacher", "All teachers", frozenset({ReachBy.SECTIONS}), _TEACHER, own_view=True,
        from_oneroster=frozenset({"teacher"}),
    ),
    "interventionist": Role(
        "intervention teacher", "All intervention teachers", frozenset({ReachBy.ASSIGNED_GRADES, ReachBy.GROUPS}),
        _TEACHER, names_of_own_groups=True, own_view=True,
    ),
    "aide": Role(
        "aide", "All aides", frozenset({ReachBy.GROUPS}), _AIDE, own_view=True, oneroster="aide",
        from_oneroster=frozenset({"aide", "proctor"}),
    ),
}  # fmt: skip
"""The roles there are, the widest first."""

NOBODY = Role("", "", frozenset(), frozenset(), own_view=True)
"""What a role that is not known is: it may nothing and sees nobody."""

FIRST = "coach"
"""The role of who sets up a new Bodkin."""
NAMED_TEACHER, NAMED_LEADER = "teacher", "interventionist"
"""The role of who is named in a file as the teacher of a class, and as the adult of a group; nobody signs in by it."""


def role_of(name: str) -> Role:
    """What a role is; nothing at all where it is not known."""
    return ROLES.get(name, NOBODY)


def role_title(name: str) -> str:
    """A role as people say it."""
    return role_of(name).title or name


def may(name: str, right: Right) -> bool:
    """Whether a role has a right; an unknown role has none."""
    return right in role_of(name).rights


def require(person: "Someone", right: Right) -> None:
    """Raise NotAllowed unless the person's role has the right."""
    if not may(person.role, right):
        raise NotAllowed(f"As {role_title(person.role)} you cannot {right.value}.")


def reads_internal(person: "Someone", *, shared: bool, by_id: int | None) -> bool:
    """Whether a person may read what colleagues keep about a student: own and shared, or all of it by right."""
    return shared or by_id == person.id or may(person.role, Right.NOTES_OF_OTHERS)


def role_from_oneroster(word: str) -> str | None:
    """The role that a word of OneRoster 1.2 stands for; None for others, such as guardians."""
    return next((name for name, role in ROLES.items() if word in role.from_oneroster), None)
