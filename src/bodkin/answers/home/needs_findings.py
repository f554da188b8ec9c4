"""What Needs found that belongs on the rail and on Home: the skill to teach first, and items that look wrong."""

from collections.abc import Iterator, Sequence
from functools import partial
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel

from bodkin.answers.home.findings import FEWEST, Finding, Look
from bodkin.answers.home.sat_tests import SatTest
from bodkin.answers.needs.items import flags_of
from bodkin.answers.needs.standards import StandardsSeen, about_standards, codes_of
from bodkin.answers.needs.strands import StrandsAnswer
from bodkin.answers.words import plural
from bodkin.core.arrays import IntArray
from bodkin.core.needs.mastery import NEARLY, NOT_YET, THIN
from bodkin.core.needs.standards import later_standards
from bodkin.core.scores.gap import gap_of_shares


class NeedsLine(BaseModel):
    """What the rail and Home say of the step."""

    line: str
    finding: str


def needs_line(seen: StandardsSeen, strands: StrandsAnswer | None) -> NeedsLine:
    """The skill to teach first; without evidence on standards the strand that most are below in."""
    lack = ((seen.mastery.codes == NEARLY) | (seen.mastery.codes == NOT_YET)).sum(axis=0)
    known = (seen.mastery.codes < THIN).sum(axis=0)
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
    later = later_standards(seen.graph, seen.reach)
    weight = np.array([1 + later[one] for one in seen.kept])
    looks = []
    for (grade, school), n, all_n, lacking, all_lacking in _by_grade_and_school(seen):
        at = int((lacking * weight).argmax())
        n_both, k_both = (
            (int(own[at]), int(every[at] - own[at])) for own, every in ((n, all_n), (lacking, all_lacking))
        )
        if min(n_both) < FEWEST:
            continue
        apart = gap_of_shares((k_both[1], k_both[0]), (n_both[1], n_both[0]))
        told = partial(
            _missing, seen, seen.kept[at], (grade, school), (k_both[0], n_both[0]), (k_both[1], n_both[1]),
            later[seen.kept[at]], apart.size,
        )  # fmt: skip
        looks.append(Look(apart.p, told if apart.size < 0 else None))
    return looks


class _Place(NamedTuple):
    """A grade of a school: for each standard how many have evidence and how many lack it, here and in the grade."""

    place: tuple[str, str]
    known: IntArray
    known_of_grade: IntArray
    lack: IntArray
    lack_of_grade: IntArray


def _by_grade_and_school(seen: StandardsSeen) -> Iterator[_Place]:
    """Each grade of each school, as they are first met; sums over all students at once."""
    places = seen.students.select("grade", "school").with_row_index("row").drop_nulls()
    if not places.height or not seen.kept:
        return
    unit = places.select("grade", "school").unique(maintain_order=True).with_row_index("unit")
    of = places.join(unit, on=["grade", "school"], how="left", maintain_order="left")["unit"].to_numpy()
    codes = codes_of(seen, seen.kept)[places["row"].to_numpy()]
    shape = (unit.height, len(seen.kept))
    # Most students have no evidence on most standards: only what is there is counted.
    who, which = np.divmod(np.flatnonzero(codes.ravel() < THIN), len(seen.kept))
    cell = of[who].astype(np.int64) * len(seen.kept) + which
    state = codes[who, which]
    known = np.bincount(cell, minlength=shape[0] * shape[1]).reshape(shape)
    lack = np.bincount(cell[(state == NEARLY) | (state == NOT_YET)], minlength=shape[0] * shape[1]).reshape(shape)
    grades, schools = unit["grade"].to_numpy(), unit["school"].to_list()
    for grade in unit["grade"].unique(maintain_order=True):
        mine = np.flatnonzero(grades == grade)
        all_known, all_lack = known[mine].sum(axis=0), lack[mine].sum(axis=0)
        for at in mine.tolist():
            yield _Place((grade, schools[at]), known[at], all_known, lack[at], all_lack)


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
