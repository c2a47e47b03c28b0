"""Recurrence: which RFC 5545 rules a schedule may have, and when such a rule next comes round.

A rule that never comes round is found out in bounded time: the search runs in the same place of the calendar's last
four hundred years, as the Gregorian calendar repeats itself after 146,097 days, which are whole weeks.
"""

from __future__ import annotations

import re
from datetime import MAXYEAR, UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr

from noctilum.core.due import off_weekend
from noctilum.core.errors import Nonsense, worded

CYCLE_YEARS, CYCLE_DAYS = 400, 146_097
"""After so many years the calendar's days and weekdays repeat themselves."""
FREQUENCIES = ("HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY")
MOST_INTERVAL = 1000
_LISTS = ("BYMONTH", "BYMONTHDAY", "BYYEARDAY", "BYWEEKNO", "BYDAY", "BYHOUR", "BYSETPOS")
_SINGLE = ("BYMINUTE", "BYSECOND")
_DAILY = re.compile(r"daily at (\d{1,2}):(\d{2})")
_WEEKLY = re.compile(r"weekly on ([a-z]{2})[a-z]* at (\d{1,2}):(\d{2})")
_WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_MONTHLY = re.compile(r"monthly on (\d{1,2}) at (\d{1,2}):(\d{2})")


def rule_of(text: str) -> str:
    """Bring a schedule to an RFC 5545 recurrence rule; "off" and nothing give no rule.

    Raises Nonsense for what is no rule, comes more often than hourly, ends, or never comes round.

    >>> rule_of("daily at 6:05")
    'FREQ=DAILY;BYHOUR=6;BYMINUTE=5;BYSECOND=0'
    """
    plain = " ".join(text.split())
    if plain.lower() in ("", "off"):
        return ""
    rule = _spoken(plain.lower()) or plain.upper().removeprefix("RRULE:")
    next_run(rule, datetime(2026, 1, 1, tzinfo=UTC), "UTC")
    return rule


def _spoken(text: str) -> str | None:
    if text == "hourly":
        return "FREQ=HOURLY;BYMINUTE=0;BYSECOND=0"
    if found := _DAILY.fullmatch(text):
        return f"FREQ=DAILY;BYHOUR={int(found[1])};BYMINUTE={int(found[2])};BYSECOND=0"
    if (found := _WEEKLY.fullmatch(text)) and found[1].upper() in _WEEKDAYS:
        at = f"BYHOUR={int(found[2])};BYMINUTE={int(found[3])};BYSECOND=0"
        return f"FREQ=WEEKLY;BYDAY={found[1].upper()};{at}"
    if found := _MONTHLY.fullmatch(text):
        hour, minute = int(found[2]), int(found[3])
        return f"FREQ=MONTHLY;BYMONTHDAY={int(found[1])};BYHOUR={hour};BYMINUTE={minute};BYSECOND=0"
    return None


def next_run(rule: str, after: datetime, time_zone: str) -> datetime:
    """Find the first time after a moment that a rule names, read in a time zone; given back in UTC.

    Raises Nonsense for a rule that rule_of would not have given, however it got here.

    >>> next_run("FREQ=DAILY;BYHOUR=6;BYMINUTE=0;BYSECOND=0", datetime(2026, 3, 1, 12, tzinfo=UTC), "Europe/Oslo")
    datetime.datetime(2026, 3, 2, 5, 0, tzinfo=datetime.timezone.utc)
    """
    _check_parts(rule)
    zone = _zone(time_zone)
    local = after.astimezone(zone).replace(tzinfo=None)
    cycles = (MAXYEAR - 1 - local.year) // CYCLE_YEARS
    moved = local + timedelta(CYCLE_DAYS * cycles)
    start = moved.replace(hour=0, minute=0, second=0, microsecond=0) - timedelta(days=1)
    try:
        found: datetime | None = rrulestr(rule, dtstart=start).after(moved)
    except (ValueError, TypeError, AttributeError, KeyError, IndexError, OverflowError) as why:
        raise _unusable(rule, "is no schedule") from why
    if found is None:
        raise _unusable(rule, "never comes round")
    return (found - timedelta(CYCLE_DAYS * cycles)).replace(tzinfo=zone).astimezone(UTC)


def next_due(rule: str, after: datetime, time_zone: str, weekend: str) -> datetime:
    """Find the first time after a moment that a rule names, moved off weekends as is asked; given back in UTC.

    >>> rule = "FREQ=MONTHLY;BYMONTHDAY=1;BYHOUR=7;BYMINUTE=0;BYSECOND=0"
    >>> str(next_due(rule, datetime(2026, 1, 30, 12, tzinfo=UTC), "Europe/Oslo", "next"))
    '2026-02-02 06:00:00+00:00'
    """
    at = after - timedelta(4)
    while True:
        at = next_run(rule, at, time_zone)
        local = at.astimezone(_zone(time_zone))
        moved = off_weekend(local.date(), weekend) - local.date()
        due = (local.replace(tzinfo=None) + moved).replace(tzinfo=local.tzinfo).astimezone(UTC)
        if due > after:
            return due


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError) as why:
        raise Nonsense(
            "no-such-time-zone",
            worded("There is no time zone {name!r}.", name=name),
            where="time_zone",
            remedy="like Europe/Oslo",
        ) from why


def _check_parts(rule: str) -> None:
    """Refuse what a schedule cannot be made of before anything is searched for."""
    parts = [part.partition("=") for part in rule.strip(";").split(";")]
    given = {name: value for name, _, value in parts}
    if len(given) < len(parts) or given.get("FREQ") not in FREQUENCIES:
        raise _unusable(rule, "is no schedule" if "FREQ" not in given else "must repeat at most hourly")
    for name, value in given.items():
        if name in ("COUNT", "UNTIL"):
            raise _unusable(rule, "must repeat without end")
        if name == "INTERVAL" and not (value.isascii() and value.isdigit() and 1 <= int(value[:9]) <= MOST_INTERVAL):
            raise _unusable(rule, f"must have an interval of 1 to {MOST_INTERVAL}")
        if name in _SINGLE and not re.fullmatch(r"[0-5]?\d", value, re.ASCII):
            raise _unusable(rule, "must repeat at most hourly, at one minute and second")
        if name not in ("FREQ", "INTERVAL", "WKST", *_SINGLE, *_LISTS):
            raise _unusable(rule, f"has a part {name.lower()!r} that no schedule has")


def _unusable(rule: str, why: str) -> Nonsense:
    remedy = "hourly, daily at 06:00, weekly on monday at 06:00, monthly on 3 at 06:00, an RFC 5545 rule, or off"
    return Nonsense(
        "schedule-unusable",
        worded("{rule!r} {why}.", rule=rule.lower()[:300], why=why),
        where="schedule",
        remedy=remedy,
    )
