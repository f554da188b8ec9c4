"""Entry and exit rules held against results: who has met the exit rule, and who waits for a place."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cache

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.norms.placed import placed
from bodkin.answers.comparison.pairing import of_window, results_of, windows_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import plural
from bodkin.core.arrays import FloatArray, IntArray
from bodkin.core.errors import BadInput
from bodkin.core.follow_up.trend import BASELINE_POINTS, aim_line
from bodkin.core.groups.membership_rules import MembershipRule, Value, parse_rule, rule_holds
from bodkin.core.windows import parse_window, read_window
from bodkin.store.reads.table.score_table import WORD, ScoreTable

Goals = Callable[[str, str], Mapping[str, tuple[float, date]]]
"""Score and day of each student's goal in a measure."""


@dataclass(frozen=True, slots=True)
class RuledGroup:
    """A group as its rules look at it; ``members``: who is in it, as far as the reader knows them."""

    id: int
    name: str
    measure: tuple[str | None, str | None]
    members: frozenset[str]
    entry_rule: str | None
    exit_rule: str | None


class RuleMet(BaseModel):
    """A student of whom a rule says something."""

    student_id: str
    name: str


class RuleCheck(BaseModel):
    """What a group's rules say. ``leaves``: members who have met the exit rule. ``waits``: who meets the entry rule.

    ``waits`` are students of the schools and grades of its members (of any, while it has none) who are in no
    running group of the same measure. ``unknown``: members of whom the exit rule cannot be told yet.
    ``notes``: why a rule could not be held against anything.
    """

    group: int
    name: str
    leaves: list[RuleMet]
    waits: list[RuleMet]
    unknown: list[RuleMet]
    said: str
    notes: list[str]


class MembershipAnswer(BaseModel):
    """What the rules of all groups say, and in one line."""

    groups: list[RuleCheck]
    leaves: int
    waits: int
    line: str


@dataclass(frozen=True, slots=True)
class _Students:
    """Students of whom a rule can say something, each a row.

    ``place``: the number of each one's school and grade; ``at_place``: the rows at each.
    """

    ids: list[str]
    row: dict[str, int]
    place: IntArray
    at_place: list[IntArray]


def _students(frame: pl.DataFrame) -> _Students:
    """The students of a frame in its order; where they are by ``school`` and ``grade``, missing being a place too."""
    ids = frame["student_id"].to_list()
    # Numbers of words: a missing one is a place too.
    school, grade = (frame[name].cast(WORD).to_physical().cast(pl.Int64).fill_null(-1) for name in ("school", "grade"))
    _, of = np.unique(((school + 1) * 2**32 + grade + 1).to_numpy(), return_inverse=True)
    order = np.argsort(of, kind="stable")
    at_place = np.split(order, np.cumsum(np.bincount(of))[:-1]) if ids else []
    return _Students(ids, {student: row for row, student in enumerate(ids)}, of, at_place)


@dataclass(frozen=True, slots=True)
class _Looked:
    """What a rule looks at, of everybody: ``values`` as ``rule_holds`` takes them, a row a student."""

    students: _Students
    values: FloatArray


@dataclass(frozen=True, slots=True)
class _Latest:
    """Everybody's result in the latest window of a measure by what a rule may look at; NaN where not known."""

    students: _Students
    values: Mapping[Value, FloatArray]


def _last_window(table: ScoreTable, rule: MembershipRule) -> str | None:
    windows = windows_of(table, rule.assessment, rule.subject)
    return max(windows, key=read_window) if windows else None


def _of_window(table: ScoreTable, rule: MembershipRule) -> _Looked | None:
    """Each student's value in the latest window of the measure; None without results."""

    window = _last_window(table, rule)
    if window is None:
        return None

    def made() -> _Latest:
        whole = Scope(assessment=rule.assessment, subject=rule.subject, from_window=window, to_window=window)
        held = of_window(table, whole, whole.second)
        at = placed(table, whole, whole.second, held)
        values: dict[Value, FloatArray] = {"percentile": at.percentile, "band": at.order}
        return _Latest(_students(held), {**values, "score": held["score"].to_numpy()})

    # Over all students, once for every rule: what one person may see is cut out of it afterwards.
    key = ("latest window", rule.assessment, rule.subject, None, parse_window(window))
    latest = table.worked.once(key, made)
    return _Looked(latest.students, latest.values[rule.value][:, None])


def _above_aim(days: Sequence[date], scores: Sequence[float], goal: tuple[float, date] | None) -> list[float]:
    """Points of each result above the aim line; NaN without a goal or a baseline."""
    if goal is None or len(days) < BASELINE_POINTS:
        return [float("nan")] * len(days)
    weeks = np.array([(day - days[0]).days / 7 for day in days])
    try:
        line = aim_line(weeks, scores, (goal[1] - days[0]).days / 7, goal[0])
    except BadInput:
        return [float("nan")] * len(days)
    above: list[float] = (np.asarray(scores) - line.at(weeks)).tolist()
    return above


def _of_results(table: ScoreTable, rule: MembershipRule, today: date, goals: Goals) -> _Looked | None:
    """Each student's last results, one a day, the latest last; None without results."""
    wanted = rule.last or 1
    rows = results_of(table, rule.assessment, rule.subject, pl.col("tested_on") <= today).sort("tested_on", "line")
    rows = rows.unique(["student_id", "tested_on"], keep="last", maintain_order=True)
    if not rows.height:
        return None
    mine = rows.group_by("student_id", maintain_order=True)
    found = mine.agg("tested_on", "score", pl.col("school").last(), pl.col("grade").last())
    scores: list[list[float]] = found["score"].to_list()
    if rule.value == "points above the aim line":
        known = goals(rule.assessment, rule.subject)
        of_each = zip(found["student_id"], found["tested_on"].to_list(), scores, strict=True)
        scores = [_above_aim(days, own, known.get(student)) for student, days, own in of_each]
    values = [[*([float("nan")] * wanted), *own][-wanted:] for own in scores]
    return _Looked(_students(found), np.array(values, dtype=np.float64).reshape(-1, wanted))


@dataclass(frozen=True, slots=True)
class _Rule:
    """A rule and what it looks at."""

    rule: MembershipRule
    looked: _Looked

    def holds(self, rows: IntArray) -> FloatArray:
        """For some students: 1 met, 0 not, NaN cannot be told."""
        return rule_holds(self.rule, self.looked.values[rows])


def _read(text: str, table: ScoreTable, today: date, goals: Goals) -> _Rule:
    """A rule with everybody's results. Raises BadInput for words that are no rule, or without results."""
    try:
        rule = parse_rule(text)
    except BadInput:
        raise BadInput("it is kept in words, which cannot be held against results") from None
    looked = _of_window(table, rule) if rule.last is None else _of_results(table, rule, today, goals)
    if looked is None:
        raise BadInput(f"no results in {rule.assessment}, {rule.subject} yet")
    return _Rule(rule, looked)


def _leaving(members: Collection[str], rule: _Rule) -> tuple[list[str], list[str]]:
    """Members who meet an exit rule, and those of whom it cannot be told."""
    known = rule.looked.students.row
    there = [one for one in members if one in known]
    holds = rule.holds(np.array([known[one] for one in there], dtype=np.int64))
    leaves = [one for one, met in zip(there, holds.tolist(), strict=True) if met == 1.0]
    unknown = [one for one, untold in zip(there, np.isnan(holds).tolist(), strict=True) if untold]
    return leaves, [*unknown, *(one for one in members if one not in known)]


def _waiting(members: Collection[str], rule: _Rule) -> list[str]:
    """Who meets an entry rule at the members' schools and grades; anywhere where no member is known."""
    students = rule.looked.students
    mine = [students.row[one] for one in members if one in students.row]
    rows = np.arange(len(students.ids))
    if mine:
        rows = np.sort(np.concatenate([students.at_place[at] for at in np.unique(students.place[mine]).tolist()]))
    return [students.ids[row] for row in rows[rule.holds(rows) == 1.0].tolist()]


def _said(leaves: int, waits: int) -> str:
    parts = []
    if leaves:
        parts.append(f"{plural(leaves, 'student has', 'students have')} met the exit rule")
    if waits:
        have = "has" if waits == 1 else "have"
        parts.append(f"{plural(waits, 'student meets', 'students meet')} the entry rule and {have} no place yet")
    return "; ".join(parts)


@dataclass(frozen=True, slots=True)
class GroupMembership:
    """What the rules of a group say, by students: see ``RuleCheck``."""

    id: int
    name: str
    leaves: Sequence[str]
    waits: Sequence[str]
    unknown: Sequence[str]
    notes: Sequence[str]


@dataclass(frozen=True, slots=True)
class Membership:
    """What the rules of all groups say."""

    groups: Sequence[GroupMembership]

    @property
    def leaves(self) -> int:
        """Students who meet an exit rule."""
        return len({one for group in self.groups for one in group.leaves})

    @property
    def waits(self) -> int:
        """Students who wait for a place."""
        return len({one for group in self.groups for one in group.waits})

    @property
    def line(self) -> str:
        """The line of the rail."""
        return _line(self.leaves, self.waits)


def membership(
    groups: Sequence[RuledGroup], table: ScoreTable, today: date, goals: Goals, reach: frozenset[str] | None
) -> Membership:
    """What the rules of running groups say of the students in ``reach`` (None: of everybody)."""
    # Many groups have the same rule.
    read = cache(lambda text: _read(text, table, today, goals))
    taken: dict[tuple[str | None, str | None], set[str]] = {}
    for group in groups:
        taken.setdefault(group.measure, set()).update(group.members)
    found = []
    for group in groups:
        rules, notes = {}, []
        for kind, text in (("exit", group.exit_rule), ("entry", group.entry_rule)):
            try:
                if text is not None:
                    rules[kind] = read(text)
            except BadInput as fault:
                notes.append(f"{kind} rule: {fault}")
        leaves, unknown = _leaving(group.members, rules["exit"]) if "exit" in rules else ([], [])
        meets = _waiting(group.members, rules["entry"]) if "entry" in rules else []
        own = taken[group.measure]
        waits = [one for one in meets if one not in own and (reach is None or one in reach)]
        found.append(GroupMembership(group.id, group.name, leaves, waits, unknown, notes))
    return Membership(found)


def membership_answer(found: Membership, names: Names) -> MembershipAnswer:
    """The same with names, in their order."""

    def named(students: Collection[str]) -> list[RuleMet]:
        ordered = sorted(students, key=lambda one: (names.get(one, ("", "")), one))
        return [RuleMet(student_id=one, name=display_name(names, one)) for one in ordered]

    groups = [
        RuleCheck(
            group=one.id, name=one.name, leaves=named(one.leaves), waits=named(one.waits),
            unknown=named(one.unknown), said=_said(len(one.leaves), len(one.waits)), notes=list(one.notes),
        )
        for one in found.groups
    ]  # fmt: skip
    return MembershipAnswer(groups=groups, leaves=found.leaves, waits=found.waits, line=found.line)


def _line(leaves: int, waits: int) -> str:
    """The line of the rail: who could leave, and who waits."""
    parts = []
    if leaves:
        parts.append(f"{leaves:,} {'meets' if leaves == 1 else 'meet'} the exit rule")
    if waits:
        parts.append(f"{waits:,} {'waits' if waits == 1 else 'wait'} for a place")
    return ", ".join(parts)
