"""What a test is: its kind, and whose norms its norms are."""

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.store.tables import Assessment

KINDS = ("adaptive", "benchmark", "outcome", "common", "probe", "reasoning", "language proficiency", "course grade")


@dataclass(frozen=True, slots=True)
class AssessmentRecord:
    """A test in a subject as it is kept."""

    name: str
    subject: str
    kind: str
    norm_group: str | None


def all_tests(session: Session) -> dict[tuple[str, str], AssessmentRecord]:
    """Every test by name and subject."""
    rows = session.scalars(select(Assessment))
    return {(row.name, row.subject): AssessmentRecord(row.name, row.subject, row.kind, row.norm_group) for row in rows}


def outcome_tests(session: Session, assessment: str, subject: str) -> list[tuple[str, str]]:
    """Outcome tests of a subject beside the test at hand, by name."""
    found = [one for one, test in all_tests(session).items() if test.kind == "outcome" and one[1] == subject]
    return sorted(one for one in found if one != (assessment, subject))
