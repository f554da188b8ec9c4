"""The files of ``./bodkin groups``: placements, groups and a summary, or the rules that clash."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from bodkin.answers.headless.writing import json_text
from bodkin.core.arrays import FloatArray
from bodkin.core.groups.grouping import Proposal
from bodkin.core.groups.grouping_rules import Rule, in_words

STAYS = {"slots": "stays"}
"""Rules by the name that the files give them, where it is another one."""


@dataclass(frozen=True, slots=True)
class Named:
    """Names of students, groups, measures, slots and adults, by position."""

    students: Sequence[str]
    groups: Sequence[str]
    measures: Sequence[str]
    slots: Sequence[str]
    adults: Sequence[str]


def _clash(rule: Rule, names: Named) -> dict[str, Any]:
    return {
        "kind": STAYS.get(rule.kind, rule.kind),
        "words": in_words(rule, names.students, names.groups, names.slots),
        "students": [names.students[at] for at in rule.students],
        "groups": [names.groups[at] for at in rule.groups],
    }


def groups_texts(proposal: Proposal, foci: FloatArray, names: Named) -> dict[str, str]:
    """The texts of the run's files by name; without placements the summary alone."""
    placed = proposal.placements
    notes = []
    if not placed and not proposal.clash:
        notes.append("no groups were found within the effort, and no rules that clash; give it more effort")
    if placed and not proposal.proven:
        notes.append("not proven to be the best: no grouping can be below the bound")
    summary = {
        "students": len(names.students), "groups": len(names.groups), "total": proposal.total,
        "bound": proposal.bound, "proven": proposal.proven, "clash": [_clash(rule, names) for rule in proposal.clash],
        "smallest": proposal.smallest if proposal.clash else None, "notes": notes,
    }  # fmt: skip
    texts = {"summary.json": json_text(summary)}
    if not placed:
        return texts
    rows = [
        (names.students[at], names.groups[one.group], one.distance, one.why,
         None if one.second is None else names.groups[one.second], one.second_distance)
        for at, one in enumerate(placed)
    ]  # fmt: skip
    text, number = pl.String(), pl.Float64()
    schema = {"student_id": text, "group": text, "distance": number, "why": text, "second": text,
              "second_distance": number}  # fmt: skip
    texts["placements.csv"] = pl.DataFrame(rows, schema=schema, orient="row").write_csv()
    sizes = [sum(one.group == at for one in placed) for at in range(len(names.groups))]
    slots = None if proposal.slots is None else [names.slots[slot] for slot in proposal.slots]
    adults = None if proposal.adults is None else [names.adults[adult] for adult in proposal.adults]
    columns: dict[str, Any] = {
        "group": pl.Series(list(names.groups), dtype=text),
        "slot": pl.Series(slots or [None] * len(names.groups), dtype=text),
        "adult": pl.Series(adults or [None] * len(names.groups), dtype=text),
        "n": pl.Series(sizes, dtype=pl.Int64()),
    }
    columns |= {measure: pl.Series(foci[:, at], dtype=number) for at, measure in enumerate(names.measures)}
    texts["groups.csv"] = pl.DataFrame(columns).write_csv()
    return texts
