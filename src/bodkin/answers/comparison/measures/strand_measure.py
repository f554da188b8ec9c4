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

    def made() -> pl.DataFrame:
        mine = table.results.filter(of_measure).join(scores, on="line", how="semi", maintain_order="left")
        return mine.with_columns(percentile=pl.lit(None, dtype=pl.Float64))

    # The strands of a test mostly have the same results: all but the scores is held once for all of them.
    rows = table.worked.once(("strand_rows", assessment, subject), made)
    others = scores.join(rows, on="line", how="anti")
    shared = scores.height - others.height == rows.height and (
        others.is_empty() or table.results.filter(of_measure).join(others, on="line", how="semi").is_empty()
    )
    rows = rows if shared else made()
    found = rows.select("line").join(scores, on="line", how="left", maintain_order="left")
    return replace(
        table, results=rows.with_columns(found["score"], found["standard_error"]), norms=norms,
        cuts=_carried_over(table, table.cuts.filter(of_measure)), worked=Memo(),
        own=("score", "standard_error") if shared else None,
    )  # fmt: skip


CARRIED = "the cuts are those of the whole test, at the same percentile of the strand's norms"
"""The note beside bands of a strand."""
