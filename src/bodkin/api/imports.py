"""Setup: see what a file holds, bring it in, take it back."""

import csv
import io
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query, Response, UploadFile
from pydantic import BaseModel, Field

from bodkin.answers.exports import Table
from bodkin.api import drafts
from bodkin.api.asking import Asking, Form, need, table_file
from bodkin.api.desk import Progress
from bodkin.api.drafts import Draft, DraftChanges
from bodkin.api.errors import FaultBody, fault_body
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput
from bodkin.exchange import imports as exchange
from bodkin.exchange.bundles import Waiting, bring_in_all, files_in, look
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.mapping import DAY_FORMATS, Mapped
from bodkin.exchange.plans import Told

router = APIRouter(prefix="/imports", tags=["imports"])
Setup = Annotated[Asking, Depends(need(Right.SETUP))]

LARGEST = 200 * 1024 * 1024
SHOWN_FAULTS, SHOWN_REFUSED = 500, 100
MOST_FILES = 60


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


class UnreadFile(BaseModel):
    """A file that cannot be read at all, and why."""

    draft: str
    file: str
    message: str
    faults: list[FaultBody]


class BundleAnswer(BaseModel):
    """Files that wait together, in the order in which they would come in, and those that cannot be read."""

    files: list[PreviewAnswer]
    unread: list[UnreadFile]
    notices: list[str] = []


class Together(BaseModel):
    """Files that wait and belong together."""

    drafts: list[str] = Field(min_length=1, max_length=MOST_FILES)


class Edited(BaseModel):
    """Rows of a plain file as somebody has edited them on the screen, by column."""

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


class BroughtIn(BaseModel):
    """What bringing a file in came to; no id where there was nothing to do."""

    file: str
    id: int | None
    counts: dict[str, int]


def _mapping(understood: exchange.Understood) -> MappingAnswer:
    kind = exchange.KINDS.get(understood.kind)
    columns = kind.layout.columns if kind else ()
    read_as = understood.how.values
    return MappingAnswer(
        source=understood.source,
        to_confirm=understood.to_confirm,
        headers=[HeaderRow(title=title, name=name, column=column) for title, name, column in understood.headers],
        choices=[ColumnChoice(name=column.name, required=column.required) for column in columns],
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
    content = draft.path.read_bytes()
    if not lines or exchange.whole_kind(content) is not None:
        return []
    sheet, _ = exchange.opened(asking.session, draft.name, content, draft.said().changes())
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


def _answer(asking: Asking, draft: Draft, seen: exchange.Preview) -> PreviewAnswer:
    said = draft.said()
    faults = seen.reading.faults
    return PreviewAnswer(
        draft=draft.key,
        file=draft.name,
        kind=seen.kind,
        rows=seen.rows,
        counts=seen.plan.counts,
        refused=len({(fault.file, fault.line) for fault in faults}),
        adds={name: n for name, n in seen.plan.adds.items() if n},
        unknown_columns=seen.reading.unknown,
        notices=[*seen.reading.notices, *seen.plan.notices],
        sample=[PreviewRow(line=r.line, what=r.what, act=r.act, detail=r.detail) for r in seen.plan.rows],
        faults=[fault_body(fault) for fault in faults[:SHOWN_FAULTS]],
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


@contextmanager
def telling(asking: Asking) -> Iterator[Told]:
    """While it lasts the person can ask how far the work is."""
    progress, who = asking.desk.progress, asking.person.id

    def told(what: str, done: int, all_: int) -> None:
        progress[who] = Progress(what, done, all_)

    try:
        yield told
    finally:
        progress.pop(who, None)


def _waiting(draft: Draft) -> Waiting:
    return Waiting(draft.key, draft.name, draft.path.read_bytes, draft.said().changes())


def now() -> datetime:
    """Now, as the tables keep it: UTC without zone."""
    return datetime.now(UTC).replace(tzinfo=None)


def bundle(asking: Asking, waiting: Sequence[Draft], notices: Sequence[str] = ()) -> BundleAnswer:
    """What files that wait together would do. Raises BadInput where none of them can be read."""
    by_key = {draft.key: draft for draft in waiting}
    with telling(asking) as told:
        if len(waiting) == 1:
            found = look(asking.session, [_waiting(draft) for draft in waiting], now(), told)
        else:
            with asking.desk.store.trying() as session:
                found = look(session, [_waiting(draft) for draft in waiting], now(), told)
    answer = BundleAnswer(files=[], unread=[], notices=list(notices))
    for one in found:
        draft = by_key[one.file.key]
        if one.seen is not None:
            answer.files.append(_answer(asking, draft, one.seen))
        elif one.problem is not None:
            faults = one.problem.faults if isinstance(one.problem, BadFile) else []
            told_faults = [fault_body(fault) for fault in faults[:SHOWN_FAULTS]]
            message = str(one.problem).splitlines()[0]
            answer.unread.append(UnreadFile(draft=draft.key, file=draft.name, message=message, faults=told_faults))
    if not answer.files:
        raise next(one.problem for one in found if one.problem is not None)
    return answer


@router.get("")
def history(asking: Setup) -> list[ImportAnswer]:
    """All imports, the latest first."""
    return [
        ImportAnswer(id=i.id, file=i.file, kind=i.kind, counts=i.counts, by=i.by, at=i.at, state=i.state)
        for i in exchange.history(asking.session)
    ]


@router.get("/progress")
def progress(asking: Setup) -> ProgressAnswer | None:
    """What is being done for this person just now; nothing where nothing is."""
    now = asking.desk.progress.get(asking.person.id)
    return ProgressAnswer(what=now.what, done=now.done, all=now.all) if now else None


class _Unchanged(Exception):
    """Nothing was to be done."""


def _uploaded(file: UploadFile) -> tuple[str, bytes]:
    name = re.sub(r"[^\w.() -]", "_", Path(file.filename or "file.csv").name)[-120:] or "file.csv"
    content = file.file.read(LARGEST + 1)
    if len(content) > LARGEST:
        raise BadInput(f"{name} is larger than {LARGEST // 1024 // 1024} MB; split it into several files")
    return name, content


@router.post("/preview")
def preview(file: list[UploadFile], asking: Setup) -> BundleAnswer:
    """What files hold and what bringing them in would do; a zip stands for its files. Nothing is changed."""
    waiting: list[Draft] = []
    notices: list[str] = []
    try:
        for one in file:
            parts, left = files_in(*_uploaded(one))
            notices += left
            waiting += [drafts.keep(asking, re.sub(r"[^\w.() -]", "_", name)[-120:], data) for name, data in parts]
        if len(waiting) > MOST_FILES:
            raise BadInput(f"these are {len(waiting)} files; bring in at most {MOST_FILES} at once")
        return bundle(asking, waiting, notices)
    except BadInput:
        # What cannot be read at all need not wait.
        for draft in waiting:
            draft.drop()
        raise


@router.post("/look")
def look_again(together: Together, asking: Setup) -> BundleAnswer:
    """The same files once more, as they would come in together."""
    return bundle(asking, [drafts.find(asking, key) for key in together.drafts])


@router.post("/bring-in")
def bring_in(together: Together, asking: Setup) -> list[BroughtIn]:
    """Bring files in, all or none, in one transaction; refused rows stay out."""
    waiting = [drafts.find(asking, key) for key in together.drafts]
    done: list[tuple[Waiting, int | None, exchange.Preview]] = []
    # What changes nothing must not make everybody's screen load anew.
    with suppress(_Unchanged), telling(asking) as told, asking.desk.store.writing(scores=True) as session:
        done = bring_in_all(session, [_waiting(draft) for draft in waiting], asking.person.id, now(), told)
        if not any(key for _, key, _ in done):
            raise _Unchanged
    for draft in waiting:
        draft.drop()
    return [BroughtIn(file=file.name, id=key, counts=seen.plan.counts if key else {}) for file, key, seen in done]


@router.post("/edited")
def edited(told: Edited, asking: Setup) -> BroughtIn:
    """Rows edited on the screen, brought in as a file of them would be: checked, kept in the history, undoable.

    A fault names the row by its line, the first row being line 2.
    """
    allowed = {column.name for column in exchange.KINDS[told.kind].layout.columns}
    names = list(dict.fromkeys(name for row in told.rows for name in row))
    if strange := set(names) - allowed:
        raise BadInput(f"there is no column {', '.join(sorted(strange))} in {told.kind}")
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerows([names, *([row.get(name, "") for name in names] for row in told.rows)])
    content = text.getvalue().encode()
    name = f"{told.kind.replace('_', ' ')} edited on the screen"
    with asking.desk.store.writing(scores=True) as session:
        changes = exchange.Changes(told.kind, Mapped(), confirmed=True)
        key, seen = exchange.bring_in(session, name, content, asking.person.id, now(), changes)
        if seen.reading.faults:
            raise BadFile(seen.reading.faults)
    return BroughtIn(file=name, id=key, counts=seen.plan.counts if key else {})


@router.post("/{draft}/changes")
def change(
    draft: str, said: DraftChanges, asking: Setup, beside: Annotated[list[str] | None, Query()] = None
) -> BundleAnswer:
    """The same file read as the person says: other columns, values, dates, mended cells, known students.

    ``beside``: the other files that wait with it.
    """
    kept = drafts.find(asking, draft)
    others = [drafts.find(asking, key) for key in beside or [] if key != draft][:MOST_FILES]
    before = kept.said()
    kept.say(said)
    try:
        return bundle(asking, [kept, *others])
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


@router.post("/{import_id}/undo", status_code=204)
def undo(import_id: int, asking: Setup) -> None:
    """Take an import back, whole."""
    with asking.desk.store.writing(scores=True) as session:
        exchange.undo_import(session, import_id)
