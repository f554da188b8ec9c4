"""The common tests of a subject that students sat in a school year, each worked out, for what Home says of them."""

from typing import NamedTuple

import polars as pl

from bodkin.answers.comparison.measures.common_tests import FIRST_LINE
from bodkin.answers.needs.item_analysis import TestAnalysis, analysed, kept_sittings
from bodkin.answers.scope.choices import in_reach
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.score_table import ScoreTable


class SatTest(NamedTuple):
    """A common test as some students sat it in a window."""

    test: TestAnalysis
    window: str


def sat_tests(
    table: ScoreTable, data: NeedsData, subject: str, school_year: str, reach: frozenset[str] | None
) -> list[SatTest]:
    """The tests in the order in which they were first sat; ``reach``: None for everybody."""
    mine = in_reach(table, reach).filter(pl.col("line") >= FIRST_LINE, pl.col("subject") == subject)
    found = []
    for (name, window), rows in mine.group_by("assessment", "window", maintain_order=True):
        if window is None or not str(window).startswith(school_year):
            continue
        sittings = kept_sittings(data, str(name))
        own = sittings.among(rows.select("student_id", "tested_on"))
        found.append(SatTest(analysed(str(name), sittings, own), str(window)))
    return found
