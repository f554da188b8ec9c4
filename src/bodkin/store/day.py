"""Which day it is: asked each time, in the time zone of the district or of the machine."""

from datetime import UTC, date, datetime, tzinfo
from functools import cache
from zoneinfo import ZoneInfo, available_timezones

from bodkin.core.errors import BadInput


@cache
def zone_named(name: str | None) -> tzinfo | None:
    """The time zone of a name such as ``America/New_York``; None, the machine's own, for None. Raises BadInput."""
    if name is None:
        return None
    if name not in zone_names():
        raise BadInput(f'time_zone: "{name}" is no time zone; write a name such as America/New_York')
    return ZoneInfo(name)


@cache
def zone_names() -> tuple[str, ...]:
    """Names of all time zones of a place, in alphabetical order."""
    return tuple(sorted(name for name in available_timezones() if "/" in name and not name.startswith("Etc/")))


def day_in(zone: tzinfo | None, at: datetime | None = None) -> date:
    """The day at a moment, now where none is given. ``at``: with its zone."""
    return (at or datetime.now(UTC)).astimezone(zone).date()
