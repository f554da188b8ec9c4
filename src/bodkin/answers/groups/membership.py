"""Entry and exit rules held against results: who has met the exit rule, and who waits for a place."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import polars as pl
from pydantic import BaseModel

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import plural
from bodkin.core.arrays import FloatArray
from bodkin.core.errors import BadInput
from bodkin.core.follow_up.trend import BASELINE_POINTS, aim_line
from bodkin.core.groups.membership_rules import MembershipRule, parse_rule, rule_holds
from bodkin.core.windows import read_window
from bodkin.store.reads.table.score_table import ScoreTable

Goals = Callable[[str, str], Mapping[str, tuple[float, date]]]
"""Score and day of each student's goal in a measure."""


Place = tuple[str | None, str | None]
"""School and grade."""


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
class _Looked:
    """What a rule looks at, of everybody: ``values`` as ``rule_holds`` takes them, and where each student is."""

    students: list[str]
    values: FloatArray
    place: dict[str, Place]


@dataclass(frozen=True, slots=True)
class _Latest:
    """Everybody's result in the latest window of a measure, and where each student is."""

    frame: pl.DataFrame
    students: list[str]
    places: dict[str, Place]


def _last_window(table: ScoreTable, rule: MembershipRule) -> str | None:
    windows = results_of(table, rule.assessment, rule.subject)["window"].drop_nulls().unique().to_list()
    return max(windows, key=read_window) if windows else None


_COLUMN = {"score": "to_score", "percentile": "to_percentile", "band": "to_order"}


def _of_window(table: ScoreTable, rule: MembershipRule) -> _Looked:
    """Each student's value in the latest window of the measure."""
    window = _last_window(table, rule)
    if window is None:
        return _Looked([], np.empty((0, 1)), {})

    def made() -> _Latest:
        whole = Scope(assessment=rule.assessment, subject=rule.subject, from_window=window, to_window=window)
        frame = compare(table, whole, []).students.select("student_id", "school", "grade", *_COLUMN.values())
        places = {student: (school, grade) for student, school, grade in frame.select(
            "student_id", "school", "grade").iter_rows()}  # fmt: skip
        return _Latest(frame, list(places), places)

    # Over all students, once for every rule: what one person may see is cut out of it afterwards.
    latest = table.worked.once(("rules, latest window", rule.assessment, rule.subject), made)
    values = latest.frame[_COLUMN[rule.value]].cast(pl.Float64).fill_null(float("nan")).to_numpy()
    return _Looked(latest.students, values[:, None], latest.places)


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


def _of_results(table: ScoreTable, rule: MembershipRule, today: date, goals: Goals) -> _Looked:
    """Each student's last results, one a day, the latest last."""
    wanted = rule.last or 1
    rows = (
        results_of(table, rule.assessment, rule.subject).filter(pl.col("tested_on") <= today).sort("tested_on", "line")
    )
    rows = rows.unique(["student_id", "tested_on"], keep="last", maintain_order=True)
    known = goals(rule.assessment, rule.subject) if rule.value == "points above the aim line" else {}
    students, values, place = [], [], {}
    for (student,), mine in rows.group_by("student_id", maintain_order=True):
        days, scores = mine["tested_on"].to_list(), mine["score"].to_list()
        if rule.value == "points above the aim line":
            scores = _above_aim(days, scores, known.get(str(student)))
        students.append(str(student))
        values.append([*([float("nan")] * wanted), *scores][-wanted:])
        place[str(student)] = (mine["school"][-1], mine["grade"][-1])
    return _Looked(students, np.array(values, dtype=np.float64).reshape(-1, wanted), place)


@dataclass(frozen=True, slots=True)
class _Told:
    """What a rule says of each student it knows (1 met, 0 not, NaN cannot be told), and where each is."""

    holds: Mapping[str, float]
    place: Mapping[str, Place]


_NOTHING = _Told({}, {})


def _told(text: str | None, table: ScoreTable, today: date, goals: Goals) -> _Told:
    """A rule held against everybody's results. Raises BadInput for words that are no rule, or without results."""
    if text is None:
        return _NOTHING
    try:
        rule = parse_rule(text)
    except BadInput:
        raise BadInput("it is kept in words, which cannot be held against results") from None
    looked = _of_window(table, rule) if rule.last is None else _of_results(table, rule, today, goals)
    if not looked.students:
        raise BadInput(f"no results in {rule.assessment}, {rule.subject} yet")
    return _Told(dict(zip(looked.students, rule_holds(rule, looked.values).tolist(), strict=True)), looked.place)


def _said(leaves: int, waits: int) -> str:
    parts = []
    if leaves:
        parts.append(f"{plural(leaves, 'student has', 'students have')} met the exit rule")
    if waits:
        have = "has" if waits == 1 else "have"
        parts.append(f"{plural(waits, 'student meets', 'students meet')} the entry rule and {have} no place yet")
    return "; ".join(parts)


def _check(
    group: RuledGroup, taken: Collection[str], told: Mapping[str, _Told], reach: frozenset[str] | None, names: Names
) -> RuleCheck:
    def named(students: Collection[str]) -> list[RuleMet]:
        ordered = sorted(students, key=lambda one: (names.get(one, ("", "")), one))
        return [RuleMet(student_id=one, name=display_name(names, one)) for one in ordered]

    leaving, entering = told["exit"], told["entry"]
    leaves = [one for one in group.members if leaving.holds.get(one) == 1.0]
    unknown = [one for one in group.members if leaving.holds and leaving.holds.get(one) not in (0.0, 1.0)]
    home = {entering.place[one] for one in group.members if one in entering.place}
    waits = [
        one for one, holds in entering.holds.items()
        if holds == 1.0 and one not in taken and (reach is None or one in reach)
        and (not home or entering.place[one] in home)
    ]  # fmt: skip
    return RuleCheck(
        group=group.id, name=group.name, leaves=named(leaves), waits=named(waits), unknown=named(unknown),
        said=_said(len(leaves), len(waits)), notes=[],
    )  # fmt: skip


def membership_answer(
    groups: Sequence[RuledGroup], table: ScoreTable, today: date, goals: Goals, reach: frozenset[str] | None,
    names: Names,
) -> MembershipAnswer:  # fmt: skip
    """What the rules of running groups say of the students in ``reach`` (None: of everybody)."""
    taken: dict[tuple[str | None, str | None], set[str]] = {}
    for group in groups:
        taken.setdefault(group.measure, set()).update(group.members)
    checks = []
    for group in groups:
        told, notes = {}, []
        for kind, text in (("exit", group.exit_rule), ("entry", group.entry_rule)):
            try:
                told[kind] = _told(text, table, today, goals)
            except BadInput as fault:
                told[kind] = _NOTHING
                notes.append(f"{kind} rule: {fault}")
        found = _check(group, taken[group.measure], told, reach, names)
        checks.append(found.model_copy(update={"notes": notes}))
    leaves = {one.student_id for check in checks for one in check.leaves}
    waits = {one.student_id for check in checks for one in check.waits}
    return MembershipAnswer(groups=checks, leaves=len(leaves), waits=len(waits), line=_line(len(leaves), len(waits)))


def _line(leaves: int, waits: int) -> str:
    """The line of the rail: who could leave, and who waits."""
    parts = []
    if leaves:
        parts.append(f"{leaves:,} {'meets' if leaves == 1 else 'meet'} the exit rule")
    if waits:
        parts.append(f"{waits:,} {'waits' if waits == 1 else 'wait'} for a place")
    return ", ".join(parts)
