"""Schedules: when each source is pulled without anybody asking."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions import queue
from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.actions.recurrence import next_run, rule_of
from noctilum.core.errors import Nonsense
from noctilum.datasets.lookups import KIND
from noctilum.records.models import Source

JOBS = {KIND: "checks"}
"""What fetches from a kind of source, where it is not a pull."""
FIRST_WAIT, LONGEST_WAIT = timedelta(minutes=1), timedelta(hours=6)


def set_schedule(install: Install, number: int, text: str, now: datetime) -> None:
    """Give a source a schedule, or none."""
    rule = rule_of(text)
    with install.records.read() as db:
        zone = find_source(db, number).time_zone
    coming = next_run(rule, now, zone) if rule else None
    with install.records.begin() as db:
        source = find_source(db, number)
        source.schedule, source.next_run_at = rule, coming


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
    clock that was set back does not leave a source waiting for a time far off. What is due is worked out before
    anything is written; a source whose schedule cannot be used loses it, with a notice, and holds no other up.
    """
    plans = [_planned(each, now) for each in _waiting(install)]
    changes = [plan for plan in plans if plan.changes]
    if changes:
        with install.records.begin() as db:
            for plan in changes:
                _put_down(db, plan, now)
    due = [plan.source.number for plan in plans if plan.due]
    for number in due:
        queue_pull(install, number, now)
    return due


@dataclass(frozen=True)
class _Waiting:
    """What the schedules know of one source."""

    number: int
    schedule: str
    time_zone: str
    next_run_at: datetime | None
    retry_at: datetime | None


@dataclass(frozen=True)
class _Plan:
    """What is to become of a source: whether it is due, when it runs next, and why its schedule cannot be used."""

    source: _Waiting
    due: bool
    next_run_at: datetime | None
    fault: Nonsense | None = None

    @property
    def changes(self) -> bool:
        """Whether anything is to be written."""
        return self.due or self.fault is not None or self.next_run_at != self.source.next_run_at


def _waiting(install: Install) -> list[_Waiting]:
    asked = select(Source).where(Source.paused.is_(False), Source.state != "broken")
    with install.records.read() as db:
        return [
            _Waiting(found.id, found.schedule, found.time_zone, found.next_run_at, found.retry_at)
            for found in db.scalars(asked.where((Source.schedule != "") | Source.retry_at.is_not(None)))
        ]


def _planned(source: _Waiting, now: datetime) -> _Plan:
    retried = source.retry_at is not None and source.retry_at <= now
    if not source.schedule:
        return _Plan(source, retried, source.next_run_at)
    try:
        coming = next_run(source.schedule, now, source.time_zone)
    except Nonsense as fault:
        return _Plan(source, retried, None, fault)
    set_for = source.next_run_at
    due = set_for is not None and set_for <= now
    later = set_for is None or set_for > coming
    return _Plan(source, retried or due, coming if due or retried or later else set_for)


def _put_down(db: Session, plan: _Plan, now: datetime) -> None:
    """Write what was planned, unless somebody changed the schedule meanwhile."""
    found = db.get(Source, plan.source.number)
    if found is None or found.schedule != plan.source.schedule:
        return
    found.next_run_at = plan.next_run_at
    if plan.due:
        found.retry_at = None
    if plan.fault is not None:
        found.schedule = ""
        text = f"The schedule of {found.label} ({found.site.host}) was taken off: {plan.fault.what} Give it another."
        note(db, "schedule-unusable", text, now, found)


def queue_pull(install: Install, number: int, now: datetime, **span: object) -> int:
    """Queue a pull, or the checks of a source that looks keywords up; those of one provider share its lane.

    Returns the job's number.
    """
    with install.records.read() as db:
        source = find_source(db, number)
        lane, job = source.url or f"source {number}", JOBS.get(source.kind, "pull")
    arguments = {"source": number} | {name: value for name, value in span.items() if value is not None}
    return queue.put(install, job, arguments, now, lane=lane).id


def back_off(failures: int, chance: random.Random) -> timedelta:
    """Choose how long to wait after so many failures in a row: doubling from a minute, half of it by chance.

    >>> back_off(3, random.Random(1)) <= timedelta(minutes=4)
    True
    """
    most: timedelta = min(LONGEST_WAIT, FIRST_WAIT * int(2 ** min(failures - 1, 20)))
    return most * (0.5 + 0.5 * chance.random())
