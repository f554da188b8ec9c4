"""Items of a common test on screen: how each did, what looks wrong with it, and who answered what."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, Field

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.comparison.step_answer import Names, StepAnswer, display_name
from bodkin.answers.needs.item_analysis import TestAnalysis, analysed, kept_sittings
from bodkin.answers.needs.strands import students_of
from bodkin.answers.words import percent, plural
from bodkin.core.errors import NotFound
from bodkin.core.needs.items import FEWEST
from bodkin.core.scores.local_rank import fifth
from bodkin.store.reads.needs_data import NeedsData

LOWEST = 1.0
By = Literal["section", "school", "teacher", "program"]
"""What the students of a test can be told apart by."""


class ItemOption(BaseModel):
    """An option of an item; top and bottom third by the score on the other items, ties in equal parts."""

    option: str
    is_key: bool
    n: int
    share: float
    top_n: float
    bottom_n: float


class ItemFlag(BaseModel):
    """What looks wrong with an item, with the evidence in words; ``option`` where one is meant."""

    flag: str
    words: str
    detail: str
    option: str | None


class ItemStandard(BaseModel):
    """A standard that an item counts for."""

    standard: str
    text: str
    strand: str


class ItemRow(BaseModel):
    """An item with its figures; what cannot be computed is empty, and options may be withheld."""

    item: str
    keys: list[str]
    points: float
    dropped: bool
    standards: list[ItemStandard]
    answered: int
    right_n: int
    difficulty: float | None
    discrimination: float | None
    upper_lower: float | None
    flags: list[ItemFlag]
    options: list[ItemOption]


class TestUnit(BaseModel):
    """A class, school, teacher or program that sat the test."""

    value: str
    n: int
    mean: float
    median: float
    share: float | None


class ItemsAnswer(StepAnswer):
    """Needs by item of a common test."""

    test: str
    n: int
    possible: float
    mean: float | None
    median: float | None
    alpha: float | None
    few: bool
    options_withheld: bool = Field(description="too few sat the test to show who chose what outside the class")
    items: list[ItemRow]
    units: list[TestUnit]


class GridAnswers(BaseModel):
    """A student's answers: a letter where a wrong option was chosen, empty where the answer was right."""

    student_id: str
    name: str
    section: str | None
    total: float
    answers: list[str]


class AnswersGrid(BaseModel):
    """Students x items, both sorted by score, the highest and the easiest first."""

    caption: str
    test: str
    possible: float
    items: list[str]
    keys: list[str]
    share: list[float | None]
    students: list[GridAnswers]


NOT_ANSWERED = "–"


def tests_of(data: NeedsData) -> list[str]:
    """Names of the common tests."""
    names: list[str] = data.items["test"].unique(maintain_order=True).to_list()
    return names


def analysis_of(comparison: Comparison, data: NeedsData, *, lowest_fifth: bool = False) -> TestAnalysis:
    """The test of a scope over its students, by the sitting that counts at the scope's latest window.

    Raises NotFound where the measure is no common test.
    """
    test = comparison.scope.assessment
    if test not in tests_of(data):
        raise NotFound("This test has no items.")
    side = "to" if comparison.students["to_score"].count() else "from"
    sat = students_of(comparison, "student_id", f"{side}_tested_on").rename({f"{side}_tested_on": "tested_on"})
    sittings = kept_sittings(data, test)
    rows = sittings.among(sat)
    found = analysed(test, sittings, rows)
    if lowest_fifth and found.n:
        found = analysed(test, sittings, rows[fifth(found.total) == LOWEST])
    return found


def _third(value: float) -> str:
    return f"{value:.0f}" if abs(value - round(value)) < 0.05 else f"{value:.1f}"


def flags_of(test: TestAnalysis, at: int) -> list[ItemFlag]:
    """What looks wrong with an item, in words."""
    found, options, keys = test.flags[at], test.options[at], test.keys[at]
    told = []
    for flag in test.flag_names(at):
        option = None
        if flag == "check_key":
            wrong = [place for place in range(len(options)) if place not in keys]
            place = max(wrong, key=lambda one: found.top[one])
            option = options[place]
            by_keys = float(found.top[sorted(keys)].sum())
            named = " or ".join(options[key] for key in sorted(keys))
            words = "Wrong key?"
            detail = (
                f"{_third(found.top[place])} of the top third chose {option}, {_third(by_keys)} the key {named}; "
                f"who chose {option} does better on the other items"
            )
        elif flag == "shared_mistake" and found.shared_mistake is not None:
            option = options[found.shared_mistake]
            n = int(found.chosen[found.shared_mistake])
            words, detail = "One shared mistake", f"{n} of {test.n} chose {option} ({percent(n / test.n)})"
        elif flag == "does_not_tell":
            words = "Tells nobody apart"
            detail = f"who has it right does no better on the other items ({test.figures.discrimination[at]:.2f})"
        elif flag == "nobody_wrong":
            words, detail = "Nobody wrong", "everybody has all its points"
        else:
            words, detail = "Nobody right", "nobody has all its points: look at the key first"
        told.append(ItemFlag(flag=flag, words=words, detail=detail, option=option))
    return told


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _row(test: TestAnalysis, at: int, about: Mapping[str, Mapping[str, str]], *, withheld: bool) -> ItemRow:
    row = test.items.row(at, named=True)
    found = test.flags[at]
    full = test.won[:, at] >= test.worth[at] * (1 - 1e-9)
    options = [
        ItemOption(
            option=name, is_key=place in test.keys[at], n=int(found.chosen[place]),
            share=int(found.chosen[place]) / test.n if test.n else 0.0, top_n=float(found.top[place]),
            bottom_n=float(found.bottom[place]),
        )
        for place, name in enumerate(test.options[at])
    ]  # fmt: skip
    return ItemRow(
        item=row["item"], keys=row["keys"], points=row["points"], dropped=row["dropped"],
        standards=[
            ItemStandard(standard=one, text=about.get(one, {}).get("text", one),
                         strand=about.get(one, {}).get("strand", "no strand"))
            for one in row["standards"]
        ],
        answered=int((test.chosen[:, at] >= 0).sum()), right_n=int(full.sum()),
        difficulty=_known(test.figures.difficulty[at]), discrimination=_known(test.figures.discrimination[at]),
        upper_lower=_known(test.figures.upper_lower[at]), flags=flags_of(test, at), options=[] if withheld else options,
    )  # fmt: skip


def units_of(comparison: Comparison, by: By) -> pl.DataFrame:
    """The units of each student: ``student_id`` and ``value``, a row for each; one for who has none."""
    rows, value = comparison.students, pl.col("value")
    if by == "program":
        listed = rows.select("student_id", value="programs").explode("value")
        return listed.with_columns(value.cast(pl.String).fill_null("none"))
    return rows.select("student_id", value=pl.col(by).cast(pl.String).replace("", None).fill_null("not said"))


def test_units(test: TestAnalysis, units: pl.DataFrame) -> list[TestUnit]:
    """The test by unit, the weakest first; ``units``: ``student_id`` and ``value``, a row for each of a student's."""
    total, possible = pl.col("total"), test.possible
    figures = (
        pl.DataFrame({"student_id": test.students, "total": test.total}, schema_overrides={"student_id": pl.String})
        .join(units, on="student_id", how="inner", maintain_order="left")
        .group_by("value")
        .agg(pl.len(), total.sum().alias("sum"), total.mean().alias("mean"), total.median().alias("median"))
        .sort("mean", "value")
    )
    return [
        TestUnit(value=value, n=n, mean=mean, median=median, share=points / (possible * n) if possible else None)
        for value, n, points, mean, median in figures.iter_rows()
    ]


def _said(test: TestAnalysis, rows: Sequence[ItemRow]) -> tuple[str, str]:
    if not test.n:
        return "Nobody of this choice sat this test", "Choose other students, or bring in its answers."
    flagged = [(row, flag) for row in rows for flag in row.flags if flag.flag in ("check_key", "shared_mistake")]
    flagged.sort(key=lambda one: one[1].flag)
    mean = f"{percent(float(test.total.mean()) / test.possible)} of points on average" if test.possible else ""
    if flagged:
        row, flag = flagged[0]
        return (
            f"Item {row.item}: {flag.words[:1].lower()}{flag.words[1:]}",
            f"{flag.detail}. {mean}, {test.n:,} sat it.",
        )
    if test.n < FEWEST:
        return f"{plural(test.n, 'student')}: counts only", f"With fewer than {FEWEST} no item is judged. {mean}."
    hardest = min(
        (row for row in rows if row.difficulty is not None), key=lambda row: row.difficulty or 0, default=None
    )
    if hardest is None:
        return "No item counts", "Every item of this test is dropped."
    return (
        f"No item looks wrong; item {hardest.item} is the hardest",
        f"{percent(hardest.difficulty)} of its points were won. {mean}, {test.n:,} sat it.",
    )


def items_answer(
    test: TestAnalysis, data: NeedsData, parts: dict[str, Any], units: pl.DataFrame | None, *, own: bool
) -> ItemsAnswer:
    """Needs by item for a scope; ``parts`` are those that every step's answer has, ``units`` those of each student.

    ``own``: the class's own view, in which options are shown however few sat the test.
    """
    about = {row["standard"]: row for row in data.standards.iter_rows(named=True)}
    withheld = 0 < test.n < FEWEST and not own
    rows = [_row(test, at, about, withheld=withheld) for at in range(test.items.height)]
    headline, lead = _said(test, rows)
    notes = [*parts["notes"], *([test.figures.reason] if test.figures.reason else [])]
    if test.n >= FEWEST and test.figures.few:
        notes.append("fewer than 30 students: the figures of items move by chance")
    twice = [row.item for row in rows if len(row.standards) > 1]
    if twice:
        notes.append(f"items that count for more than one standard, so that a miss shows twice: {', '.join(twice)}")
    return ItemsAnswer.model_construct(
        **{**parts, "notes": notes, "covered": test.n}, headline=headline, lead=lead, test=test.test, n=test.n,
        possible=test.possible, mean=float(test.total.mean()) if test.n else None,
        median=float(np.median(test.total)) if test.n else None, alpha=test.figures.alpha, few=test.figures.few,
        options_withheld=withheld, items=rows, units=[] if units is None else test_units(test, units),
    )  # fmt: skip


def answers_grid(test: TestAnalysis, names: Names, sections: Mapping[str, str | None], caption: str) -> AnswersGrid:
    """Every student's wrong answers, both sides sorted by score."""
    share = test.won.mean(axis=0) / test.worth if test.n else np.full(test.items.height, np.nan)
    items: list[int] = np.argsort(-np.nan_to_num(share), kind="stable").tolist()
    order = sorted(range(test.n), key=lambda who: (-test.total[who], names.get(test.students[who], ("", ""))))

    def cell(who: int, at: int) -> str:
        place = int(test.chosen[who, at])
        if place < 0:
            return NOT_ANSWERED
        return "" if test.won[who, at] >= test.worth[at] * (1 - 1e-9) else test.options[at][place]

    labels = test.items["item"].to_list()
    return AnswersGrid(
        caption=caption, test=test.test, possible=test.possible, items=[labels[at] for at in items],
        keys=[";".join(test.items["keys"][at]) for at in items], share=[_known(float(share[at])) for at in items],
        students=[
            GridAnswers(
                student_id=test.students[who], name=display_name(names, test.students[who]),
                section=sections.get(test.students[who]), total=float(test.total[who]),
                answers=[cell(who, at) for at in items],
            )
            for who in order
        ],
    )  # fmt: skip


def who_chose(test: TestAnalysis, item: str, option: str | None) -> list[str]:
    """Students who chose an option of an item; None: who left it out. Raises NotFound for an unknown one."""
    labels = test.items["item"].to_list()
    if item not in labels:
        raise NotFound("There is no such item.")
    at = labels.index(item)
    if option is not None and option not in test.options[at]:
        raise NotFound("There is no such option.")
    place = -1 if option is None else test.options[at].index(option)
    return [student for student, chosen in zip(test.students, test.chosen[:, at].tolist(), strict=True)
            if chosen == place]  # fmt: skip
