"""What stands out in a comparison: parts of it that moved otherwise than the rest, in sentences, largest first."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.home.school_grades import SchoolGrades, school_grades
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import percent, plural
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.compare.units import false_discoveries
from bodkin.core.follow_up.matched_comparison import matched_comparison
from bodkin.core.scores.gap import difference_of_moments

OWN = 0.1
"""Spreads of growth above or below expected that a part must have grown itself, whatever the others did."""
FEWEST = 12
"""Students that a part of a comparison needs for a sentence."""
STRONG = 70.0
"""Percentile from which a start counts as strong."""
MOST = 3
"""Most sentences of each kind that are told."""

Kind = Literal["fell", "grew"]


class Finding(BaseModel):
    """A part of the comparison that stands out. ``size`` in spreads of growth; ``scope`` narrows to the part."""

    step: str
    kind: Kind
    sentence: str
    detail: str
    size: float
    n: int
    scope: dict[str, list[str]]


@dataclass(frozen=True, slots=True)
class GroupSeen:
    """A group with the district identifiers of its members."""

    id: int
    name: str
    members: frozenset[str]


_LOOKED_AT = (
    "student_id", "to_grade", "school", "gain_z", "from_score", "from_percentile", "met", "from_order", "to_order",
)  # fmt: skip


def _grown(comparison: Comparison) -> pl.DataFrame:
    students = comparison.students.select(_LOOKED_AT)
    return students.filter(pl.col("gain_z").is_not_null() & pl.col("from_score").is_not_null())


def _scope(grade: str | None, school: str | None) -> dict[str, list[str]]:
    scope = {}
    if grade is not None:
        scope["grade"] = [grade]
    if school is not None:
        scope["school"] = [school]
    return scope


def _share(those: pl.Series) -> float:
    return float(those.cast(pl.Float64).fill_null(0.0).to_numpy().mean()) if len(those) else 0.0


def _band_changes(comparison: Comparison, rows: pl.DataFrame) -> str:
    """Share at or above the upper half of the bands, before and after."""
    bands = comparison.bands
    quoted = len(bands) // 2 + 1
    known = rows.filter(pl.col("from_order").is_not_null() & pl.col("to_order").is_not_null())
    if len(bands) < 2 or not known.height:
        return ""
    before, after = (_share(known[f"{side}_order"] >= quoted) for side in ("from", "to"))
    scope = comparison.scope
    return (
        f"{percent(before)} were at {bands[quoted - 1]} or above in {scope.first.word}, "
        f"{percent(after)} in {scope.second.word}."
    )


HAIR = 1e-9
"""Squared standard deviations of growth below which nobody differs."""


@dataclass(frozen=True, slots=True)
class _Apart:
    """How much more each unit grew than the same grade elsewhere, and how often chance does so.

    A unit that others merely fell behind has done nothing to be told of: ``own_doing`` only where its own growth
    lies on the same side of what was expected. NaN where either side has too few.
    """

    difference: FloatArray
    p: FloatArray
    own_doing: BoolArray


def _apart(units: SchoolGrades, unit: IntArray, grown: FloatArray) -> _Apart:
    """Units beside the same grade elsewhere, by the growth of students whose units are ``unit``."""
    n, total, squares = (units.counted(unit, values) for values in (None, grown, grown**2))
    rest = units.elsewhere(n)
    enough = np.flatnonzero(np.minimum(n, rest) >= FEWEST)
    difference, p = np.full((2, n.size), np.nan)
    own_doing = np.zeros(n.size, dtype=np.bool_)
    mean = np.divide(total, n, out=np.zeros(n.size), where=n > 0)
    variance = units.counted(unit, (grown - mean[unit]) ** 2)[enough] / (n[enough] - 1)
    n, rest, mean = n[enough], rest[enough], mean[enough]
    others = units.elsewhere(total)[enough] / rest
    spread = (units.elsewhere(squares)[enough] - rest * others**2) / (rest - 1)
    # What is left of the last digits is no spread.
    variance, spread = (np.where(one > HAIR, one, 0.0) for one in (variance, spread))
    difference[enough], p[enough] = difference_of_moments((n, mean, variance), (rest, others, spread))
    own_doing[enough] = np.where(difference[enough] < 0, mean < -OWN, mean > OWN)
    return _Apart(difference, p, own_doing)


@dataclass(frozen=True, slots=True)
class Look:
    """One thing that was looked at: how often chance brings as much, and what makes the sentence if it stands.

    ``otherwise`` is said where it does not stand; ``instead_of`` names another look: where that stands, this
    one is not told.
    """

    p: float
    finding: Callable[[], Finding] | None
    otherwise: Callable[[], Finding] | None = None
    name: str = ""
    instead_of: str = ""


@dataclass(frozen=True, slots=True)
class _Part:
    """A school's students of a grade, and how far they lie apart."""

    grade: str
    school: str
    rows: pl.DataFrame
    size: float

    @property
    def mine(self) -> pl.DataFrame:
        """The part's own students."""
        return self.rows.filter(pl.col("to_grade") == self.grade, pl.col("school") == self.school)


def _of_grade(comparison: Comparison, part: _Part) -> Finding:
    mine, size = part.mine, part.size
    way = "fell behind" if size < 0 else "went ahead of"
    return Finding(
        step="compare", kind="fell" if size < 0 else "grew", n=mine.height, size=size,
        sentence=f"Grade {part.grade} at {part.school} {way} grade {part.grade} elsewhere"
        f" by {abs(size):.1f} standard deviations of growth.",
        detail=f"{plural(mine.height, 'student')}. {_band_changes(comparison, mine)}".strip(),
        scope=_scope(part.grade, part.school),
    )  # fmt: skip


def _of_strong(part: _Part) -> Finding:
    few, size = part.mine, part.size
    return Finding(
        step="growth", kind="fell" if size < 0 else "grew", n=few.height, size=size,
        sentence=f"Strong starters in grade {part.grade} at {part.school} grew {abs(size):.1f} standard deviations of"
        f" growth {'less' if size < 0 else 'more'} than strong starters of the grade elsewhere.",
        detail=f"{plural(few.height, 'student')} who began at the 70th percentile or above; "
        f"{percent(_share(few['met']))} met expected growth.",
        scope=_scope(part.grade, part.school),
    )  # fmt: skip


def unit_looks(comparison: Comparison) -> list[Look]:
    """Every grade of every school beside the same grade elsewhere; and their strong starters alone."""
    rows = _grown(comparison)
    strong = (rows["from_percentile"] >= STRONG).fill_null(value=False)
    strong_rows = rows.filter(strong)
    units, grown = school_grades(rows, "to_grade"), rows["gain_z"].to_numpy()
    placed = units.unit >= 0
    every, few = (_apart(units, units.unit[those], grown[those]) for those in (placed, placed & strong.to_numpy()))
    looks = []
    for at, (grade, school) in enumerate(units.places):
        name = f"{comparison.scope.subject}, {grade}, {school}"
        if not np.isnan(every.p[at]):
            part = _Part(grade, school, rows, float(every.difference[at]))
            finding = partial(_of_grade, comparison, part) if every.own_doing[at] else None
            looks.append(Look(float(every.p[at]), finding, name=name))
        if not np.isnan(few.p[at]):
            part = _Part(grade, school, strong_rows, float(few.difference[at]))
            finding = partial(_of_strong, part) if few.own_doing[at] else None
            looks.append(Look(float(few.p[at]), finding, instead_of=name))
    return looks


def group_looks(comparison: Comparison, groups: Sequence[GroupSeen]) -> list[Look]:
    """Whether each group's students grew otherwise than similar students outside it."""
    rows = _grown(comparison)
    if not rows.height:
        return []
    looks = []
    # Numbers for names: thousands of texts take long to tell apart.
    strata = rows["to_grade"].fill_null("").rank("dense").to_numpy()
    for group in groups:
        members = rows["student_id"].is_in(list(group.members)).to_numpy()
        if not members.any():
            continue
        seen = matched_comparison(rows["gain_z"].to_numpy(), rows["from_score"].to_numpy(), members, strata)
        if seen.difference is None or seen.p is None or seen.few:
            continue
        more = seen.difference > 0
        size = f"{abs(seen.difference):.1f} standard deviations"
        stands = Finding(
            step="groups", kind="grew" if more else "fell", n=int(np.sum(members)), size=seen.difference,
            sentence=f"{group.name}: its students grew {size} {'more' if more else 'less'} than similar students.",
            detail=f"{plural(len(seen.pairs), 'pair')} matched on start score and grade.",
            scope={"group": [str(group.id)]},
        )  # fmt: skip
        chance = f"{group.name}: its students grew no more than similar students, as far as the data can show."
        not_ = stands.model_copy(update={"kind": "fell", "sentence": chance})
        looks.append(Look(seen.p, partial(stands.model_copy), partial(not_.model_copy)))
    return looks


def standing(looks: Sequence[Look]) -> list[Finding | None]:
    """What is said of each thing that was looked at: what stands beyond chance, with false discoveries held.

    At most 5 in 100 of the differences told are chance, over all looks together.
    """
    beyond = false_discoveries([look.p for look in looks])
    names = {look.name for look, stands in zip(looks, beyond, strict=True) if stands and look.name and look.finding}
    said = (
        look.finding if stands and look.instead_of not in names else look.otherwise
        for look, stands in zip(looks, beyond, strict=True)
    )
    return [None if make is None else make() for make in said]


def few_of_each(said: Iterable[Finding | None]) -> list[Finding]:
    """The largest few of what fell and what grew among units, and every group."""
    found = [one for one in said if one is not None]
    apart = ("groups", "needs/standards")
    units = sorted((one for one in found if one.step not in apart), key=lambda one: -abs(one.size))
    needs = sorted((one for one in found if one.step == "needs/standards"), key=lambda one: one.size)[:MOST]
    fell, grew = ([one for one in units if one.kind == kind][:MOST] for kind in ("fell", "grew"))
    return [*fell, *grew, *needs, *sorted((one for one in found if one.step == "groups"), key=lambda one: -one.size)]


def measure_word(comparison: Comparison) -> str:
    """The measure that a finding is about."""
    return measure_title(comparison.scope.assessment, comparison.scope.subject)
