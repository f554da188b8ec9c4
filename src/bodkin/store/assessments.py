"""What a test is: its kind, and whose norms its norms are."""

from dataclasses import dataclass

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, NotFound
from bodkin.store.tables import Assessment

KINDS = ("adaptive", "benchmark", "outcome", "common", "probe", "reasoning", "language proficiency", "course grade")


@dataclass(frozen=True, slots=True)
class KeptTest:
    """A test in a subject as it is kept."""

    name: str
    subject: str
    kind: str
    norm_group: str | None


def all_tests(session: Session) -> dict[tuple[str, str], KeptTest]:
    """Every test by name and subject."""
    rows = session.scalars(select(Assessment))
    return {(row.name, row.subject): KeptTest(row.name, row.subject, row.kind, row.norm_group) for row in rows}


def change_test(session: Session, name: str, subject: str, *, kind: str, norm_group: str | None) -> None:
    """Say what kind a test is and whose norms it has. Raises BadInput for another kind, NotFound."""
    if kind not in KINDS:
        raise BadInput(f"kind: write one of {', '.join(KINDS)}")
    if (name, subject) not in all_tests(session):
        raise NotFound("There is no such test.")
    here = (Assessment.name == name, Assessment.subject == subject)
    session.execute(update(Assessment).where(*here).values(kind=kind, norm_group=norm_group))
