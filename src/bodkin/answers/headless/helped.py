"""The files of ``./bodkin helped``: pairs of members and similar students, and what they come to."""

from collections.abc import Collection, Mapping, Sequence

import polars as pl

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.follow_up.helped import balance, matched_rows
from bodkin.answers.headless.writing import json_text
from bodkin.core.follow_up.matched_comparison import FEWEST_PAIRS


def helped_texts(
    comparison: Comparison, members: Collection[str], strata: str, order: Mapping[str, int], notes: Sequence[str] = ()
) -> dict[str, str]:
    """The texts of the run's files by name; ``order``: where each student first comes in the scores."""
    at = pl.col("student_id").replace_strict(dict(order), default=len(order), return_dtype=pl.Int64)
    rows = comparison.students.sort(at, maintain_order=True)
    made = matched_rows(rows, members, strata)
    found, start, gain_z = made.found, made.start, made.gain_z
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
    summary = {
        "members": made.counted, "matched": len(found.pairs), "unmatched": found.unmatched,
        "difference": found.difference, "low": found.low, "high": found.high, "g": found.g, "g_low": found.g_low,
        "g_high": found.g_high, "balance": [one.model_dump() for one in balance(made)], "few": found.few, "notes": said,
    }  # fmt: skip
    return {
        "pairs.csv": pl.DataFrame(pairs, schema=schema, orient="row").write_csv(),
        "summary.json": json_text(summary),
    }
