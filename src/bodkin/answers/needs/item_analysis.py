"""One common test worked out: who sat it, what each chose and won, how each item did."""

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
from bodkin.store.reads.table.keys import code_of, day_code, in_order, one_key
from bodkin.store.reads.table.score_table import WORD, numbers_of

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


@dataclass(frozen=True, slots=True)
class TestSittings:
    """Sittings of a test, in the order in which they came, and what was chosen in each.

    ``sat`` has the ``student_id`` and the day of each. ``options``: all that could be or was ever chosen of each
    item, of which the first ``told`` are in any case its options. Arrays have a row a sitting and a column an item:
    ``chosen`` is the place of the option (-1: none), ``given`` the points that a person gave (NaN: none did).
    """

    items: pl.DataFrame
    sat: pl.DataFrame
    options: list[list[str]]
    told: list[int]
    chosen: IntArray
    given: FloatArray

    def among(self, sat: pl.DataFrame) -> IntArray:
        """The rows of some sittings, named by ``student_id`` and ``tested_on``, one a student."""
        mine = self.sat.with_row_index("row").join(
            sat, on=["student_id", "tested_on"], how="semi", nulls_equal=True, maintain_order="left"
        )
        return mine["row"].cast(pl.Int64).to_numpy()


def _option_lists(items: pl.DataFrame, answers: pl.DataFrame) -> tuple[list[list[str]], list[int]]:
    """What could be chosen of each item: the options told, else all of key and answers by the alphabet.

    With it how many were told.
    """
    chosen = answers.filter(pl.col("option").is_not_null()).group_by("item").agg(pl.col("option").unique())
    met: dict[str, list[str]] = dict(chosen.iter_rows())
    lists, many = [], []
    for item, keys, told in items.select("item", "keys", "options").iter_rows():
        known = list(dict.fromkeys(told or []))
        lists.append(known + sorted({*keys, *met.get(item, [])} - set(known)))
        many.append(len(known))
    return lists, many


def sittings_of(items: pl.DataFrame, answers: pl.DataFrame, order: str = "line") -> TestSittings:
    """The sittings of a test out of its answers, each a student's of one day.

    Of several answers to one item the later line counts. ``order``: the column by which sittings come.
    """
    answers = in_order(answers)
    options, told = _option_lists(items, answers)
    at, option = code_of("item"), code_of("option").fill_null(NO_ANSWER)
    codes = pl.DataFrame(
        [(item, option, place) for item, list_ in zip(items["item"], options, strict=True)
         for place, option in enumerate(list_)],
        schema={"item": WORD, "option": WORD, "place": pl.Int64()}, orient="row",
    ).select("place", asked=one_key(at, option))  # fmt: skip
    order_of_items = items.select(asked=at).with_row_index("at").cast(pl.Int64)
    each = answers.select(
        "points", by=one_key(code_of("student_id"), day_code("tested_on")), item=at, chosen=one_key(at, option)
    )
    first = answers.select("student_id", "tested_on", order).with_columns(by=each["by"])
    sat = first.unique("by", keep="first", maintain_order=True).sort(order, maintain_order=True)
    cells = (
        each.join(order_of_items, left_on="item", right_on="asked", how="inner", maintain_order="left")
        .join(sat.select("by").with_row_index("who"), on="by", how="left", maintain_order="left")
        .join(codes, left_on="chosen", right_on="asked", how="left", maintain_order="left")
    )
    shape = (sat.height, items.height)
    chosen, given = np.full(shape, NO_ANSWER, dtype=np.int64), np.full(shape, np.nan)
    # Where a place is named twice, the later value stays.
    place = (cells["who"].to_numpy(), cells["at"].to_numpy())
    chosen[place] = cells["place"].fill_null(NO_ANSWER).to_numpy()
    given[place] = numbers_of(cells["points"])
    return TestSittings(items, sat.select("student_id", "tested_on"), options, told, chosen, given)


def kept_sittings(data: NeedsData, test: str) -> TestSittings:
    """All sittings of a test, found once while the data stay."""

    def made() -> TestSittings:
        here = pl.col("test") == test
        return sittings_of(data.items.filter(here), data.answers.filter(here))

    return data.worked.once(("sittings", test), made)


def analyse(data: NeedsData, test: str, among: pl.DataFrame | None = None) -> TestAnalysis:
    """A test worked out over all who sat it, each by the latest sitting.

    ``among``: the counted answers where they have been chosen already. An item that nobody was asked about
    counts as not answered by all who sat the test.
    """
    answers = (latest_sittings(data.answers) if among is None else among).filter(pl.col("test") == test)
    sittings = sittings_of(data.items.filter(pl.col("test") == test), answers, "first_line")
    return analysed(test, sittings, np.arange(sittings.sat.height))


def analysed(test: str, sittings: TestSittings, rows: IntArray) -> TestAnalysis:
    """A test worked out over some of its sittings, one a student."""
    items, sat = sittings.items, sittings.sat[rows]
    options, chosen = _met(sittings, sittings.chosen[rows])
    keys = [{list_.index(key) for key in own} for list_, own in zip(options, items["keys"].to_list(), strict=True)]
    worth = items["points"].to_numpy()
    won = points_won(chosen, keys, worth, sittings.given[rows])
    dropped = items["dropped"].to_numpy()
    figures, flags = _figures(chosen, keys, won / worth, worth, dropped, options)
    return TestAnalysis(
        test, items, options, keys, sat["student_id"].to_list(), sat["tested_on"].to_list(), chosen, won, worth,
        dropped, figures, flags,
    )  # fmt: skip


def _met(sittings: TestSittings, chosen: IntArray) -> tuple[list[list[str]], IntArray]:
    """The options of each item without those that only others chose, and the choices by their place among them."""
    lists, places = [], chosen
    for at, (list_, told, keys) in enumerate(
        zip(sittings.options, sittings.told, sittings.items["keys"].to_list(), strict=True)
    ):
        # The first place is that of no answer.
        met = np.bincount(chosen[:, at] - NO_ANSWER, minlength=len(list_) + 1)[1:] > 0
        stays = [place < told or met[place] or name in keys for place, name in enumerate(list_)]
        lists.append([name for name, stay in zip(list_, stays, strict=True) if stay])
        if not all(stays):
            places = chosen.copy() if places is chosen else places
            places[:, at] = np.concatenate(([NO_ANSWER], np.cumsum(stays) - 1))[chosen[:, at] - NO_ANSWER]
    return lists, places


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
