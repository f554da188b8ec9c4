"""The files of ``./bodkin helped``: pairs of members and similar students, and what they come to."""

from collections.abc import Collection, Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.headless.writing import json_text
from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.follow_up.matched_comparison import FEWEST_PAIRS, matched_comparison, standardised_difference


def _strata(rows: pl.DataFrame, strata: str) -> list[str]:
    """The stratum of each student: the grade at the first result, and the programs where asked for."""
    grades = [grade or "" for grade in rows["from_grade"].to_list()]
    if strata == "grade":
        return grades
    programs = [";".join(sorted(own or [])) for own in rows["programs"].to_list()]
    return [f"{grade}|{own}" for grade, own in zip(grades, programs, strict=True)]


def _balance(rows: pl.DataFrame, member: FloatArray, pairs: IntArray) -> list[dict[str, Any]]:
    """Standardised differences, members less others, before and after matching: start score, grades, programs."""
    known = rows["from_score"].is_not_null().to_numpy() & rows["gain_z"].is_not_null().to_numpy()
    features: dict[str, FloatArray] = {"start": rows["from_score"].fill_null(float("nan")).to_numpy()}
    for grade in rows.filter(pl.Series(known))["from_grade"].drop_nulls().unique().sort().to_list():
        features[f"grade {grade}"] = (rows["from_grade"] == grade).fill_null(value=False).to_numpy().astype(np.float64)
    for program in rows.filter(pl.Series(known))["programs"].explode().drop_nulls().unique().sort().to_list():
        has = rows["programs"].list.contains(program).fill_null(value=False)
        features[f"program {program}"] = has.to_numpy().astype(np.float64)
    ours, theirs = known & (member == 1.0), known & (member == 0.0)
    return [
        {
            "what": what,
            "before": standardised_difference(values[ours], values[theirs]),
            "after": standardised_difference(values[pairs[:, 0]], values[pairs[:, 1]]),
        }
        for what, values in features.items()
    ]


def helped_texts(
    comparison: Comparison, members: Collection[str], strata: str, order: Mapping[str, int], notes: Sequence[str] = ()
) -> dict[str, str]:
    """The texts of the run's files by name; ``order``: where each student first comes in the scores."""
    at = pl.col("student_id").replace_strict(dict(order), default=len(order), return_dtype=pl.Int64)
    rows = comparison.students.sort(at, maintain_order=True)
    member = rows["student_id"].is_in(list(members)).to_numpy().astype(np.float64)
    gain_z = rows["gain_z"].cast(pl.Float64).fill_null(float("nan")).to_numpy()
    start = rows["from_score"].cast(pl.Float64).fill_null(float("nan")).to_numpy()
    found = matched_comparison(gain_z, start, member, np.array(_strata(rows, strata)))
    names = rows["student_id"].to_list()
    pairs = [
        (names[one], names[other], start[one], start[other], gain_z[one], gain_z[other])
        for one, other in found.pairs.tolist()
    ]
    text, number = pl.String(), pl.Float64()
    schema = {"student_id": text, "matched_with": text, "start": number, "start_matched": number, "gain_z": number,
              "gain_z_matched": number}  # fmt: skip
    said = [*notes, *comparison.notes]
    if found.few:
        said.append(f"fewer than {FEWEST_PAIRS} pairs: too few to tell")
    counted = int((~np.isnan(gain_z + start) & (member == 1.0)).sum())
    summary = {
        "members": counted, "matched": len(found.pairs), "unmatched": found.unmatched,
        "difference": found.difference, "low": found.low, "high": found.high, "g": found.g, "g_low": found.g_low,
        "g_high": found.g_high, "balance": _balance(rows, member, found.pairs), "few": found.few, "notes": said,
    }  # fmt: skip
    return {
        "pairs.csv": pl.DataFrame(pairs, schema=schema, orient="row").write_csv(),
        "summary.json": json_text(summary),
    }
