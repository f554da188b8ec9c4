"""What an unchanged answer is known by, so that a browser that has it is told so and nothing is calculated."""

import hashlib
from collections.abc import Hashable
from functools import cache
from pathlib import Path

import bodkin

PRIVATE = "private, no-cache"
"""The person's own browser may keep the answer, and asks each time whether it still holds."""


@cache
def code_mark() -> str:
    """A few letters for the code that answers: another release answers anew. Read once a process."""
    top = Path(bodkin.__file__).parent
    digest = hashlib.sha256()
    for path in sorted(top.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def etag(*rests_on: Hashable) -> str:
    """The entity tag of an answer (RFC 9110, 8.8.3) by all that it rests on; the code is added here."""
    text = "\0".join(repr(one) for one in (code_mark(), *rests_on))
    return f'"{hashlib.sha256(text.encode()).hexdigest()[:32]}"'


def is_among(tag: str, asked: str) -> bool:
    """Whether a tag is one of those of an ``If-None-Match`` (RFC 9110, 13.1.2): compared weakly, and ``*`` is any."""
    listed = {one.strip().removeprefix("W/") for one in asked.split(",")}
    return tag in listed or "*" in listed
