"""The files of the Needs step read for a headless run: items, answers, standards, mastery, the calendar."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import polars as pl

from bodkin.core.errors import BadInput
from bodkin.core.needs.standards import prerequisite_graph
from bodkin.core.windows import parse_window
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.plain.headless.scores import content_of
from bodkin.exchange.plain.plain_files import read_scores
from bodkin.exchange.plain.row_files import ROW_FILES, STATES, WHO, in_order, must
from bodkin.exchange.tables_in.reading import (
    CODE,
    DAY,
    GRADE,
    LIST,
    Column,
    Layout,
    Reading,
    doubled,
    one_of,
    read_plain,
)
from bodkin.store.reads.needs_data import (
    ANSWERS,
    ENTRIES,
    ITEMS,
    PREREQUISITES,
    STANDARDS,
    TEACHING,
    NeedsData,
    parts_of,
)
from bodkin.store.reads.section_names import shared_names, with_schools
from bodkin.store.reads.table.score_table import shaped

MASTERY = Layout(
    "mastery",
    (
        WHO, must("standard", CODE), Column("state", one_of(*STATES), required=True), must("on", DAY),
        Column("source"), Column("note", LIST),
    ),
)  # fmt: skip
"""Mastery as a run reads it: a line without a state says nothing and is passed over."""
PLAN = Layout(
    "teaching_calendar",
    (must("standard", CODE), must("from", DAY), must("to", DAY), Column("grade", GRADE)),
)


@dataclass(slots=True)
class _Files:
    """The files of a run, and every fault found in them so far."""

    faults: list[Fault] = field(default_factory=list)

    def read(self, path: Path, layout: Layout, *checks: Callable[[Reading], list[Fault]]) -> pl.DataFrame:
        """The good rows of a file, with ``line``; its faults are kept."""
        try:
            reading = read_plain(str(path), content_of(path), layout)
        except BadFile as error:
            self.faults += error.faults
            empty = {column.name: column.kind.dtype for column in layout.columns}
            return pl.DataFrame(schema={"line": pl.Int64, **empty})
        for check in checks:
            reading.faults = sorted({*reading.faults, *check(reading)})
        self.faults += reading.faults
        return reading.good()

    def known(self, path: Path, rows: pl.DataFrame, column: str, there: Collection[str], what: str) -> None:
        """A fault for each line whose column names what is not there."""
        for line, name in rows.filter(~pl.col(column).is_in(list(there))).select("line", column).iter_rows():
            self.faults.append(Fault(str(path), line, column, f'there is no {what} "{name}"'))

    def done(self) -> None:
        """Raise BadFile with every fault."""
        if self.faults:
            raise BadFile(self.faults)


def _doubled(keys: list[str], what: str) -> Callable[[Reading], list[Fault]]:
    return lambda reading: doubled(reading, keys, what)


def _items(files: _Files, path: Path) -> pl.DataFrame:
    rows = files.read(path, ROW_FILES["items"].layout, _doubled(["test", "item"], "item")).with_columns(
        keys=parts_of("key"), options=parts_of("options"), standards=parts_of("standards"),
        points=pl.col("points").fill_null(1.0), dropped=(pl.col("dropped") == "true").fill_null(value=False),
    )  # fmt: skip
    for line, keys, options in rows.select("line", "keys", "options").iter_rows():
        if not keys:
            files.faults.append(Fault(str(path), line, "key", "names no right option"))
        wrong = [key for key in keys if options and key not in options]
        files.faults += [
            Fault(str(path), line, "key", f'"{key}" is not among the options {";".join(options)}') for key in wrong
        ]
    return rows


def _answers(files: _Files, path: Path, items: pl.DataFrame, items_path: Path) -> pl.DataFrame:
    rows = files.read(path, ROW_FILES["answers"].layout)
    there = items.select("test", "item", worth="points")
    placed = rows.join(there, on=["test", "item"], how="left", maintain_order="left")
    for line, test, item in placed.filter(pl.col("worth").is_null()).select("line", "test", "item").iter_rows():
        message = f'{items_path.name} has no item "{item}" of "{test}"'
        files.faults.append(Fault(str(path), line, "item", message))
    above = placed.filter(pl.col("points") > pl.col("worth"))
    for line, points, worth in above.select("line", "points", "worth").iter_rows():
        files.faults.append(Fault(str(path), line, "points", f"{points:g} is more than the item's {worth:g}"))
    return rows


def _sections(files: _Files, path: Path, students: Collection[str]) -> pl.DataFrame:
    """School, section and teacher of each student: those of the latest result."""
    try:
        reading = read_scores(str(path), content_of(path))
    except BadFile as error:
        files.faults += error.faults
        return pl.DataFrame()
    files.faults += reading.faults
    rows = reading.good()
    files.known(path, rows, "student_id", students, "student of the answers")
    names = {name: parse_window(name) for name in rows["window"].drop_nulls().unique()}
    order = {name: place for place, name in enumerate(sorted(names, key=names.__getitem__))}
    when = pl.col("window").replace_strict(order, default=None, return_dtype=pl.Int64) if order else pl.lit(None)
    latest = rows.with_columns(when=when).sort("when", "tested_on", "line", nulls_last=False)
    latest = latest.unique("student_id", keep="last", maintain_order=True)
    return with_schools(latest, shared_names(latest)).select("student_id", "school", "section", "teacher")


def read_items_run(
    answers: Path, items: Path, test: str | None, sections: Path | None, by: str | None
) -> tuple[NeedsData, list[str], Mapping[str, str] | None]:
    """The data of ``./bodkin items``: its tests in the order of the items, and the unit of each student.

    Raises BadFile with every fault of every file.
    """
    files = _Files()
    item_rows = _items(files, items)
    answer_rows = _answers(files, answers, item_rows, items)
    units = None
    if by is not None and sections is None:
        raise BadInput(f"--by: a breakdown by {by} needs --sections, the scores.csv that says where students sit")
    if sections is not None:
        places = _sections(files, sections, answer_rows["student_id"].unique().to_list())
        if by is not None and places.width:
            units = {student: value for student, value in places.select("student_id", by).iter_rows() if value}
    tests = item_rows["test"].unique(maintain_order=True).to_list()
    if test is not None and not files.faults:
        if test not in tests:
            listed = ", ".join(f'"{name}"' for name in tests) or "none"
            raise BadFile([Fault(str(items), 0, "test", f'there is no test "{test}"; the file has: {listed}')])
        tests = [test]
    files.done()
    data = NeedsData(items=shaped(item_rows, ITEMS), answers=shaped(answer_rows, ANSWERS))
    return data, tests, units if by is not None else None


@dataclass(frozen=True, slots=True)
class StandardsFiles:
    """The plain files of ``./bodkin standards``; all but the standards may be missing."""

    standards: Path
    prerequisites: Path | None = None
    mastery: Path | None = None
    answers: Path | None = None
    items: Path | None = None
    teaching_calendar: Path | None = None


def read_standards_run(paths: StandardsFiles) -> NeedsData:
    """The data of ``./bodkin standards``. Raises BadFile with every fault of every file, a cycle among them."""
    if (paths.answers is None) != (paths.items is None):
        raise BadInput("--answers and --items go together: an answer is scored by its item")
    if paths.mastery is None and paths.answers is None:
        raise BadInput("--mastery: without it, or --answers with --items, there is no evidence about anybody")
    files = _Files()
    standards = files.read(paths.standards, ROW_FILES["standards"].layout, _doubled(["code"], "standard"))
    standards = standards.rename({"code": "standard"})
    codes = standards["standard"].to_list()
    data = NeedsData(standards=shaped(standards, STANDARDS))
    if paths.prerequisites is not None:
        data = replace(data, prerequisites=_prerequisites(files, paths.prerequisites, codes))
    if paths.items is not None and paths.answers is not None:
        items = _items(files, paths.items)
        files.known(paths.items, items.explode("standards").filter(pl.col("standards").is_not_null()), "standards",
                    codes, "standard")  # fmt: skip
        data = replace(data, items=shaped(items, ITEMS))
        answers = _answers(files, paths.answers, items, paths.items)
        data = replace(data, answers=shaped(answers, ANSWERS))
    if paths.mastery is not None:
        entries = files.read(paths.mastery, MASTERY)
        files.known(paths.mastery, entries, "standard", codes, "standard")
        data = replace(data, entries=shaped(entries.with_columns(by=pl.lit(None, dtype=pl.String)), ENTRIES))
    if paths.teaching_calendar is not None:
        plan = files.read(paths.teaching_calendar, PLAN, in_order("from", "to"))
        files.known(paths.teaching_calendar, plan, "standard", codes, "standard")
        nowhere = dict.fromkeys(("school", "section"), pl.lit(None, dtype=pl.String))
        data = replace(data, teaching=shaped(plan.with_columns(**nowhere), TEACHING))
    files.done()
    return data


def _prerequisites(files: _Files, path: Path, codes: Collection[str]) -> pl.DataFrame:
    """What rests on what; a cycle is a fault of the file that names it."""
    rows = files.read(path, ROW_FILES["prerequisites"].layout)
    for column in ("code", "rests_on"):
        files.known(path, rows, column, codes, "standard")
    found = rows.select(standard="code", rests_on="rests_on").cast(PREREQUISITES)
    below: dict[str, list[str]] = {}
    for standard, one in found.iter_rows():
        below.setdefault(standard, []).append(one)
    try:
        prerequisite_graph(below)
    except BadInput as error:
        files.faults.append(Fault(str(path), 0, "rests_on", str(error)))
    return found
