"""Help given: minutes against planned and required, sessions held and attended, by student, group, adult, school."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel, Field
from typing_extensions import TypedDict

from bodkin.answers.comparison.step_answer import Names, display_name
from bodkin.answers.follow_up.progress import Days, Weeks
from bodkin.answers.words import percent, plural
from bodkin.core.arrays import FloatArray
from bodkin.core.follow_up.dosage import dosage, weeks_to_make_up
from bodkin.core.windows import day_words

ENOUGH = 0.75
"""Below this share of the planned minutes the help did not really happen (common practice: three quarters)."""


@dataclass(frozen=True, slots=True)
class Met:
    """A session: how long it lasted (0: not held, None: not known), why not, and each student's minutes."""

    day: date
    minutes: float | None
    note: str | None
    there: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Followed:
    """A group as Follow-up looks at it; ``planned`` and ``required``: minutes a week, None where not known.

    ``joined``: the day from which each member is in it; who is not named was from the start.
    """

    id: int
    name: str
    focus: str
    members: Sequence[str]
    sessions: Sequence[Met]
    planned: float | None
    required: float | None
    joined: Mapping[str, date] = field(default_factory=dict)


class Given(BaseModel):
    """Help received in the period; shares are 0..1, empty where nothing was planned or held."""

    minutes: float
    planned: float | None
    share: float | None
    attended: int
    held: int
    required: float | None
    short: float | None = Field(description="minutes below what is required so far")


@dataclass(frozen=True, slots=True)
class Received:
    """Minutes of a student in a group's sessions, sessions attended, and those held while in it."""

    minutes: float = 0.0
    attended: int = 0
    held: int = 0


def given_of(
    received: Sequence[Received], planned: Sequence[float | None], required: Sequence[float | None], weeks: FloatArray
) -> list[Given]:
    """The help of many stays in groups: ``planned`` and ``required`` minutes a week, ``weeks`` of each stay."""
    plans = [None if one is None else one * span for one, span in zip(planned, weeks.tolist(), strict=True)]
    needs = [None if one is None else one * span for one, span in zip(required, weeks.tolist(), strict=True)]
    shares = dosage(
        [one.minutes for one in received], [np.nan if plan is None else plan for plan in plans],
        [one.attended for one in received], [one.held for one in received],
    ).minutes  # fmt: skip
    return [
        Given(
            minutes=got.minutes, planned=plan, share=None if np.isnan(share) else share, attended=got.attended,
            held=got.held, required=need, short=None if need is None else max(0.0, need - got.minutes),
        )
        for got, plan, need, share in zip(received, plans, needs, shares.tolist(), strict=True)
    ]  # fmt: skip


def help_given(student: str, group: Followed, weeks: float) -> Given:
    """The help that a student received from a group; ``weeks`` of instruction while the student was in it."""
    held = [one for one in group.sessions if one.minutes is None or one.minutes > 0]
    here = [one.there[student] for one in held if student in one.there]
    received = Received(sum(here), sum(spent > 0 for spent in here), len(here))
    return given_of([received], [group.planned], [group.required], np.array([weeks]))[0]


class SharesGiven(TypedDict):
    """Minutes received by planned, and sessions attended by held, over some students; shares 0..1."""

    given: float | None
    attended: float | None


def shares_given(given: Sequence[Given]) -> SharesGiven:
    """How much of the planned help was given, over some students together."""
    planned, held = _sum(one.planned for one in given), sum(one.held for one in given)
    return SharesGiven(
        given=sum(one.minutes for one in given) / planned if planned else None,
        attended=sum(one.attended for one in given) / held if held else None,
    )


MORE_SESSIONS = 3
"""More sessions a week than this nobody can take a student out of class for (common practice)."""

By = Literal["student", "group", "adult", "school"]
BY: tuple[By, ...] = get_args(By)


@dataclass(frozen=True, slots=True)
class Stay:
    """A student in a group between two days of the period; ``school`` is the student's of today."""

    student: str
    first: date
    last: date
    school: str | None
    received: Received = Received()


@dataclass(frozen=True, slots=True)
class HelpGroup:
    """A group with its stays in the period, who leads it, how long it runs, and how long a session is.

    ``held``, ``not_held``: its sessions in the period; ``planned``, ``required``: minutes a week, None where not known.
    """

    id: int
    name: str
    stays: Sequence[Stay]
    adults: Sequence[str]
    last_day: date
    session_minutes: float | None
    planned: float | None
    required: float | None
    held: int
    not_held: int


class GivenTo(BaseModel):
    """A student who received help."""

    student_id: str
    name: str


class GivenRow(BaseModel):
    """The help that a student received, or those of a group, an adult, a school together; shares are 0..1."""

    key: str
    value: str
    students: list[GivenTo]
    minutes: float
    planned: float | None
    share: float | None
    required: float | None
    short: float | None = Field(description="minutes below what is required, else planned; summed over students")
    sessions: int = Field(description="sessions held")
    not_held: int
    attended: int
    held: int = Field(description="places at sessions held: what attended is out of")
    made_up: str | None = Field(description="when the missing minutes could be given")


class GivenAnswer(BaseModel):
    """Help given over a period, by one thing; those with most missing first."""

    first: date
    last: date
    by: By
    headline: str
    lead: str
    rows: list[GivenRow]


@dataclass(slots=True)
class _Part:
    """What one stay adds to a row."""

    student: str
    group: HelpGroup
    school: str | None
    given: Given


def _parts(groups: Iterable[HelpGroup], weeks: Weeks) -> list[_Part]:
    stays = [(group, stay) for group in groups for stay in group.stays]
    if not stays:
        return []
    begins, ends = (
        np.array(days, dtype="datetime64[D]")
        for days in ([stay.first for _, stay in stays], [stay.last + timedelta(days=1) for _, stay in stays])
    )
    given = given_of(
        [stay.received for _, stay in stays], [group.planned for group, _ in stays],
        [group.required for group, _ in stays], weeks(ends, begins),
    )  # fmt: skip
    return [_Part(stay.student, group, stay.school, own) for (group, stay), own in zip(stays, given, strict=True)]


def shares_of_groups(groups: Iterable[HelpGroup], weeks: Weeks) -> SharesGiven:
    """How much of the planned help groups gave together."""
    return shares_given([one.given for one in _parts(groups, weeks)])


def _keys(part: _Part, by: By) -> list[tuple[str, str]]:
    """The rows that a part belongs to: a group of two adults counts with each."""
    if by == "student":
        return [(part.student, part.student)]
    if by == "group":
        return [(str(part.group.id), part.group.name)]
    if by == "adult":
        return [(name, name) for name in part.group.adults or ("no adult",)]
    return [(part.school or "no school", part.school or "no school")]


def _sum(values: Iterable[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return sum(known) if known else None


def _short(parts: Iterable[_Part]) -> dict[str, float | None]:
    """Minutes that each student is short of over some parts: of what is required, else of what was planned.

    What a tier requires is required once, however many groups give it.
    """
    mine: dict[str, list[Given]] = {}
    for one in parts:
        mine.setdefault(one.student, []).append(one.given)
    found: dict[str, float | None] = {}
    for student, given in mine.items():
        required = [one.required for one in given if one.required is not None]
        wanted = max(required) if required else _sum(one.planned for one in given)
        found[student] = None if wanted is None else max(0.0, wanted - sum(one.minutes for one in given))
    return found


def _extra(group: HelpGroup) -> tuple[float, float]:
    """Minutes a week that could make up for missing ones: planned above the requirement, and of one session more."""
    surplus = max(0.0, (group.planned or 0.0) - (group.required or group.planned or 0.0))
    return surplus, group.session_minutes or 0.0


def made_up(short: Sequence[float], groups: Sequence[HelpGroup], to_come: Days) -> list[str | None]:
    """When missing minutes could be given: from what is planned above the requirement, else by more sessions a week.

    ``short``: minutes of a student of each group; ``to_come``: school days after today, rising. None where nothing is
    missing or the length of a session is not known.
    """
    extra = np.array([_extra(group) for group in groups], dtype=np.float64).reshape(-1, 2)
    times = np.arange(1, MORE_SESSIONS + 1)
    a_week = np.where(extra[:, :1] > 0, extra[:, :1], extra[:, 1:] * times)
    weeks = weeks_to_make_up(np.array(short, dtype=np.float64)[:, None], a_week)
    at = np.where(np.isnan(weeks), to_come.size, np.ceil(weeks * 5) - 1).astype(np.int64)
    said: list[str | None] = []
    for missing, group, (surplus, lasts), places in zip(short, groups, extra.tolist(), at.tolist(), strict=True):
        most = 1 if surplus else MORE_SESSIONS
        days = [to_come[place].item() if place < to_come.size else None for place in places[:most]]
        in_time = next(((n, day) for n, day in enumerate(days, 1) if day is not None and day <= group.last_day), None)
        if missing <= 0 or not (surplus or lasts):
            said.append(None)
        elif in_time is None:
            end = day_words(group.last_day)
            said.append(f"not before the group ends on {end}, even with {most} more sessions a week")
        else:
            how = "with the minutes that are planned" if surplus else "with one more session a week"
            how = how if in_time[0] == 1 else f"with {in_time[0]} more sessions a week"
            said.append(f"by {day_words(in_time[1])}, {how}")
    return said


def _required(parts: Iterable[_Part]) -> float | None:
    most: dict[str, float] = {}
    for one in parts:
        if one.given.required is not None:
            most[one.student] = max(most.get(one.student, 0.0), one.given.required)
    return _sum(most.values())


def _row(key: str, value: str, parts: Sequence[_Part], names: Names) -> GivenRow:
    """A row without its share of the plan and when it is made up, which are worked out for all rows at once."""
    groups = {id(one.group): one.group for one in parts}
    members = sorted({one.student for one in parts})
    return GivenRow(
        key=key, value=value, students=[GivenTo(student_id=one, name=display_name(names, one)) for one in members],
        minutes=sum(one.given.minutes for one in parts), planned=_sum(one.given.planned for one in parts), share=None,
        required=_required(parts), short=_sum(_short(parts).values()),
        sessions=sum(one.held for one in groups.values()),
        not_held=sum(one.not_held for one in groups.values()), attended=sum(one.given.attended for one in parts),
        held=sum(one.given.held for one in parts), made_up=None,
    )  # fmt: skip


def given_answer(
    groups: Sequence[HelpGroup], by: By, period: tuple[date, date], weeks: Weeks, to_come: Days, names: Names
) -> GivenAnswer:
    """Help given over a period by student, group, adult or school, those with most missing first.

    ``to_come``: school days after today, rising.
    """
    parts = _parts(groups, weeks)
    rows: dict[tuple[str, str], list[_Part]] = {}
    for part in parts:
        for key in _keys(part, by):
            rows.setdefault(key, []).append(part)
    told = [
        _row(key, display_name(names, value) if by == "student" else value, mine, names)
        for (key, value), mine in rows.items()
    ]
    plans = [np.nan if one.planned is None else one.planned for one in told]
    shares = dosage([one.minutes for one in told], plans, [one.attended for one in told], [one.held for one in told])
    for one, share in zip(told, shares.minutes.tolist(), strict=True):
        one.share = None if np.isnan(share) else share
    # What one student misses in one group can be made up there; of more it depends on where.
    alone = [(one, mine[0].group) for one, mine in zip(told, rows.values(), strict=True) if len(mine) == 1]
    for (one, _), said in zip(
        alone, made_up([one.short or 0.0 for one, _ in alone], [group for _, group in alone], to_come), strict=True
    ):
        one.made_up = said
    told.sort(key=lambda one: (-(one.short or 0.0), one.value, one.key))
    return GivenAnswer(
        first=period[0], last=period[1], by=by, headline=_headline(parts), lead=_lead(groups, parts), rows=told
    )


def _headline(parts: Sequence[_Part]) -> str:
    students = {one.student for one in parts}
    if not students:
        return "No group ran in this period"
    short = [one for one, minutes in _short(parts).items() if minutes]
    if not short:
        return f"{plural(len(students), 'student')} received all of the minutes"
    return f"{len(short):,} of {plural(len(students), 'student')} received fewer minutes than they should"


def _lead(groups: Sequence[HelpGroup], parts: Sequence[_Part]) -> str:
    if not parts:
        return "Choose another period, or make a group in the Groups step."
    told = []
    planned = _sum(one.given.planned for one in parts)
    if planned:
        told.append(f"{percent(sum(one.given.minutes for one in parts) / planned)} of the planned minutes were given.")
    held = sum(one.given.held for one in parts)
    if held:
        told.append(
            f"Students came to {percent(sum(one.given.attended for one in parts) / held)} of the sessions held."
        )
    little = []
    for group in groups:
        mine = [one.given for one in parts if one.group is group]
        wanted = _sum(one.planned for one in mine)
        if wanted and sum(one.minutes for one in mine) < ENOUGH * wanted:
            little.append(group.name)
    if little:
        told.append(f"Below three quarters of the plan: {', '.join(little)}.")
    return " ".join(told)
