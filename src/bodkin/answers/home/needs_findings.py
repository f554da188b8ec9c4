"""What Needs found that belongs on the rail and on Home: the skill to teach first, and items that look wrong."""

from collections.abc import Sequence
from functools import partial

import numpy as np
from pydantic import BaseModel

from bodkin.answers.home.findings import FEWEST, Finding, Look
from bodkin.answers.home.sat_tests import SatTest
from bodkin.answers.home.school_grades import school_grades
from bodkin.answers.needs.items import flags_of
from bodkin.answers.needs.standards import StandardsSeen, about_standards
from bodkin.answers.needs.strands import StrandsAnswer
from bodkin.answers.words import plural
from bodkin.core.needs.standards import later_standards
from bodkin.core.scores.gap import gap_of_shares


class NeedsLine(BaseModel):
    """What the rail and Home say of the step."""

    line: str
    finding: str


def needs_line(seen: StandardsSeen, strands: StrandsAnswer | None) -> NeedsLine:
    """The skill to teach first; without evidence on standards the strand that most are below in."""
    (known,), (lack,) = seen.mastery.known_and_lacking(np.zeros(len(seen.mastery.students), dtype=np.int64), 1)
    at = {standard: place for place, standard in enumerate(seen.mastery.standards)}
    later = later_standards(seen.graph, seen.reach)
    weights = {one: int(lack[at[one]]) * (1 + later[one]) for one in seen.kept}
    if any(weights.values()):
        first = min(seen.kept, key=lambda one: (-weights[one], later[one], one))
        n, evidence, about = int(lack[at[first]]), int(known[at[first]]), about_standards(seen.data)[first]
        rest = f", {later[first]} rest on it" if later[first] else ""
        words = f", and {plural(later[first], 'later skill rests', 'later skills rest')} on it" if later[first] else ""
        return NeedsLine(
            line=f"{first}: {n:,} lack it{rest}",
            finding=f"Teach first: {about['text'][:1].lower()}{about['text'][1:]}. {n:,} of "
            f"{plural(evidence, 'student')} with evidence lack it{words}.",
        )
    if strands is not None and strands.strands and strands.strands[0].below:
        worst = strands.strands[0]
        return NeedsLine(
            line=f"{worst.strand}: {worst.below:,} below",
            finding=f"{strands.headline}. {worst.below_beyond:,} of them by more than the strand's error.",
        )
    return NeedsLine(line="no evidence yet", finding="There is no evidence on strands or standards yet.")


def _missing(
    seen: StandardsSeen, standard: str, place: tuple[str, str], own: tuple[int, int], others: tuple[int, int],
    later: int, size: float,
) -> Finding:  # fmt: skip
    grade, school = place
    text = about_standards(seen.data)[standard]["text"]
    text = f"\u201c{text[:1].lower()}{text[1:]}\u201d ({standard})"
    rest = f"; {plural(later, 'later skill rests', 'later skills rest')} on it" if later else ""
    return Finding(
        step="needs/standards", kind="fell", size=size, n=own[0], scope={"grade": [grade], "school": [school]},
        sentence=f"Grade {grade} at {school}: {own[0]} of {own[1]} students lack {text}{rest}.",
        detail=f"Elsewhere {others[0]} of {others[1]} of the grade lack it.",
    )  # fmt: skip


def needs_looks(seen: StandardsSeen) -> list[Look]:
    """Each grade of each school beside the same grade elsewhere, in the skill that it should be taught first.

    The skill is the one of most weight there.
    """
    units = school_grades(seen.students, "grade")
    if not units.places or not seen.kept:
        return []
    later = later_standards(seen.graph, seen.reach)
    weight = np.array([1 + later[one] for one in seen.kept])
    columns, mastery = seen.mastery.columns(seen.kept), seen.mastery
    known, lack = (counts[:, columns] for counts in mastery.known_and_lacking(units.unit, len(units.places)))
    every = np.arange(len(units.places))
    # For each unit the column of the skill that it should be taught first.
    first = (lack * weight).argmax(axis=1)
    n, k, n_others, k_others = (
        counts[every, first] for counts in (known, lack, units.elsewhere(known), units.elsewhere(lack))
    )
    enough = np.flatnonzero(np.minimum(n, n_others) >= FEWEST)
    apart = gap_of_shares((k_others[enough], k[enough]), (n_others[enough], n[enough]))
    looks = []
    for at, size, p in zip(enough.tolist(), apart.size.tolist(), apart.p.tolist(), strict=True):
        standard = seen.kept[first[at]]
        told = partial(
            _missing, seen, standard, units.places[at], (int(k[at]), int(n[at])),
            (int(k_others[at]), int(n_others[at])), later[standard], size,
        )  # fmt: skip
        looks.append(Look(p, told if size < 0 else None))
    return looks


def item_findings(tests: Sequence[SatTest]) -> list[Finding]:
    """Items whose key is doubtful, and those with one shared mistake."""
    found = []
    for test, window in tests:
        for at, item in enumerate(test.items["item"]):
            flags = {flag.flag: flag for flag in flags_of(test, at)}
            flag = flags.get("check_key") or flags.get("shared_mistake")
            if flag is None:
                continue
            end = "" if flag.words.endswith("?") else "."
            n = int(test.flags[at].chosen[test.options[at].index(flag.option)]) if flag.option else 0
            found.append(
                Finding(
                    step="needs/items", kind="fell", size=-(2.0 if flag.flag == "check_key" else 1.0), n=n,
                    scope={"assessment": [test.test], "from_window": [window], "to_window": [window]},
                    sentence=f"{test.test}, item {item}: {flag.words[:1].lower()}{flag.words[1:]}{end}",
                    detail=f"{flag.detail[:1].upper()}{flag.detail[1:]}.",
                )
            )  # fmt: skip
    return found
