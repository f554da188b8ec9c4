"""Pages made about students: the log of what was made and handed over, and sets of sections kept by name."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from bodkin.core.errors import Conflict, NotFound
from bodkin.store.tables import PageHanded, PageLog, PageSet, Person
from bodkin.store.writes.undo import Before, gone, new


@dataclass(frozen=True, slots=True)
class NewPage:
    """A page that was made: about whom, and the digest of its file."""

    student_id: str
    sha256: str


@dataclass(frozen=True, slots=True)
class Handed:
    """That a page was handed over."""

    at: datetime
    by: str
    to: str


@dataclass(frozen=True, slots=True)
class PageLine:
    """A page of the log; ``handed``: each time it was handed over."""

    id: int
    at: datetime
    by: str
    student_id: str
    audience: str
    sections: tuple[str, ...]
    language: str
    form: str
    sha256: str
    handed: tuple[Handed, ...] = ()


def note_pages(
    session: Session, pages: Sequence[NewPage], *, audience: str, sections: Sequence[str], language: str, form: str,
    by: int, at: datetime,
) -> None:  # fmt: skip
    """Keep that pages were made."""
    same = {"person_id": by, "at": at, "audience": audience, "sections": " ".join(sections), "language": language,
            "form": form}  # fmt: skip
    rows = [{**same, "student": one.student_id, "sha256": one.sha256} for one in pages]
    if rows:
        session.execute(insert(PageLog), rows)


def pages_logged(
    session: Session, before: int | None, limit: int, *, reach: Collection[str] | None = None, by: int | None = None
) -> list[PageLine]:
    """Pages that were made, the latest first; only about students in ``reach``, only those ``by`` a person."""
    query = (
        select(PageLog, Person.name)
        .join(Person, Person.id == PageLog.person_id)
        .order_by(PageLog.id.desc())
        .limit(limit)
    )
    if before is not None:
        query = query.where(PageLog.id < before)
    if reach is not None:
        query = query.where(PageLog.student.in_(reach))
    if by is not None:
        query = query.where(PageLog.person_id == by)
    rows = session.execute(query).all()
    handed: dict[int, list[Handed]] = {}
    over = (
        select(PageHanded, Person.name)
        .join(Person, Person.id == PageHanded.person_id)
        .where(PageHanded.page_log_id.in_([line.id for line, _ in rows]))
        .order_by(PageHanded.id)
    )
    for one, name in session.execute(over):
        handed.setdefault(one.page_log_id, []).append(Handed(one.at, name, one.to))
    return [
        PageLine(
            line.id, line.at, name, line.student, line.audience, tuple(line.sections.split()), line.language, line.form,
            line.sha256, tuple(handed.get(line.id, ())),
        )
        for line, name in rows
    ]  # fmt: skip


def students_with_pages(session: Session, since: datetime) -> frozenset[str]:
    """Students about whom pages were made since a time."""
    return frozenset(session.scalars(select(PageLog.student).where(PageLog.at >= since).distinct()))


def page_line(session: Session, key: int) -> PageLine:
    """A line of the log. Raises NotFound."""
    for one in pages_logged(session, key + 1, 1):
        if one.id == key:
            return one
    raise NotFound("There is no such page.")


def hand_over(session: Session, key: int, to: str, by: int, at: datetime) -> None:
    """Keep that a page was handed over."""
    session.execute(insert(PageHanded).values(page_log_id=key, person_id=by, at=at, to=to))


@dataclass(frozen=True, slots=True)
class SetRecord:
    """A set of sections by its name."""

    id: int
    name: str
    audience: str
    sections: tuple[str, ...]


def page_sets(session: Session) -> list[SetRecord]:
    """Every set the district keeps, by name."""
    rows = session.scalars(select(PageSet).order_by(PageSet.name))
    return [SetRecord(one.id, one.name, one.audience, tuple(one.sections.split())) for one in rows]


def keep_set(session: Session, name: str, audience: str, sections: Sequence[str], by: int) -> list[Before]:
    """Keep a set of sections; what undo needs. Raises Conflict where there is one of the name."""
    if session.scalar(select(PageSet.id).where(PageSet.name == name)) is not None:
        raise Conflict(f"There is a set named {name} already; choose another name.")
    made = PageSet(name=name, audience=audience, sections=" ".join(sections), made_by_id=by)
    session.add(made)
    session.flush()
    return [new(PageSet, made.id)]


def drop_set(session: Session, key: int) -> tuple[str, list[Before]]:
    """Give a set up; its name, and what undo needs. Raises NotFound."""
    row = session.execute(select(PageSet.__table__).where(PageSet.id == key)).mappings().first()
    if row is None:
        raise NotFound("There is no such set.")
    session.execute(delete(PageSet).where(PageSet.id == key))
    return str(row["name"]), [gone(PageSet, row)]
