"""The files of ``./bodkin items``: items, options, students, standards and a summary, from plain files."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl

from bodkin.answers.comparison.measures.common_tests import latest_sittings
from bodkin.answers.headless.writing import json_text
from bodkin.answers.needs.item_analysis import TestAnalysis, analyse
from bodkin.core.arrays import BoolArray, FloatArray
from bodkin.core.needs.items import TOP_SHARE, end_weights
from bodkin.core.scores.local_rank import fifth, local_percentile
from bodkin.core.suppression import Unsafe, withhold
from bodkin.store.reads.needs_data import NeedsData

NOT_SAID = "not said"

_TEXT, _NUMBER, _COUNT, _TRUTH = pl.String(), pl.Float64(), pl.Int64(), pl.Boolean()
ITEM_FILE = pl.Schema(
    {
        "test": _TEXT, "item": _TEXT, "key": _TEXT, "points": _NUMBER, "dropped": _TRUTH, "n": _COUNT,
        "answered": _COUNT, "right_n": _COUNT, "difficulty": _NUMBER, "discrimination": _NUMBER,
        "upper_lower": _NUMBER, "flags": _TEXT, "shared_option": _TEXT, "standards": _TEXT,
    }
)  # fmt: skip
OPTION_FILE = pl.Schema(
    {
        "test": _TEXT, "item": _TEXT, "option": _TEXT, "is_key": _TRUTH, "n": _COUNT, "share": _NUMBER,
        "top_n": _NUMBER, "bottom_n": _NUMBER,
    }
)  # fmt: skip
STUDENT_FILE = pl.Schema(
    {
        "test": _TEXT, "student_id": _TEXT, "tested_on": pl.Date(), "points": _NUMBER, "possible": _NUMBER,
        "percent": _NUMBER, "rank_percentile": _NUMBER, "fifth": _COUNT,
    }
)  # fmt: skip
STANDARD_FILE = pl.Schema(
    {"test": _TEXT, "standard": _TEXT, "items": _COUNT, "points": _NUMBER, "n": _COUNT, "share": _NUMBER}
)


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _hidden(parts: Sequence[int], minimum: int | None) -> BoolArray:
    """Which parts of a known total to withhold; all of them where nothing less is safe."""
    hidden = np.zeros(len(parts), dtype=np.bool_)
    if minimum is None or not sum(parts):
        return hidden
    try:
        return withhold(
            [*parts, sum(parts)], [(len(parts), range(len(parts)))], minimum, always_shown={len(parts)}
        )[:-1]  # fmt: skip
    except Unsafe:
        return ~hidden


def _option_rows(test: TestAnalysis, at: int, minimum: int | None) -> list[list[Any]]:
    """Rows of one item's options, their figures empty where they are withheld."""
    names, flags = test.options[at], test.flags[at]
    counts = [int(count) for count in flags.chosen[: len(names)]]
    tops, bottoms = flags.top[: len(names)].tolist(), flags.bottom[: len(names)].tolist()
    keys = [place in test.keys[at] for place in range(len(names))]
    left = test.n - sum(counts)
    if left:
        without = test.chosen[:, at] < 0
        thirds = [float(_third(test, at, top=top)[without].sum()) for top in (True, False)]
        names, counts, keys = [*names, ""], [*counts, left], [*keys, False]
        tops, bottoms = [*tops, thirds[0]], [*bottoms, thirds[1]]
    hidden = _hidden(counts, minimum)
    item = test.items["item"][at]
    rows: list[list[Any]] = []
    for place, name in enumerate(names):
        figures: list[Any] = [counts[place], counts[place] / test.n if test.n else None, tops[place], bottoms[place]]
        rows.append([test.test, item, name, keys[place], *([None] * 4 if hidden[place] else figures)])
    return rows


def _third(test: TestAnalysis, at: int, *, top: bool) -> FloatArray:
    """How much each student counts in the top or bottom third by the points on the other items."""
    rest = test.total - (0.0 if test.dropped[at] else test.won[:, at])
    size = max(1, int(np.floor(TOP_SHARE * test.n + 0.5)))
    return end_weights(rest, size)[0 if top else 1]


def _item_row(test: TestAnalysis, at: int, options: Sequence[Sequence[Any]]) -> list[Any]:
    """A row of ``items.csv``; what follows from a withheld count of the options is withheld too."""
    row = test.items.row(at, named=True)
    hidden = bool(test.n) and any(is_key and count is None for _, _, _, is_key, count, *_ in options)
    unanswered = bool(test.n) and any(name == "" and count is None for _, _, name, _, count, *_ in options)
    flags = test.flag_names(at)
    shared = test.flags[at].shared_mistake
    full = test.won[:, at] >= test.worth[at] * (1 - 1e-9)
    figures = [test.figures.difficulty[at], test.figures.discrimination[at], test.figures.upper_lower[at]]
    told = [] if hidden else flags
    return [
        test.test, row["item"], ";".join(row["keys"]), row["points"], row["dropped"], test.n,
        None if unanswered else int((test.chosen[:, at] >= 0).sum()), None if hidden else int(full.sum()),
        *(None if hidden else _known(float(value)) for value in figures),
        ";".join(told) or None,
        test.options[at][shared] if shared is not None and "shared_mistake" in told else None,
        ";".join(row["standards"]),
    ]  # fmt: skip


def _student_rows(test: TestAnalysis) -> list[list[Any]]:
    total, possible = test.total, test.possible
    rank, of_five = local_percentile(total), fifth(total)
    return [
        [test.test, student, day, float(total[at]), possible, float(100 * total[at] / possible) if possible else None,
         float(rank[at]), int(of_five[at])]
        for at, (student, day) in enumerate(zip(test.students, test.tested_on, strict=True))
    ]  # fmt: skip


def _standard_rows(test: TestAnalysis, *, hidden: bool) -> list[list[Any]]:
    places: dict[str, list[int]] = {}
    for at, standards in enumerate(test.items["standards"].to_list()):
        if not test.dropped[at]:
            for standard in dict.fromkeys(standards):
                places.setdefault(standard, []).append(at)
    rows: list[list[Any]] = []
    for standard, mine in places.items():
        points = float(test.worth[mine].sum())
        share = float(test.won[:, mine].sum() / (points * test.n)) if test.n and not hidden else None
        rows.append([test.test, standard, len(mine), points, test.n, share])
    return rows


def _unit_rows(test: TestAnalysis, by: Mapping[str, str], minimum: int | None) -> list[dict[str, Any]]:
    """The test by unit, in the order in which their students come; small units withheld."""
    units: dict[str, list[int]] = {}
    for at, student in enumerate(test.students):
        units.setdefault(by.get(student) or NOT_SAID, []).append(at)
    sizes = [len(mine) for mine in units.values()]
    hidden = _hidden(sizes, minimum)
    rows: list[dict[str, Any]] = []
    for at, (value, mine) in enumerate(units.items()):
        if hidden[at]:
            rows.append({"value": value, "n": None, "mean": None, "median": None, "share": None, "withheld": True})
            continue
        total = test.total[mine]
        share = float(total.sum() / (test.possible * len(mine))) if test.possible else None
        rows.append(
            {"value": value, "n": len(mine), "mean": float(total.mean()), "median": float(np.median(total)),
             "share": share}
        )  # fmt: skip
    return rows


def _summary(test: TestAnalysis, by: Mapping[str, str] | None, minimum: int | None) -> dict[str, Any]:
    total, some = test.total, test.n > 0 and (minimum is None or test.n >= minimum)
    figures = {
        "mean": float(total.mean()) if some else None,
        "sd": float(total.std(ddof=1)) if some and test.n > 1 else None,
        "median": float(np.median(total)) if some else None,
        "lowest": float(total.min()) if some else None,
        "highest": float(total.max()) if some else None,
    }
    answer = {
        "test": test.test, "n": test.n, "items": int((~test.dropped).sum()), **figures, "possible": test.possible,
        "alpha": test.figures.alpha if some else None, "few": test.figures.few,
    }  # fmt: skip
    return {**answer, "by": [] if by is None else _unit_rows(test, by, minimum)}


def _notes(test: TestAnalysis, *, withheld: bool) -> list[str]:
    notes = []
    if test.figures.reason is not None:
        notes.append(f"{test.test}: {test.figures.reason}")
    elif test.figures.alpha is None:
        notes.append(f"{test.test}: alpha needs two items or more and totals that differ")
    if test.figures.reason is None:
        flat = [item for item, value, out in zip(
            test.items["item"], test.figures.discrimination.tolist(), test.dropped.tolist(), strict=True
        ) if np.isnan(value) and not out]  # fmt: skip
        if flat:
            notes.append(f"{test.test}: no discrimination where all won alike: {', '.join(flat)}")
    for at, (item, told) in enumerate(zip(test.items["item"], test.items["options"].to_list(), strict=True)):
        more = [name for name in test.options[at] if told and name not in told]
        if more:
            notes.append(f"{test.test}, item {item}: chosen although not among its options: {', '.join(more)}")
    if withheld:
        notes.append(f"{test.test}: counts of few students are withheld")
    return notes


def items_texts(
    data: NeedsData, tests: Sequence[str], by: Mapping[str, str] | None = None, minimum: int | None = None
) -> dict[str, str]:
    """The texts of the run's files by name.

    ``by``: the unit of each student where the summary is broken down. ``minimum``: withhold counts of fewer
    students, of options within an item and of units.
    """
    counted = latest_sittings(data.answers)
    rows: dict[str, list[list[Any]]] = {"items": [], "options": [], "students": [], "standards": []}
    summaries, notes = [], []
    for name in tests:
        test = analyse(data, name, among=counted)
        small = minimum is not None and 0 < test.n < minimum
        any_hidden = small
        for at in range(test.items.height):
            options = _option_rows(test, at, minimum)
            rows["options"] += options
            rows["items"].append(_item_row(test, at, options))
            any_hidden = any_hidden or (test.n > 0 and any(row[4] is None for row in options))
        rows["students"] += _student_rows(test)
        rows["standards"] += _standard_rows(test, hidden=small)
        summary = _summary(test, by, minimum)
        summaries.append(summary)
        notes += _notes(test, withheld=any_hidden or any(unit.get("withheld") for unit in summary["by"]))
    schemas = {"items": ITEM_FILE, "options": OPTION_FILE, "students": STUDENT_FILE, "standards": STANDARD_FILE}
    texts = {
        f"{name}.csv": pl.DataFrame(rows[name], schema=schema, orient="row").write_csv()
        for name, schema in schemas.items()
    }
    return {**texts, "summary.json": json_text({"tests": summaries, "notes": notes})}
