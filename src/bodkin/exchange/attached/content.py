"""What a file to attach is, by its content and not by its name, and why one is refused."""

import re
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from io import BytesIO

from bodkin.core.errors import BadInput
from bodkin.exchange.attached.pdf import check_pdf
from bodkin.exchange.faults import BadFile
from bodkin.exchange.tables_in.archives import parts_of

LARGEST = 20 * 1024 * 1024
LONGEST_NAME = 120
_OFFICE = "application/vnd.openxmlformats-officedocument."


@dataclass(frozen=True, slots=True)
class Sort:
    """A type of file that is taken: its media type, the endings its name may have, and how people call it."""

    media: str
    endings: tuple[str, ...]
    title: str


PDF = Sort("application/pdf", ("pdf",), "a PDF")
PNG = Sort("image/png", ("png",), "a PNG picture")
JPEG = Sort("image/jpeg", ("jpg", "jpeg"), "a JPEG picture")
TEXT = Sort("text/plain", ("txt",), "plain text")
WORD = Sort(f"{_OFFICE}wordprocessingml.document", ("docx",), "a Word document")
SHEET = Sort(f"{_OFFICE}spreadsheetml.sheet", ("xlsx",), "a spreadsheet (XLSX)")
SLIDES = Sort(f"{_OFFICE}presentationml.presentation", ("pptx",), "slides (PPTX)")
OPEN_TEXT = Sort("application/vnd.oasis.opendocument.text", ("odt",), "an OpenDocument text")
OPEN_SHEET = Sort("application/vnd.oasis.opendocument.spreadsheet", ("ods",), "an OpenDocument spreadsheet")
SORTS = (PDF, PNG, JPEG, TEXT, WORD, SHEET, SLIDES, OPEN_TEXT, OPEN_SHEET)
TAKEN = "PDF, PNG, JPEG, plain text, DOCX, XLSX, PPTX, ODT or ODS"

_PNG_HEAD, _PNG_END = b"\x89PNG\r\n\x1a\n", b"IEND\xaeB`\x82"
_MAIN_PARTS = {"word/document.xml": WORD, "xl/workbook.xml": SHEET, "ppt/presentation.xml": SLIDES}
_ACTIVE_PARTS = re.compile(r"vbaProject|macrosheets/|activeX|\.bin$|^Basic/|^Scripts/|\.(exe|js|vbs|dll|bat)$", re.I)
"""Parts of an office file that run something or hold another program."""
_SCRIPT = re.compile(rb"^\s*(#!|<!doctype|<html|<\?xml|<svg)|<script|javascript:|<iframe|<\?php", re.I)


def checked_name(name: str) -> str:
    """A file's name as it may be kept. Raises BadInput for one that is empty, too long or holds more than a name."""
    name = name.strip()
    if not name or len(name) > LONGEST_NAME:
        raise BadInput(f"name: a file's name has 1 to {LONGEST_NAME} letters; give it a shorter one")
    if "/" in name or "\\" in name or ".." in name or name.startswith(".") or not name.isprintable():
        raise BadInput(f"name: {name[:40]!r} is a path or holds signs that no file name has; rename the file")
    return name


def _png(content: bytes) -> Sort | None:
    return PNG if content.startswith(_PNG_HEAD) and content.rstrip(b"\x00").endswith(_PNG_END) else None


def _jpeg(content: bytes) -> Sort | None:
    return JPEG if content.startswith(b"\xff\xd8\xff") and content.rstrip(b"\x00\r\n").endswith(b"\xff\xd9") else None


def _pdf(content: bytes) -> Sort | None:
    if not content.startswith(b"%PDF-"):
        return None
    check_pdf(content)
    return PDF


def _office(content: bytes) -> Sort | None:
    """An office file in a zip. Raises BadInput for one that is damaged or holds macros or programs."""
    if not content.startswith(b"PK\x03\x04"):
        return None
    try:
        names = parts_of("the document", content, "it is damaged; save it again")
    except BadFile as error:
        raise BadInput(f"content: {error.faults[0].message}") from None
    if active := next((name for name in sorted(names) if _ACTIVE_PARTS.search(name)), None):
        raise BadInput(f"content: it holds macros or a program ({active[:60]}); save it without, or as PDF")
    for part, sort in _MAIN_PARTS.items():
        if part in names and "[Content_Types].xml" in names:
            return sort
    if "mimetype" in names:
        with zipfile.ZipFile(BytesIO(content)) as packed, packed.open("mimetype") as first:
            said = first.read(100).decode("ascii", "replace").strip()
        return next((sort for sort in (OPEN_TEXT, OPEN_SHEET) if sort.media == said), None)
    return None


def _text(content: bytes) -> Sort | None:
    """Plain text in UTF-8. Raises BadInput for a script or a web page."""
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return None
    if any(ord(letter) < 32 and letter not in "\t\n\r\f" for letter in text):
        return None
    if _SCRIPT.search(content):
        raise BadInput("content: it is a script or a web page; attach plain text or a PDF")
    return TEXT


_TRIED: tuple[Callable[[bytes], Sort | None], ...] = (_pdf, _png, _jpeg, _office, _text)
_BY_ENDING: Mapping[str, Sort] = {ending: sort for sort in SORTS for ending in sort.endings}


def sort_of(name: str, content: bytes) -> Sort:
    """What a file is. Raises BadInput where it is empty, too large, of no sort that is taken, or not what it says."""
    if not content:
        raise BadInput("content: this file is empty")
    if len(content) > LARGEST:
        raise BadInput(f"content: this file is larger than {LARGEST >> 20} MB; attach a smaller one")
    found = next((sort for sort in (one(content) for one in _TRIED) if sort is not None), None)
    if found is None:
        raise BadInput(f"content: by its content this is no file that can be attached; take {TAKEN}")
    ending = name.rpartition(".")[2].lower() if "." in name else ""
    if ending not in found.endings:
        said = _BY_ENDING[ending].title if ending in _BY_ENDING else f"a .{ending} file" if ending else "no type"
        raise BadInput(
            f"content: the name says {said}, but by its content it is {found.title}; rename it to .{found.endings[0]}"
            " if that is what you meant"
        )
    return found
