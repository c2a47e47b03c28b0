"""When somebody may be called: the moment a digest falls due, and hours in which nobody is disturbed."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from typing import Literal
from zoneinfo import ZoneInfo

Every = Literal["day", "week"]


def due_after(told: datetime, every: Every, weekday: int, at: time, zone: ZoneInfo) -> datetime:
    """Give the first moment after another at which a digest is due, in the zone's own hours. weekday: 0 is Monday.

    An hour that a clock leaves out when it is put forward is the one after it.

    >>> from datetime import UTC
    >>> told = datetime(2026, 3, 20, 6, 30, tzinfo=UTC)
    >>> due_after(told, "day", 0, time(7), ZoneInfo("Europe/Oslo")).isoformat()
    '2026-03-21T07:00:00+01:00'
    >>> due_after(told, "week", 0, time(7), ZoneInfo("Europe/Oslo")).isoformat()
    '2026-03-23T07:00:00+01:00'
    """
    day = told.astimezone(zone).date()
    while True:
        moment = datetime.combine(day, at, zone)
        if moment > told and (every == "day" or day.weekday() == weekday):
            return moment
        day += timedelta(1)


def is_quiet(now: datetime, first: time | None, last: time | None, zone: ZoneInfo) -> bool:
    """Say whether a moment lies in quiet hours, from first to before last; they may reach over midnight.

    >>> from datetime import UTC
    >>> late = datetime(2026, 3, 20, 22, 30, tzinfo=UTC)
    >>> [is_quiet(late, time(20), time(7), ZoneInfo(name)) for name in ("Europe/Oslo", "America/New_York")]
    [True, False]
    """
    if first is None or last is None or first == last:
        return False
    here = now.astimezone(zone).time()
    return first <= here < last if first < last else here >= first or here < last
