"""Groups followed: Follow-up, the rail and Home ask for the same answers, read in one go for many groups."""

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from datetime import date
from typing import TypeVar

import polars as pl
from sqlalchemy.orm import Session

from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.follow_up.given import Followed, HelpGroup, Met, Received, Stay
from bodkin.answers.follow_up.group import AroundGroup, FollowUpAnswer, follow_up_answer
from bodkin.answers.follow_up.practice.seen import weekly_minutes
from bodkin.answers.follow_up.progress import weeks_of_instruction
from bodkin.answers.follow_up.standings import (
    GroupAsked,
    GroupStanding,
    decisions_due,
    group_standings,
)
from bodkin.answers.groups.week import planned_minutes
from bodkin.api.context import Context
from bodkin.api.following.periods import practice_of
from bodkin.core.errors import BadInput, NotFound
from bodkin.policy.rights import NOT_VISIBLE, Right
from bodkin.store.database import versions
from bodkin.store.reads.assessments import all_tests
from bodkin.store.reads.sessions import AttendanceData, StayRecord, sessions_of, stays_in
from bodkin.store.reads.table.score_table import WORD
from bodkin.store.writes.follow_up.team import DecisionRecord, decisions_on
from bodkin.store.writes.goals import goal_days
from bodkin.store.writes.groups import GroupRecord, required_minutes

T = TypeVar("T")

Measure = tuple[str, str]
Attended = tuple[dict[int, dict[str, Received]], dict[int, int]]
"""By group what each student received, and how many sessions were held."""
_ORDER = {"probe": 0, "adaptive": 1}
"""Kinds of tests that can be followed, the weekly ones first."""


class Following:
    """What groups of a person are followed with, each read once however many groups ask."""

    def __init__(self, context: Context, groups: Sequence[GroupRecord]) -> None:
        self.context = context
        self.keys = [group.id for group in groups]
        self.kinds = {one: test.kind for one, test in self._read(("tests",), all_tests).items()}
        self.required = self._read(("required minutes",), required_minutes)
        self.members = tuple(sorted({member for group in groups for member in group.members}))
        self._decided: dict[str, list[DecisionRecord]] = {}
        members = self.members
        if context.may(Right.TEAM):
            for one in self._read(("decisions", members), lambda session: decisions_on(session, members)):
                self._decided.setdefault(one.student_id, []).append(one)

    def _read(self, key: Hashable, load: Callable[[Session], T]) -> T:
        """What rests on no result, so that a write of scores leaves it."""
        return self.context.runtime.read(self.context.session, key, load)

    def goals(self, measure: Measure, members: Sequence[str], last: date) -> dict[str, tuple[float, date]]:
        """The goal of each member in a measure: the next one due at the end of a period, else the latest past."""
        everybody, found = self.members, {}
        mine = self._read(("goals", *measure, everybody), lambda session: goal_days(session, *measure, everybody))
        for member in members:
            # The latest day comes first.
            if goals := mine.get(member):
                found[member] = next((goal for goal in reversed(goals) if goal[1] >= last), goals[0])
        return found

    def decided(self, group: int, members: Sequence[str]) -> dict[str, list[tuple[date, str, str]]]:
        """Decisions about members' help: those about this group, and those that name none."""
        return {
            member: [
                (one.day, one.kind, one.text or "") for one in self._decided[member] if one.group_id in (None, group)
            ]
            for member in members
            if member in self._decided
        }

    def results(self, groups: Mapping[int, tuple[GroupRecord, tuple[date, date]]]) -> pl.DataFrame:
        """Results of the groups' members in tests that can be followed, each within its group's period."""
        rows = [(key, member, *period) for key, (group, period) in groups.items() for member in group.members]
        schema = {"group": pl.Int64, "student_id": pl.String, "first": pl.Date, "last": pl.Date}
        places = pl.DataFrame(rows, schema=schema, orient="row")
        order = pl.DataFrame(
            [(*measure, _ORDER[kind]) for measure, kind in self.kinds.items() if kind in _ORDER],
            schema={"assessment": WORD, "subject": WORD, "order": pl.Int64()}, orient="row",
        )  # fmt: skip
        columns = ["student_id", "assessment", "subject", "tested_on", "score", "line"]
        found = self.context.table.results.select(columns).filter(pl.col("score").is_not_null())
        return (
            found.join(places, on="student_id", how="inner")
            .filter(pl.col("tested_on").is_between(pl.col("first"), pl.col("last")))
            .join(order, on=["assessment", "subject"], how="inner")
        )

    def measures(self, rows: pl.DataFrame, groups: Mapping[int, GroupRecord]) -> dict[int, list[Measure]]:
        """By group the tests with such results, those of its subject and weekly ones first, then its own."""
        found: dict[int, list[tuple[str, str, int]]] = {}
        for key, *rest in rows.select("group", "assessment", "subject", "order").unique().iter_rows():
            found.setdefault(key, []).append((rest[0], rest[1], rest[2]))
        return {key: _ordered(mine, groups[key]) for key, mine in found.items()}

    def stays(self, first: date, last: date) -> list[StayRecord]:
        """Stays in the groups that touch a period."""
        keys = self.keys
        return self._read(("stays", *keys, first, last), lambda session: stays_in(session, keys, first, last))

    def attended(self, periods: Mapping[int, tuple[date, date]]) -> Attended:
        """What was attended of each group in its period."""
        runtime, rows = self.context.runtime, [(key, *period) for key, period in periods.items()]
        return self._read(("attended", *rows), lambda session: _attended(runtime.attendance(session), rows))


def _attended(data: AttendanceData, periods: Sequence[tuple[int, date, date]]) -> Attended:
    spans = pl.DataFrame(periods, schema={"group": pl.Int64, "first": pl.Date, "last": pl.Date}, orient="row")
    inside = pl.col("day").is_between(pl.col("first"), pl.col("last"))
    received: dict[int, dict[str, Received]] = {}
    for key, student, *sums in attendance_sums(
        data.attended.join(spans, on="group").filter(inside), ["group", "student_id"]
    ).iter_rows():
        received.setdefault(key, {})[student] = Received(*sums)
    met = data.sessions.join(spans, on="group").filter(inside).group_by("group").agg(pl.col("held").sum())
    return received, dict(met.iter_rows())


def _ordered(measures: list[tuple[str, str, int]], group: GroupRecord) -> list[Measure]:
    """Tests of a group, each with the order of its kind, as they are offered."""
    own = (group.assessment or "", group.subject or "")
    ordered = sorted(measures, key=lambda one: (one[1] != own[1], one[2], one[:2] != own, one[:2]))
    return [(assessment, subject) for assessment, subject, _ in ordered]


def _period(context: Context, group: GroupRecord, first: date | None, last: date | None) -> tuple[date, date]:
    period = (first or group.first_day, last or min(context.today, group.last_day))
    if period[1] < period[0]:
        raise BadInput("last: a period cannot end before it starts")
    return period


def followed(
    context: Context, group: GroupRecord, first: date | None = None, last: date | None = None,
    measure: Measure | None = None,
) -> FollowUpAnswer:  # fmt: skip
    """A group over a period in a test: since the help began and in the weekly results, where nothing else is named.

    Raises BadInput for a period that ends before it starts, NotFound for a test that is not there.
    """
    period = _period(context, group, first, last)
    loaded = Following(context, [group])
    rows = loaded.results({group.id: (group, period)})
    measures = loaded.measures(rows, {group.id: group}).get(group.id, [])
    own = (group.assessment or "", group.subject or "")
    chosen = measure or (measures[0] if measures else own)
    if measure is not None and not results_of(context.table, *measure, columns=("line",)).height:
        raise NotFound("There is no such test.")
    members = sorted(group.members, key=lambda one: (context.names.get(one, ("", "")), one))
    planned = planned_minutes(group.slots, group.minutes, group.times_a_week)
    met = [Met(one.day, one.minutes, one.note, one.there) for one in sessions_of(context.session, [group.id], *period)]
    joined = {one.student_id: one.first for one in stays_in(context.session, [group.id], *period)}
    required = loaded.required.get(group.tier or 0)
    help_given = Followed(group.id, group.name, group.focus, members, met, planned, required, joined)
    practice = weekly_minutes(practice_of(context), members, *period)
    around = AroundGroup(loaded.goals(chosen, members, period[1]), loaded.decided(group.id, members), practice)
    answer = follow_up_answer(
        help_given, context.table, chosen, measures, period, around, context.names,
        adaptive=loaded.kinds.get(chosen) == "adaptive",
    )  # fmt: skip
    return answer if context.may(Right.TEAM) else _without_decisions(answer)


DECISIONS_HIDDEN = f"Who needs a decision is {NOT_VISIBLE}"


def _without_decisions(answer: FollowUpAnswer) -> FollowUpAnswer:
    """A group's results and sessions without what the rule says: what was decided before, it cannot be told without."""
    hidden = {"act": "none", "confirmed": None, "said": f"The rule's word is {NOT_VISIBLE}"}
    students = [one.model_copy(update=hidden) for one in sorted(answer.students, key=lambda one: one.name)]
    return answer.model_copy(update={"headline": DECISIONS_HIDDEN, "students": students})


def attendance_sums(attended: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """Minutes, sessions attended and held, by some columns."""
    came = (pl.col("minutes") > 0).sum().alias("attended")
    return attended.group_by(by).agg(pl.col("minutes").sum(), came, pl.len().alias("held"))


def _standings(context: Context, groups: Sequence[GroupRecord]) -> list[GroupStanding]:
    loaded, today = Following(context, groups), context.today
    periods = {group.id: (group, _period(context, group, None, None)) for group in groups}
    rows = loaded.results(periods)
    measures = loaded.measures(rows, {group.id: group for group in groups})
    joined: dict[int, dict[str, date]] = {}
    for stay in loaded.stays(min(group.first_day for group in groups), today):
        joined.setdefault(stay.group_id, {})[stay.student_id] = stay.first
    received, held = loaded.attended({key: period for key, (_, period) in periods.items()})
    asked, chosen = [], []
    for group in groups:
        period = periods[group.id][1]
        measure = next(iter(measures.get(group.id, [])), (group.assessment or "", group.subject or ""))
        members = sorted(group.members)
        chosen.append((group.id, *measure))
        asked.append(
            GroupAsked(
                group.id, group.name, members, period, loaded.kinds.get(measure) == "adaptive",
                planned_minutes(group.slots, group.minutes, group.times_a_week),
                loaded.required.get(group.tier or 0), held.get(group.id), joined.get(group.id, {}),
                loaded.goals(measure, members, period[1]), loaded.decided(group.id, members),
                received.get(group.id, {}),
            )
        )  # fmt: skip
    schema = {"group": pl.Int64(), "assessment": WORD, "subject": WORD}
    rows = rows.join(pl.DataFrame(chosen, schema=schema, orient="row"), on=list(schema), how="semi")
    weeks = weeks_of_instruction(context.table.calendar)
    return group_standings(asked, rows.select("group", "student_id", "tested_on", "score", "line"), weeks)


def all_standings(context: Context) -> list[GroupStanding]:
    """Every running group since its help began, by name; kept for each person until anything changes."""

    def made() -> list[GroupStanding]:
        groups = context.running_groups
        return _standings(context, groups) if groups else []

    person, today = context.person, context.today
    key = ("all followed", versions(context.session)[0], person.id, person.role, person.school, today)
    return context.table.worked.once(key, made)


def help_groups(context: Context, first: date, last: date, groups: Iterable[GroupRecord]) -> list[HelpGroup]:
    """Those of some groups that ran in a period, with the stays of students in reach."""
    ran = {group.id: group for group in groups if group.first_day <= last and group.last_day >= first}
    schools = dict(context.table.roster.select("student_id", "school").iter_rows())
    reach, stays = context.reach, []
    for stay in stays_in(context.session, list(ran), first, last):
        group = ran[stay.group_id]
        begin, end = max(first, stay.first, group.first_day), min(last, stay.last or last, group.last_day)
        if begin <= end and (reach is None or stay.student_id in reach):
            stays.append((stay.group_id, stay.student_id, begin, end))
    data = context.runtime.attendance(context.session)
    schema = {"group": pl.Int64, "student_id": pl.String, "first": pl.Date, "last": pl.Date}
    frame = pl.DataFrame(stays, schema=schema, orient="row").with_row_index("stay")
    inside = pl.col("day").is_between(pl.col("first"), pl.col("last"))
    sums = attendance_sums(data.attended.join(frame, on=["group", "student_id"]).filter(inside), ["stay"])
    received = {key: Received(*rest) for key, *rest in sums.iter_rows()}
    by_group: dict[int, list[Stay]] = {}
    for at, (key, student, begin, end) in enumerate(stays):
        own = Stay(student, begin, end, schools.get(student), received.get(at, Received()))
        by_group.setdefault(key, []).append(own)
    met = data.sessions.filter(pl.col("day").is_between(first, last)).group_by("group")
    counts = {key: (held, n - held) for key, held, n in met.agg(pl.col("held").sum(), pl.len()).iter_rows()}
    required = required_minutes(context.session)
    return [
        HelpGroup(
            key, group.name, by_group[key], [name for name in (group.adult, group.second_adult) if name],
            group.last_day, group.minutes, planned_minutes(group.slots, group.minutes, group.times_a_week),
            required.get(group.tier or 0), *counts.get(key, (0, 0)),
        )
        for key, group in ran.items()
        if key in by_group
    ]  # fmt: skip


def decisions(context: Context) -> tuple[int, int, int] | None:
    """Over the running groups: how many students need other help, a higher goal, and how many groups there are.

    None where the person's role does not see decisions.
    """
    if not context.may(Right.TEAM):
        return None
    found = [decisions_due(one.students) for one in all_standings(context)]
    return sum(one[0] for one in found), sum(one[1] for one in found), len(found)
