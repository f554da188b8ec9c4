"""The outlook on Growth: where these students will stand if nothing changes, whom it would take, how right it was."""

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison, compare, quoted_order
from bodkin.answers.comparison.norms.norms_and_cuts import Grades, Notes, norms_at
from bodkin.answers.comparison.norms.outlook import Outlook, chances_at
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.comparison.unit_outlook import UnitOutlooks, unit_outlooks
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import percent, plural
from bodkin.core.arrays import FloatArray
from bodkin.core.growth.outlook import calibration, count_range, students_it_takes
from bodkin.core.scores.shares import wilson_interval
from bodkin.core.windows import parse_window
from bodkin.store.reads.table.score_table import ScoreTable, numbers_of

BETWEEN = (0.3, 0.7)
"""Chances for which help is most likely to decide (common practice: neither safe nor out of reach)."""
OFF = 0.05
"""The past says that the chances are off where they missed the share that happened by more than this."""
FEWEST_PAST = 30
"""Past results from which the chances are held against what happened."""


class CalibrationStep(BaseModel):
    """Past results whose chance lay in one of ten steps: their mean chance, and the share that came true.

    ``low`` and ``high``: Wilson 95 % ends of that share.
    """

    n: int
    predicted: float
    happened: float
    low: float
    high: float


class PastOutlook(BaseModel):
    """Chances of the same kind in earlier years against what happened; ``brier``: mean squared distance, 0 best."""

    n: int
    windows: list[str]
    predicted: float
    happened: float
    brier: float
    off: bool
    sentence: str
    steps: list[CalibrationStep]


class OutlookAnswer(BaseModel):
    """Where these students will stand at the window to come.

    ``now``: share at the quoted band or above at the first window, of those with a chance; ``n`` of them.
    ``aim``: a share aimed at; ``takes``: how many more students it takes than will probably reach it;
    ``between_n``: students whose chance lies between 30 and 70 in 100. ``reason`` says why there is nothing.
    """

    outlook: Outlook | None
    n: int
    now: float | None
    from_label: str
    to_label: str
    aim: float | None
    takes: int | None
    between_n: int
    headline: str
    lead: str
    past: PastOutlook | None
    reason: str | None


def _past_scopes(table: ScoreTable, scope: Scope) -> list[Scope]:
    """The same two seasons in the years before, both with results; whoever was in the same grades and schools."""
    if scope.first.days is not None or scope.second.days is not None:
        return []
    met = set(table.results["window"].drop_nulls().unique().to_list())
    apart = scope.second.year - scope.first.year
    found = []
    for name in sorted(met):
        window = parse_window(name)
        year = window.year + apart
        later = f"{year}-{(year + 1) % 100:02d} {scope.second.season}"
        if window.order == scope.first.order and window < scope.first and later in met:
            kept = {key: getattr(scope, key) for key in ("assessment", "subject", "cuts", "grade", "school", "against")}
            found.append(Scope.model_validate({**kept, "from_window": name, "to_window": later, "reach": scope.reach}))
    return found


def _past_chances(table: ScoreTable, scope: Scope) -> tuple[FloatArray, FloatArray]:
    """Chance at the quoted band or above that was told for each past result, and whether it came true."""
    made = compare(table, scope)
    rows, order = made.students, quoted_order(len(made.bands))
    grades = Grades.of(rows["to_grade"])
    target = norms_at(table, scope, scope.second, grades, rows, "to", Notes())
    chances = chances_at(table, scope, made.expectation, grades, target)
    reached = numbers_of(rows["to_order"])
    if not 2 <= order <= chances.shape[1] + 1:
        return np.array([]), np.array([])
    happened = np.where(np.isnan(reached), np.nan, (reached >= order).astype(np.float64))
    return chances[:, order - 2], happened


def past_outlook(table: ScoreTable, scope: Scope) -> PastOutlook | None:
    """Chances of the same kind in earlier years against what happened; None with fewer than 30 results."""
    past = _past_scopes(table, scope)
    parts = [_past_chances(table, one) for one in past]
    if not parts:
        return None
    chances, happened = (np.concatenate(side) for side in zip(*parts, strict=True))
    found = calibration(chances, happened)
    if found.n < FEWEST_PAST or found.brier is None:
        return None
    predicted = float(np.average(found.predicted, weights=found.counts))
    seen = float(np.average(found.happened, weights=found.counts))
    came = np.rint(found.happened * found.counts)
    low, high = wilson_interval(came, found.counts)
    columns = (found.counts, found.predicted, found.happened, low, high)
    names = ("n", "predicted", "happened", "low", "high")
    steps = [
        CalibrationStep.model_validate(dict(zip(names, row, strict=True)))
        for row in zip(*(column.tolist() for column in columns), strict=True)
    ]
    spread = float(np.sqrt((chances * (1 - chances))[~np.isnan(chances + happened)].sum())) / found.n
    off = abs(seen - predicted) > max(OFF, 2 * spread)
    return PastOutlook(
        n=found.n, windows=[one.second.label for one in past], predicted=predicted, happened=seen, brier=found.brier,
        off=off, sentence=_past_sentence(found.n, predicted, seen, off=off), steps=steps,
    )  # fmt: skip


def _past_sentence(n: int, predicted: float, seen: float, *, off: bool) -> str:
    told = f"In earlier years {percent(predicted)} were expected and {percent(seen)} came true ({n:,} results)"
    if not off:
        return f"{told}."
    way = "too high" if predicted > seen else "too low"
    return f"{told}: these chances were {way}. Read them with care."


def outlook_units(comparison: Comparison) -> UnitOutlooks:
    """Each unit's expected share at the quoted band or above at the window to come."""
    bands = comparison.bands
    chances = numbers_of(comparison.students["chance_at_or_above"])
    return unit_outlooks(comparison, chances, bands[quoted_order(len(bands)) - 1] if len(bands) > 1 else "")


def outlook_answer(
    comparison: Comparison, summary: Summary, past: PastOutlook | None, aim: float | None = None
) -> OutlookAnswer:
    """The outlook of a comparison whose second window is still to come."""
    scope, found = comparison.scope, summary.outlook
    labels = {"from_label": scope.first.label, "to_label": scope.second.label}
    if found is None:
        reason = "The outlook is for a window that nobody has sat yet, with norms and cuts to look ahead by."
        return OutlookAnswer(
            outlook=None, n=0, now=None, aim=aim, takes=None, between_n=0, headline="", lead="", past=None,
            reason=reason, **labels,
        )  # fmt: skip
    rows = comparison.students.filter(pl.col("chance_at_or_above").is_not_null())
    chances = rows["chance_at_or_above"].to_numpy()
    order = quoted_order(len(comparison.bands))
    stands = rows["from_order"].drop_nulls()
    now = float((stands >= order).to_numpy().mean()) if stands.len() else None
    takes = students_it_takes(chances, aim) if aim is not None else None
    between = int(((chances >= BETWEEN[0]) & (chances <= BETWEEN[1])).sum())
    share, counts = found.at_or_above, count_range(chances)
    window = scope.second.word
    headline = f"About {percent(share.expected_share)} will be at {share.band} or above in {window} if nothing changes"
    reach = f"{counts.low:,} to {counts.high:,} of {plural(counts.n, 'student')}" if counts else ""
    lead = f"8 times in 10 it will be {percent(share.low)} to {percent(share.high)} ({reach})"
    lead += f"; {percent(now)} were there in {scope.first.word}." if now is not None else "."
    if aim is not None and takes is not None:
        lead += (
            f" {percent(aim)} is within reach as things stand." if takes == 0
            else f" {percent(aim)} takes about {plural(takes, 'student')} more."
        )  # fmt: skip
    return OutlookAnswer(
        outlook=found, n=rows.height, now=now, aim=aim, takes=takes, between_n=between, headline=headline, lead=lead,
        past=past, reason=None, **labels,
    )  # fmt: skip
