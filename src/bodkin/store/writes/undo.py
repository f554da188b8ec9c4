"""Undo: the one service that keeps what acts changed, and takes them back.

An act knows every row it changed as it was before, which version of the data its undoing raises, who
may take it back, and whether something newer stands on it. Decisions, goals, targets, groups and
imports all go through here.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, insert, select, update
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict, NotFound
from bodkin.store.database import raise_scores, two_columns
from bodkin.store.tables import Act, Base, Import, Person, Student
from bodkin.store.writes.undo_imports import Rows, imports_touching, restore, standing_on, touched

KINDS = (
    "decision", "correction", "retest", "reason", "goal", "target", "group", "session", "import", "item", "mastery",
    "material", "practice goal", "team", "word", "note", "document", "page set", "setting",
)  # fmt: skip
"""What an act can be about."""

FINAL = "final"
"""State of an act that cannot be taken back: what it removed is gone."""

Before = dict[str, Any]
"""A row as it was before an act: ``table``, ``id``, and ``row`` (None where it was not there); ``gone`` where the
act took it away."""


@dataclass(frozen=True, slots=True)
class PastAct:
    """An act as it is listed."""

    id: int
    kind: str
    said: str
    by: str | None
    at: datetime
    state: str


def _plain(value: object) -> object:
    return value.isoformat() if isinstance(value, (date, datetime)) else value


def was(table: type[Base], row: Any, only: Sequence[str] = ()) -> Before:
    """A row that an act changes, as it was; ``only`` those of its columns that change."""
    kept = {name: _plain(row[name]) for name in (only or row.keys())}
    return {"table": table.__tablename__, "id": row["id"], "row": kept}


def new(table: type[Base], key: int) -> Before:
    """A row that an act made."""
    return {"table": table.__tablename__, "id": key, "row": None}


def gone(table: type[Base], row: Any) -> Before:
    """A row that an act took away."""
    return was(table, row) | {"gone": True}


def note(
    session: Session, kind: str, by_id: int | None, at: datetime, said: str, before: Sequence[Before], *,
    scores: bool = False, import_id: int | None = None, state: str = "done",
) -> int:  # fmt: skip
    """Keep an act within the session that carries it out; returns its key.

    ``scores``: the act changes which results count; the version of the scores is raised with it. ``state``: FINAL
    for what nobody can take back.
    """
    act = Act(
        kind=kind, by_id=by_id, at=at, said=said[:500], before=list(before), scores=scores, import_id=import_id,
        state=state,
    )  # fmt: skip
    session.add(act)
    session.flush()
    if scores:
        raise_scores(session)
    return act.id


def note_more(session: Session, key: int, kind: str, by_id: int | None, said: str, before: Sequence[Before]) -> int:
    """Let a person's own act hold more of the same batch, which is then taken back as one; returns its key.

    Raises NotFound for another person's act or one of another kind, Conflict where it has been undone.
    """
    act = session.get(Act, key, with_for_update=True)
    if act is None or act.by_id != by_id or act.kind != kind:
        raise NotFound("There is no such batch of yours.")
    if act.state != "done":
        raise Conflict("This batch has been undone; start a new one.")
    held = _rows(act)
    # A row that the batch changed already is known as it was before the batch.
    more = [entry for entry in before if entry.get("gone") or (entry["table"], entry["id"]) not in held]
    act.before = [*act.before, *more]
    act.said = said[:500]
    session.flush()
    return act.id


def kind_of(session: Session, key: int) -> str:
    """What an act is about. Raises NotFound."""
    kind = session.scalar(select(Act.kind).where(Act.id == key))
    if kind is None:
        raise NotFound("There is no such decision of yours.")
    return kind


def act_of_import(session: Session, import_id: int) -> int:
    """The act that brought an import in. Raises NotFound."""
    key = session.scalar(select(Act.id).where(Act.import_id == import_id))
    if key is None:
        raise NotFound("There is no such import.")
    return key


@dataclass(frozen=True, slots=True)
class Along:
    """What taking an act back needs: newer ``acts`` that go with it, the newest first, and why it is ``refused``."""

    acts: list[PastAct]
    refused: list[str]


def along(session: Session, key: int) -> Along:
    """What newer work stands on an act, and on what stands on it. Raises NotFound."""
    act = session.get(Act, key)
    if act is None:
        raise NotFound("There is no such decision of yours.")
    acts, refused = _standing_on(session, act)
    names = two_columns(session, select(Person.id, Person.name))
    return Along(
        [PastAct(a.id, a.kind, a.said, names.get(a.by_id) if a.by_id else None, a.at, a.state) for a in acts], refused
    )


def undo(session: Session, key: int, by_id: int | None, *, anybody_s: bool, together: Collection[int] = ()) -> str:
    """Take an act back, within a writing session; returns what it was.

    Every row it changed is as it was before; the version of the scores is raised where the act raised it.
    ``together``: newer acts standing on it that somebody agreed to take back with it. Raises NotFound for an
    unknown act, or another person's where ``anybody_s`` is not set, and Conflict, naming it, where it is undone
    already or something newer stands on the same rows and is not among them.
    """
    act = session.get(Act, key)
    if act is None or (act.by_id != by_id and not anybody_s):
        raise NotFound("There is no such decision of yours.")
    if act.state == FINAL:
        raise Conflict("What was removed for good cannot be brought back.")
    if act.state != "done":
        raise Conflict("This has been undone already.")
    newer, refused = _standing_on(session, act)
    reasons = [f'"{one.said}"' for one in newer if one.id not in together] + refused
    if reasons:
        raise Conflict(f"This cannot be undone while newer work rests on it: {'; '.join(reasons)}. Undo that first.")
    for one in (*newer, act):
        _take_back(session, one)
    return act.said


def _take_back(session: Session, act: Act) -> None:
    if act.import_id is not None:
        restore(session, act.import_id)
    else:
        _put_back(session, act.before)
    act.state = "undone"
    if act.scores:
        raise_scores(session)
    session.flush()


def _rows(act: Act) -> Rows:
    return {(entry["table"], entry["id"]) for entry in act.before}


def _standing_on(session: Session, act: Act) -> tuple[list[Act], list[str]]:
    """Newer acts that stand on an act, directly or on one another, the newest first; and what nobody can take back."""
    done = session.scalars(select(Act).where(Act.id > act.id, Act.state == "done").order_by(Act.id)).all()
    by_import: dict[int | None, Act] = {one.import_id: one for one in done if one.import_id is not None}
    found: dict[int, Act] = {}
    refused: list[str] = []
    open_: list[Act] = [act]
    while open_:
        one = open_.pop()
        near, rest = _directly_on(session, one, [other for other in done if other.id > one.id], by_import)
        refused += [reason for reason in rest if reason not in refused]
        open_ += [other for other in near if other.id not in found]
        found |= {other.id: other for other in near}
    return [found[key] for key in sorted(found, reverse=True)], refused


def _directly_on(
    session: Session, act: Act, later: Sequence[Act], by_import: dict[int | None, Act]
) -> tuple[list[Act], list[str]]:
    own = act.import_id
    if own is None:
        mine, imports = _rows(act), imports_touching(session, _rows(act))
        return [other for other in later if other.import_id in imports or mine & _rows(other)], []
    met = touched(session, own, {row for other in later for row in _rows(other)})
    near = [other for other in later if met & _rows(other)]
    standing = standing_on(session, own)
    near += [by_import[one] for one in sorted(standing.imports) if one in by_import]
    rows = set(standing.rows)
    for other in later:
        if mine := rows & _rows(other):
            rows -= mine
            near.append(other)
    kinds = sorted({table for table, _ in rows})
    counts = {kind: sum(table == kind for table, _ in rows) for kind in kinds}
    return near, [f"{n} {kind.replace('_', ' ')} rows rest on its rows" for kind, n in counts.items()]


def _put_back(session: Session, before: Sequence[Before]) -> None:
    tables = {table.name: table for table in Base.metadata.sorted_tables}
    # The last change first, so that a row another one rests on is still there.
    for entry in reversed(before):
        table, row = tables[entry["table"]], entry["row"]
        if row is None:
            session.execute(delete(table).where(table.c.id == entry["id"]))
        elif entry.get("gone"):
            session.execute(insert(table).values(row))
        else:
            session.execute(update(table).where(table.c.id == entry["id"]).values(row))


def past_acts(session: Session, by_id: int | None, limit: int = 30, kinds: Sequence[str] = KINDS) -> list[PastAct]:
    """The latest acts of some kinds, of one person or of all; those of imports stand in their own history."""
    query = select(Act, Person.name).outerjoin(Person, Person.id == Act.by_id).order_by(Act.id.desc()).limit(limit)
    query = query.where(Act.kind.in_([kind for kind in kinds if kind != "import"]))
    if by_id is not None:
        query = query.where(Act.by_id == by_id)
    return [PastAct(act.id, act.kind, act.said, name, act.at, act.state) for act, name in session.execute(query)]


_ABOUT = {
    "result", "correction", "retest_request", "not_tested", "goal", "group_member", "mastery_entry",
    "assigned_material", "practice_goal", "decision", "meeting_student", "word_said", "note", "document",
}  # fmt: skip
"""Tables whose rows are about one student."""


def students_of_acts(session: Session, keys: Collection[int]) -> dict[int, frozenset[str]]:
    """The students that acts are about; of a change to a group, everybody who is in it.

    Whoever may not know of one of them may not know of the act either, nor take it back.
    """
    tables = {table.name: table for table in Base.metadata.sorted_tables}
    wanted: dict[str, set[int]] = {}
    about: dict[int, set[int]] = {key: set() for key in keys}
    places: dict[tuple[str, int], list[int]] = {}
    for key, before in session.execute(select(Act.id, Act.before).where(Act.id.in_(keys))):
        for entry in before:
            name, row = entry["table"], entry["row"]
            if name in _ABOUT and row is not None and "student_id" in row:
                about[key].add(row["student_id"])
            elif name in _ABOUT or name == "group":
                wanted.setdefault(name, set()).add(entry["id"])
                places.setdefault((name, entry["id"]), []).append(key)
    for name, rows in wanted.items():
        # Of a group all who are in it, or were.
        table = tables["group_member" if name == "group" else name]
        row_key = table.c.group_id if name == "group" else table.c.id
        for row, student in session.execute(select(row_key, table.c.student_id).where(row_key.in_(rows))):
            for key in places[name, row]:
                about[key].add(student)
    every = {student for students in about.values() for student in students}
    names = dict(session.execute(select(Student.id, Student.student_id).where(Student.id.in_(every))).all())
    return {key: frozenset(names[one] for one in students if one in names) for key, students in about.items()}


def undo_import(session: Session, import_id: int, together: Collection[int] = ()) -> str:
    """Take an import back, whole; returns the name of its file.

    ``together``: newer acts to take back with it. Raises NotFound for an unknown import and Conflict where it is
    undone already or newer work rests on it that is not among them.
    """
    row = session.get(Import, import_id)
    if row is None:
        raise NotFound("There is no such import.")
    undo(session, act_of_import(session, import_id), None, anybody_s=True, together=together)
    return row.file
