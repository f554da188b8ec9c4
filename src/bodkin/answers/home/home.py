"""Home: what every step found in a measure, and who is worth a word, over all subjects of a test."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

from bodkin.answers.check.rows import Doubtful, Rushed, TwoLanguages
from bodkin.answers.check.step import CheckSeen
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.home.findings import (
    Finding,
    Look,
    few_of_each,
    measure_word,
    standing,
)
from bodkin.answers.home.needs_findings import item_findings, needs_looks
from bodkin.answers.home.sat_tests import SatTest
from bodkin.answers.home.worth_a_word import Words, together, worth_a_word
from bodkin.answers.needs.standards import StandardsSeen

MOST, MOST_TO_CELEBRATE, OF_EACH = 10, 4, 2
FEWEST_LANGUAGE = 6
"""Students who did better in another language that are worth a sentence."""
ORDER = {"check": 0, "compare": 1, "growth": 2, "needs/standards": 3, "needs/items": 4, "groups": 5}


class HomeFinding(Finding):
    """A finding with the measure it is about."""

    assessment: str
    subject: str
    measure: str


@dataclass(frozen=True, slots=True)
class MeasureSeen:
    """One measure as Home looks at it: the comparison, what Check found, looks at units and groups, standards.

    ``tests``: the common tests of its subject worked out.
    """

    comparison: Comparison
    check: CheckSeen
    looks: Sequence[Look]
    standards: StandardsSeen | None = None
    tests: Sequence[SatTest] = ()


@dataclass(frozen=True, slots=True)
class HomeSeen:
    """What Home shows of all measures: what is worth a look, what is worth celebrating, and who is worth a word."""

    worth_a_look: list[HomeFinding]
    celebrate: list[HomeFinding]
    words: Words


def _rushed(one: Rushed, window: str) -> Finding:
    scope = {"section": [one.section], "school": [one.school] if one.school else []}
    return Finding(
        step="check", kind="fell", size=-one.fast / one.tested, n=one.fast, scope=scope,
        sentence=f"Class {one.section} rushed: {one.fast} of {one.tested} tests were too fast to believe.",
        detail=f"{one.school or 'No school'}, {window}.",
    )  # fmt: skip


def _language(rows: Sequence[TwoLanguages]) -> list[Finding]:
    better = [one for one in rows if one.need == "language"]
    if len(better) < FEWEST_LANGUAGE:
        return []
    sentence = f"{len(better)} of {len(rows)} students did better in {better[0].home} than in English by more than"
    return [
        Finding(
            step="check", kind="fell", size=-len(better) / len(rows), n=len(better), scope={},
            sentence=f"{sentence} test error.", detail="Their need is language, not skill.",
        )
    ]  # fmt: skip


def _wild(one: Doubtful, names: Names) -> Finding:
    return Finding(
        step="check", kind="fell", size=one.change or 0.0, n=1, detail=f"{one.why}.",
        sentence=f"{display_name(names, one.student_id)}: {one.score:.0f} after {one.last_score:.0f} is hard to"
        " believe.",
        scope={"student": [one.student_id]},
    )  # fmt: skip


def check_findings(check: CheckSeen, names: Names) -> list[Finding]:
    """What Check found that belongs on Home: two classes that rushed, two wild results elsewhere, two languages."""
    rushed = check.looked.rushed
    rushed_classes = {one.section for one in rushed}
    wild = [one for one in check.looked.both if one.section not in rushed_classes]
    return [
        *(_wild(one, names) for one in reversed(wild[:2])),
        *(_rushed(one, check.window) for one in reversed(rushed[:2])),
        *_language(check.languages),
    ]


def _few(found: Sequence[HomeFinding]) -> list[HomeFinding]:
    """The first few in their order: of each step the largest two before any step has more."""
    held: dict[str, int] = {}
    ranked = []
    for one in found:
        held[one.step] = held.get(one.step, 0) + 1
        ranked.append((max(held[one.step], OF_EACH), one))
    kept = [one for _, one in sorted(ranked, key=lambda pair: pair[0])[:MOST]]
    return sorted(kept, key=lambda one: (ORDER[one.step], one.size))


def _named(seen: MeasureSeen, found: Iterable[Finding]) -> list[HomeFinding]:
    scope, measure = seen.comparison.scope, measure_word(seen.comparison)
    return [
        HomeFinding(**dict(one), assessment=scope.assessment, subject=scope.subject, measure=measure) for one in found
    ]


def home_answer(measures: Collection[MeasureSeen], names: Names) -> HomeSeen:
    """Every measure's findings, the largest first within each step, and the words for one's own students.

    What is beyond chance is decided over everything that was looked at, in all measures together.
    """
    looks = [
        (
            seen,
            [
                *seen.looks,
                *(needs_looks(seen.standards) if seen.standards is not None else ()),
            ],
        )
        for seen in measures
    ]
    said = iter(standing([look for _, those in looks for look in those]))
    found = []
    for seen, those in looks:
        mine = few_of_each(next(said) for _ in those)
        found += _named(seen, [*check_findings(seen.check, names), *mine, *item_findings(seen.tests)])
    fell = sorted((one for one in found if one.kind == "fell"), key=lambda one: (ORDER[one.step], one.size))
    grew = sorted((one for one in found if one.kind == "grew"), key=lambda one: -one.size)
    words = [
        worth_a_word(seen.comparison, names, [one.student_id for one in seen.check.looked.both]) for seen in measures
    ]
    return HomeSeen(_few(fell), grew[:MOST_TO_CELEBRATE], together(words))
