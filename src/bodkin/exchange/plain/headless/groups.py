"""The files of ``./bodkin groups``: needs, groups and the rules."""

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.plain.headless.scores import content_of
from bodkin.exchange.tables_in.reading import CODE, COUNT, NUMBER, Column, Layout, doubled, read_plain
from bodkin.exchange.tables_in.sheets import open_plain

SIZES = ("fewest", "most")


@dataclass(frozen=True, slots=True)
class MeasureTable:
    """Rows by name with a column a measure, shape (rows, measures); NaN where a measure is missing."""

    names: list[str]
    measures: list[str]
    values: FloatArray
    lines: list[int]
    sizes: dict[str, list[float]] = field(default_factory=dict)


def _table(path: Path, name: str, extra: Sequence[str] = ()) -> MeasureTable:
    """A file of one name and any numeric columns. Raises BadFile."""
    sheet = open_plain(str(path), content_of(path), frozenset({name}))
    if name not in sheet.header:
        raise BadFile([Fault(str(path), sheet.header_line, name, "this column is missing from the header")])
    titles = {header: title.strip() for header, title in zip(sheet.header, sheet.titles, strict=True)}
    measures = [header for header in sheet.header if header and header != name and header not in extra]
    if not measures:
        raise BadFile([Fault(str(path), sheet.header_line, "", "there is no column with a measure")])
    columns = (
        Column(name, CODE, required=True, filled=True), *(Column(one, NUMBER) for one in measures),
        *(Column(one, COUNT) for one in extra),
    )  # fmt: skip
    reading = read_plain(str(path), sheet, Layout(path.stem, columns))
    reading.faults = sorted(reading.faults + doubled(reading, [name], name.removesuffix("_id")))
    rows = reading.checked()
    if not rows.height:
        raise BadFile([Fault(str(path), sheet.header_line, name, "there is no row")])
    values = rows.select(pl.col(measures).cast(pl.Float64).fill_null(float("nan"))).to_numpy()
    sizes = {one: rows[one].cast(pl.Float64).fill_null(float("nan")).to_list() for one in extra}
    return MeasureTable(rows[name].to_list(), [titles[one] for one in measures], values, rows["line"].to_list(), sizes)


def read_needs(path: Path) -> MeasureTable:
    """``needs.csv``: a student a row, a measure a column; a student without any is a fault. Raises BadFile."""
    table = _table(path, "student_id")
    nothing = np.flatnonzero(np.isnan(table.values).all(axis=1))
    if nothing.size:
        raise BadFile([
            Fault(str(path), table.lines[at], "student_id", f'"{table.names[at]}" has no need in any measure')
            for at in nothing.tolist()
        ])  # fmt: skip
    return table


def read_groups(path: Path, measures: Sequence[str]) -> MeasureTable:
    """``groups.csv``: a group a row with its focus in the needs' measures, and own sizes. Raises BadFile."""
    table = _table(path, "group", SIZES)
    faults = [Fault(str(path), 1, one, "the needs have this measure, the groups do not")
              for one in measures if one not in table.measures]  # fmt: skip
    faults += [Fault(str(path), 1, one, "the needs do not have this measure")
               for one in table.measures if one not in measures]  # fmt: skip
    if faults:
        raise BadFile(faults)
    order = [table.measures.index(one) for one in measures]
    values = table.values[:, order]
    for row, column in zip(*np.nonzero(np.isnan(values)), strict=True):
        faults.append(Fault(str(path), table.lines[row], measures[column], "is empty; a focus needs every measure"))
    if faults:
        raise BadFile(faults)
    return MeasureTable(table.names, list(measures), values, table.lines, table.sizes)


@dataclass(frozen=True, slots=True)
class Rules:
    """``rules.toml``: sizes for all groups, pairs of student ids, adults and when students stay in class."""

    fewest: int | None = None
    most: int | None = None
    together: tuple[tuple[str, str], ...] = ()
    apart: tuple[tuple[str, str], ...] = ()
    adults: Mapping[str, tuple[str, ...]] | None = None
    stays: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    effort: float | None = None


_KNOWN = {"fewest", "most", "together", "apart", "adults", "stays", "effort"}


class _Toml:
    """A file of rules with every fault found in it."""

    def __init__(self, path: Path, students: Sequence[str]) -> None:
        self._path, self._students, self.faults = path, set(students), list[Fault]()
        try:
            self.content: dict[str, Any] = tomllib.loads(content_of(path).decode("utf-8"))
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            raise BadFile([Fault(str(path), 0, "", f"cannot be read as TOML ({error})")]) from None
        for name in self.content.keys() - _KNOWN:
            self.fault(name, f"is no rule; there are {', '.join(sorted(_KNOWN))}")

    def fault(self, name: str, message: str) -> None:
        self.faults.append(Fault(str(self._path), 0, name, message))

    def whole(self, name: str) -> int | None:
        value = self.content.get(name)
        if value is not None and (isinstance(value, bool) or not isinstance(value, int) or value < 0):
            self.fault(name, "write a whole number of 0 or more")
            return None
        return value

    def known(self, name: str, student: object) -> bool:
        if student in self._students:
            return True
        self.fault(name, f'the needs have no student "{student}"')
        return False

    def pairs(self, name: str) -> tuple[tuple[str, str], ...]:
        found = []
        given = self.content.get(name, [])
        for pair in given if isinstance(given, list) else [given]:
            if not isinstance(pair, list) or len(pair) != 2 or pair[0] == pair[1]:
                self.fault(name, 'write pairs of two students, such as [["a", "b"]]')
                continue
            # Both are looked at, so that both are named.
            there = [self.known(name, one) for one in pair]
            if all(there):
                found.append((str(pair[0]), str(pair[1])))
        return tuple(found)

    def slots(self, name: str) -> dict[str, tuple[str, ...]] | None:
        given = self.content.get(name)
        if given is None:
            return None
        if not isinstance(given, dict):
            self.fault(name, "write a table of names with lists of slots")
            return None
        found = {}
        for one, slots in given.items():
            if not isinstance(slots, list) or not all(isinstance(slot, str) for slot in slots):
                self.fault(f"{name}.{one}", 'write a list of slots, such as ["Mon 9:00"]')
            else:
                found[one] = tuple(dict.fromkeys(slots))
        return found


def read_rules(path: Path, students: Sequence[str]) -> Rules:
    """The rules for some students. Raises BadFile with every fault."""
    toml = _Toml(path, students)
    stays = toml.slots("stays") or {}
    stays = {one: slots for one, slots in stays.items() if toml.known("stays", one)}
    effort = toml.content.get("effort")
    if effort is not None and (isinstance(effort, bool) or not isinstance(effort, (int, float)) or effort <= 0):
        toml.fault("effort", "write a number above 0")
    rules = (toml.whole("fewest"), toml.whole("most"), toml.pairs("together"), toml.pairs("apart"))
    adults = toml.slots("adults")
    if toml.faults:
        raise BadFile(toml.faults)
    return Rules(*rules, adults, stays, None if effort is None else float(effort))


def check_number(number: int, needs: MeasureTable) -> None:
    """Raise BadInput where so many groups cannot be found."""
    if not 1 <= number <= len(needs.names):
        raise BadInput(f"--number: {number} groups cannot be made of {len(needs.names)} students")
