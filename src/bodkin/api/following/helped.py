"""Kinds of help that groups share, how much of it was given, and whether it worked."""

from typing import Literal

from pydantic import BaseModel

from bodkin.answers.follow_up.given import shares_of_groups
from bodkin.answers.follow_up.helped import HelpedAnswer, helped_answer
from bodkin.answers.follow_up.progress import weeks_of_instruction
from bodkin.answers.scope.scope import Scope
from bodkin.answers.words import listed, plural
from bodkin.api.context import Context
from bodkin.api.following.groups import help_groups
from bodkin.core.errors import NotFound
from bodkin.store.writes.groups import GroupRecord

Kind = Literal["tier", "focus", "adult"]


class HelpKind(BaseModel):
    """A kind of help that several groups may share, and how many do."""

    kind: Kind
    value: str
    groups: int


def _is(group: GroupRecord, kind: Kind, value: str) -> bool:
    if kind == "tier":
        return str(group.tier) == value
    if kind == "focus":
        return group.focus == value
    return value in (group.adult, group.second_adult)


def given_between(context: Context, scope: Scope, groups: list[GroupRecord]) -> tuple[float | None, float | None]:
    """Shares of the planned minutes and of the sessions held that groups gave between the windows."""
    calendar, today = context.table.calendar, context.today
    spans = [window.days or calendar.windows.get(str(window)) for window in (scope.first, scope.second)]
    first = spans[0][0] if spans[0] is not None else min(group.first_day for group in groups)
    last = min(spans[1][1] if spans[1] is not None else today, today)
    shares = shares_of_groups(help_groups(context, first, last, groups), weeks_of_instruction(calendar))
    return shares["given"], shares["attended"]


def kinds_of_help(context: Context) -> list[HelpKind]:
    """Kinds of help among the groups that the person may know of: tiers, foci, adults."""
    found: dict[tuple[Kind, str], int] = {}
    for group in context.groups():
        named: list[tuple[Kind, str | None]] = [
            ("tier", str(group.tier) if group.tier is not None else None), ("focus", group.focus),
            ("adult", group.adult), ("adult", group.second_adult),
        ]  # fmt: skip
        for kind, value in named:
            if value:
                found[kind, value] = found.get((kind, value), 0) + 1
    order = {"tier": 0, "focus": 1, "adult": 2}
    return [
        HelpKind(kind=kind, value=value, groups=n)
        for (kind, value), n in sorted(found.items(), key=lambda pair: (order[pair[0][0]], pair[0][1]))
    ]


def kind_helped(context: Context, scope: Scope, kind: Kind, value: str) -> HelpedAnswer:
    """All groups of a tier, a focus or an adult together, over the sentence's windows. Raises NotFound for none."""
    groups = [group for group in context.groups() if _is(group, kind, value)]
    if not groups:
        raise NotFound("There is no such group.")
    members = frozenset().union(*(group.members for group in groups))
    comparison, _ = context.of_students(scope.over(None).model_copy(update={"matched": True}))
    given, attended = given_between(context, scope, groups)
    whom = f"students of {plural(len(groups), 'group')} ({listed([group.name for group in groups])})"
    return helped_answer(comparison, members, context.names, whom=whom, given=given, attended=attended)
