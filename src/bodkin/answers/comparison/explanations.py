"""The very numbers that went into a figure, in words, for the students at hand."""

from collections.abc import Mapping
from typing import Any

import polars as pl

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.words import percent, plural, points, signed
from bodkin.core.growth.expected_growth import BY_CHANCE, CLEARLY

VERDICT_WORDS = {
    "clearly_above": "clearly above expected: the error of the two tests alone goes so far in 5 of 100 students",
    "as_expected": "as expected: no further away than the error of the two tests can explain",
    "clearly_below": "clearly below expected: the error of the two tests alone goes so far in 5 of 100 students",
}
SHORT_VERDICTS = {
    "clearly_above": "clearly above expected, beyond test error",
    "clearly_below": "clearly below expected, beyond test error", "as_expected": "within test error of expected",
}  # fmt: skip
AGAINST_WORDS = {"norms": "norm mean", "local": "norm mean", "district": "district mean"}


def growth_words(row: Mapping[str, Any]) -> str | None:
    """The growth of a round in one phrase: points, what was expected, the verdict; None where it is not known."""
    if row["gain"] is None or row["expected_gain"] is None:
        return None
    said = f"{signed(row['gain'], 0)} points where {signed(row['expected_gain'], 0)} was expected"
    verdict = SHORT_VERDICTS.get(row["verdict"] or "")
    return f"{said}; {verdict}" if verdict else said


def _rank(row: Mapping[str, Any], side: str, mean_of: str) -> str | None:
    """A score as a percentile of its norm."""
    score, mean, sd = row[f"{side}_score"], row[f"{side}_norm_mean"], row[f"{side}_norm_sd"]
    rank = row[f"{side}_percentile"]
    if score is None or mean is None or not sd or rank is None:
        return None
    week = row.get(f"{side}_week")
    when = f" in week {week:.1f} of instruction" if week is not None else ""
    away = (score - mean) / sd
    return (
        f"{score:.0f}{when}, where the {mean_of} was {mean:.1f} and the standard deviation {sd:.1f}:"
        f" {signed(away, 2)} standard deviations,"
        f" percentile {rank:.0f}."
    )


def row_explained(row: Mapping[str, Any], against: str = "norms") -> str:
    """A student's round in the numbers it was worked out from; empty where nothing was."""
    mean_of = AGAINST_WORDS[against]
    sentences = [part for side in ("from", "to") if (part := _rank(row, side, mean_of))]
    if row["expected_score"] is not None:
        weeks = (
            f" after {row['to_week'] - row['from_week']:.1f} weeks of instruction"
            if row.get("to_week") is not None and row.get("from_week") is not None and row["to_week"] > row["from_week"]
            else ""
        )
        how = {"norms": "", "local": " by the district's own history", "district": " by the district's own line"}
        sentences.append(
            f"A start of {row['from_score']:.0f} projects to {row['expected_score']:.1f}{weeks}{how[against]}"
            f" ({row['expected_low']:.0f} to {row['expected_high']:.0f}), a gain of {signed(row['expected_gain'])}."
        )
    if row["gain"] is not None and row["distance"] is not None:
        beyond = row["gain"] - row["expected_gain"]
        rank = f", growth percentile {row['growth_percentile']:.0f}" if row["growth_percentile"] is not None else ""
        verdict = f"; {VERDICT_WORDS[row['verdict']]}" if row["verdict"] else ""
        sentences.append(
            f"Gained {signed(row['gain'], 0)}, {signed(beyond)} compared with expected:"
            f" {signed(row['distance'], 2)} standard deviations of growth ({row['expected_spread']:.1f} points)"
            f"{rank}{verdict}."
        )
    return "\n".join(sentences)


def _range(low: float | None, high: float | None) -> str:
    return "" if low is None or high is None else f"; 95 % range {percent(low)} to {percent(high)}"


def compare_explained(comparison: Comparison, summary: Summary, quoted: int | None) -> dict[str, str]:
    """Each headline figure of Compare in the numbers that went in, by the figure's name."""
    explained: dict[str, str] = {}
    moved, bands, n = summary.movement, summary.bands, summary.counts.matched
    if quoted is not None and bands and bands[quoted - 1].to_at_or_above is not None:
        parts = [row.to_n for row in bands[quoted - 1 :] if row.to_n is not None]
        whole = sum(row.to_n or 0 for row in bands)
        if len(parts) == len(bands) - quoted + 1:
            names = " and ".join(row.band for row in bands[quoted - 1 :])
            explained["quoted"] = (
                f"{' + '.join(f'{part:,}' for part in parts)} = {sum(parts):,} of {whole:,} students are in {names}: "
                f"{percent(bands[quoted - 1].to_at_or_above)}."
            )
    if moved is not None and moved.up is not None and moved.net is not None:
        explained["up"] = f"{moved.up:,} of {n:,} students with both results are in a higher band than before."
        explained["down"] = f"{moved.down:,} of {n:,} students with both results are in a lower band than before."
        explained["net"] = (
            f"{moved.up:,} moved up less {moved.down:,} down, of {n:,}: {signed(100 * moved.net, 0)} in 100."
        )
    error = comparison.students.select("to_standard_error").to_series().median()
    about = f", about {error:.0f} points" if isinstance(error, float) else ""
    explained["near_cut"] = f"Students whose later score is within one standard error of a cut{about}."
    explained["lowest_fifth"] = (
        "The fifth of these students with the lowest later scores, grade by grade; equal scores stay together."
    )
    if quoted is not None and bands:
        explained["just_below"] = (
            f"Students below the lowest score of {bands[quoted - 1].band} by no more than the standard error of their"
            f" score{about}: a little help lifts them."
        )
    return explained


def growth_explained(comparison: Comparison, summary: Summary, low: float | None, high: float | None) -> dict[str, str]:
    """Each headline figure of Growth in the numbers that went in; ``low`` and ``high``: Wilson ends of the share."""
    growth, explained = summary.growth, {}
    if not growth.n:
        return {}
    explained["met"] = (
        f"{growth.met_n:,} of {growth.n:,} students gained what was expected or more: {percent(growth.met_share)}"
        f"{_range(low, high)}. Mean gain {points(growth.mean_gain or 0.0)},"
        f" expected {points(growth.mean_expected or 0.0)}."
    )
    if growth.median_growth_percentile is not None:
        explained["median_growth_percentile"] = (
            f"The middle one of {plural(growth.n, 'growth percentile')}: half of these students grew at most as fast as"
            f" {growth.median_growth_percentile:.0f} in 100 who started like them."
        )
    students = comparison.students
    away = students.select(CLEARLY * pl.col("error_away")).to_series().median()
    about = f", about {away:.0f} points" if isinstance(away, float) else ""
    judged = students["verdict"].count()
    for way, more in (("below", "less"), ("above", "more")):
        explained[f"clearly_{way}"] = (
            f"Gained {more} than expected by more than 1.645 times the error of the two tests together{about}."
            f" If all {judged:,} with both errors had grown just as expected, test error alone would call about"
            f" {BY_CHANCE * judged:,.0f} of them clearly {way}."
        )
    return explained
