"""Changes what a test is."""

from sqlalchemy import update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, NotFound
from bodkin.store.reads.assessments import KINDS, all_tests
from bodkin.store.tables import Assessment


def change_test(session: Session, name: str, subject: str, *, kind: str, norm_group: str | None) -> None:
    """Say what kind a test is and whose norms it has. Raises BadInput for another kind, NotFound."""
    if kind not in KINDS:
        raise BadInput(f"kind: write one of {', '.join(KINDS)}")
    if (name, subject) not in all_tests(session):
        raise NotFound("There is no such test.")
    here = (Assessment.name == name, Assessment.subject == subject)
    session.execute(update(Assessment).where(*here).values(kind=kind, norm_group=norm_group))
