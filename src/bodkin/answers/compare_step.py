"""Compare: where do students stand, and what moved between the windows?"""

from pydantic import BaseModel

from bodkin.answers.comparison import Comparison
from bodkin.answers.steps import StepAnswer, common_parts, percent, plural
from bodkin.answers.summary import BandRow, ByRow, MovementPart, Summary

MORE_THAN_CHANCE = 0.05
"""Below this chance the shift between bands is called more than chance (common practice)."""


EVEN = 0.02
"""Net moves smaller than two in a hundred are called even in a headline."""


FEW = 10
"""With fewer students a headline counts instead of judging, and no chance is told (common practice)."""


class QuotedLine(BaseModel):
    """The share at or above the band that people quote, at both windows."""

    order: int
    band: str
    from_n: int
    from_share: float | None
    to_n: int
    to_share: float | None


class CompareAnswer(StepAnswer):
    """Shares of both windows, the movement between them, and the same by unit."""

    from_label: str
    to_label: str
    from_n: int
    to_n: int
    matched_n: int
    bands: list[BandRow]
    movement: MovementPart | None
    quoted: QuotedLine | None
    shift: str
    near_cut: int
    by: list[ByRow]


def quoted_order(bands: int) -> int:
    """Order of the band whose share at or above is quoted: the first of the upper half."""
    return bands // 2 + 1


def _quoted(bands: list[BandRow]) -> QuotedLine | None:
    if len(bands) < 2:
        return None
    order = quoted_order(len(bands))
    row, above = bands[order - 1], bands[order - 1 :]
    return QuotedLine(
        order=order,
        band=row.band,
        from_n=sum(one.from_n or 0 for one in above),
        from_share=row.from_at_or_above,
        to_n=sum(one.to_n or 0 for one in above),
        to_share=row.to_at_or_above,
    )


def _headline(comparison: Comparison, summary: Summary) -> str:
    moved = summary.movement
    second = comparison.scope.second
    if not summary.counts.from_ and not summary.counts.to:
        return "No results for this choice"
    if not summary.counts.to:
        return f"The {second.season} window has no results yet"
    if moved is None:
        return "Results without bands"
    if not summary.counts.matched:
        return "Nobody has a result in both windows"
    up, down, n = moved.up or 0, moved.down or 0, summary.counts.matched
    if n < FEW and (up or down):
        ways = [f"{count} moved {way}" for count, way in ((up, "up"), (down, "down")) if count]
        return f"Of {plural(n, 'student')} {' and '.join(ways)}"
    if not moved.up and not moved.down:
        return "Nobody changed band"
    if abs(moved.net or 0.0) < EVEN:
        return "About as many moved up as down"
    return (
        "More students moved up than down"
        if (moved.up or 0) > (moved.down or 0)
        else "More students fell back than moved up"
    )


def _lead(comparison: Comparison, summary: Summary, quoted: QuotedLine | None) -> str:
    counts, moved = summary.counts, summary.movement
    told: list[str] = []
    if not counts.from_ and not counts.to:
        return "Choose another measure, another window or other students in the sentence above."
    if moved is not None and counts.matched:
        told.append(
            f"{plural(moved.up or 0, 'student')} moved up a band or more, {moved.down} down, {moved.same} stayed."
        )
    if quoted is not None and quoted.to_share is not None:
        before = (
            f" ({percent(quoted.from_share)} in {comparison.scope.first.season})"
            if quoted.from_share is not None
            else ""
        )
        told.append(
            f"{percent(quoted.to_share)} are at {quoted.band} or above in {comparison.scope.second.season}{before}."
        )
    if moved is None:
        told.append("This test has no cuts yet: a coach can bring in cuts.csv under Setup.")
    return " ".join(told)


def _shift(summary: Summary) -> str:
    moved = summary.movement
    if moved is None or moved.stuart_maxwell is None:
        return ""
    if (summary.counts.matched or 0) < FEW:
        return f"With fewer than {FEW} students a shift cannot be told from chance."
    chance = moved.stuart_maxwell.p
    verdict = "more than chance explains" if chance < MORE_THAN_CHANCE else "no more than chance could bring about"
    shown = "less than 0.001" if chance < 0.001 else f"{chance:.3f}"
    return f"The shift between the bands is {verdict} (Stuart-Maxwell test, p {shown})."


def compare_answer(comparison: Comparison, summary: Summary, version: int) -> CompareAnswer:
    """The Compare step for a comparison."""
    quoted = _quoted(summary.bands)
    scope = comparison.scope
    shown = comparison.students.filter("matched") if scope.matched else comparison.students
    return CompareAnswer(
        **common_parts(comparison, summary, version),
        headline=_headline(comparison, summary),
        lead=_lead(comparison, summary, quoted),
        from_label=str(scope.first),
        to_label=str(scope.second),
        from_n=summary.counts.from_ or 0,
        to_n=summary.counts.to or 0,
        matched_n=summary.counts.matched or 0,
        bands=summary.bands,
        movement=summary.movement,
        quoted=quoted,
        shift=_shift(summary),
        near_cut=int((shown["near_cut"] == True).sum()),  # noqa: E712 (missing is neither)
        by=summary.by,
    )
