"""One common test worked out: who sat it, what each chose and won, how each item did."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date

import numpy as np
import polars as pl

from bodkin.answers.comparison.measures.common_tests import latest_sittings
from bodkin.core.arrays import BoolArray, FloatArray, IntArray
from bodkin.core.needs.items import (
    NO_ANSWER,
    ItemFigures,
    ItemFlags,
    item_figures,
    item_flags,
    points_won,
    scores_on_others,
)
from bodkin.store.reads.needs_data import NeedsData
from bodkin.store.reads.table.score_table import WORD

FLAGS = ("check_key", "shared_mistake", "does_not_tell", "nobody_wrong", "nobody_right")
"""Names of the flags in the order in which they are told."""


@dataclass(frozen=True, slots=True)
class TestAnalysis:
    """A common test worked out.

    ``items``: its rows of the items; ``options``: what could be chosen of each item; ``students`` who sat
    it, in the order of their answers. Arrays have a row a student and a column an item: ``chosen`` is the
    place of the option (-1: none), ``won`` points. ``figures`` are empty for dropped items.
    """

    test: str
    items: pl.DataFrame
    options: list[list[str]]
    keys: list[set[int]]
    students: list[str]
    tested_on: list[date | None]
    chosen: IntArray
    won: FloatArray
    worth: FloatArray
    dropped: BoolArray
    figures: ItemFigures
    flags: list[ItemFlags]

    @property
    def n(self) -> int:
        """Students who sat the test."""
        return len(self.students)

    @property
    def total(self) -> FloatArray:
        """Points of each student on the items that count, shape (students,)."""
        return np.asarray(self.won[:, ~self.dropped].sum(axis=1), dtype=np.float64)

    @property
    def possible(self) -> float:
        """Points one student can win."""
        return float(self.worth[~self.dropped].sum())

    def flag_names(self, at: int) -> list[str]:
        """The flags of an item by name, in their order; a dropped item has none."""
        if self.dropped[at]:
            return []
        found = self.flags[at]
        told = (
            found.check_the_key, found.shared_mistake is not None, found.does_not_tell, found.nobody_wrong,
            found.nobody_right,
        )  # fmt: skip
        return [name for name, true in zip(FLAGS, told, strict=True) if true]


def _option_lists(items: pl.DataFrame, answers: pl.DataFrame) -> list[list[str]]:
    """What could be chosen of each item: the options told, else all of key and answers by the alphabet."""
    chosen = answers.filter(pl.col("option").is_not_null()).group_by("item").agg(pl.col("option").unique())
    met: dict[str, list[str]] = dict(chosen.iter_rows())
    lists = []
    for item, keys, told in items.select("item", "keys", "options").iter_rows():
        known = list(dict.fromkeys(told or []))
        lists.append(known + sorted({*keys, *met.get(item, [])} - set(known)))
    return lists


def _matrix(answers: pl.DataFrame, items: pl.DataFrame, options: list[list[str]]) -> pl.DataFrame:
    """The answers with ``at`` (item), ``who`` (student) and ``place`` (option) as numbers."""
    codes = pl.DataFrame(
        [(item, option, place) for item, list_ in zip(items["item"], options, strict=True)
         for place, option in enumerate(list_)],
        schema={"item": WORD, "option": WORD, "place": pl.Int64()}, orient="row",
    )  # fmt: skip
    order = items.select("item").with_row_index("at")
    return (
        answers.join(order, on="item", how="inner", maintain_order="left")
        .join(codes, on=["item", "option"], how="left", maintain_order="left")
        .with_columns(pl.col("place").fill_null(NO_ANSWER))
    )


def analyse(
    data: NeedsData, test: str, students: Collection[str] | None = None, among: pl.DataFrame | None = None
) -> TestAnalysis:
    """A test worked out over all who sat it, or over some students.

    ``among``: the counted answers where they have been chosen already. An item that nobody was asked about
    counts as not answered by all who sat the test.
    """
    items = data.items.filter(pl.col("test") == test)
    answers = (latest_sittings(data.answers) if among is None else among).filter(pl.col("test") == test)
    if students is not None:
        answers = answers.filter(pl.col("student_id").is_in(sorted(students)))
    sat = answers.group_by("student_id").agg(pl.col("tested_on", "first_line").first()).sort("first_line")
    options = _option_lists(items, answers)
    keys = [{list_.index(key) for key in own} for list_, own in zip(options, items["keys"].to_list(), strict=True)]
    who = sat.select("student_id").with_row_index("who")
    cells = _matrix(answers, items, options).join(who, on="student_id", how="inner")
    shape = (sat.height, items.height)
    chosen = np.full(shape, NO_ANSWER, dtype=np.int64)
    given = np.full(shape, np.nan)
    place = (cells["who"].to_numpy(), cells["at"].to_numpy())
    chosen[place] = cells["place"].to_numpy()
    given[place] = cells["points"].to_numpy()
    worth = items["points"].to_numpy()
    won = points_won(chosen, keys, worth, given)
    dropped = items["dropped"].to_numpy()
    figures, flags = _figures(chosen, keys, won / worth, worth, dropped, options)
    return TestAnalysis(
        test, items, options, keys, sat["student_id"].to_list(), sat["tested_on"].to_list(), chosen, won, worth,
        dropped, figures, flags,
    )  # fmt: skip


def _figures(
    chosen: IntArray, keys: list[set[int]], shares: FloatArray, worth: FloatArray, dropped: BoolArray,
    options: list[list[str]],
) -> tuple[ItemFigures, list[ItemFlags]]:  # fmt: skip
    """Figures and flags of every item; those of dropped ones are empty, and they count for nobody else."""
    live = np.flatnonzero(~dropped)
    of_live = item_figures(shares[:, live], worth[live])
    wide = {name: np.full(dropped.size, np.nan) for name in ("difficulty", "discrimination", "upper_lower")}
    for name, column in wide.items():
        column[live] = getattr(of_live, name)
    figures = ItemFigures(
        of_live.n, wide["difficulty"], wide["discrimination"], wide["upper_lower"], of_live.alpha, of_live.few,
        of_live.reason,
    )  # fmt: skip
    # Thirds go by the points on the other items; a dropped item is none of them.
    rest = np.tile((shares[:, live] * worth[live]).sum(axis=1)[:, None], (1, dropped.size))
    rest[:, live] = scores_on_others(shares[:, live], worth[live])
    flags = [
        item_flags(
            chosen[:, at], keys[at], max(len(options[at]), 1), rest[:, at], float(figures.discrimination[at]),
            np.clip(shares[:, at], 0.0, 1.0),
        )
        for at in range(dropped.size)
    ]  # fmt: skip
    return figures, flags
