"""Setup: the first day with its templates, and what the demo offers to try."""

import json
from typing import Annotated

from fastapi import Depends, Response
from pydantic import BaseModel

from bodkin.answers.comparison.exports import Table
from bodkin.answers.setup.first_day import FirstDay, first_day
from bodkin.api.context import Context, get_runtime, need
from bodkin.api.responses import TABLE_FILES, Form, table_file
from bodkin.api.routing import Part
from bodkin.api.runtime import Runtime
from bodkin.api.setup import apart, drafts
from bodkin.api.setup.previews import BundleAnswer
from bodkin.core.errors import NotFound
from bodkin.exchange.imports.bundles import files_in
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.plain.export import table_sizes
from bodkin.policy.rights import Right

router = Part(tags=["start"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]


class DemoPerson(BaseModel):
    """Somebody of the invented district whom one can sign in as."""

    login: str
    name: str
    role: str


class DemoAnswer(BaseModel):
    """The demo's invented people and the password they all have."""

    people: list[DemoPerson]
    password: str


class Sample(BaseModel):
    """A sample file to try, and what it shows."""

    name: str
    words: str


class TemplateColumn(BaseModel):
    """A column that a file of a kind can have, and how its values are written."""

    name: str
    required: bool
    advice: str


@router.get("/demo")
def demo(runtime: Annotated[Runtime, Depends(get_runtime)]) -> DemoAnswer | None:
    """Who can sign in to the demo with one click; nothing where this is no demo. Needs nobody signed in."""
    path = runtime.settings.demo_file
    return DemoAnswer.model_validate_json(path.read_text()) if path.exists() else None


@router.get("/setup/first-day")
def what_is_there(context: Setup) -> FirstDay:
    """What this Bodkin has and what the steps of the round still need."""
    return first_day(table_sizes(context.session))


def _columns(kind: str) -> list[TemplateColumn]:
    if kind not in KINDS:
        raise NotFound("There is no such kind of file.")
    columns = KINDS[kind].layout.columns
    # Those that every file needs come first.
    return [
        TemplateColumn(name=column.name, required=column.required, advice=column.kind.advice)
        for column in sorted(columns, key=lambda one: not one.required)
    ]


@router.get("/setup/templates/{kind}.{form}", response_class=Response, responses=TABLE_FILES)
def template(kind: str, form: Form, _context: Setup) -> Response:
    """An empty file of a kind: its header, to be filled."""
    return table_file(Table([column.name for column in _columns(kind)], []), f"{kind}-template", form)


@router.get("/setup/templates/{kind}")
def columns(kind: str, _context: Setup) -> list[TemplateColumn]:
    """The columns that a file of a kind can have, those it needs first."""
    return _columns(kind)


def _samples(context: Context) -> list[Sample]:
    index = context.runtime.settings.samples / "index.json"
    return [Sample.model_validate(one) for one in json.loads(index.read_text())] if index.exists() else []


@router.get("/setup/samples")
def samples(context: Setup) -> list[Sample]:
    """Sample files to try on the import desk; only the demo has them."""
    return _samples(context)


@router.post("/setup/samples/{name}")
def try_sample(name: str, context: Setup) -> BundleAnswer:
    """A sample file as if it had been chosen; nothing is changed."""
    if name not in {one.name for one in _samples(context)}:
        raise NotFound("There is no such sample.")
    parts, left = files_in(name, (context.runtime.settings.samples / name).read_bytes())
    waiting = [drafts.keep(context, part, content) for part, content in parts]
    return apart.looked_at(context, waiting, left)
