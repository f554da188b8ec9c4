"""Compare: where do students stand, and what moved between the windows?"""

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel

from bodkin.answers.compare.units import Order, UnitsSeen, units_of
from bodkin.answers.comparison.compared import beyond_chance
from bodkin.answers.comparison.comparison import Comparison, lowest_fifth, quoted_order
from bodkin.answers.comparison.explanations import compare_explained
from bodkin.answers.comparison.step_answer import FEW, StepAnswer, common_parts
from bodkin.answers.comparison.summary_parts import BandRow, ByRow, MovementPart, Summary
from bodkin.answers.words import percent, plural
from bodkin.core.scores.local_rank import class_summary
from bodkin.store.reads.table.score_table import numbers_of

MORE_THAN_CHANCE = 0.05
"""Below this chance the shift between bands is called more than chance (common practice)."""


EVEN = 0.02
"""Net moves smaller than two in a hundred are called even in a headline."""


class QuotedLine(BaseModel):
    """The share at or above the band that people quote, at both windows."""

    order: int
    band: str
    from_n: int | None
    from_share: float | None
    to_n: int | None
    to_share: float | None


class ClassNumbers(BaseModel):
    """The later window's scores in five numbers, scale points."""

    n: int
    mean: float | None
    median: float | None
    lowest: float | None
    highest: float | None


class CompareAnswer(StepAnswer):
    """Shares of both windows, the movement between them, and the same by unit.

    ``withheld``: cells of fewer students than this are withheld; ``explained``: the numbers that
    went into each headline figure, in words; ``by``: some of the ``units_n`` units of the breakdown;
    ``units_said``: which of all units differ beyond chance; ``units_reach``: how far from the whole a scale of net
    moves must go for all of them.
    """

    from_label: str
    to_label: str
    from_n: int | None
    to_n: int | None
    matched_n: int | None
    bands: list[BandRow]
    movement: MovementPart | None
    quoted: QuotedLine | None
    shift: str
    near_cut: int | None
    just_below: int | None
    lowest_fifth: int | None
    single: bool
    same_grade: bool
    overall: ClassNumbers | None
    by: list[ByRow]
    units_n: int
    units_said: str
    units_reach: float | None
    withheld: int | None
    explained: dict[str, str]


def _together(counts: Sequence[int | None]) -> int | None:
    """Counts added up; not known where one of them is withheld."""
    known = [count for count in counts if count is not None]
    return sum(known) if len(known) == len(counts) else None


def _quoted(bands: list[BandRow]) -> QuotedLine | None:
    if len(bands) < 2:
        return None
    order = quoted_order(len(bands))
    row, above = bands[order - 1], bands[order - 1 :]
    return QuotedLine(
        order=order,
        band=row.band,
        from_n=_together([one.from_n for one in above]),
        from_share=row.from_at_or_above,
        to_n=_together([one.to_n for one in above]),
        to_share=row.to_at_or_above,
    )


def _headline(comparison: Comparison, summary: Summary) -> str:
    moved = summary.movement
    second = comparison.scope.second
    if summary.withheld:
        return "Too few students to show"
    if summary.counts.from_ == 0 and summary.counts.to == 0:
        return "No results for this choice"
    if summary.counts.to == 0:
        return f"The {second.word} window has no results yet"
    if moved is None:
        return "Results without bands"
    if comparison.scope.single:
        return f"Where students stand in {second.word}"
    if comparison.scope.follow == "grade":
        return f"The same grade in {comparison.scope.first.label} and {second.label}"
    if not summary.counts.matched:
        return "Nobody has a result in both windows"
    if moved.up is None or moved.down is None:
        return "Too few students to show how they moved"
    up, down, n = moved.up, moved.down, summary.counts.matched
    if n < FEW and (up or down):
        ways = [f"{count} moved {way}" for count, way in ((up, "up"), (down, "down")) if count]
        return f"Of {plural(n, 'student')} {' and '.join(ways)}"
    if not up and not down:
        return "Nobody changed band"
    if abs(moved.net or 0.0) < EVEN:
        return "About as many moved up as down"
    return "More students moved up than down" if up > down else "More students fell back than moved up"


def _lead(comparison: Comparison, summary: Summary, quoted: QuotedLine | None) -> str:
    counts, moved = summary.counts, summary.movement
    sentences: list[str] = []
    if summary.withheld:
        return "Groups this small are hidden when a view is shared outside the classroom."
    if counts.from_ == 0 and counts.to == 0:
        return "Choose another measure, another window or other students in the sentence above."
    if counts.to == 0 and counts.from_:
        sentences.append(
            f"{plural(counts.from_, 'student')} with a result in {comparison.scope.first.word}; look at that window"
            " alone, or at Growth for what to expect."
        )
    if moved is not None and counts.matched and moved.up is not None and not comparison.scope.single:
        sentences.append(
            f"{plural(moved.up, 'student')} moved up a band or more, {moved.down:,} down, {moved.same:,} stayed."
        )
    if quoted is not None and quoted.to_share is not None:
        before = (
            f" ({percent(quoted.from_share)} in {comparison.scope.first.word})" if quoted.from_share is not None else ""
        )
        sentences.append(
            f"{percent(quoted.to_share)} are at {quoted.band} or above in {comparison.scope.second.word}{before}."
        )
    if moved is None:
        sentences.append("This test has no cuts yet: a coach can import cuts.csv under Setup.")
    return " ".join(sentences)


def _shift(summary: Summary) -> str:
    moved = summary.movement
    if moved is None or moved.stuart_maxwell is None:
        return ""
    if (summary.counts.matched or 0) < FEW:
        return f"With fewer than {FEW} students a shift could always be chance."
    # The chi-square curve is not to be trusted where few moved.
    exact = moved.p_exact is not None
    chance = moved.stuart_maxwell.p if moved.p_exact is None else moved.p_exact
    verdict = "is more than chance" if chance < MORE_THAN_CHANCE else "could be chance"
    shown = "less than 0.001" if chance < 0.001 else f"{chance:.3f}"
    return f"The shift between the bands {verdict} ({'exact' if exact else 'Stuart-Maxwell'} test, p {shown})."


def _large_enough(count: int, whole: int, minimum: int | None) -> int | None:
    """A count, unless it or the rest of the whole is too small to be shown."""
    return None if minimum is not None and (count < minimum or 0 < whole - count < minimum) else count


def _numbers(shown: pl.DataFrame, minimum: int | None) -> ClassNumbers | None:
    score = "to_score" if shown["to_score"].count() else "from_score"
    numbers = class_summary(numbers_of(shown[score]))
    if not numbers.n or (minimum is not None and numbers.n < minimum):
        return None
    # The lowest and the highest are each one student's.
    ends = (numbers.lowest, numbers.highest) if minimum is None else (None, None)
    return ClassNumbers(n=numbers.n, mean=numbers.mean, median=numbers.median, lowest=ends[0], highest=ends[1])


def compare_answer(
    comparison: Comparison,
    summary: Summary,
    version: int,
    withhold: int | None = None,
    units: UnitsSeen | None = None,
) -> CompareAnswer:
    """The Compare step for a comparison; ``summary`` is already withheld where ``withhold`` says so.

    ``units``: those of the breakdown to show; all of the summary's where they are not given.
    """
    quoted = _quoted(summary.bands)
    scope = comparison.scope
    net = summary.movement.net if summary.movement else None
    units = units or units_of(summary.by, scope, len(comparison.bands), Order(), net)
    shown = comparison.students.select("matched", "from_score", "to_score", "near_cut", "just_below")
    if scope.paired:
        shown = shown.filter("matched")
    parts = common_parts(comparison, summary.counts, summary.notes, version)
    return CompareAnswer(
        **parts,
        headline=_headline(comparison, summary),
        lead=_lead(comparison, summary, quoted),
        from_label=scope.first.label,
        to_label=scope.second.label,
        from_n=summary.counts.from_,
        to_n=summary.counts.to,
        matched_n=summary.counts.matched,
        bands=summary.bands,
        movement=summary.movement,
        quoted=quoted,
        shift=_shift(summary),
        near_cut=_large_enough(int(shown["near_cut"].sum()), shown.height, withhold),
        just_below=_large_enough(int(shown["just_below"].sum()), shown.height, withhold),
        lowest_fifth=_large_enough(int(lowest_fifth(comparison).sum()), shown.height, withhold),
        single=scope.single,
        same_grade=scope.follow == "grade",
        overall=_numbers(shown, withhold),
        by=units.rows,
        units_n=units.n,
        units_said=beyond_chance(
            scope.by or "", units.known, net, ("moved down against the rest", "moved up against the rest")
        ),
        units_reach=units.reach,
        withheld=withhold,
        explained={} if withhold else compare_explained(comparison, summary, quoted.order if quoted else None),
    )
