"""Pages to hand out: what can be chosen, the page as it will print, one student's PDF, a whole class in one go."""

import asyncio
import hashlib
import secrets
from base64 import b64encode
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import Event
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import Depends, Response
from fastapi import Path as UrlPart
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import caption
from bodkin.answers.share.blocks import PageSheet
from bodkin.answers.share.language import language_of, languages
from bodkin.answers.share.long import long_table
from bodkin.answers.share.sections import FIRST, Audience, may_have
from bodkin.api.context import Context, need, now
from bodkin.api.parameters import AskedScope
from bodkin.api.responses import TABLE_FILES, export_file, log_export
from bodkin.api.responses import Form as TableForm
from bodkin.api.routing import Part
from bodkin.api.steps.share.asked import (
    AskedPages,
    PagesAsked,
    gathered,
    printed_students,
    sheets_of,
    subjects_of,
    without_pages,
)
from bodkin.core.errors import BodkinError, NotFound
from bodkin.documents.bundle import MadeFile, file_names, in_order, whole_or_not, write_zip
from bodkin.documents.press import Press
from bodkin.policy.rights import Right
from bodkin.store.settings import Settings
from bodkin.store.writes.logs import note_view
from bodkin.store.writes.pages import NewPage, note_pages, page_sets

router = Part(prefix="/share", tags=["share"])
May = Annotated[Context, Depends(need(Right.PAGES))]
PDF = "application/pdf"
PDF_FILE: dict[int | str, dict[str, object]] = {
    200: {"description": "Pages.", "content": {PDF: {"schema": {"type": "string", "format": "binary"}}}}
}
Form = Literal["zip", "printer"]
SUFFIX: dict[str, tuple[str, str]] = {"zip": ("zip", "application/zip"), "printer": ("pdf", PDF)}
LOOKS = 0.2
"""Seconds between two looks at how far the work is."""


class AudienceChoice(BaseModel):
    """An audience with its first set of sections, and those its pages may have."""

    audience: Audience
    first: list[str]
    sections: list[str]


class LanguageChoice(BaseModel):
    """A language by its code."""

    code: str
    name: str


class SetSeen(BaseModel):
    """A set of sections the district keeps."""

    id: int
    name: str
    audience: str
    sections: list[str]


class ShareChoices(BaseModel):
    """What can be chosen for pages of a sentence."""

    audiences: list[AudienceChoice]
    languages: list[LanguageChoice]
    subjects: list[str]
    tests: list[str]
    sets: list[SetSeen]


class PageStudent(BaseModel):
    """A student with pages."""

    student_id: str
    name: str


class StudentWithoutPages(BaseModel):
    """A student who has nothing to print, and why."""

    student_id: str
    name: str
    why: str


class PlaceOnPage(BaseModel):
    """A section and the page it begins on, counted from 1."""

    section: str
    page: int


class PagePreview(BaseModel):
    """The pages of one student as they will print, and everybody the sentence covers.

    ``pages``: pictures as data addresses; ``file``: the name its file will have.
    """

    students: list[PageStudent]
    without: list[StudentWithoutPages]
    student_id: str | None
    file: str | None
    pages: list[str]
    sections: list[PlaceOnPage]
    empty: list[str]


class FilesAsked(BaseModel):
    """Pages of everybody: a zip with one file each, or one file for the printer."""

    model_config = ConfigDict(extra="forbid")

    form: Form = "zip"


class MakingLine(BaseModel):
    """How far the work is; the last line has the key to fetch the file with, or why there is none."""

    done: int
    all: int
    key: str | None = None
    fault: str | None = None
    without: list[StudentWithoutPages] = []
    letters: list[str] = []


@router.get("/choices")
def choices(context: May, scope: AskedScope) -> ShareChoices:
    """Audiences, sections, languages, subjects and common tests that pages can have."""
    tests = context.runtime.needs(context.session).items["test"].unique(maintain_order=True).to_list()
    return ShareChoices(
        audiences=[
            AudienceChoice(audience=one, first=list(first), sections=list(may_have(one)))
            for one, first in FIRST.items()
        ],
        languages=[LanguageChoice(code=code, name=language_of(code).name) for code in languages()],
        subjects=subjects_of(context, scope), tests=tests,
        sets=[
            SetSeen(id=one.id, name=one.name, audience=one.audience, sections=list(one.sections))
            for one in page_sets(context.session)
        ],
    )  # fmt: skip


def _without(
    context: Context, scope: Scope, asked: PagesAsked, printed: Sequence[str]
) -> list[StudentWithoutPages]:  # fmt: skip
    names = context.names
    return [
        StudentWithoutPages(student_id=student, name=display_name(names, student), why=why)
        for student, why in without_pages(context, scope, asked, printed)
    ]


def _one(context: Context, scope: Scope, asked: PagesAsked, student: str) -> PageSheet:
    """The sheet of one student of the sentence. Raises NotFound."""
    context.check_student(student)
    found = gathered(context, scope.model_copy(update={"students": frozenset({student}), "all_but": False}), asked)
    sheets = [one for one in sheets_of(context, scope, found, asked) if one.student_id == student]
    if not sheets:
        raise NotFound("There is nothing to print about this student in these windows.")
    # The caption is that of the whole sentence, not of the one student.
    return sheets[0]


@router.get("/preview")
def preview(context: May, scope: AskedScope, asked: AskedPages, of: str | None = None) -> PagePreview:
    """The pages of one student, drawn page by page as they will print; the first one where nobody is named."""
    names, students = context.names, printed_students(context, scope, asked)
    listed = [PageStudent(student_id=one, name=display_name(names, one)) for one in students]
    without = _without(context, scope, asked, students)
    chosen = of if of is not None else (students[0] if students else None)
    if chosen is None:
        return PagePreview(students=[], without=without, student_id=None, file=None, pages=[], sections=[], empty=[])
    sheet, press = _one(context, scope, asked, chosen), Press()
    with context.runtime.store.noting() as session:
        note_view(session, context.person.id, chosen, now())
    drawn = [f"data:image/png;base64,{b64encode(one).decode()}" for one in press.pictures(sheet)]
    there = {part.key for part in sheet.sections}
    return PagePreview(
        students=listed, without=without, student_id=chosen, file=file_names([sheet], names)[chosen], pages=drawn,
        sections=[PlaceOnPage(section=section, page=page) for section, page in press.section_pages(sheet)],
        empty=[one for one in asked.sections if one not in there],
    )  # fmt: skip


def log_pages(context: Context, made: Sequence[NewPage], asked: PagesAsked, form: str) -> None:
    """Keep what was made about whom, and that it left."""
    with context.runtime.store.noting() as session:
        note_pages(
            session, made, audience=asked.audience, sections=asked.sections, language=asked.language, form=form,
            by=context.person.id, at=now(),
        )  # fmt: skip
    log_export(context, f"pages for {asked.audience}", form, len(made))


@router.get("/pages/{student_id}", response_class=Response, responses=PDF_FILE)
def one_pdf(student_id: str, context: May, scope: AskedScope, asked: AskedPages) -> Response:
    """One student's pages as a PDF; that they were made is logged with the file's digest."""
    sheet = _one(context, scope, asked, student_id)
    printed = Press().pdf([sheet])
    log_pages(context, [NewPage(student_id, hashlib.sha256(printed.content).hexdigest())], asked, "pdf")
    name = file_names([sheet], context.names)[student_id]
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}", "Cache-Control": "no-store"}
    return Response(printed.content, media_type=PDF, headers=headers)


@router.get("/results.{form}", response_class=Response, responses=TABLE_FILES)
def long_file(form: TableForm, context: May, scope: AskedScope, asked: AskedPages) -> Response:
    """The results of everybody, one figure a line, ready to pivot."""
    found = gathered(context, scope, replace(asked, sections=("strands",)))
    return export_file(context, long_table(found.facts, caption(context.pieces(scope))), "results", form)


class _Stopped(BodkinError):
    """Somebody hung up."""


@dataclass(slots=True)
class _Making:
    """Pages of everybody on their way into a file."""

    sheets: list[PageSheet]
    names: Names
    form: Form
    path: Path
    done: int = 0
    over: Event = field(default_factory=Event)

    def work(self) -> list[MadeFile]:
        """Write the file; it is there whole or not at all."""
        if self.form == "zip":
            return write_zip(self.path, self.sheets, self.names, self._told)
        ordered = in_order(self.sheets)
        printed = Press().pdf(ordered, printer=True)
        self._told(len(ordered))
        with whole_or_not(self.path) as draft:
            draft.write_bytes(printed.content)
        digest, files = hashlib.sha256(printed.content).hexdigest(), file_names(ordered, self.names)
        return [MadeFile(one.student_id, files[one.student_id], digest, printed.letters) for one in ordered]

    def _told(self, done: int) -> None:
        self.done = done
        if self.over.is_set():
            raise _Stopped("stopped")


def _folder(settings: Settings) -> Path:
    folder = settings.pages
    folder.mkdir(parents=True, exist_ok=True)
    # Pages about children: nobody else of the machine reads them.
    folder.chmod(0o700)
    return folder


def _prepared(
    context: Context, scope: Scope, asked: PagesAsked, form: Form
) -> tuple[_Making, list[StudentWithoutPages], str]:
    found = gathered(context, scope, asked)
    sheets = sheets_of(context, scope, found, asked)
    without = _without(context, scope, asked, [one.student_id for one in sheets])
    key = secrets.token_urlsafe(16)
    path = _folder(context.runtime.settings) / f"{context.person.id}-{key}.{SUFFIX[form][0]}"
    return _Making(sheets, dict(context.names), form, path), without, key


async def _made(
    context: Context, asked: PagesAsked, making: _Making, without: list[StudentWithoutPages], key: str
) -> AsyncIterator[bytes]:  # fmt: skip
    """Lines of how far the work is. Who hangs up stops it, and nothing of the file is left."""
    loop, everyone = asyncio.get_running_loop(), len(making.sheets)

    def line(**more: object) -> bytes:
        told = MakingLine.model_validate({"done": making.done, "all": everyone, **more})
        return (told.model_dump_json() + "\n").encode()

    yield line()
    work = loop.run_in_executor(None, making.work)
    try:
        while not work.done():
            await asyncio.wait([work], timeout=LOOKS)
            if not work.done():
                yield line()
        try:
            files = await work
        except BodkinError as error:
            yield line(fault=str(error))
            return
        pages = [NewPage(one.student_id, one.sha256) for one in files]
        await asyncio.to_thread(log_pages, context, pages, asked, making.form)
        odd = [display_name(making.names, one.student_id) for one in files if one.letters]
        yield line(key=key, without=without, letters=odd if making.form == "zip" else [])
    finally:
        making.over.set()


@router.post(
    "/files", response_class=StreamingResponse,
    responses={200: {"model": MakingLine, "description": "A line of JSON as the work goes on; the last has the key."}},
)  # fmt: skip
async def make(body: FilesAsked, context: May, scope: AskedScope, asked: AskedPages) -> StreamingResponse:
    """Pages of everybody the sentence covers, each student's own file, ordered and named by family name."""
    making, without, key = await asyncio.to_thread(_prepared, context, scope, asked, body.form)
    return StreamingResponse(_made(context, asked, making, without, key), media_type="application/x-ndjson")


@router.get("/files/{key}", response_class=FileResponse, responses=PDF_FILE)
def fetch(key: Annotated[str, UrlPart(pattern=r"^[\w-]{10,40}$")], context: May) -> FileResponse:
    """A file that was made, to its maker alone, for a day."""
    folder = _folder(context.runtime.settings)
    for suffix, media in SUFFIX.values():
        path = folder / f"{context.person.id}-{key}.{suffix}"
        if path.is_file():
            return FileResponse(path, media_type=media, filename=f"pages.{suffix}")
    raise NotFound("This file is no longer there; make the pages again.")
