"""The parts of a summary: counts, shares in bands, movement, growth, and a unit beside the whole."""

from pydantic import BaseModel, ConfigDict, Field

from bodkin.answers.comparison.norms.outlook import Outlook


class _Answer(BaseModel):
    model_config = ConfigDict(populate_by_name=True)


class LeftOut(_Answer):
    """How many students are left out for one reason."""

    reason: str
    n: int | None


class Counts(_Answer):
    """Students with a result at each window before matching, with both, and left out."""

    from_: int | None = Field(alias="from")
    to: int | None
    matched: int | None
    left_out: list[LeftOut]


class BandRow(_Answer):
    """One band at both windows: counts, shares with Wilson 95 % ends, share at or above."""

    band: str
    order: int
    from_n: int | None
    from_share: float | None
    from_low: float | None
    from_high: float | None
    to_n: int | None
    to_share: float | None
    to_low: float | None
    to_high: float | None
    from_at_or_above: float | None
    to_at_or_above: float | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class ChiSquare(_Answer):
    """A chi-square test of movement."""

    statistic: float
    df: int
    p: float


class MovementPart(_Answer):
    """Matched students by band before (rows) and after (columns); ``p_exact`` with fewer than 25 movers."""

    bands: list[str]
    table: list[list[int]] | None
    up: int | None
    same: int | None
    down: int | None
    net: float | None
    stuart_maxwell: ChiSquare | None
    bowker: ChiSquare | None
    p_exact: float | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class GrowthPart(_Answer):
    """Growth of the students with both results and an expectation."""

    n: int | None
    mean_gain: float | None
    mean_expected: float | None
    met_n: int | None
    met_share: float | None
    median_growth_percentile: float | None
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class SetFigures(_Answer):
    """The figures of a set of students."""

    counts: Counts
    bands: list[BandRow]
    movement: MovementPart | None
    growth: GrowthPart
    withheld: bool | None = Field(default=None, exclude_if=lambda flag: flag is None)


class UnitFigure(_Answer):
    """A unit's own figure with its 95 % interval, drawn toward the whole, and whether it differs beyond chance."""

    raw: float
    low: float | None
    high: float | None
    estimate: float
    different: bool


class Compared(_Answer):
    """A unit beside the whole; a figure is None where the unit has nobody to show for it."""

    net_move: UnitFigure | None
    met_share: UnitFigure | None
    mean_gain_z: UnitFigure | None


class ByRow(SetFigures):
    """The figures of one unit of a breakdown, and how it stands beside the whole."""

    compared: Compared
    value: str
    value2: str | None = Field(default=None, exclude_if=lambda value: value is None)


class Summary(SetFigures):
    """The whole answer, as ``summary.json`` has it; ``outlook`` while the second window is still to come."""

    caption: str
    by: list[ByRow]
    outlook: Outlook | None
    notes: list[str]
