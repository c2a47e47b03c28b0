"""Schedules: when each source is pulled without anybody asking."""

from __future__ import annotations

import random
import re
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from dateutil.rrule import rrule, rrulestr
from sqlalchemy import select

from noctilum.actions import queue
from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense
from noctilum.records.models import Source

_DAILY = re.compile(r"daily at (\d{1,2}):(\d{2})")
_MONTHLY = re.compile(r"monthly on (\d{1,2}) at (\d{1,2}):(\d{2})")
FIRST_WAIT, LONGEST_WAIT = timedelta(minutes=1), timedelta(hours=6)


def rule_of(text: str) -> str:
    """Bring a schedule to an RFC 5545 recurrence rule; "off" and nothing give no rule.

    >>> rule_of("daily at 6:05")
    'FREQ=DAILY;BYHOUR=6;BYMINUTE=5;BYSECOND=0'
    """
    plain = " ".join(text.split())
    if plain.lower() in ("", "off"):
        return ""
    rule = _spoken(plain.lower()) or plain.upper().removeprefix("RRULE:")
    _parsed(rule, datetime(2026, 1, 1))
    return rule


def _spoken(text: str) -> str | None:
    if text == "hourly":
        return "FREQ=HOURLY;BYMINUTE=0;BYSECOND=0"
    if found := _DAILY.fullmatch(text):
        return f"FREQ=DAILY;BYHOUR={int(found[1])};BYMINUTE={int(found[2])};BYSECOND=0"
    if found := _MONTHLY.fullmatch(text):
        hour, minute = int(found[2]), int(found[3])
        return f"FREQ=MONTHLY;BYMONTHDAY={int(found[1])};BYHOUR={hour};BYMINUTE={minute};BYSECOND=0"
    return None


def _parsed(rule: str, start: datetime) -> Any:
    try:
        found = rrulestr(rule, dtstart=start)
    except (ValueError, TypeError, AttributeError) as why:
        raise _unusable(rule, "is no schedule") from why
    if not isinstance(found, rrule) or re.search(r"COUNT|UNTIL|SECONDLY|MINUTELY", rule):
        raise _unusable(rule, "must repeat without end, at most hourly")
    return found


def _unusable(rule: str, why: str) -> Nonsense:
    remedy = "hourly, daily at 06:00, monthly on 3 at 06:00, an RFC 5545 rule, or off"
    return Nonsense("schedule-unusable", f"{rule.lower()!r} {why}.", where="schedule", remedy=remedy)


def next_run(rule: str, after: datetime, time_zone: str) -> datetime:
    """Find the first time after a moment that a rule names, read in a time zone; given back in UTC.

    >>> next_run("FREQ=DAILY;BYHOUR=6;BYMINUTE=0;BYSECOND=0", datetime(2026, 3, 1, 12, tzinfo=UTC), "Europe/Oslo")
    datetime.datetime(2026, 3, 2, 5, 0, tzinfo=datetime.timezone.utc)
    """
    zone = ZoneInfo(time_zone)
    local = after.astimezone(zone).replace(tzinfo=None)
    start = local.replace(hour=0, minute=0, second=0, microsecond=0) - timedelta(days=1)
    found: datetime | None = _parsed(rule, start).after(local)
    if found is None:
        raise Nonsense("schedule-unusable", f"{rule!r} never comes round.", where="schedule")
    return found.replace(tzinfo=zone).astimezone(UTC)


def set_schedule(install: Install, number: int, text: str, now: datetime) -> None:
    """Give a source a schedule, or none."""
    rule = rule_of(text)
    with install.records.begin() as db:
        source = find_source(db, number)
        source.schedule = rule
        source.next_run_at = next_run(rule, now, source.time_zone) if rule else None


def set_paused(install: Install, number: int, paused: bool, now: datetime) -> None:
    """Pause a source's schedule, or resume it; what fell due meanwhile is caught up at once."""
    with install.records.begin() as db:
        source = find_source(db, number)
        if source.paused and not paused and source.schedule:
            source.next_run_at = now
        source.paused = paused


def tick(install: Install, now: datetime) -> list[int]:
    """Queue a pull of every source whose time has come; returns their numbers.

    Runs missed while the service was down come to one pull, as a pull fetches every day due. A
    clock that was set back does not leave a source waiting for a time far off.
    """
    due = []
    with install.records.begin() as db:
        for source in db.scalars(select(Source).where(Source.paused.is_(False), Source.state != "broken")):
            if _is_due(source, now):
                due.append(source.id)
                source.retry_at = None
                if source.schedule:
                    source.next_run_at = next_run(source.schedule, now, source.time_zone)
    for number in due:
        queue_pull(install, number, now)
    return due


def _is_due(source: Source, now: datetime) -> bool:
    if source.retry_at is not None and source.retry_at <= now:
        return True
    if not source.schedule:
        return False
    coming = next_run(source.schedule, now, source.time_zone)
    if source.next_run_at is None or source.next_run_at > coming:
        source.next_run_at = coming
    return source.next_run_at <= now


def queue_pull(install: Install, number: int, now: datetime, **span: object) -> int:
    """Queue a pull; pulls of one provider share its lane. Returns the job's number."""
    with install.records.read() as db:
        source = find_source(db, number)
        lane = source.url or f"source {number}"
    arguments = {"source": number} | {name: value for name, value in span.items() if value is not None}
    return queue.put(install, "pull", arguments, now, lane=lane).id


def back_off(failures: int, chance: random.Random) -> timedelta:
    """Choose how long to wait after so many failures in a row: doubling from a minute, half of it by chance.

    >>> back_off(3, random.Random(1)) <= timedelta(minutes=4)
    True
    """
    most: timedelta = min(LONGEST_WAIT, FIRST_WAIT * int(2 ** min(failures - 1, 20)))
    return most * (0.5 + 0.5 * chance.random())
