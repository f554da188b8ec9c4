"""The students behind a number: every count, share and flow can be opened."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict

from bodkin.answers.comparison.breakdown import unit_values
from bodkin.answers.comparison.comparison import Comparison, lowest_fifth, quoted_order
from bodkin.answers.comparison.pairing import OUTSIDE
from bodkin.answers.comparison.step_answer import Names, StudentRow, student_rows
from bodkin.answers.scope.scope import By, Scope
from bodkin.answers.scope.sentence import caption


class Pick(BaseModel):
    """Which students of a scope; everything given narrows.

    ``side`` with ``band`` or ``at_or_above`` (band orders) picks by standing at one window as
    the shares count it; ``from_band`` and ``to_band`` a flow; ``reason`` those left out for it.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    side: Literal["from", "to"] | None = None
    band: int | None = None
    at_or_above: int | None = None
    from_band: int | None = None
    to_band: int | None = None
    moved: Literal["up", "same", "down"] | None = None
    met: bool | None = None
    verdict: Literal["clearly_above", "as_expected", "clearly_below"] | None = None
    near_cut: bool | None = None
    just_below: bool | None = None
    lowest_fifth: bool | None = None
    percentile_from: float | None = None
    percentile_to: float | None = None
    distance_from: float | None = None
    distance_to: float | None = None
    chance_from: float | None = None
    chance_to: float | None = None
    kept_pace_low: bool | None = None
    left_out: bool | None = None
    reason: str | None = None
    unit: By | None = None
    value: str | None = None
    unit2: By | None = None
    value2: str | None = None


class DrillDown(BaseModel):
    """The students behind a number, ``n`` in all, with the caption of the scope they come from."""

    caption: str
    title: str
    bands: list[str]
    n: int
    rows: list[StudentRow]


Words = Callable[["Pick", "PickWords"], str | None]


@dataclass(frozen=True, slots=True)
class PickWords:
    """What the words of a pick need: the scope's windows and the names of its bands."""

    scope: Scope
    bands: list[str]

    def band(self, order: int) -> str:
        """The name of a band; its number where the cuts name none."""
        return self.bands[order - 1] if 0 < order <= len(self.bands) else f"band {order}"

    @property
    def quoted(self) -> str:
        """The band whose share people quote."""
        return self.band(quoted_order(len(self.bands)))


def _left_out_words(pick: Pick, _: PickWords) -> str | None:
    if pick.reason is None and not pick.left_out:
        return None
    return f"Left out: {pick.reason}" if pick.reason else "Left out"


def _side_words(pick: Pick, naming: PickWords) -> str | None:
    if pick.side is None:
        return None
    window = (naming.scope.first if pick.side == "from" else naming.scope.second).label
    if pick.band is not None:
        return f"{naming.band(pick.band)} in {window}"
    if pick.at_or_above is not None:
        return f"{naming.band(pick.at_or_above)} or above in {window}"
    return f"With a result in {window}"


def _flow_words(pick: Pick, naming: PickWords) -> str | None:
    if pick.from_band is None and pick.to_band is None:
        return None
    return f"From {naming.band(pick.from_band or 0)} to {naming.band(pick.to_band or 0)}"


def _met_words(pick: Pick, _: PickWords) -> str | None:
    if pick.kept_pace_low:
        return "Met expected growth and still in the lower bands"
    return None if pick.met is None else "Met expected growth" if pick.met else "Grew less than expected"


def _by_chance(pick: Pick) -> bool:
    return pick.chance_from is not None or pick.chance_to is not None


def _chance_words(pick: Pick, naming: PickWords) -> str | None:
    if not _by_chance(pick):
        return None
    ends = (pick.chance_from or 0.0, 1.0 if pick.chance_to is None else pick.chance_to)
    low, high = (round(100 * share) for share in ends)
    return f"Chance of {naming.quoted} or above between {low} and {high} in 100"


_MOVED = {"up": "Moved up", "same": "Stayed in their band", "down": "Moved down"}


def _either(value: bool | None, yes: str, no: str) -> str | None:
    return None if value is None else yes if value else no


_TITLE: tuple[Words, ...] = (
    _left_out_words,
    _side_words,
    _flow_words,
    lambda pick, _: _MOVED[pick.moved] if pick.moved else None,
    _met_words,
    lambda pick, _: pick.verdict.replace("_", " ").capitalize() if pick.verdict else None,
    lambda pick, _: _either(pick.near_cut, "Close to a cut", "Not close to a cut"),
    lambda pick, naming: _either(
        pick.just_below, f"Just below {naming.quoted}, within test error", f"Not just below {naming.quoted}"
    ),
    lambda pick, _: _either(pick.lowest_fifth, "Lowest fifth of these students by grade", "Not in the lowest fifth"),
    lambda pick, _: (
        "In the region drawn" if pick.percentile_from is not None or pick.distance_from is not None else None
    ),
    _chance_words,
    lambda pick, _: pick.value,
    lambda pick, _: pick.value2,
)
"""How each part of a pick is said, in the order in which a title says them."""


def _title(pick: Pick, comparison: Comparison) -> str:
    naming = PickWords(comparison.scope, comparison.bands)
    parts = [words for say in _TITLE if (words := say(pick, naming)) is not None]
    return " · ".join(parts) or "All students of this view"


_EQUAL = {
    "from_band": "from_order", "to_band": "to_order", "met": "met", "verdict": "verdict", "near_cut": "near_cut",
    "just_below": "just_below",
}  # fmt: skip
"""Parts of a pick that name a value of a column."""
_RANGES = {"percentile": "from_percentile", "distance": "gain_z", "chance": "chance_at_or_above"}
"""Parts of a pick that give a range of a column."""


def _conditions(pick: Pick, comparison: Comparison) -> list[pl.Expr]:
    """What a student must be like, in the columns of the comparison."""
    terms = [pl.col(column) == value for name, column in _EQUAL.items() if (value := getattr(pick, name)) is not None]
    if pick.side is not None:
        order = pl.col(f"{pick.side}_order")
        terms.append(pl.col(f"{pick.side}_score").is_not_null())
        terms += [order == pick.band] if pick.band is not None else []
        terms += [order >= pick.at_or_above] if pick.at_or_above is not None else []
    if pick.moved is not None:
        way = (pl.col("to_order") - pl.col("from_order")).sign()
        terms.append(way == {"up": 1, "same": 0, "down": -1}[pick.moved])
    if pick.kept_pace_low:
        terms.append(pl.col("met") & (pl.col("to_order") < quoted_order(len(comparison.bands))))
    for name, column in _RANGES.items():
        low, high = getattr(pick, f"{name}_from"), getattr(pick, f"{name}_to")
        terms += [pl.col(column) >= low] if low is not None else []
        terms += [pl.col(column) <= high] if high is not None else []
    return terms


def _left_out(comparison: Comparison, pick: Pick) -> pl.DataFrame:
    """Students left out for a reason, or for any."""
    unmatched = pl.col("unmatched")
    inside = comparison.students.filter(unmatched == pick.reason if pick.reason else unmatched.is_not_null())
    loose = comparison.outside if pick.reason in (None, OUTSIDE) else comparison.outside.clear()
    places = loose.select("student_id", "grade", "school", "section", "programs", "language")
    found = pl.concat([inside, places], how="diagonal")
    return found.with_columns(left_out=pl.coalesce(unmatched, pl.lit(OUTSIDE))).sort("student_id")


def picked(comparison: Comparison, pick: Pick) -> pl.DataFrame:
    """The students of a comparison that a pick names, ordered by distance from expected.

    The same conditions as the figures: shares and units stand on matched students where the
    scope does, movement and growth always.
    """
    if pick.reason is not None or pick.left_out:
        return _left_out(comparison, pick)
    students = comparison.students
    if pick.lowest_fifth is not None:
        students = students.filter(lowest_fifth(comparison) == pick.lowest_fifth)
    # Before the second window nobody has both results; a chance is that of whoever has the first.
    if comparison.scope.paired and not _by_chance(pick):
        students = students.filter("matched")
    terms = _conditions(pick, comparison)
    found = students.filter(*terms) if terms else students
    for unit, value in ((pick.unit, pick.value), (pick.unit2, pick.value2)):
        if unit is not None and value is not None:
            found = found.filter(unit_values(found, unit).list.contains(value))
    if _by_chance(pick):
        return found.sort(["chance_at_or_above", "student_id"], descending=[True, False])
    return found.sort(["gain_z", "student_id"], nulls_last=True)


def drill_down(comparison: Comparison, pick: Pick, names: Names, count: int | None = None) -> DrillDown:
    """The students behind a number as the side panel lists them, the first ``count`` of them."""
    found = picked(comparison, pick)
    return DrillDown.model_construct(
        caption=caption(comparison.pieces),
        title=_title(pick, comparison),
        bands=comparison.bands,
        n=found.height,
        rows=student_rows(found if count is None else found.head(count), names, comparison.scope.against),
    )


def students_behind(
    comparison: Comparison, students: Sequence[str], title: str, names: Names, count: int | None = None
) -> DrillDown:
    """Some students of a comparison as the side panel lists them, in the order given."""
    order = pl.DataFrame({"student_id": list(students)}, schema={"student_id": pl.String})
    found = order.join(comparison.students, on="student_id", how="inner", maintain_order="left")
    return DrillDown.model_construct(
        caption=caption(comparison.pieces), title=title, bands=comparison.bands, n=found.height,
        rows=student_rows(found if count is None else found.head(count), names, comparison.scope.against),
    )  # fmt: skip
