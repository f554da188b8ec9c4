"""Setup: see what a file holds, bring it in, take it back."""

import re
import secrets
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, UploadFile
from pydantic import BaseModel

from bodkin.api.asking import Asking, need
from bodkin.api.errors import FaultBody
from bodkin.api.rights import Right
from bodkin.core.errors import BadInput, NotFound
from bodkin.exchange import imports as exchange

router = APIRouter(prefix="/imports", tags=["imports"])
Setup = Annotated[Asking, Depends(need(Right.SETUP))]

LARGEST = 200 * 1024 * 1024
KEPT_SECONDS = 24 * 3600
SHOWN_FAULTS = 500


class PreviewRow(BaseModel):
    """A row of the file and what would become of it."""

    line: int
    what: str
    act: str
    detail: str


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


def _drafts(asking: Asking) -> Path:
    folder = asking.desk.settings.folder / "uploads"
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        if time.time() - old.stat().st_mtime > KEPT_SECONDS:
            old.unlink(missing_ok=True)
    return folder


def _draft(asking: Asking, draft: str) -> tuple[Path, str]:
    """The kept file of a draft and its own name. Raises NotFound for another person's or none."""
    if re.fullmatch(r"[0-9a-f]{32}", draft):
        for path in _drafts(asking).glob(f"{asking.person.id}-{draft}-*"):
            return path, path.name.split("-", 2)[2]
    raise NotFound("There is no such file waiting to be brought in; choose it again.")


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
    seen = exchange.preview(asking.session, name, content)
    draft = secrets.token_hex(16)
    (_drafts(asking) / f"{asking.person.id}-{draft}-{name}").write_bytes(content)
    return PreviewAnswer(
        draft=draft,
        file=name,
        kind=seen.kind,
        rows=seen.rows,
        counts=seen.plan.counts,
        refused=len({fault.line for fault in seen.reading.faults}),
        adds={name: n for name, n in seen.plan.adds.items() if n},
        unknown_columns=seen.reading.unknown,
        notices=seen.plan.notices,
        sample=[PreviewRow(line=r.line, what=r.what, act=r.act, detail=r.detail) for r in seen.plan.rows],
        faults=[FaultBody(line=f.line, column=f.column, message=f.message) for f in seen.reading.faults[:SHOWN_FAULTS]],
        nothing_to_do=seen.plan.empty,
        seen_before=seen.seen_before is not None,
    )


@router.post("/{draft}/bring-in")
def bring_in(draft: str, asking: Setup) -> BroughtIn:
    """Bring a file in, in one transaction; refused rows stay out."""
    path, name = _draft(asking, draft)
    content = path.read_bytes()
    if exchange.preview(asking.session, name, content).plan.empty:
        path.unlink(missing_ok=True)
        return BroughtIn(id=None, counts={})
    with asking.desk.store.writing(scores=True) as session:
        key, seen = exchange.bring_in(session, name, content, asking.person.id, datetime.now(UTC).replace(tzinfo=None))
    path.unlink(missing_ok=True)
    return BroughtIn(id=key, counts=seen.plan.counts)


@router.post("/{import_id}/undo", status_code=204)
def undo(import_id: int, asking: Setup) -> None:
    """Take an import back, whole."""
    with asking.desk.store.writing(scores=True) as session:
        exchange.undo_import(session, import_id)
