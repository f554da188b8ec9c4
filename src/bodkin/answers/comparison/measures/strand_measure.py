"""A strand looked at like a whole test: its scores, its norms, and the cuts carried over to it."""

from dataclasses import replace

import polars as pl

from bodkin.core.scores.norms import middle_row
from bodkin.core.scores.scales import percent_below
from bodkin.core.windows import SEASONS
from bodkin.store.reads.table.score_table import CUTS, Memo, ScoreTable


def _carried_over(table: ScoreTable, cuts: pl.DataFrame) -> pl.DataFrame:
    """Score cuts of the whole test as percentiles of its norms, so that they can stand beside a strand.

    A cut of a season is ranked by the season's middle norm row, a year-end cut by that of spring.
    A set without norms to rank it by is left out.
    """
    rows = []
    for row in cuts.iter_rows(named=True):
        if row["min_score"] is None:
            rows.append(row)
            continue
        season = row["season"] or SEASONS[-1]
        norms = table.norms.filter(
            (pl.col("assessment") == row["assessment"])
            & (pl.col("subject") == row["subject"])
            & (pl.col("grade") == row["grade"])
            & (pl.col("season") == season)
        )
        if norms.height:
            norm = norms.row(middle_row(norms["week"].fill_null(float("nan")).to_list()), named=True)
            percent = float(percent_below(row["min_score"], norm["mean"], norm["sd"]))
            rows.append({**row, "min_score": None, "min_percentile": percent})
    kept = pl.DataFrame(rows, schema=CUTS)
    # A set that lost a cut for want of norms is no set any more.
    keys = ["grade", "season"]
    whole = cuts.group_by(keys).len().join(kept.group_by(keys).len(), on=keys, nulls_equal=True)
    whole = whole.filter(pl.col("len") == pl.col("len_right"))
    return kept.join(whole.select(keys), on=keys, how="semi", nulls_equal=True)


def strand_table(
    table: ScoreTable, assessment: str, subject: str, scores: pl.DataFrame, norms: pl.DataFrame
) -> ScoreTable:
    """The score table of one strand of a test: every question is put to it as to a whole test.

    ``scores``: ``line`` of the result, score and error of the strand; ``norms``: those of the
    strand. Cuts stand at the percentile that they have on the whole test, for a strand has none
    of its own; growth norms are those of the whole test.
    """
    of_measure = (pl.col("assessment") == assessment) & (pl.col("subject") == subject)
    results = (
        table.results.filter(of_measure)
        .drop("score", "standard_error")
        .join(scores, on="line", how="inner", maintain_order="left")
        .with_columns(percentile=pl.lit(None, dtype=pl.Float64))
        .select(table.results.columns)
    )
    return replace(
        table, results=results, norms=norms, cuts=_carried_over(table, table.cuts.filter(of_measure)), worked=Memo()
    )


CARRIED = "the cuts are those of the whole test, at the same percentile of the strand's norms"
"""The note beside bands of a strand."""
