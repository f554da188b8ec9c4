"""Bringing in standards as CASE JSON: items with their codes and texts, and what rests on what.

Source: 1EdTech Competencies and Academic Standards Exchange (CASE) 1.0 and 1.1, a CFPackage with
CFDocument, CFItems and CFAssociations; names of members written down from memory. Of the kinds of
association ``isChildOf`` makes the tree and ``precedes`` the prerequisites; others are left out.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from bodkin.core.errors import BadInput
from bodkin.core.needs.standards import prerequisite_graph
from bodkin.core.windows import GRADES
from bodkin.exchange.changes.ledger import Ledger
from bodkin.exchange.changes.plans import Plan
from bodkin.exchange.changes.sync import Sync
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.questions.question import NO_ANSWERS, Answers
from bodkin.exchange.tables_in.mapping import read_grade
from bodkin.store.database import two_columns
from bodkin.store.tables import Prerequisite, Standard

LONGEST_CODE, LONGEST_TEXT = 64, 1000
LEVELS = {"KG": "K", "K": "K", "PK": "PK", "PR": "PK"}
"""Education levels that are no numbers (Common Education Data Standards, Grade Level)."""


@dataclass(slots=True)
class Framework:
    """A framework as it was read; ``rests_on`` by code, ``line`` the place of an item in CFItems from 1."""

    file: str
    standards: list[dict[str, Any]]
    rests_on: list[tuple[str, str]]
    faults: list[Fault] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)
    rows: int = 0


def is_framework(content: bytes) -> bool:
    """Whether a file is JSON with CFItems in it."""
    return content.lstrip(b"\xef\xbb\xbf \r\n\t")[:1] == b"{" and b'"CFItems"' in content


def read_framework(file: str, content: bytes) -> Framework:
    """A CFPackage. Raises BadFile for what is no JSON or no package; single items at fault are left out."""
    try:
        parsed = json.loads(content.decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise BadFile([Fault(file, 0, "", "this file is not UTF-8 text")]) from None
    except (json.JSONDecodeError, RecursionError) as error:
        line = getattr(error, "lineno", 0)
        raise BadFile([Fault(file, line, "", f"this is not JSON ({getattr(error, 'msg', 'too deep')})")]) from None
    items = parsed.get("CFItems")
    if not isinstance(items, list):
        raise BadFile([Fault(file, 0, "CFItems", "a CASE package has a list of items here")])
    listed = parsed.get("CFAssociations") or []
    if not isinstance(listed, list):
        raise BadFile([Fault(file, 0, "CFAssociations", "a CASE package has a list of associations here, or nothing")])
    document = parsed.get("CFDocument")
    made = Framework(file, [], [], rows=len(items))
    subject = _first(document.get("subject")) if isinstance(document, Mapping) else None
    associations = [one for one in listed if isinstance(one, Mapping)]
    parents = _pairs(associations, "isChildOf")
    above = dict(parents)
    by_id = {str(item.get("identifier")): item for item in items if isinstance(item, Mapping)}
    codes: dict[str, str] = {}
    headings = 0
    for place, item in enumerate(items, start=1):
        if not isinstance(item, Mapping):
            made.faults.append(Fault(file, place, "CFItems", "this item is not an object"))
            continue
        levels = _levels(item)
        if not levels or not item.get("humanCodingScheme"):
            # A heading: it names the strand of what stands below it.
            headings += 1
            continue
        code, text = str(item["humanCodingScheme"]).strip(), str(item.get("fullStatement") or "").strip()
        fault = _fault(code, text, codes.values())
        if fault:
            made.faults.append(Fault(file, place, fault[0], fault[1]))
            continue
        key = str(item.get("identifier"))
        codes[key] = code
        made.standards.append(
            {
                "code": code, "grade": levels[-1],
                "subject": (_first(item.get("subject")) or subject or "general")[:64],
                "strand": _strand(key, above, by_id, document), "text": text,
                "kind": _kind(item), "parent": _code_above(key, above, by_id), "line": place,
            }
        )  # fmt: skip
    if headings:
        made.notices.append(f"{headings} items without a code or a grade are headings; they name the strands")
    ranges = sum(1 for item in by_id.values() if len(_levels(item)) > 1)
    if ranges:
        made.notices.append(f"{ranges} standards are for several grades; each is kept under the highest of them")
    # What comes before is what the later one rests on.
    for before, after in _pairs(associations, "precedes"):
        if before in codes and after in codes:
            made.rests_on.append((codes[after], codes[before]))
    others = sum(1 for one in associations if one.get("associationType") not in ("isChildOf", "precedes"))
    if others:
        made.notices.append(f"{others} associations of other kinds are left out")
    return made


def _fault(code: str, text: str, taken: Any) -> tuple[str, str] | None:
    if len(code) > LONGEST_CODE:
        return "humanCodingScheme", f"write at most {LONGEST_CODE} characters"
    if code in taken:
        return "humanCodingScheme", f'an earlier item has the code "{code}" too'
    if not text or len(text) > LONGEST_TEXT:
        return "fullStatement", f"write from 1 to {LONGEST_TEXT} characters"
    return None


def _first(value: Any) -> str | None:
    if isinstance(value, list):
        return str(value[0]).strip() if value else None
    return str(value).strip() if value else None


def _levels(item: Mapping[str, Any]) -> list[str]:
    named = item.get("educationLevel") or []
    levels = [named] if isinstance(named, str) else named if isinstance(named, list) else []
    found = {LEVELS.get(str(level)) or read_grade(str(level)) for level in levels}
    return sorted((level for level in found if level in GRADES), key=GRADES.index)


def _kind(item: Mapping[str, Any]) -> str | None:
    kind = str(item.get("CFItemType") or "").strip().lower()
    return kind if kind in ("priority", "supporting", "process") else None


def _pairs(associations: list[Mapping[str, Any]], kind: str) -> list[tuple[str, str]]:
    found = []
    for one in sorted(associations, key=lambda one: str(one.get("sequenceNumber") or "").zfill(9)):
        ends = [one.get(name) for name in ("originNodeURI", "destinationNodeURI")]
        keys = [end.get("identifier") for end in ends if isinstance(end, Mapping)]
        if one.get("associationType") == kind and len(keys) == 2 and None not in keys:
            found.append((str(keys[0]), str(keys[1])))
    return found


def _strand(key: str, above: Mapping[str, str], by_id: Mapping[str, Any], document: Any) -> str:
    """The text of the nearest heading above an item, else the title of the document."""
    place, seen = above.get(key, ""), set[str]()
    while place in by_id and place not in seen:
        seen.add(place)
        if not _levels(by_id[place]) or not by_id[place].get("humanCodingScheme"):
            return str(by_id[place].get("abbreviatedStatement") or by_id[place].get("fullStatement") or "")[:160]
        place = above.get(place, "")
    title = document.get("title") if isinstance(document, Mapping) else None
    return str(title or "Standards")[:160]


def _code_above(key: str, above: Mapping[str, str], by_id: Mapping[str, Any]) -> str | None:
    item = by_id.get(above.get(key, ""))
    code = item.get("humanCodingScheme") if item is not None else None
    return str(code)[:LONGEST_CODE] if code else None


def plan_framework(session: Session, framework: Framework, _answers: Answers = NO_ANSWERS) -> Plan:
    """What a framework would do. Standards that would rest on themselves are a fault of the whole file."""
    below: dict[str, set[str]] = {row["code"]: set() for row in framework.standards}
    for one, other in framework.rests_on:
        below[one].add(other)
    try:
        prerequisite_graph(below)
    except BadInput as error:
        raise BadFile([Fault(framework.file, 0, "CFAssociations", str(error))]) from None
    sync = Sync(session)
    sync.take(Standard, ("code",), framework.standards, "standard")
    keys = two_columns(session, select(Standard.code, Standard.id))
    keys |= {row["code"]: row["id"] for row in sync.operations[-1].new}
    rows = [{"standard_id": keys[one], "rests_on_id": keys[other]} for one, other in framework.rests_on]
    sync.take(Prerequisite, ("standard_id", "rests_on_id"), rows, "prerequisite")

    def apply(ledger: Ledger) -> None:
        sync.apply(ledger)

    return Plan(sync.counts, sync.shown, apply, sync.adds, list(framework.notices))
