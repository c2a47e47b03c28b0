"""When a keyword is to be looked up again, and on which day a report falls due that a weekend is in the way of."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Literal

Interval = Literal["hourly", "daily", "weekly"]


def is_due(interval: Interval, checked: datetime | None, now: datetime) -> bool:
    """Say whether a keyword is due: hourly ones once an hour, daily ones once a day, weekly ones every seventh day.

    A clock that was set back makes nothing due twice on one day, and holds nothing up for longer than its interval.

    >>> from datetime import UTC
    >>> noon = datetime(2026, 3, 20, 12, tzinfo=UTC)
    >>> [is_due("daily", noon - timedelta(hours=h), noon) for h in (1, 13)]
    [False, True]
    >>> is_due("weekly", noon - timedelta(days=6), noon), is_due("weekly", noon - timedelta(days=7), noon)
    (False, True)
    """
    if checked is None:
        return True
    if interval == "hourly":
        return abs(now - checked) >= timedelta(minutes=55)
    days = abs((now.date() - checked.date()).days)
    return days >= (7 if interval == "weekly" else 1)


def off_weekend(day: date, weekend: str) -> date:
    """Move a day off a weekend to the "next" or the "previous" weekday; anything else leaves it where it is.

    >>> [str(off_weekend(date(2026, 2, 1), each)) for each in ("as it falls", "next", "previous")]
    ['2026-02-01', '2026-02-02', '2026-01-30']
    """
    over = day.weekday() - 4
    if weekend not in ("next", "previous") or over <= 0:
        return day
    return day + timedelta(3 - over) if weekend == "next" else day - timedelta(over)
