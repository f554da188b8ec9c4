"""Pages made from the command line, on kept data: one file per student, as the screen makes them."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import get_origin
from urllib.parse import parse_qs, urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.answers.scope.scope import Scope
from bodkin.answers.share.sections import checked_audience
from bodkin.api.context import Context
from bodkin.api.parameters import ScopeQuery, scope_of
from bodkin.api.runtime import Runtime
from bodkin.api.steps.share.asked import asked_of, gathered, sheets_of, without_pages
from bodkin.api.steps.share.pages import log_pages
from bodkin.commands.data import open_store
from bodkin.commands.demo import demo_settings, own_settings
from bodkin.core.errors import BadInput
from bodkin.documents.bundle import write_folder
from bodkin.policy.roles import FIRST
from bodkin.store.reads.people import Someone, by_key
from bodkin.store.tables import Person, SavedScope
from bodkin.store.writes.pages import NewPage


@dataclass(frozen=True, slots=True)
class PagesWanted:
    """What is asked for on the command line; ``scope``: an address of Bodkin, its query, or a saved view's name."""

    scope: str
    audience: str
    language: str
    sections: Sequence[str]
    subjects: Sequence[str]
    years: int
    test: str | None
    login: str | None


def _person(session: Session, login: str | None) -> Someone:
    """The person the pages are made as: the one who signs in so, else the first coach."""
    query = select(Person.id).where(Person.login.is_not(None)).order_by(Person.id)
    query = query.where(Person.login == login) if login is not None else query.where(Person.role == FIRST)
    key = session.scalar(query.limit(1))
    found = None if key is None else by_key(session, key)
    if found is None:
        who = f'nobody signs in as "{login}"' if login else "there is no coach yet; add one with ./bodkin person"
        raise BadInput(f"as: {who}")
    return found


def _scope(session: Session, text: str, person: Someone) -> Scope:
    """The scope that an address, a query or a saved view of the person's holds. Raises BadInput."""
    query = urlsplit(text).query if "://" in text or text.startswith("/") else text
    if "=" not in query:
        mine = select(SavedScope.query).where(SavedScope.person_id == person.id, SavedScope.name == text)
        kept = session.scalar(mine)
        if kept is None:
            raise BadInput(f'scope: there is no saved view "{text}" of {person.name}, and it is no address')
        query = kept
    values = parse_qs(query.removeprefix("?"))
    fields = {
        name: found if get_origin(field.annotation) in (tuple, list) else found[-1]
        for name, field in ScopeQuery.model_fields.items()
        if (found := values.get(name))
    }
    try:
        return scope_of(ScopeQuery.model_validate(fields))
    except ValueError as error:
        raise BadInput(f"scope: {error}") from None


def make_pages(wanted: PagesWanted, out: Path, *, demo: bool) -> list[str]:
    """Write one PDF per student into a folder; returns what to say.

    Raises BadInput for anything that is asked for and not there; then nothing is written.
    """
    settings = demo_settings() if demo else own_settings()
    with open_store(demo=demo) as store, store.reading() as session:
        person = _person(session, wanted.login)
        context = Context(Runtime(settings, store), session, person)
        asked = asked_of(
            checked_audience(wanted.audience), wanted.language, tuple(wanted.sections), tuple(wanted.subjects),
            wanted.years, wanted.test,
        )  # fmt: skip
        scope = _scope(session, wanted.scope, person)
        found = gathered(context, scope, asked)
        sheets = sheets_of(context, scope, found, asked)
        without = without_pages(context, scope, asked, [one.student_id for one in sheets])
        out.mkdir(parents=True, exist_ok=True)
        made = write_folder(out, sheets, context.names)
        log_pages(context, [NewPage(one.student_id, one.sha256) for one in made], asked, "pdf")
    said = [str(out / one.name) for one in made]
    said += [f"letters that no font has stand as a box: {one.name}" for one in made if one.letters]
    return said + [f"nothing to print: {student}, {why}" for student, why in without]
