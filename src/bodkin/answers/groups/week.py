"""An adult's week: who meets whom when, with places left, double bookings, and minutes against what is required."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from pydantic import BaseModel, Field

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri")
_SLOT = re.compile(rf"^({'|'.join(DAYS)})\w* (\d{{1,2}}):(\d{{2}})(?:\s?-\s?(\d{{1,2}}):(\d{{2}}))?$")


@dataclass(frozen=True, slots=True)
class WeekGroup:
    """A group as a week looks at it; ``n`` members, ``most`` it was made for."""

    id: int
    name: str
    adults: tuple[str, ...]
    slots: tuple[str, ...]
    n: int
    most: int | None
    tier: int | None
    times_a_week: int | None
    minutes: float | None

    @property
    def planned(self) -> float | None:
        """Minutes a week that it is planned for."""
        return planned_minutes(self.slots, self.minutes, self.times_a_week)


class Meeting(BaseModel):
    """A group meeting in a slot. ``twice``: an adult of it meets another group at the same time."""

    group: int
    name: str
    slot: str
    day: int | None = Field(description="0 Monday to 4 Friday; empty where the slot does not say")
    minute: int | None = Field(description="minutes after midnight when it begins")
    n: int
    left: int | None
    twice: bool


class AdultWeek(BaseModel):
    """An adult's meetings in the order of the week, and the groups that have no slot yet."""

    adult: str
    meetings: list[Meeting]
    without_slot: list[str]
    minutes: float | None = Field(description="planned minutes a week over all groups, empty where one is unknown")


class Short(BaseModel):
    """A group planned for fewer minutes a week than its tier requires."""

    group: int
    name: str
    tier: int
    planned: float | None
    required: float


class WeekAnswer(BaseModel):
    """The week of every adult, double bookings, and groups below what is required."""

    adults: list[AdultWeek]
    double_booked: list[str]
    short: list[Short]
    required: dict[int, float]


def span_of(slot: str, minutes: float | None) -> tuple[int, int, int] | None:
    """Day (0 Monday), begin and end in minutes after midnight of a slot such as ``Mon 9:00-9:30``.

    A slot without an end lasts the group's minutes, half an hour where they are not known. None for words that
    name no time.
    """
    found = _SLOT.match(slot.strip())
    if found is None:
        return None
    day, begin = DAYS.index(found[1]), 60 * int(found[2]) + int(found[3])
    end = 60 * int(found[4]) + int(found[5]) if found[4] else begin + int(minutes or 30)
    return (day, begin, end) if begin < end <= 24 * 60 else None


def planned_minutes(slots: Sequence[str], minutes: float | None, times_a_week: int | None) -> float | None:
    """Minutes a week that a group is planned for: those of its slots, else minutes x times a week."""
    spans = [span_of(slot, minutes) for slot in slots]
    if spans and all(span is not None for span in spans):
        return float(sum(span[2] - span[1] for span in spans if span is not None))
    times = times_a_week or len(slots)
    return minutes * times if minutes is not None and times else None


@dataclass(frozen=True, slots=True)
class _Met:
    group: WeekGroup
    slot: str
    span: tuple[int, int, int] | None


def _at_once(one: _Met, other: _Met) -> bool:
    if one.group.id == other.group.id:
        return False
    if one.span is None or other.span is None:
        return one.slot == other.slot
    return one.span[0] == other.span[0] and one.span[1] < other.span[2] and other.span[1] < one.span[2]


def _week(adult: str, groups: Sequence[WeekGroup]) -> tuple[AdultWeek, list[str]]:
    met = [_Met(group, slot, span_of(slot, group.minutes)) for group in groups for slot in group.slots]
    met.sort(key=lambda one: (one.span is None, one.span or (0, 0, 0), one.slot, one.group.name))
    clashing = [(one, other) for one, other in combinations(met, 2) if _at_once(one, other)]
    twice = {id(one) for pair in clashing for one in pair}
    planned = [group.planned for group in groups]
    week = AdultWeek(
        adult=adult,
        meetings=[
            Meeting(
                group=one.group.id, name=one.group.name, slot=one.slot,
                day=one.span[0] if one.span else None, minute=one.span[1] if one.span else None, n=one.group.n,
                left=None if one.group.most is None else one.group.most - one.group.n, twice=id(one) in twice,
            )
            for one in met
        ],
        without_slot=[group.name for group in groups if not group.slots],
        minutes=None if None in planned else sum(one for one in planned if one is not None),
    )  # fmt: skip
    said = [f"{adult} meets {one.group.name} and {other.group.name} at once: {one.slot}" for one, other in clashing]
    return week, said


def week_answer(groups: Sequence[WeekGroup], required: Mapping[int, float]) -> WeekAnswer:
    """Every adult's week over running groups; ``required``: minutes a week by tier."""
    by_adult: dict[str, list[WeekGroup]] = {}
    for group in groups:
        for adult in group.adults or ("no adult yet",):
            by_adult.setdefault(adult, []).append(group)
    weeks = [_week(adult, own) for adult, own in sorted(by_adult.items())]
    short = []
    for group in groups:
        wanted, planned = required.get(group.tier or 0), group.planned
        if wanted is not None and group.tier is not None and (planned is None or planned < wanted):
            short.append(Short(group=group.id, name=group.name, tier=group.tier, planned=planned, required=wanted))
    return WeekAnswer(
        adults=[week for week, _ in weeks], double_booked=[words for _, said in weeks for words in said], short=short,
        required=dict(sorted(required.items())),
    )  # fmt: skip
