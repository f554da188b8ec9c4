"""The students behind a number: every count, share and flow can be opened."""

from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict

from bodkin.answers.comparison.comparison import Comparison, lowest_fifth, quoted_order
from bodkin.answers.comparison.pairing import OUTSIDE
from bodkin.answers.comparison.step_answer import Names, StudentRow, student_rows
from bodkin.answers.comparison.summary import unit_values
from bodkin.answers.scope.scope import By
from bodkin.answers.scope.sentence import caption


class Pick(BaseModel):
    """Which students of a scope; everything given narrows.

    ``side`` with ``band`` or ``at_or_above`` (band orders) picks by standing at one window as
    the shares count it; ``from_band`` and ``to_band`` a flow; ``reason`` those left out for it.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

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


def _title(pick: Pick, comparison: Comparison) -> str:
    names = comparison.bands

    def band(order: int) -> str:
        return names[order - 1] if 0 < order <= len(names) else f"band {order}"

    scope = comparison.scope
    parts: list[str] = []
    if pick.reason is not None or pick.left_out:
        parts.append(f"Left out: {pick.reason}" if pick.reason else "Left out")
    if pick.side is not None:
        window = (scope.first if pick.side == "from" else scope.second).label
        if pick.band is not None:
            parts.append(f"{band(pick.band)} in {window}")
        elif pick.at_or_above is not None:
            parts.append(f"{band(pick.at_or_above)} or above in {window}")
        else:
            parts.append(f"With a result in {window}")
    if pick.from_band is not None or pick.to_band is not None:
        parts.append(f"From {band(pick.from_band or 0)} to {band(pick.to_band or 0)}")
    if pick.moved is not None:
        parts.append({"up": "Moved up", "same": "Stayed in their band", "down": "Moved down"}[pick.moved])
    if pick.kept_pace_low:
        parts.append("Met expected growth and still in the lower bands")
    elif pick.met is not None:
        parts.append("Met expected growth" if pick.met else "Grew less than expected")
    if pick.verdict is not None:
        parts.append(pick.verdict.replace("_", " ").capitalize())
    if pick.near_cut is not None:
        parts.append("Close to a cut" if pick.near_cut else "Not close to a cut")
    if pick.just_below is not None:
        quoted = band(quoted_order(len(names)))
        parts.append(f"Just below {quoted}, within test error" if pick.just_below else f"Not just below {quoted}")
    if pick.lowest_fifth is not None:
        parts.append("Lowest fifth of these students by grade" if pick.lowest_fifth else "Not in the lowest fifth")
    if pick.percentile_from is not None or pick.distance_from is not None:
        parts.append("In the region drawn")
    parts += [value for value in (pick.value, pick.value2) if value is not None]
    return " · ".join(parts) or "All students of this view"


def picked(comparison: Comparison, pick: Pick) -> pl.DataFrame:
    """The students of a comparison that a pick names, ordered by distance from expected.

    The same conditions as the figures: shares and units stand on matched students where the
    scope does, movement and growth always.
    """
    students = comparison.students
    if pick.reason is not None or pick.left_out:
        inside = students.filter(
            pl.col("unmatched") == pick.reason if pick.reason else pl.col("unmatched").is_not_null()
        )
        loose = comparison.outside if pick.reason in (None, OUTSIDE) else comparison.outside.clear()
        found = pl.concat(
            [inside, loose.select("student_id", "grade", "school", "section", "programs", "language")], how="diagonal"
        )
        return found.with_columns(left_out=pl.coalesce(pl.col("unmatched"), pl.lit(OUTSIDE))).sort("student_id")
    if pick.lowest_fifth is not None:
        students = students.filter(lowest_fifth(comparison) == pick.lowest_fifth)
    if comparison.scope.paired:
        students = students.filter("matched")
    terms: list[pl.Expr] = []
    if pick.side is not None:
        terms.append(pl.col(f"{pick.side}_score").is_not_null())
        if pick.band is not None:
            terms.append(pl.col(f"{pick.side}_order") == pick.band)
        if pick.at_or_above is not None:
            terms.append(pl.col(f"{pick.side}_order") >= pick.at_or_above)
    if pick.from_band is not None:
        terms.append(pl.col("from_order") == pick.from_band)
    if pick.to_band is not None:
        terms.append(pl.col("to_order") == pick.to_band)
    if pick.moved is not None:
        terms.append((pl.col("to_order") - pl.col("from_order")).sign() == {"up": 1, "same": 0, "down": -1}[pick.moved])
    if pick.met is not None:
        terms.append(pl.col("met") == pick.met)
    if pick.kept_pace_low:
        terms.append(pl.col("met") & (pl.col("to_order") < quoted_order(len(comparison.bands))))
    if pick.verdict is not None:
        terms.append(pl.col("verdict") == pick.verdict)
    if pick.near_cut is not None:
        terms.append(pl.col("near_cut") == pick.near_cut)
    if pick.just_below is not None:
        terms.append(pl.col("just_below") == pick.just_below)
    for name, column in (("percentile", "from_percentile"), ("distance", "gain_z")):
        low, high = getattr(pick, f"{name}_from"), getattr(pick, f"{name}_to")
        if low is not None:
            terms.append(pl.col(column) >= low)
        if high is not None:
            terms.append(pl.col(column) <= high)
    found = students.filter(*terms) if terms else students
    for unit, value in ((pick.unit, pick.value), (pick.unit2, pick.value2)):
        if unit is not None and value is not None:
            found = found.filter(unit_values(found, unit).list.contains(value))
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
