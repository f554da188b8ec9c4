"""Further views as landscape pages: over the years, the outcome, standards, items, practice, two measures, help."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from bodkin.answers.comparison.norms.outlook import Outlook
from bodkin.answers.share.report import WITHHELD, Interval, ReportPage, ReportRow, count_with_share
from bodkin.answers.words import percent, plural, signed
from bodkin.core.suppression import DEFAULT_MINIMUM, Unsafe, withhold

MOST_STANDARDS = 18
"""Standards on a page, those to teach first."""
MOST_ITEMS = 30
HIDDEN = "withheld"


def parts_shown(counts: Sequence[int]) -> list[int | None]:
    """The parts of a whole that is shown, None for those withheld: small ones, and one that would give them away."""
    width = len(counts)
    cells, sums = [*counts, sum(counts)], [(width, range(width))]
    try:
        mask = withhold(cells, sums, DEFAULT_MINIMUM, always_shown={width})
    except Unsafe:
        return [None] * width
    return [None if hide else count for count, hide in zip(counts, mask[:width], strict=True)]


def _parts_words(counts: Sequence[int]) -> list[str]:
    """Parts of a whole with their shares, in words."""
    n = sum(counts)
    return [HIDDEN if one is None else f"{one:,} ({percent(one / n)})" for one in parts_shown(counts)]


def _few(title: str, header: list[str]) -> ReportPage:
    """A page about too few students."""
    return ReportPage(
        title=title, headline="Withheld: fewer than 10 students", lead="", header=header, rows=[], notes=[]
    )


class WindowFigures(NamedTuple):
    """A line of a trend at a window: students, mean score with its 95 % ends, how many at or above of ``known``.

    What is empty was withheld before.
    """

    name: str
    n: int | None
    mean: float | None
    low: float | None
    high: float | None
    above: int | None
    known: int | None
    above_low: float | None
    above_high: float | None


def _window_row(one: WindowFigures) -> ReportRow:
    if one.n is None:
        return ReportRow(name=one.name, cells=[WITHHELD, "", "", ""])
    score = "–" if one.mean is None else f"{one.mean:.0f}"
    ends = "" if one.low is None or one.high is None else f"{one.low:.0f} to {one.high:.0f}"
    if one.above is None or not one.known:
        return ReportRow(name=one.name, cells=[f"{one.n:,}", score, ends, HIDDEN if one.known is None else "–"])
    share = one.above / one.known
    mark = Interval(raw=share, low=one.above_low, high=one.above_high, estimate=share)
    return ReportRow(
        name=one.name, cells=[f"{one.n:,}", score, ends, f"{one.above:,} ({percent(share)})"], mark=mark
    )  # fmt: skip


def trend_page(
    windows: Sequence[WindowFigures], quoted: str | None, headline: str, lead: str, notes: list[str]
) -> ReportPage:
    """Window by window the mean and the share at or above, of a trend whose small groups are withheld already."""
    header = ["Students", "Mean score", "95 % range", f"At {quoted} or above" if quoted else "At or above"]
    return ReportPage(
        title="Trend", headline=headline, lead=lead, header=header, marked="Share at or above",
        rows=[_window_row(one) for one in windows], notes=notes,
    )  # fmt: skip


def history_page(
    columns: Sequence[tuple[str, Sequence[int], int]], bands: Sequence[str], measure: str
) -> ReportPage:  # fmt: skip
    """Each window that these students have results in: how many in each band, by the cuts of that window.

    ``columns``: the window in words, counts by band in their order, and students without a band.
    """
    rows = []
    for name, counts, without in columns:
        n = sum(counts) + without
        if n < DEFAULT_MINIMUM:
            rows.append(ReportRow(name=name, cells=[WITHHELD if n else "0", *([""] * len(bands))]))
            continue
        shown = _parts_words([*counts, without] if without else counts)[: len(counts)]
        whole = sum(counts)
        bars = [] if HIDDEN in shown or not whole else [one / whole for one in counts]
        rows.append(ReportRow(name=name, cells=[f"{n:,}", *shown], before=bars))
    return ReportPage(
        title="History", headline=f"{measure}, window by window",
        lead="Where these students stood in earlier windows, by the cuts of the grade and season of each.",
        header=["Students", *bands], bands=list(bands), bars=["Standing"], rows=rows, notes=[],
    )  # fmt: skip


def outcome_page(
    title: str, lead: str, levels: Sequence[tuple[str, int, float | None]], counts_from: str | None,
    by_band: Sequence[tuple[str, int, float | None]], notes: list[str],
) -> ReportPage:  # fmt: skip
    """The likely level on the outcome test: how many at each, the share expected, and by band today.

    ``levels``: name, students for whom it is likely, share expected; ``by_band``: name, students, mean chance.
    """
    header = ["Students", "Expected share", f"Chance of {counts_from} or above" if counts_from else "Chance"]
    name = f"Outlook on {title}"
    n = sum(one for _, one, _ in levels)
    if not n:
        return ReportPage(title=name, headline=lead, lead="", header=header, rows=[], notes=notes)
    if n < DEFAULT_MINIMUM:
        return _few(name, header)
    shown = _parts_words([one for _, one, _ in levels])
    rows = [
        ReportRow(name=f"Likely {level}", cells=[words, "–" if share is None else percent(share), ""])
        for (level, _, share), words in zip(levels, shown, strict=True)
    ]
    for (band, count, chance), words in zip(by_band, parts_shown([one for _, one, _ in by_band]), strict=True):
        cells = [HIDDEN, "", ""] if words is None else [f"{count:,}", "", "–" if chance is None else percent(chance)]
        rows.append(ReportRow(name=f"In {band} today", cells=cells))
    return ReportPage(title=name, headline=lead, lead="", header=header, rows=rows, notes=notes)


def outlook_page(outlook: Outlook, n: int) -> ReportPage:
    """Where these students will stand at the window to come, if they grow as expected."""
    header = ["Expected students", "In 8 of 10 cases"]
    if n < DEFAULT_MINIMUM:
        return _few("Outlook", header)
    share = outlook.at_or_above
    return ReportPage(
        title="Outlook",
        headline=f"{percent(share.expected_share)} are expected at {share.band} or above in {outlook.window}",
        lead=f"In 8 of 10 cases between {percent(share.low)} and {percent(share.high)}, if the {n:,} students with a"
        " first result grow as expected.",
        header=header,
        rows=[
            ReportRow(name=one.band, cells=[f"{one.expected_n:.0f}", f"{one.low} to {one.high}"])
            for one in outlook.bands
        ],
        notes=[],
    )  # fmt: skip


def standards_page(
    skills: Sequence[tuple[str, str, Sequence[int], int]], n: int, states: Sequence[str]
) -> ReportPage:  # fmt: skip
    """What to teach first: students by state of each standard, and how many later standards rest on it.

    ``skills``: code, text, counts by state in the order of ``states`` (all students together), later standards;
    those that somebody lacks stand first.
    """
    header = [*(one.capitalize() for one in states), "Rest on it"]
    if n < DEFAULT_MINIMUM:
        return _few("Needs by standard", header)
    first = skills[0][0] if skills else None
    rows = [
        ReportRow(name=f"{code} {text}", cells=[*_parts_words(counts), str(later)])
        for code, text, counts, later in skills[:MOST_STANDARDS]
    ]
    more = len(skills) - len(rows)
    return ReportPage(
        title="Needs by standard", headline=f"Teach {first} first" if first else "No evidence on any standard yet",
        lead=f"Of {plural(n, 'student')}; the order counts how many lack a standard and what rests on it.",
        header=header, rows=rows, notes=[f"{plural(more, 'standard')} more are on the screen."] if more > 0 else [],
    )  # fmt: skip


class ItemOnPage(NamedTuple):
    """An item: its name and standards, share of points, how well it tells students apart, flags in words."""

    name: str
    standards: str
    right: int
    difficulty: float | None
    discrimination: float | None
    flags: str


def items_page(test: str, n: int, items: Sequence[ItemOnPage], headline: str) -> ReportPage:
    """Each item of a common test: how many were right, and what looks wrong with it."""
    header = ["Standards", "Right", "Share of points", "Tells students apart", "Look at"]
    if n < DEFAULT_MINIMUM:
        return _few(f"Items of {test}", header)
    rows = []
    for one in items[:MOST_ITEMS]:
        right = count_with_share(one.right, n)
        share = "" if right == HIDDEN or one.difficulty is None else percent(one.difficulty)
        apart = "–" if one.discrimination is None else f"{one.discrimination:.2f}"
        rows.append(ReportRow(name=one.name, cells=[one.standards, right, share, apart, one.flags]))
    more = len(items) - len(rows)
    return ReportPage(
        title=f"Items of {test}", headline=headline, lead=f"{plural(n, 'student')} sat the test.", header=header,
        rows=rows, notes=[f"{plural(more, 'item')} more are on the screen."] if more > 0 else [],
    )  # fmt: skip


def practice_page(n: int, seen: int, reasons: Mapping[str, int], period: str) -> ReportPage:
    """Practice in a period: how many practiced, and what is off with how many."""
    header = ["Students"]
    if n < DEFAULT_MINIMUM:
        return _few("Practice", header)
    return ReportPage(
        title="Practice", headline=f"Practice, {period}",
        lead=f"Of {plural(n, 'student')}; one student may have several reasons.", header=header,
        rows=[
            ReportRow(name="Practiced in the period", cells=[count_with_share(seen, n)]),
            *(ReportRow(name=reason.capitalize(), cells=[count_with_share(one, n)]) for reason, one in reasons.items()),
        ],
        notes=[],
    )  # fmt: skip


def two_page(
    measures: tuple[str, str], standings: Sequence[tuple[str, int]], moves: Mapping[str, int], caption: str
) -> ReportPage:
    """Students by two measures, and who moved since the earlier window."""
    title, n = f"{measures[0]} and {measures[1]}", sum(count for _, count in standings)
    if n < DEFAULT_MINIMUM:
        return _few(title, ["Students"])
    reached = dict(zip((name for name, _ in standings), _parts_words([count for _, count in standings]), strict=True))
    rows = [ReportRow(name=name[0].upper() + name[1:], cells=[words]) for name, words in reached.items()]
    known = sum(moves.values())
    if known >= DEFAULT_MINIMUM:
        words = _parts_words(list(moves.values()))
        rows += [ReportRow(name=name, cells=[one]) for name, one in zip(moves, words, strict=True)]
    return ReportPage(
        title="Two measures", headline=title, lead=caption, header=["Students"], rows=rows, notes=[]
    )  # fmt: skip


READINGS = {
    "worked": "worked, beyond chance",
    "did not work": "no sign of it, although it was given",
    "did not happen": "it did not really happen",
    "cannot tell": "cannot tell",
}
"""What a comparison says, as the screens say it."""


class HelpedFigures(NamedTuple):
    """A kind of help: students in it and matched, difference in standard deviations of growth, the reading."""

    name: str
    members: int
    matched: int
    difference: float | None
    low: float | None
    high: float | None
    given: float | None
    reading: str


def helped_page(kinds: Sequence[HelpedFigures]) -> ReportPage:
    """Did the help work, kind by kind, beside similar students and beside how much of it was given."""
    rows = []
    for one in kinds:
        if one.members < DEFAULT_MINIMUM or one.matched < DEFAULT_MINIMUM:
            rows.append(ReportRow(name=one.name, cells=[WITHHELD, "", "", "", ""]))
            continue
        ends = "" if one.low is None or one.high is None else f"{signed(one.low, 2)} to {signed(one.high, 2)}"
        rows.append(
            ReportRow(
                name=one.name,
                cells=[
                    count_with_share(one.matched, one.members), "–" if one.difference is None else signed(
                        one.difference, 2), ends, "–" if one.given is None else percent(one.given),
                    READINGS[one.reading],
                ],
            )
        )  # fmt: skip
    return ReportPage(
        title="Did the help work", headline="Students with help beside similar students without",
        lead="Difference in growth, in standard deviations of growth: 0.2 is a small one, 0.8 a large one.",
        header=["Matched", "Difference", "95 % range", "Planned minutes given", "What it says"], rows=rows, notes=[],
    )  # fmt: skip
