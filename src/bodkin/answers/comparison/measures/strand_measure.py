"""A strand looked at like a whole test: its scores, its norms, and the cuts carried over to it."""

from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from bodkin.core.arrays import IntArray
from bodkin.core.scores.norms import middle_row
from bodkin.core.scores.scales import percent_below
from bodkin.core.windows import SEASONS
from bodkin.store.reads.table.score_table import CUTS, Memo, ScoreTable, numbers_of


def _carried_over(norms: pl.DataFrame, cuts: pl.DataFrame) -> pl.DataFrame:
    """Score cuts of the whole test as percentiles of its ``norms``, so that they can stand beside a strand.

    A cut of a season is ranked by the season's middle norm row, a year-end cut by that of spring.
    A set without norms to rank it by is left out.
    """
    rows = []
    by_place = norms.partition_by("grade", "season", as_dict=True)
    for row in cuts.iter_rows(named=True):
        if row["min_score"] is None:
            rows.append(row)
            continue
        own = by_place.get((row["grade"], row["season"] or SEASONS[-1]))
        if own is not None:
            norm = own.row(middle_row(numbers_of(own["week"]).tolist()), named=True)
            percent = float(percent_below(row["min_score"], norm["mean"], norm["sd"]))
            rows.append({**row, "min_score": None, "min_percentile": percent})
    kept = pl.DataFrame(rows, schema=CUTS)
    # A set that lost a cut for want of norms is no set any more.
    keys = ["grade", "season"]
    whole = cuts.group_by(keys).len().join(kept.group_by(keys).len(), on=keys, nulls_equal=True)
    whole = whole.filter(pl.col("len") == pl.col("len_right"))
    return kept.join(whole.select(keys), on=keys, how="semi", nulls_equal=True)


def carried_cuts(table: ScoreTable, assessment: str, subject: str) -> pl.DataFrame:
    """The cuts of a test as its strands have them, kept while norms and cuts stay as they are."""
    return table.worked.once(
        ("carried cuts", assessment, subject),
        lambda: _carried_over(*(one.filter(_of_measure(assessment, subject)) for one in (table.norms, table.cuts))),
    )


def _of_measure(assessment: str, subject: str) -> pl.Expr:
    return (pl.col("assessment") == assessment) & (pl.col("subject") == subject)


FEWER = 10
"""So many times as many scores as results are looked through before they are looked up."""
OWN = ("score", "standard_error")
"""What each strand has of its own; all else is that of the result."""


@dataclass(frozen=True, slots=True)
class _Scored:
    """Results that a strand has scores for: their ``rows`` in the table, in its order, and whose score is which.

    ``lines``: of the scores; ``places``: of the score of each row among them.
    """

    lines: pl.Series
    rows: IntArray
    places: IntArray


def _scored(table: ScoreTable, of_measure: pl.Expr, wanted: pl.Series) -> _Scored:
    lines = table.results["line"]
    order = None if lines.is_sorted() else np.argsort(lines.to_numpy(), kind="stable")
    asked = np.arange(wanted.len())
    if lines.len() * FEWER < wanted.len():
        # Few results, of one student say: most scores are left out at one look.
        asked = np.flatnonzero(np.isin(wanted.to_numpy(), lines.to_numpy()))
    at = np.searchsorted(lines.to_numpy(), wanted.to_numpy()[asked], sorter=order)
    inside = at < lines.len()
    at, places = at[inside], asked[inside]
    rows = at if order is None else order[at]
    # A result may be gone, or have been moved to another test.
    found = table.results.select("line", "assessment", "subject")[rows]
    there = found.select((pl.col("line") == wanted[places]) & of_measure).to_series().to_numpy()
    rows, places = rows[there], places[there]
    in_order = np.argsort(rows, kind="stable")
    return _Scored(wanted, rows[in_order], places[in_order])


@dataclass(frozen=True, slots=True)
class _Alike:
    """The results that the strands of a test mostly have in common, without scores."""

    scored: _Scored
    table: ScoreTable


def strand_table(
    table: ScoreTable, assessment: str, subject: str, scores: pl.DataFrame, norms: pl.DataFrame, cuts: pl.DataFrame
) -> ScoreTable:
    """The score table of one strand of a test: every question is put to it as to a whole test.

    ``scores``: ``line`` of the result, score and error of the strand; ``norms``: those of the
    strand. ``cuts`` stand at the percentile that they have on the whole test, see ``carried_cuts``, for a strand has
    none of its own; growth norms are those of the whole test.
    """
    of_measure = _of_measure(assessment, subject)

    def of_rows(scored: _Scored) -> ScoreTable:
        nothing = pl.lit(None, dtype=pl.Float64)
        rows = table.results[scored.rows].with_columns(percentile=nothing, standard_error=nothing, score=pl.lit(0.0))
        return replace(table, results=rows, worked=Memo(), own=None, alike=None)

    def made() -> _Alike:
        scored = _scored(table, of_measure, scores["line"])
        return _Alike(scored, of_rows(scored))

    # All but the scores is held once for all strands of a test.
    alike = table.worked.once(("strand_rows", assessment, subject), made)
    found = alike.scored
    if not scores["line"].equals(found.lines):
        found = _scored(table, of_measure, scores["line"])
    shared = np.array_equal(alike.scored.rows, found.rows)
    rows = alike.table.results if shared else of_rows(found).results
    own = scores.select(OWN)[found.places]
    # A result without a score of the strand does not count.
    counts_alike = shared and not own["score"].null_count()
    return replace(
        table, results=rows.with_columns(own.get_columns()), norms=norms, cuts=cuts, worked=Memo(),
        own=OWN if shared else None, alike=alike.table if counts_alike else None,
    )  # fmt: skip


CARRIED = "the cuts are those of the whole test, at the same percentile of the strand's norms"
"""The note beside bands of a strand."""
