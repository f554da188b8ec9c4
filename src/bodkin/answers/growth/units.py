"""Growth by unit: each school, grade, class, teacher or program beside the whole, drawn in by its size."""

from pydantic import BaseModel

from bodkin.answers.comparison.compared import beyond_chance, figures_said
from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary_parts import Summary, UnitFigure
from bodkin.answers.scope.sentence import caption


class GrowthUnit(BaseModel):
    """A unit's students with both results and an expectation, and how it stands beside the whole."""

    value: str
    n: int | None
    met_n: int | None
    met_share: UnitFigure | None
    mean_gain_z: UnitFigure | None


class GrowthUnits(BaseModel):
    """Units in the order of their mean distance from expected, the lowest first; ``said``: which differ."""

    caption: str
    by: str
    met_share: float | None
    mean_gain_z: float | None
    said: str
    rows: list[GrowthUnit]


def _believable(row: GrowthUnit) -> tuple[bool, float, float]:
    """The order of units: where their size lets them be believed, ties by their own figure, nobody last."""
    one = row.mean_gain_z
    return (True, 0.0, 0.0) if one is None else (False, one.estimate, one.raw)


def growth_units(comparison: Comparison, summary: Summary) -> GrowthUnits:
    """The units of a comparison's breakdown by their growth."""
    rows = [
        GrowthUnit(
            value=row.value, n=row.growth.n, met_n=row.growth.met_n, met_share=row.compared.met_share,
            mean_gain_z=row.compared.mean_gain_z,
        )
        for row in summary.by
    ]  # fmt: skip
    mean = comparison.students.filter("matched")["gain_z"].mean()
    whole, by = mean if isinstance(mean, float) else None, comparison.scope.by or ""
    ways = ("grew less than the rest", "grew more than the rest")
    return GrowthUnits(
        caption=caption(comparison.pieces),
        by=by,
        met_share=summary.growth.met_share,
        mean_gain_z=whole,
        said=beyond_chance(by, figures_said(summary.by, "mean_gain_z"), whole, ways),
        rows=sorted(rows, key=_believable),
    )
