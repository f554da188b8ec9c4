"""What people decide about results, kept with who, when and why, and undone whole."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput, Conflict, NotFound
from bodkin.store.tables import Act, Assessment, Base, NotTested, Person, Result, RetestRequest, Student

COUNTED, KEPT, BESIDE, ASIDE = None, "kept", "beside", "set aside"


@dataclass(frozen=True, slots=True)
class PastAct:
    """A decision as it is listed."""

    id: int
    said: str
    by: str | None
    at: datetime
    state: str


def _plain(value: object) -> object:
    return value.isoformat() if isinstance(value, (date, datetime)) else value


def note_act(session: Session, by_id: int, at: datetime, said: str, before: Sequence[dict[str, Any]]) -> int:
    """Keep a decision with what it changed, each row as it was before (None: it was not there); returns its key."""
    act = Act(by_id=by_id, at=at, said=said[:500], before=list(before), state="done")
    session.add(act)
    session.flush()
    return act.id


def kept_before(table: str, row: Any) -> dict[str, Any]:
    """A row as it was, for an act that changes it."""
    return {"table": table, "id": row["id"], "row": {name: _plain(value) for name, value in row.items()}}


def student_of(session: Session, result_id: int) -> str:
    """Whose a result is. Raises NotFound."""
    found = session.scalar(
        select(Student.student_id).join(Result, Result.student_id == Student.id).where(Result.id == result_id)
    )
    if found is None:
        raise NotFound("There is no such result.")
    return found


def judge(session: Session, result_id: int, state: str | None, why: str, by_id: int, at: datetime, said: str) -> int:
    """Say whether a result is believed: ``kept``, ``set aside``, or as it was before (None); returns the act."""
    table = Result.__table__
    row = session.execute(select(table).where(Result.id == result_id)).mappings().one()
    before = [_state_before(row)]
    values = {"state": state, "state_why": why or None, "state_by_id": by_id if state else None}
    session.execute(update(Result).where(Result.id == result_id).values(values))
    return note_act(session, by_id, at, said, before)


def _state_before(row: Any) -> dict[str, Any]:
    return {
        "table": "result",
        "id": row["id"],
        "row": {name: row[name] for name in ("state", "state_why", "state_by_id")},
    }


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
    return note_act(session, by_id, at, said, [_state_before(row) for row in rows])


def _keys(session: Session, student: str, measure: tuple[str, str], window: str) -> tuple[int, int, int]:
    from bodkin.store.reads.load import window_names

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
    return note_act(session, by_id, at, said, [{"table": "retest_request", "id": request.id, "row": None}])


def change_retest(session: Session, key: int, state: str, by_id: int, at: datetime, said: str) -> int:
    """Say that a retest is done or not wanted any more. Raises NotFound, Conflict."""
    row = session.get(RetestRequest, key)
    if row is None:
        raise NotFound("There is no such retest.")
    if row.state != "open":
        raise Conflict(f"This retest is {row.state} already.")
    row.state = state
    return note_act(session, by_id, at, said, [{"table": "retest_request", "id": key, "row": {"state": "open"}}])


def retest_student(session: Session, key: int) -> str:
    """Whom a retest is for. Raises NotFound."""
    found = session.scalar(
        select(Student.student_id)
        .join(RetestRequest, RetestRequest.student_id == Student.id)
        .where(RetestRequest.id == key)
    )
    if found is None:
        raise NotFound("There is no such retest.")
    return found


def give_reason(session: Session, student: str, window: str, reason: str, by_id: int, at: datetime, said: str) -> int:
    """Say why a student was not tested; an empty reason takes an earlier one back."""
    from bodkin.store.reads.load import window_names

    who = session.scalar(select(Student.id).where(Student.student_id == student))
    when = next((key for key, name in window_names(session).items() if name == window), None)
    if who is None or when is None:
        raise BadInput("there is no such student or window")
    table = NotTested.__table__
    here = (NotTested.student_id == who, NotTested.window_id == when)
    known = session.execute(select(table).where(*here)).mappings().one_or_none()
    if known is not None and not reason:
        session.execute(delete(NotTested).where(*here))
        return note_act(session, by_id, at, said, [kept_before(NotTested.__tablename__, known) | {"gone": True}])
    if known is not None:
        session.execute(update(NotTested).where(*here).values(reason=reason))
        before = {"table": "not_tested", "id": known["id"], "row": {"reason": known["reason"]}}
        return note_act(session, by_id, at, said, [before])
    if not reason:
        raise BadInput("reason: write why the student was not tested")
    made = NotTested(student_id=who, window_id=when, reason=reason)
    session.add(made)
    session.flush()
    return note_act(session, by_id, at, said, [{"table": "not_tested", "id": made.id, "row": None}])


def touches_scores(session: Session, key: int) -> bool:
    """Whether undoing a decision changes which results count."""
    act = session.get(Act, key)
    return act is not None and any(entry["table"] == "result" for entry in act.before)


def undo_act(session: Session, key: int, by_id: int, *, anybody_s: bool) -> str:
    """Take a decision back; returns what it was.

    Raises NotFound for an unknown one, or another person's where ``anybody_s`` is not set, and
    Conflict where it is undone already or something newer was decided about the same.
    """
    act = session.get(Act, key)
    if act is None or (act.by_id != by_id and not anybody_s):
        raise NotFound("There is no such decision of yours.")
    if act.state != "done":
        raise Conflict("This has been undone already.")
    mine = {(entry["table"], entry["id"]) for entry in act.before}
    for later in session.scalars(select(Act).where(Act.id > key, Act.state == "done")):
        if mine & {(entry["table"], entry["id"]) for entry in later.before}:
            raise Conflict(f'Something newer was decided about it: "{later.said}". Undo that first.')
    tables = {table.name: table for table in Base.metadata.sorted_tables}
    for entry in act.before:
        table, row = tables[entry["table"]], entry["row"]
        if row is None:
            session.execute(delete(table).where(table.c.id == entry["id"]))
        elif entry.get("gone"):
            session.execute(insert(table).values(row))
        else:
            session.execute(update(table).where(table.c.id == entry["id"]).values(row))
    act.state = "undone"
    return act.said


def past_acts(session: Session, by_id: int | None, limit: int = 30) -> list[PastAct]:
    """The latest decisions, of one person or of all."""
    query = select(Act, Person.name).outerjoin(Person, Person.id == Act.by_id).order_by(Act.id.desc()).limit(limit)
    if by_id is not None:
        query = query.where(Act.by_id == by_id)
    return [PastAct(act.id, act.said, name, act.at, act.state) for act, name in session.execute(query)]
