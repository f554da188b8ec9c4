"""What a score on the interim test says about the outcome test in spring: the likely level, and how sure."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison, quoted_order
from bodkin.answers.comparison.exports import Table
from bodkin.answers.comparison.norms.expectation import FEWEST_DISTRICT, kept_from
from bodkin.answers.comparison.norms.norms_and_cuts import Grades, NormsAt, Notes, bands_at
from bodkin.answers.comparison.pairing import of_window
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.comparison.unit_outlook import UnitOutlooks, unit_outlooks
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.answers.words import percent
from bodkin.core.arrays import FloatArray
from bodkin.core.compare.outcome_link import FEWEST, LevelCurve, PredictionAccuracy, level_curve, prediction_accuracy
from bodkin.core.growth.outlook import count_range
from bodkin.core.windows import SEASONS, Window, grade_key, parse_window
from bodkin.store.reads.table.score_table import WORD, ScoreTable, numbers_of

SPRING = len(SEASONS) - 1
_NOBODY = pl.DataFrame(
    schema={"student_id": pl.String(), "grade": WORD, "score": pl.Float64(), "band": pl.Float64(),
            "likely_order": pl.Int64(), "chance": pl.Float64(), "on_track": pl.Float64()}
)  # fmt: skip
"""Nobody's rows: what is put together from each grade begins with them."""


class LevelShare(BaseModel):
    """A level of the outcome test: how many students of the scope it is likely for, and the share expected there."""

    level: str
    order: int
    likely_n: int
    expected_share: float | None


class BandLevels(BaseModel):
    """Students of one band of the interim test: their mean chance of the level that counts or higher."""

    band: str
    order: int
    n: int
    chance: float | None


class LikelyRow(BaseModel):
    """A student's likely level, the chance of just that level, and of the level that counts or higher."""

    student_id: str
    name: str
    grade: str | None
    score: float
    likely: str
    likely_order: int
    chance: float
    on_track: float


class GradeAccuracy(BaseModel):
    """How well the interim test told the outcome in the years before, one grade.

    ``n`` pairs; shares 0..1; ``area`` under the curve; ``reason`` says why there is nothing.
    """

    grade: str
    n: int
    base_rate: float | None
    sensitivity: float | None
    specificity: float | None
    positive_value: float | None
    negative_value: float | None
    area: float | None
    reason: str | None


class OutcomeAnswer(BaseModel):
    """The outcome that is likely for the students of a scope, from the years before.

    ``counts_from``: name of the level that counts as reached; ``years``: school years it rests on;
    ``expected_low`` and ``expected_high``: the central 80 % of the share, with the curves taken as they are.
    """

    outcome: str
    subject: str
    title: str
    window: str
    years: list[str]
    levels: list[LevelShare]
    counts_from: str | None
    expected_share: float | None
    expected_low: float | None
    expected_high: float | None
    by_band: list[BandLevels]
    covered: int = Field(description="students a level is likely for: as many rows there are in all")
    rows: list[LikelyRow] = Field(description="the first rows asked for, the least on the way first")
    accuracy: list[GradeAccuracy]
    lead: str
    notes: list[str]


@dataclass(frozen=True, slots=True)
class OutcomeFound:
    """The likely outcome as it was found: what is told of all, and each student's row, the least on the way first.

    ``rows``: the columns of LikelyRow but the name and the level's name.
    """

    whole: OutcomeAnswer
    rows: pl.DataFrame
    names: Names

    def page(self, level: int | None = None, n: int | None = None) -> OutcomeAnswer:
        """The answer with its first ``n`` rows (None: all), of those whose likely level is ``level`` where one is."""
        rows = self.rows if level is None else self.rows.filter(pl.col("likely_order") == level)
        levels = {one.order: one.level for one in self.whole.levels}
        told = [
            LikelyRow(**row, name=display_name(self.names, row["student_id"]), likely=levels[row["likely_order"]])
            for row in rows.slice(0, n).to_dicts()
        ]
        return self.whole.model_copy(update={"rows": told})


@dataclass(frozen=True, slots=True)
class _Fitted:
    """Curves of one grade: the chance of each level above the lowest, or higher."""

    curves: list[LevelCurve]
    accuracy: PredictionAccuracy
    n: int
    reason: str | None


def _levels(table: ScoreTable, outcome: Scope, results: pl.DataFrame) -> tuple[FloatArray, list[str]]:
    """Level of each outcome result by the cuts of its grade, and the levels' names."""
    nothing = np.full(results.height, np.nan)
    score = results["outcome_score"].to_numpy()
    grades = Grades.of(results["outcome_grade"])
    own = numbers_of(results["outcome_percentile"])
    found = bands_at(table, outcome, outcome.second, grades, score, NormsAt(nothing, nothing, nothing), own, Notes())
    return found.orders, [found.names[order] for order in sorted(found.names)]


def past_pairs(table: ScoreTable, interim: Scope, outcome: Scope) -> pl.DataFrame:
    """Students of earlier years with the interim test in the scope's season and the outcome test that spring."""
    season, parts = interim.second, []
    for name in sorted({str(name) for name in table.results["window"].drop_nulls().unique()}):
        window = parse_window(name)
        if window.order != season.order or window >= season:
            continue
        before = of_window(table, interim, window).select("student_id", "grade", "score")
        spring = of_window(table, outcome, Window(window.year, SPRING)).select(
            "student_id", outcome_grade="grade", outcome_score="score", outcome_percentile="percentile"
        )
        both = before.join(spring, on="student_id", how="inner", maintain_order="left")
        if both.height:
            parts.append(both.with_columns(year=pl.lit(window.school_year)))
    schema = {"student_id": pl.String(), "grade": WORD, "score": pl.Float64(), "outcome_grade": WORD,
              "outcome_score": pl.Float64(), "outcome_percentile": pl.Float64(), "year": pl.String()}  # fmt: skip
    return pl.concat(parts) if parts else pl.DataFrame(schema=schema)


def _fit(scores: FloatArray, levels: FloatArray, names: Sequence[str], counts: int, cut: float) -> _Fitted:
    known = ~np.isnan(levels)
    x, level = scores[known], levels[known]
    curves = [level_curve(x, (level >= order).astype(float)) for order in range(2, len(names) + 1)]
    accuracy = prediction_accuracy(x, (level < counts).astype(float), cut)
    reason = f"only {x.size} students with both tests, {FEWEST} are needed" if x.size < FEWEST else None
    return _Fitted(curves, accuracy, int(x.size), reason)


def _chances(fitted: _Fitted, scores: FloatArray, levels: int, seen: FloatArray) -> FloatArray:
    """Chance of each level for each score, shape (n, levels); a level nobody or everybody reached has 0 or 1."""
    above = np.ones((scores.size, levels + 1))
    above[:, levels] = 0.0
    for at, curve in enumerate(fitted.curves, start=1):
        if curve.intercept is not None:
            above[:, at] = curve.chance(scores)
        else:
            above[:, at] = 1.0 if seen.size and (seen >= at + 1).mean() > 0.5 else 0.0
    # Curves of neighbouring levels are fitted apart; a higher level is never likelier than a lower one.
    above = np.minimum.accumulate(above, axis=1)
    return np.asarray(above[:, :-1] - above[:, 1:])


def _told_of(grade: str, fitted: _Fitted, *, coarse: bool) -> GradeAccuracy:
    """How well the test told of the outcome; ``coarse``: in whole per cents, and each from 30 students or more."""
    told = fitted.accuracy
    made = GradeAccuracy(
        grade=grade, n=fitted.n, base_rate=told.base_rate, sensitivity=told.sensitivity, specificity=told.specificity,
        positive_value=told.positive_value, negative_value=told.negative_value, area=told.area, reason=fitted.reason,
    )  # fmt: skip
    if not coarse:
        return made
    short = fitted.n * (told.base_rate or 0.0)
    warned = short * (told.sensitivity or 0.0) + (fitted.n - short) * (1.0 - (told.specificity or 0.0))
    of = {"base_rate": fitted.n, "area": min(short, fitted.n - short), "sensitivity": short,
          "specificity": fitted.n - short, "positive_value": warned, "negative_value": fitted.n - warned}  # fmt: skip
    shown = {name: getattr(made, name) if round(n) >= FEWEST_DISTRICT else None for name, n in of.items()}
    rounded = {name: None if value is None else round(value, 2) for name, value in shown.items()}
    return made.model_copy(update={**rounded, "n": 10 * (fitted.n // 10)})


def likely_outcome(table: ScoreTable, comparison: Comparison, outcome: tuple[str, str], names: Names) -> OutcomeFound:
    """The likely outcome of the scope's students with a result at its later window."""
    scope = comparison.scope
    window = Window(scope.second.year, SPRING)
    interim = scope.model_copy(update={"strand": None, "reach": None})
    asked = Scope(assessment=outcome[0], subject=outcome[1], from_window=str(window), to_window=str(window))
    # The years before are the same whoever is asked about.
    key = (scope.assessment, scope.subject, scope.language, str(scope.second), *outcome)

    def paired() -> tuple[pl.DataFrame, FloatArray, list[str]]:
        both = past_pairs(table, interim, asked)
        return both, *_levels(table, asked, both)

    past, order, levels = table.worked.once(("outcome before", *key), paired)
    refused = kept_from(scope)
    if refused is not None:
        past, order = past.clear(), order[:0]
    counts = quoted_order(len(levels)) if len(levels) > 1 else 2
    rows = comparison.students.filter("matched" if scope.paired else pl.col("to_score").is_not_null())
    title = measure_title(*outcome)
    notes: list[str] = [] if refused is None else [refused]
    found, accuracies = [_NOBODY], []
    chance_rows: list[FloatArray] = []
    for grade in sorted(set(rows["to_grade"].drop_nulls()), key=grade_key) if len(levels) > 1 else []:
        # A result without a grade belongs to none.
        mine = (past["grade"] == grade).fill_null(value=False).to_numpy()
        now = rows.filter(pl.col("to_grade") == grade)
        cut = _quoted_cut(table, scope, grade, len(comparison.bands))
        fitted = table.worked.once(
            ("outcome fitted", *key, grade, None if np.isnan(cut) else cut, counts, refused),
            partial(_fit, past["score"].to_numpy()[mine], order[mine], levels, counts, cut),
        )
        accuracies.append(_told_of(grade, fitted, coarse=scope.reach is not None))
        if fitted.reason:
            notes.append(f"grade {grade}: {fitted.reason}")
            continue
        chances = _chances(fitted, now["to_score"].to_numpy(), len(levels), order[mine])
        if scope.reach is not None:
            # They rest on students whom the reader may not know of.
            chances = np.round(chances, 2)
        chance_rows.append(chances)
        likely = chances.argmax(axis=1)
        found.append(
            now.select(
                "student_id", pl.col("to_grade").alias("grade"), pl.col("to_score").alias("score"),
                pl.col("to_order").cast(pl.Float64).alias("band"), pl.Series("likely_order", likely + 1),
                pl.Series("chance", chances[np.arange(likely.size), likely]),
                pl.Series("on_track", chances[:, counts - 1 :].sum(axis=1)),
            )
        )  # fmt: skip
    if not past.height:
        notes.append(f"no earlier year has both this test in {scope.second.word} and {title}")
    every = pl.concat(found)
    whole = _answer(comparison, outcome, title, window, past, levels, counts, every, chance_rows, accuracies, notes)
    return OutcomeFound(whole, every.drop("band").sort("on_track", "student_id"), names)


def _quoted_cut(table: ScoreTable, scope: Scope, grade: str, bands: int) -> float:
    """The lowest score of the quoted band of a grade at the scope's later window; NaN where it is no score."""
    place = np.zeros(1)
    nothing = np.full(1, np.nan)
    at = bands_at(
        table, scope, scope.second, Grades([grade], np.zeros(1, dtype=np.int64)), place,
        NormsAt(nothing, nothing, nothing), nothing, Notes(),
    )  # fmt: skip
    order = quoted_order(bands)
    return float(at.lines[0, order - 2]) if bands > 1 and at.lines.shape[1] >= order - 1 else float("nan")


def _answer(
    comparison: Comparison, outcome: tuple[str, str], title: str, window: Window, past: pl.DataFrame,
    levels: list[str], counts: int, rows: pl.DataFrame, chances: list[FloatArray],
    accuracies: list[GradeAccuracy], notes: list[str],
) -> OutcomeAnswer:  # fmt: skip
    everyone = np.concatenate(chances) if chances else np.empty((0, len(levels)))
    on_track = np.clip(everyone[:, counts - 1 :].sum(axis=1), 0.0, 1.0)
    share = float(on_track.mean()) if everyone.size else None
    reach = count_range(on_track)
    low, high = (None, None) if reach is None else (reach.low / reach.n, reach.high / reach.n)
    years = sorted(past["year"].unique().to_list())
    by_band = []
    reached, likely = rows["on_track"].to_numpy(), rows["likely_order"].to_numpy()
    bands = numbers_of(rows["band"])
    for at, band in enumerate(comparison.bands, start=1):
        own = reached[bands == at]
        by_band.append(BandLevels(band=band, order=at, n=own.size, chance=float(own.mean()) if own.size else None))
    name = levels[counts - 1] if len(levels) > 1 else None
    lead = f"{title} cannot be predicted from this test yet."
    if share is not None and name is not None:
        lead = (
            f"If this year goes as {' and '.join(years)} did, {percent(share)} of these {rows.height:,} students"
            f" will be at {name} or above on {title}."
        )
    if low is not None and high is not None and name is not None:
        lead += f" 8 times in 10 it will be {percent(low)} to {percent(high)}."
    return OutcomeAnswer(
        outcome=outcome[0], subject=outcome[1], title=title, window=str(window), years=years,
        levels=[
            LevelShare(level=level, order=at + 1, likely_n=int((likely == at + 1).sum()),
                       expected_share=float(everyone[:, at].mean()) if everyone.size else None)
            for at, level in enumerate(levels)
        ],
        counts_from=name, expected_share=share, expected_low=low, expected_high=high, by_band=by_band,
        lead=lead, notes=notes, accuracy=accuracies, covered=rows.height, rows=[],
    )  # fmt: skip


def outcome_units(comparison: Comparison, found: OutcomeFound) -> UnitOutlooks:
    """The same by unit of the comparison's breakdown: of the students in the answer, each unit's expected share."""
    rows = comparison.students.select("student_id").join(
        found.rows.select("student_id", "on_track"), on="student_id", how="left", maintain_order="left"
    )
    chances = numbers_of(rows["on_track"])
    return unit_outlooks(comparison, np.clip(chances, 0.0, 1.0), found.whole.counts_from or "")


def outcome_table(found: OutcomeFound, caption: str) -> Table:
    """Every student's likely level and chances as a spreadsheet."""
    answer = found.page()
    header = ["student_id", "name", "grade", "score", "likely_level", "chance", f"chance_{answer.counts_from}_or_above"]
    lines = [
        [row.student_id, row.name, row.grade, row.score, row.likely, row.chance, row.on_track] for row in answer.rows
    ]
    return Table(header, lines, f"{caption} {answer.lead}")
