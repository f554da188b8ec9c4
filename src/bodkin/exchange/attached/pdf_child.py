"""The process that looks through one PDF, so that a hostile one ends this process and not Bodkin.

Run as ``python -m bodkin.exchange.attached.pdf_child MEMORY SECONDS`` with the file on stdin; writes JSON with
``fault``: what is wrong with it in words, or null.
"""

import ctypes
import json
import logging
import resource
import signal
import sys
from io import BytesIO
from typing import Any

from pypdf import PdfReader
from pypdf.generic import ArrayObject, DictionaryObject, IndirectObject, StreamObject

_PDEATHSIG = 1
ACTIVE = {
    "/JavaScript": "it holds a script", "/JS": "it holds a script", "/Launch": "it starts a program",
    "/EmbeddedFile": "it holds another file", "/EmbeddedFiles": "it holds other files",
    "/RichMedia": "it holds a program", "/XFA": "it holds a form with scripts", "/SubmitForm": "it sends what is typed",
    "/ImportData": "it reads other files",
}  # fmt: skip
"""Names in a PDF that stand for more than showing pages (ISO 32000-1, 12.6.4 and 7.11.4; from memory)."""
MOST_OBJECTS = 400_000


def _names(one: Any) -> list[str]:
    """Names used as keys or values directly in an object; what it only points at has its own turn."""
    found: list[str] = []
    open_ = [one]
    while open_:
        now = open_.pop()
        if isinstance(now, DictionaryObject):
            for key in now:
                found.append(str(key))
                open_.append(now.raw_get(key))
        elif isinstance(now, ArrayObject):
            open_ += list(list.__iter__(now))
        elif not isinstance(now, IndirectObject):
            found.append(str(now)) if isinstance(now, str) and now.startswith("/") else None
    return found


def fault_of(content: bytes) -> str | None:
    """What is wrong with a PDF, in words; None where it only shows pages."""
    try:
        reader = PdfReader(BytesIO(content), strict=False)
        if reader.is_encrypted:
            return "it is locked with a password, so nobody can check it"
        if not len(reader.pages):
            return "it has no pages"
        places = {(number, generation) for generation, mine in reader.xref.items() for number in mine}
        places |= {(number, 0) for number in reader.xref_objStm}
        if len(places) > MOST_OBJECTS:
            return "it has too many parts to be looked through"
        trailer = [name for name in _names(reader.trailer) if name in ACTIVE]
        for name in trailer:
            return ACTIVE[name]
        for number, generation in sorted(places):
            found = reader.get_object(IndirectObject(number, generation, reader))
            if isinstance(found, (DictionaryObject, ArrayObject, StreamObject)):
                for name in _names(found):
                    if name in ACTIVE:
                        return ACTIVE[name]
    except MemoryError:
        return "it takes too much memory to be looked through"
    # The reader ends in errors of many kinds on damaged files.
    except Exception as error:
        return f"it is damaged ({type(error).__name__})"
    return None


def main() -> None:
    """Set this process's limits, look, and say what came of it."""
    memory, seconds = int(sys.argv[1]), int(sys.argv[2])
    ctypes.CDLL(None).prctl(_PDEATHSIG, signal.SIGKILL)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    logging.disable(logging.CRITICAL)
    json.dump({"fault": fault_of(sys.stdin.buffer.read())}, sys.stdout)


if __name__ == "__main__":
    main()
