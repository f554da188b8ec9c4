"""What people decide about results, kept with who, when and why, and undone whole."""

from datetime import datetime

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.reads.table.load import window_names
from bodkin.store.tables import Assessment, NotTested, Result, RetestRequest, Student
from bodkin.store.writes.undo import gone, new, note, was

COUNTED, KEPT, BESIDE, ASIDE = None, "kept", "beside", "set aside"


def student_of(session: Session, result_id: int) -> str:
    """Whose a result is. Raises NotFound."""
    found = session.scalar(
        select(Student.student_id).join(Result, Result.student_id == Student.id).where(Result.id == result_id)
    )
    if found is None:
        raise NotFound("There is no such student.")
    return found


def judge(session: Session, result_id: int, state: str | None, why: str, by_id: int, at: datetime, said: str) -> int:
    """Say whether a result is believed: ``kept``, ``set aside``, or as it was before (None); returns the act."""
    table = Result.__table__
    row = session.execute(select(table).where(Result.id == result_id)).mappings().one()
    before = [was(Result, row, _STATE)]
    # A result that counted and still does changes no figure.
    counts = (row["state"] in NOT_BELIEVED) != (state in NOT_BELIEVED)
    values = {"state": state, "state_why": why or None, "state_by_id": by_id if state else None}
    session.execute(update(Result).where(Result.id == result_id).values(values))
    return note(session, "decision", by_id, at, said, before, scores=counts)


_STATE = ("state", "state_why", "state_by_id")
NOT_BELIEVED = (BESIDE, ASIDE)


def choose(session: Session, result_id: int, why: str, by_id: int, at: datetime, said: str) -> int:
    """Let one of several results of a window count; the others of its language stand beside it."""
    table = Result.__table__
    chosen = session.execute(select(table).where(Result.id == result_id)).mappings().one()
    same = select(table).where(
        Result.student_id == chosen["student_id"],
        Result.assessment_id == chosen["assessment_id"],
        Result.window_id == chosen["window_id"],
        Result.language.is_(None) if chosen["language"] is None else Result.language == chosen["language"],
    )
    rows = session.execute(same).mappings().all()
    if len(rows) < 2:
        raise Conflict("This is the only result of its window; it counts already.")
    for row in rows:
        counts = row["id"] == result_id
        values = {"state": KEPT if counts else BESIDE, "state_why": why or None, "state_by_id": by_id}
        session.execute(update(Result).where(Result.id == row["id"]).values(values))
    before = [was(Result, row, _STATE) for row in rows]
    return note(session, "decision", by_id, at, said, before, scores=True)


def _keys(session: Session, student: str, measure: tuple[str, str], window: str) -> tuple[int, int, int]:
    who = session.scalar(select(Student.id).where(Student.student_id == student))
    test = session.scalar(select(Assessment.id).where(Assessment.name == measure[0], Assessment.subject == measure[1]))
    when = next((key for key, name in window_names(session).items() if name == window), None)
    if who is None or test is None or when is None:
        raise BadInput("there is no such student, test or window")
    return who, test, when


def ask_retest(
    session: Session, student: str, measure: tuple[str, str], window: str, why: str, accommodations: str | None,
    by_id: int, at: datetime, said: str,
) -> int:  # fmt: skip
    """Ask for a second sitting; returns the act. Raises Conflict where one is open already."""
    who, test, when = _keys(session, student, measure, window)
    here = (RetestRequest.student_id == who, RetestRequest.assessment_id == test, RetestRequest.window_id == when)
    if session.scalar(select(RetestRequest.id).where(*here, RetestRequest.state == "open")):
        raise Conflict("A retest is asked for already.")
    request = RetestRequest(
        student_id=who, assessment_id=test, window_id=when, why=why, accommodations=accommodations, asked_by_id=by_id,
        asked_at=at, state="open",
    )  # fmt: skip
    session.add(request)
    session.flush()
    return note(session, "retest", by_id, at, said, [new(RetestRequest, request.id)])


def change_retest(session: Session, key: int, state: str, by_id: int, at: datetime, said: str) -> int:
    """Say that a retest is done or not wanted any more. Raises NotFound, Conflict."""
    row = session.get(RetestRequest, key)
    if row is None:
        raise NotFound("There is no such student.")
    if row.state != "open":
        raise Conflict(f"This retest is {row.state} already.")
    row.state = state
    return note(session, "retest", by_id, at, said, [was(RetestRequest, {"id": key, "state": "open"}, ("state",))])


def retest_student(session: Session, key: int) -> str:
    """Whom a retest is for. Raises NotFound."""
    found = session.scalar(
        select(Student.student_id)
        .join(RetestRequest, RetestRequest.student_id == Student.id)
        .where(RetestRequest.id == key)
    )
    if found is None:
        raise NotFound("There is no such student.")
    return found


def give_reason(session: Session, student: str, window: str, reason: str, by_id: int, at: datetime, said: str) -> int:
    """Say why a student was not tested; an empty reason takes an earlier one back."""
    who = session.scalar(select(Student.id).where(Student.student_id == student))
    when = next((key for key, name in window_names(session).items() if name == window), None)
    if who is None or when is None:
        raise BadInput("there is no such student or window")
    table = NotTested.__table__
    here = (NotTested.student_id == who, NotTested.window_id == when)
    known = session.execute(select(table).where(*here)).mappings().one_or_none()
    if known is not None and not reason:
        session.execute(delete(NotTested).where(*here))
        return note(session, "reason", by_id, at, said, [gone(NotTested, known)])
    if known is not None:
        session.execute(update(NotTested).where(*here).values(reason=reason))
        return note(session, "reason", by_id, at, said, [was(NotTested, known, ("reason",))])
    if not reason:
        raise BadInput("reason: write why the student was not tested")
    made = NotTested(student_id=who, window_id=when, reason=reason)
    session.add(made)
    session.flush()
    return note(session, "reason", by_id, at, said, [new(NotTested, made.id)])
