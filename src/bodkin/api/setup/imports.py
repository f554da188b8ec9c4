"""Setup: see what a file holds, bring it in, take it back."""

import csv
import io
import re
from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal

from fastapi import Depends, Query, Response, UploadFile
from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison.exports import Table
from bodkin.answers.setup.rehearsal import Rehearsal
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import Key
from bodkin.api.responses import TABLE_FILES, Form, export_file
from bodkin.api.routing import Part
from bodkin.api.setup import apart, drafts
from bodkin.api.setup.drafts import Draft, DraftChanges
from bodkin.api.setup.previews import BundleAnswer, ImportOutcome
from bodkin.core.errors import BadInput
from bodkin.exchange.faults import BadFile
from bodkin.exchange.imports import imports as exchange
from bodkin.exchange.imports.bundles import files_in
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.imports.understanding import Changes
from bodkin.exchange.tables_in.mapping import Mapped
from bodkin.policy.rights import Right
from bodkin.store.writes.undo import act_of_import, along, undo_import

router = Part(prefix="/imports", tags=["imports"])
Setup = Annotated[Context, Depends(need(Right.SETUP))]

LARGEST = 200 * 1024 * 1024
MOST_FILES = 60


class Together(BaseModel):
    """Files that wait and belong together."""

    model_config = ConfigDict(extra="forbid")

    drafts: list[str] = Field(min_length=1, max_length=MOST_FILES)


class Edited(BaseModel):
    """Rows of a plain file as somebody has edited them on the screen, by column."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["norms", "growth_norms", "cuts", "calendar"]
    rows: list[dict[str, str]] = Field(min_length=1, max_length=5000)


class ProgressAnswer(BaseModel):
    """What is being done for this person, and how far it is; ``all`` 0 where that cannot be told."""

    what: str
    done: int
    all: int


class ImportAnswer(BaseModel):
    """An import of the history."""

    id: int
    file: str
    kind: str
    counts: dict[str, int]
    by: str | None
    at: datetime
    state: str
    came_by: str | None


class ActAlong(BaseModel):
    """A newer act that stands on an import."""

    id: int
    kind: str
    said: str
    by: str | None
    at: datetime


class AlongAnswer(BaseModel):
    """What taking an import back needs: the acts that go with it, and why it cannot be taken back."""

    acts: list[ActAlong]
    refused: list[str]


@router.get("")
def history(context: Setup) -> list[ImportAnswer]:
    """All imports, the latest first."""
    return [
        ImportAnswer(
            id=i.id, file=i.file, kind=i.kind, counts=i.counts, by=i.by, at=i.at, state=i.state, came_by=i.came_by
        )
        for i in exchange.history(context.session)
    ]


@router.get("/progress")
def progress(context: Setup) -> ProgressAnswer | None:
    """What is being done for this person just now; nothing where nothing is."""
    now = context.runtime.progress.get(context.person.id)
    return ProgressAnswer(what=now.what, done=now.done, all=now.all) if now else None


def _uploaded(file: UploadFile) -> tuple[str, bytes]:
    name = re.sub(r"[^\w.() -]", "_", Path(file.filename or "file.csv").name)[-120:] or "file.csv"
    content = file.file.read(LARGEST + 1)
    if len(content) > LARGEST:
        raise BadInput(f"{name} is larger than {LARGEST // 1024 // 1024} MB; split it into several files")
    return name, content


@router.post("/preview")
def preview(file: list[UploadFile], context: Setup) -> BundleAnswer:
    """What files hold and what bringing them in would do; a zip stands for its files. Nothing is changed."""
    waiting: list[Draft] = []
    notices: list[str] = []
    try:
        for one in file:
            parts, left = files_in(*_uploaded(one))
            notices += left
            waiting += [drafts.keep(context, re.sub(r"[^\w.() -]", "_", name)[-120:], data) for name, data in parts]
        # They lie in files now, and a large one need not lie in memory twice.
        parts = []
        if len(waiting) > MOST_FILES:
            raise BadInput(f"these are {len(waiting)} files; import at most {MOST_FILES} at once")
        return apart.looked_at(context, waiting, notices)
    except BadInput:
        # What cannot be read at all need not wait.
        for draft in waiting:
            draft.drop()
        raise


@router.post("/look")
def look_again(together: Together, context: Setup) -> BundleAnswer:
    """The same files once more, as they would come in together."""
    return apart.looked_at(context, [drafts.find(context, key) for key in together.drafts])


@router.post("/rehearse")
def rehearse(together: Together, context: Setup) -> Rehearsal:
    """What bringing files in would change on the screens; nothing is kept of it."""
    return apart.rehearsal(context, [drafts.find(context, key) for key in together.drafts])


@router.post("/bring-in")
def bring_in(together: Together, context: Setup) -> list[ImportOutcome]:
    """Bring files in, all or none, in one transaction; refused rows stay out."""
    waiting = [drafts.find(context, key) for key in together.drafts]
    done = apart.brought_in(context, waiting)
    for draft in waiting:
        draft.drop()
    return done


@router.post("/edited")
def edited(body: Edited, context: Setup) -> ImportOutcome:
    """Rows edited on the screen, brought in as a file of them would be: checked, kept in the history, undoable.

    A fault names the row by its line, the first row being line 2.
    """
    allowed = {column.name for column in KINDS[body.kind].layout.columns}
    names = list(dict.fromkeys(name for row in body.rows for name in row))
    if strange := set(names) - allowed:
        raise BadInput(f"there is no column {', '.join(sorted(strange))} in {body.kind}")
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerows([names, *([row.get(name, "") for name in names] for row in body.rows)])
    content = text.getvalue().encode()
    name = f"{body.kind.replace('_', ' ')} edited on the screen"
    with context.runtime.store.writing(scores=True) as session:
        changes = Changes(body.kind, Mapped(), confirmed=True)
        key, seen = exchange.bring_in(session, name, content, context.person.id, now(), changes)
        if seen.reading.faults:
            raise BadFile(seen.reading.faults)
    return ImportOutcome(file=name, id=key, counts=seen.plan.counts if key else {})


@router.post("/{draft}/changes")
def change(
    draft: str, said: DraftChanges, context: Setup, beside: Annotated[list[str] | None, Query()] = None
) -> BundleAnswer:
    """The same file read as the person says: other columns, values, dates, mended cells, known students.

    ``beside``: the other files that wait with it.
    """
    kept = drafts.find(context, draft)
    others = [drafts.find(context, key) for key in beside or [] if key != draft][:MOST_FILES]
    before = kept.said()
    kept.say(said)
    try:
        return apart.looked_at(context, [kept, *others])
    except BadInput:
        kept.say(before)
        raise


@router.get("/{draft}/refused.{form}", response_class=Response, responses=TABLE_FILES)
def refused(draft: str, form: Form, context: Setup) -> Response:
    """The refused rows as they are in the file, with the reason in a column of its own."""
    kept = drafts.find(context, draft)
    content, changes = kept.content(), kept.said().changes()
    header, rows = exchange.refused_rows(context.session, kept.name, content, changes)
    return export_file(context, Table(header, rows), f"refused-{Path(kept.name).stem}", form)


@router.get("/{import_id}/undo")
def what_goes_along(import_id: Key, context: Setup) -> AlongAnswer:
    """What newer work stands on an import: what would be taken back with it, and why it cannot be."""
    found = along(context.session, act_of_import(context.session, import_id))
    return AlongAnswer(
        acts=[ActAlong(id=act.id, kind=act.kind, said=act.said, by=act.by, at=act.at) for act in found.acts],
        refused=found.refused,
    )


@router.post("/{import_id}/undo", status_code=204)
def undo(import_id: Key, context: Setup, together: Annotated[list[Key] | None, Query(max_length=5000)] = None) -> None:
    """Take an import back, whole; ``together``: newer acts that somebody agreed to take back with it."""
    with context.runtime.store.writing(scores=False) as session:
        undo_import(session, import_id, together or [])
