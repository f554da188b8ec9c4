"""Views for the team and the leadership as landscape pages, one table a page, small groups withheld."""

from collections.abc import Sequence
from typing import Literal, get_args

from pydantic import BaseModel

from bodkin.answers.comparison.summary_parts import BandRow, ByRow, SetFigures, Summary, UnitFigure
from bodkin.answers.words import percent, plural, signed
from bodkin.core.errors import BadInput
from bodkin.core.suppression import DEFAULT_MINIMUM

View = Literal[
    "compare", "trend", "history", "outcome", "growth", "needs", "standards", "items", "follow-up", "practice",
    "two-measures", "helped",
]  # fmt: skip
VIEWS: tuple[View, ...] = get_args(View)
BROKEN_DOWN: tuple[View, ...] = ("compare", "growth")
"""Views that can be broken down by unit."""
WITHHELD = "fewer than 10"


class Interval(BaseModel):
    """A unit on the line of the whole: raw figure, interval, and the estimate drawn toward the whole."""

    raw: float
    low: float | None
    high: float | None
    estimate: float


class ReportRow(BaseModel):
    """A line: its name, figures in words, shares by band before and after, or a mark on a line."""

    name: str
    cells: list[str]
    before: list[float] = []
    after: list[float] = []
    mark: Interval | None = None


class ReportPage(BaseModel):
    """A page: what it says, its table.

    ``bars``: titles of the columns that show shares by band; ``marked``: title of the column with a mark on a
    line, empty where there is none; ``whole``: where the line of the marks stands.
    """

    title: str
    headline: str
    lead: str
    header: list[str]
    bands: list[str] = []
    bars: list[str] = []
    marked: str = ""
    whole: float | None = None
    rows: list[ReportRow]
    notes: list[str]


class Report(BaseModel):
    """Chosen views in one document; ``caption`` is the sentence."""

    title: str
    caption: str
    made: str
    day: tuple[int, int, int]
    pages: list[ReportPage]


def checked_views(asked: Sequence[str]) -> list[tuple[View, str | None]]:
    """Views with their breakdown, such as ``growth:school``. Raises BadInput for one there is none of."""
    found: list[tuple[View, str | None]] = []
    for text in dict.fromkeys(asked):
        name, _, by = text.partition(":")
        view = next((one for one in VIEWS if one == name), None)
        if view is None:
            raise BadInput(f"view: there is no {name!r}; choose of {', '.join(VIEWS)}")
        if by and view not in BROKEN_DOWN:
            raise BadInput(f"view: {view} has no breakdown")
        found.append((view, by or None))
    return found


def nothing_page(title: str, why: str) -> ReportPage:
    """A page of a view that has nothing to show here."""
    return ReportPage(title=title, headline=why, lead="", header=[], rows=[], notes=[])


def _shares(bands: Sequence[BandRow], side: str) -> list[float]:
    """Shares by band, none where any is withheld."""
    shares = [getattr(one, f"{side}_share") for one in bands]
    return [] if any(one is None for one in shares) else shares


def _quoted(bands: Sequence[BandRow]) -> BandRow | None:
    """The band of the figure people quote: the first of the upper half."""
    return bands[len(bands) // 2] if len(bands) > 1 else None


def _named(unit: ByRow) -> str:
    return unit.value if unit.value2 is None else f"{unit.value}, {unit.value2}"


def _there(summary: Summary) -> list[ByRow]:
    """Units with anybody in them."""
    return [unit for unit in summary.by if unit.withheld or unit.counts.matched != 0]


def _compare_row(name: str, figures: SetFigures) -> ReportRow:
    if figures.withheld or figures.counts.matched is None:
        return ReportRow(name=name, cells=[WITHHELD, "", "", "", "", ""])
    quoted, moved = _quoted(figures.bands), figures.movement
    shares = [None, None] if quoted is None else [quoted.from_at_or_above, quoted.to_at_or_above]
    net = "" if moved is None or moved.net is None else f"{signed(100 * moved.net, 0)} in 100"
    up_down = [None, None] if moved is None else [moved.up, moved.down]
    return ReportRow(
        name=name,
        cells=[
            f"{figures.counts.matched:,}", *("–" if one is None else percent(one) for one in shares),
            *("–" if one is None else f"{one:,}" for one in up_down), net,
        ],
        before=_shares(figures.bands, "from"), after=_shares(figures.bands, "to"),
    )  # fmt: skip


def compare_page(summary: Summary, by: str | None, headline: str, lead: str) -> ReportPage:
    """Where students stand and who moved, for everybody and by unit; ``summary`` is withheld already."""
    quoted = _quoted(summary.bands)
    above = f"At {quoted.band} or above" if quoted else "At or above"
    return ReportPage(
        title="Standing and movement" + (f" by {by}" if by else ""), headline=headline, lead=lead,
        header=["Students", f"{above}, before", "after", "Up", "Down", "Net move"],
        bands=[one.band for one in summary.bands], bars=["Before", "After"],
        rows=[_compare_row("All", summary), *(_compare_row(_named(unit), unit) for unit in _there(summary))],
        notes=summary.notes,
    )  # fmt: skip


def _interval(figure: UnitFigure | None) -> Interval | None:
    if figure is None:
        return None
    return Interval(raw=figure.raw, low=figure.low, high=figure.high, estimate=figure.estimate)


def _growth_row(name: str, figures: SetFigures, figure: UnitFigure | None) -> ReportRow:
    growth = figures.growth
    if figures.withheld or growth.n is None or growth.met_share is None:
        return ReportRow(name=name, cells=[WITHHELD if figures.withheld or growth.n is None else "0", "", "", "", ""])
    rank, gain = growth.median_growth_percentile, growth.mean_gain
    expected = growth.mean_expected
    return ReportRow(
        name=name,
        cells=[
            f"{growth.n:,}", percent(growth.met_share), "–" if rank is None else f"{rank:.0f}",
            "–" if gain is None or expected is None else f"{signed(gain)} of {signed(expected)}",
            "different beyond chance" if figure is not None and figure.different else "",
        ],
        mark=_interval(figure),
    )  # fmt: skip


def growth_page(summary: Summary, by: str | None) -> ReportPage:
    """Who met expected growth, for everybody and by unit beside the whole; ``summary`` is withheld already."""
    growth = summary.growth
    headline, lead = "Growth cannot be told of so few students", ""
    if growth.n is not None and growth.met_share is not None:
        headline = f"{percent(growth.met_share)} met their expected growth"
        lead = f"Of {plural(growth.n, 'student')} with both results."
        different = sum(unit.compared.met_share.different for unit in summary.by if unit.compared.met_share)
        if by:
            lead += f" {plural(different, f'{by} differs', f'{by}s differ')} beyond chance." if different else (
                f" No {by} differs from the whole by more than could be chance."
            )  # fmt: skip
    return ReportPage(
        title="Growth" + (f" by {by}" if by else ""), headline=headline, lead=lead,
        header=["Students", "Met", "Median growth percentile", "Points, of expected", "Beside the whole"],
        marked="Share who met", whole=growth.met_share,
        rows=[
            _growth_row("All", summary, None),
            *(_growth_row(_named(unit), unit, unit.compared.met_share) for unit in _there(summary)),
        ],
        notes=summary.notes,
    )  # fmt: skip


def count_with_share(n: int, whole: int) -> str:
    """A count with its share; withheld where it or the rest is small, for the one gives the other away."""
    if 0 < n < DEFAULT_MINIMUM or 0 < whole - n < DEFAULT_MINIMUM:
        return "withheld"
    return f"{n:,} ({percent(n / whole)})" if whole else "–"


def needs_page(strands: Sequence[tuple[str, int, int, int, float | None]], line: str, headline: str) -> ReportPage:
    """Strand by strand who lies below a line: students, below, below beyond error, median in errors."""
    rows = [
        ReportRow(name=name, cells=[WITHHELD, "", "", ""])
        if n < DEFAULT_MINIMUM
        else ReportRow(
            name=name,
            cells=[
                f"{n:,}",
                count_with_share(below, n),
                count_with_share(beyond, n),
                "–" if median is None else signed(median, 1),
            ],
        )
        for name, n, below, beyond, median in strands
    ]
    return ReportPage(
        title="Needs by strand", headline=headline, lead=f"Held against the {line}.",
        header=["Students", "Below", "Below, more than chance", "Median, in standard errors"], rows=rows, notes=[],
    )  # fmt: skip


def follow_up_page(groups: Sequence[tuple[str, int, str, str]]) -> ReportPage:
    """Each running group: students, who needs a decision, how it goes; small ones are withheld."""
    rows = [
        ReportRow(name=name, cells=[WITHHELD, "", ""])
        if n < DEFAULT_MINIMUM
        else ReportRow(name=name, cells=[f"{n:,}", headline, lead])
        for name, n, headline, lead in groups
    ]
    return ReportPage(
        title="Groups followed", headline=f"{plural(len(groups), 'group is', 'groups are')} running",
        lead="Who needs a decision, and how much of the planned help was given.",
        header=["Students", "Decisions", "How it goes"], rows=rows, notes=[],
    )  # fmt: skip
