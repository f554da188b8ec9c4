"""Whom a person may know of, by the role's own rule."""

from datetime import date

from sqlalchemy.orm import Session

from bodkin.policy.roles import role_of
from bodkin.store.reach_by import ReachBy
from bodkin.store.reads.people import Someone, students_by


def students_in_reach(session: Session, person: Someone, today: date) -> frozenset[str] | None:
    """District identifiers of the students a person may know of on a day; None: the whole district.

    A role that is not known reaches nobody.
    """
    reach = role_of(person.role).reach
    if ReachBy.DISTRICT in reach:
        return None
    return frozenset(student for by in reach for student in students_by(session, by, person, today))
