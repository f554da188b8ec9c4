"""Groups followed: the Follow-up step and the rail ask for the same answer."""

from collections.abc import Mapping
from datetime import date

import polars as pl

from bodkin.answers.comparison.pairing import results_of
from bodkin.answers.follow_up.group import Followed, FollowUpAnswer, Met, decisions_due, follow_up_answer
from bodkin.answers.groups.week import planned_minutes
from bodkin.api.context import Context
from bodkin.core.errors import BadInput, NotFound
from bodkin.store.database import versions
from bodkin.store.reads.assessments import all_tests
from bodkin.store.reads.sessions import sessions_of
from bodkin.store.writes.goals import kept_goals
from bodkin.store.writes.groups import GroupRecord, required_minutes

_ORDER = {"probe": 0, "adaptive": 1}
"""Kinds of tests that can be followed, the weekly ones first."""


def _measures(
    context: Context, group: GroupRecord, period: tuple[date, date], kinds: Mapping[tuple[str, str], str]
) -> list[tuple[str, str]]:
    """Tests with results of the group's students in a period: of its subject and weekly first, then its own."""
    rows = context.table.results.filter(
        pl.col("student_id").is_in(list(group.members)), pl.col("tested_on").is_between(*period)
    )
    found = [(row[0], row[1]) for row in rows.select("assessment", "subject").unique().sort(pl.all()).iter_rows()]
    usable = [one for one in found if kinds.get(one) in _ORDER]
    own = (group.assessment or "", group.subject or "")
    return sorted(usable, key=lambda one: (one[1] != own[1], _ORDER[kinds[one]], one != own, one))


def followed(
    context: Context, group: GroupRecord, first: date | None = None, last: date | None = None,
    measure: tuple[str, str] | None = None,
) -> FollowUpAnswer:  # fmt: skip
    """A group over a period in a test: since the help began and in the weekly results, where nothing else is named.

    Raises BadInput for a period that ends before it starts, NotFound for a test that is not there.
    """
    today = context.runtime.settings.today
    period = (first or group.first_day, last or min(today, group.last_day))
    if period[1] < period[0]:
        raise BadInput("last: a period cannot end before it starts")
    kinds = {one: test.kind for one, test in all_tests(context.session).items()}
    measures = _measures(context, group, period, kinds)
    own = (group.assessment or "", group.subject or "")
    chosen = measure or (measures[0] if measures else own)
    if measure is not None and not results_of(context.table, *measure).height:
        raise NotFound("There is no such test.")
    goals = {
        goal.student_id: (goal.target, goal.by_day)
        for goal in reversed(kept_goals(context.session, *chosen, sorted(group.members)))
    }
    members = sorted(group.members, key=lambda one: (context.names.get(one, ("", "")), one))
    required = required_minutes(context.session).get(group.tier or 0)
    help_given = Followed(
        group.id, group.name, group.focus, members,
        [Met(one.day, one.minutes, one.note, one.there) for one in sessions_of(context.session, [group.id], *period)],
        planned_minutes(group.slots, group.minutes, group.times_a_week), required,
    )  # fmt: skip
    return follow_up_answer(
        help_given, context.table, chosen, measures, period, goals, context.names,
        adaptive=kinds.get(chosen) == "adaptive",
    )  # fmt: skip


def decisions(context: Context) -> tuple[int, int, int]:
    """Over the running groups: how many students need other help, a higher goal, and how many groups there are.

    The rail asks at every change of the sentence; kept for each person until anything changes.
    """

    def made() -> tuple[int, int, int]:
        found = [decisions_due(followed(context, group).students) for group in context.running_groups]
        return sum(one[0] for one in found), sum(one[1] for one in found), len(found)

    person, today = context.person, context.runtime.settings.today
    key = ("decisions due", versions(context.session)[0], person.id, person.role, person.school, today)
    return context.table.worked.once(key, made)
