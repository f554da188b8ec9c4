"""Setup: see what a file holds, bring it in, take it back."""

import re
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, Response, UploadFile
from pydantic import BaseModel

from bodkin.answers.exports import Table
from bodkin.api import drafts
from bodkin.api.asking import Asking, Form, need, table_file
from bodkin.api.drafts import Draft, DraftChanges
from bodkin.api.errors import FaultBody
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput
from bodkin.exchange import imports as exchange
from bodkin.exchange.faults import Fault
from bodkin.exchange.mapping import DAY_FORMATS

router = APIRouter(prefix="/imports", tags=["imports"])
Setup = Annotated[Asking, Depends(need(Right.SETUP))]

LARGEST = 200 * 1024 * 1024
SHOWN_FAULTS, SHOWN_REFUSED = 500, 100


class PreviewRow(BaseModel):
    """A row of the file and what would become of it."""

    line: int
    what: str
    act: str
    detail: str


class HeaderRow(BaseModel):
    """A column of the file: its header as written and as compared, and what it stands for (none: kept out)."""

    title: str
    name: str
    column: str | None


class StrangeValue(BaseModel):
    """A value of the file that is none of Bodkin's, and what it is read as (none: not clear)."""

    column: str
    value: str
    read_as: str | None


class ColumnChoice(BaseModel):
    """A column that a file of this kind can have."""

    name: str
    required: bool


class MappingAnswer(BaseModel):
    """How the file is read, and where that comes from."""

    source: str
    to_confirm: bool
    headers: list[HeaderRow]
    choices: list[ColumnChoice]
    missing: list[str]
    values: list[StrangeValue]
    day_format: str | None
    day_formats: list[str]
    day_words: dict[str, str]


class RefusedRow(BaseModel):
    """A row that stays out: its cells by header, and what is wrong with which of them."""

    line: int
    cells: dict[str, str]
    faults: dict[str, str]


class LikelyStudent(BaseModel):
    """An id of the file that is new, and a known student of the same name and grade."""

    student_id: str
    name: str
    grade: str
    known_id: str


class PreviewAnswer(BaseModel):
    """What was understood of a file and what bringing it in would do."""

    draft: str
    file: str
    kind: str
    rows: int
    counts: dict[str, int]
    refused: int
    adds: dict[str, int]
    unknown_columns: list[str]
    notices: list[str]
    sample: list[PreviewRow]
    faults: list[FaultBody]
    refused_rows: list[RefusedRow]
    likely: list[LikelyStudent]
    mapping: MappingAnswer
    changes: DraftChanges
    nothing_to_do: bool
    seen_before: bool


class ImportAnswer(BaseModel):
    """An import of the history."""

    id: int
    file: str
    kind: str
    counts: dict[str, int]
    by: str | None
    at: datetime
    state: str


class BroughtIn(BaseModel):
    """What bringing a file in came to; no id where there was nothing to do."""

    id: int | None
    counts: dict[str, int]


def _mapping(understood: exchange.Understood) -> MappingAnswer:
    layout = exchange.KINDS[understood.kind].layout
    read_as = understood.how.values
    return MappingAnswer(
        source=understood.source,
        to_confirm=understood.to_confirm,
        headers=[HeaderRow(title=title, name=name, column=column) for title, name, column in understood.headers],
        choices=[ColumnChoice(name=column.name, required=column.required) for column in layout.columns],
        missing=understood.missing,
        values=[
            StrangeValue(column=column, value=value, read_as=read_as.get(column, {}).get(value))
            for column, told in understood.strange.items()
            for value in told
        ],
        day_format=understood.how.day_format,
        day_formats=understood.day_formats,
        day_words=DAY_FORMATS,
    )


def _refused(asking: Asking, draft: Draft, faults: list[Fault]) -> list[RefusedRow]:
    """The first refused rows with their cells, for a person to mend."""
    lines = sorted({fault.line for fault in faults})[:SHOWN_REFUSED]
    if not lines:
        return []
    sheet, _ = exchange.opened(asking.session, draft.name, draft.path.read_bytes(), draft.said().changes())
    place = {line: at for at, line in enumerate(sheet.line)}
    told: dict[int, dict[str, str]] = {}
    for fault in faults:
        told.setdefault(fault.line, {})[fault.column] = fault.message
    return [
        RefusedRow(
            line=line,
            cells={name: sheet.columns[at][place[line]] or "" for at, name in enumerate(sheet.header) if name},
            faults=told[line],
        )
        for line in lines
        if line in place
    ]


def _answer(asking: Asking, draft: Draft) -> PreviewAnswer:
    said = draft.said()
    seen = exchange.preview(asking.session, draft.name, draft.path.read_bytes(), said.changes())
    faults = seen.reading.faults
    return PreviewAnswer(
        draft=draft.key,
        file=draft.name,
        kind=seen.kind,
        rows=seen.rows,
        counts=seen.plan.counts,
        refused=len({fault.line for fault in faults}),
        adds={name: n for name, n in seen.plan.adds.items() if n},
        unknown_columns=seen.reading.unknown,
        notices=[*seen.reading.notices, *seen.plan.notices],
        sample=[PreviewRow(line=r.line, what=r.what, act=r.act, detail=r.detail) for r in seen.plan.rows],
        faults=[FaultBody(line=f.line, column=f.column, message=f.message) for f in faults[:SHOWN_FAULTS]],
        refused_rows=_refused(asking, draft, faults),
        likely=[
            LikelyStudent(student_id=one.student_id, name=one.name, grade=one.grade, known_id=one.known_id)
            for one in seen.likely
        ],
        mapping=_mapping(seen.understood),
        changes=said,
        nothing_to_do=seen.plan.empty,
        seen_before=seen.seen_before is not None,
    )


@router.get("")
def history(asking: Setup) -> list[ImportAnswer]:
    """All imports, the latest first."""
    return [
        ImportAnswer(id=i.id, file=i.file, kind=i.kind, counts=i.counts, by=i.by, at=i.at, state=i.state)
        for i in exchange.history(asking.session)
    ]


@router.post("/preview")
def preview(file: UploadFile, asking: Setup) -> PreviewAnswer:
    """What a file holds and what bringing it in would do; nothing is changed."""
    name = re.sub(r"[^\w.() -]", "_", Path(file.filename or "file.csv").name)[-120:] or "file.csv"
    content = file.file.read(LARGEST + 1)
    if len(content) > LARGEST:
        raise BadInput(f"{name} is larger than {LARGEST // 1024 // 1024} MB; split it into several files")
    draft = drafts.keep(asking, name, content)
    try:
        return _answer(asking, draft)
    except BadInput:
        # What cannot be read at all need not wait.
        draft.drop()
        raise


@router.post("/{draft}/changes")
def change(draft: str, said: DraftChanges, asking: Setup) -> PreviewAnswer:
    """The same file read as the person says: other columns, values, dates, mended cells, known students."""
    kept = drafts.find(asking, draft)
    before = kept.said()
    kept.say(said)
    try:
        return _answer(asking, kept)
    except BadInput:
        kept.say(before)
        raise


@router.get("/{draft}/refused.{form}")
def refused(draft: str, form: Form, asking: Setup) -> Response:
    """The refused rows as they are in the file, with the reason in a column of its own."""
    kept = drafts.find(asking, draft)
    content, changes = kept.path.read_bytes(), kept.said().changes()
    header, rows = exchange.refused_rows(asking.session, kept.name, content, changes)
    return table_file(Table(header, rows), f"refused-{Path(kept.name).stem}", form)


@router.post("/{draft}/bring-in")
def bring_in(draft: str, asking: Setup) -> BroughtIn:
    """Bring a file in, in one transaction; refused rows stay out."""
    kept = drafts.find(asking, draft)
    content, changes = kept.path.read_bytes(), kept.said().changes()
    if exchange.preview(asking.session, kept.name, content, changes).plan.empty:
        kept.drop()
        return BroughtIn(id=None, counts={})
    now = datetime.now(UTC).replace(tzinfo=None)
    with asking.desk.store.writing(scores=True) as session:
        key, seen = exchange.bring_in(session, kept.name, content, asking.person.id, now, changes)
    kept.drop()
    return BroughtIn(id=key, counts=seen.plan.counts)


@router.post("/{import_id}/undo", status_code=204)
def undo(import_id: int, asking: Setup) -> None:
    """Take an import back, whole."""
    with asking.desk.store.writing(scores=True) as session:
        exchange.undo_import(session, import_id)
