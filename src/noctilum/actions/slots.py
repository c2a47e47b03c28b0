"""The times reports fall due: noted once each, waited for while days are missing, made once, and signed off or not."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import as_completed
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions import editions, queue, reports, sending
from noctilum.actions.hands import hands, here
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.actions.progress import Progress
from noctilum.actions.recurrence import next_due
from noctilum.actions.schedule import back_off
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Clash, Fault, Nonsense, NotThere, Stopped, worded
from noctilum.core.windows import month_start, parse_window
from noctilum.records.models import LARGEST_NUMBER, Edition, Report, Site, Slot

JOB = "due-reports"
BY_SCHEDULE = "the schedule"
OPEN = ("due", "waiting", "failed")
MOST_CAUGHT_UP = 3
"""So many times missed while nothing ran are made up for, the newest; earlier ones are skipped, and told."""
LOOK_AGAIN = timedelta(hours=1)
MOST_TRIES = 6
STALE_DAYS = 10
"""Days may be late by so many before a report over the newest days waits for them."""
FEW = 2
"""So many due reports are made in this process; more in processes of their own."""
NICENESS = 10
_CHANCE = random.Random()


@dataclass(frozen=True)
class Run:
    """What a run came to."""

    made: int
    waiting: int
    failed: int
    sent: int


def tick(install: Install, now: datetime) -> None:
    """Note each time that has come, and queue a run where something is to be made or handed over."""
    for number in _come(install, now):
        _note_due(install, number, now)
    with install.records.read() as db:
        ready = _ready(db, now)
    if ready:
        queue.put(install, JOB, {}, now)
    sending.tick(install, now)


def _come(install: Install, now: datetime) -> list[int]:
    asked = select(Report.id).where(Report.schedule != "", Report.paused.is_(False), Report.next_run_at <= now)
    with install.records.read() as db:
        return list(db.scalars(asked))


def _note_due(install: Install, number: int, now: datetime) -> None:
    """Note every time of a report that has come; a schedule that cannot be used is taken off, with a notice."""
    with install.records.begin() as db:
        found = db.get(Report, number)
        if found is None or found.next_run_at is None:
            return
        site = db.get_one(Site, found.site_id)
        times, at = [], found.next_run_at
        try:
            while at <= now:
                times.append(at)
                at = next_due(found.schedule, at, reports.zone_of(found, site), reports.plan_of(found).weekend)
        except Nonsense as fault:
            found.schedule, found.next_run_at = "", None
            note(db, f"report-schedule {number}", f"The schedule of {found.name} was taken off: {fault.what}", now)
            return
        found.next_run_at = at
        for n, due in enumerate(reversed(times)):
            missed = n >= MOST_CAUGHT_UP
            _put_slot(
                db, number, due, "skipped" if missed else "due", "Missed while nothing ran." if missed else "", now
            )


def _put_slot(db: Session, report: int, due: datetime, state: str, why: str, now: datetime) -> None:
    if db.scalar(select(Slot.id).where(Slot.report_id == report, Slot.due_at == due)) is None:
        db.add(Slot(report_id=report, due_at=due, state=state, why=why, next_try_at=now))


def _ready(db: Session, now: datetime) -> list[int]:
    """Give the slots that may be made now, and those made but not yet signed off by themselves."""
    open_ones = select(Slot.id).where(Slot.state.in_(OPEN), Slot.next_try_at <= now, Slot.tried < MOST_TRIES)
    return [*db.scalars(open_ones.order_by(Slot.due_at, Slot.id)), *_half_done(db)]


def _half_done(db: Session) -> list[int]:
    asked = (
        select(Slot.id, Report)
        .join(Edition, Slot.edition_id == Edition.id)
        .join(Report, Slot.report_id == Report.id)
        .where(Edition.state == "draft", Edition.made_by == BY_SCHEDULE)
    )
    return [number for number, report in db.execute(asked) if not reports.plan_of(report).approval]


def run(
    install: Install,
    clock: Callable[[], datetime],
    report: Callable[[Progress], bool],
    anyway: int | None = None,
) -> Run:
    """Make everything that is due, on several cores where it is much; raises Stopped between two when told to.

    A run that dies is begun again with what it has left: a slot is made with its edition in one transaction.
    anyway: the number of one slot, which is made with the days there are.
    """
    now = clock()
    if anyway is not None:
        return _summed([made(install, anyway, now, anyway=True)])
    with install.records.read() as db:
        numbers = _ready(db, now)
    came: list[str] = []
    report(Progress("making", 0, len(numbers)))
    with _hands(install, numbers) as done:
        for result in done(numbers, now):
            came.append(result)
            if not report(Progress("making", len(came), len(numbers))):
                raise Stopped
    sending.tick(install, clock())
    return _summed(came)


def _summed(came: Sequence[str]) -> Run:
    return Run(*(sum(each == name for each in came) for name in ("made", "waiting", "failed", "sent")))


@contextmanager
def _hands(install: Install, numbers: Sequence[int]) -> Iterator[Callable[[Sequence[int], datetime], Iterable[str]]]:
    """Give what makes slots: this process for few, processes of their own, at lower priority, for many."""
    if len(numbers) <= FEW:
        yield lambda some, now: (made(install, number, now) for number in some)
        return
    with hands(install, NICENESS) as pool:

        def each(some: Sequence[int], now: datetime) -> Iterator[str]:
            work = [pool.submit(_made_there, number, now) for number in some]
            for done in as_completed(work):
                yield done.result()

        yield each


def _made_there(number: int, now: datetime) -> str:
    return made(here(), number, now)


def made(install: Install, number: int, now: datetime, *, anyway: bool = False) -> str:
    """Make one slot: its draft, and where nobody has to sign it off, its sending. Gives what came of it.

    anyway: without waiting for days.
    """
    with install.records.read() as db:
        slot, found, site = _slot(db, number)
        plan, zone, key = reports.plan_of(found), reports.zone_of(found, site), site.key
        edition, due, body = slot.edition_id, slot.due_at, reports.body_of(db, found)
        report = found.id
    try:
        if edition is None:
            window = window_on(body.window, due.astimezone(ZoneInfo(zone)).date())
            late = _lacking(install, key, window, due, now)
            waits = plan.when_late == "wait" and now < due + timedelta(plan.wait_days)
            if late and waits and not anyway:
                _put_off(install, number, late, now)
                return "waiting"
            edition = editions.drafted(install, report, now, BY_SCHEDULE, window=window, slot=number).id
        if plan.approval:
            return "made"
        return "sent" if sending.signed_and_sent(install, edition, now, BY_SCHEDULE) else "made"
    except Clash as fault:
        if fault.code == "slot-closed":
            return "made"
        return _failed(install, number, fault, now)
    except Fault as fault:
        return _failed(install, number, fault, now)


def window_on(window: str, due: date) -> str:
    """Say which days a report is of that fell due on a day: "last-month" and "last-week" are the whole ones before it.

    Windows that end with the newest complete day stay as they are.

    >>> window_on("last-month", date(2026, 3, 2)), window_on("last-week", date(2026, 3, 2)), window_on("P28D", date.max)
    ('2026-02', '2026-02-23/2026-03-01', 'P28D')
    """
    day = due - timedelta(1)
    if window == "last-month":
        return f"{month_start(due) - timedelta(1):%Y-%m}"
    return parse_window(window, ends_on=day).text if window == "last-week" else window


def _lacking(install: Install, site: str, window: str, due: datetime, now: datetime) -> str:
    """Say which days are still to come for a window; nothing where none are."""
    try:
        held = open_site(install, site, today=now.date()).held_first
        through = held.complete_through
    except NotThere as why:
        return why.what
    needed = due.astimezone(UTC).date() - timedelta(STALE_DAYS)
    if window[:1].isdigit():
        needed = parse_window(window, ends_on=through).last
    return f"Days are complete through {through}; it needs {needed}." if through < needed else ""


def _put_off(install: Install, number: int, why: str, now: datetime) -> None:
    with install.records.begin() as db:
        slot, *_ = _slot(db, number)
        slot.state, slot.why, slot.next_try_at = "waiting", why, now + LOOK_AGAIN


def _failed(install: Install, number: int, fault: Fault, now: datetime) -> str:
    """Keep why a slot could not be made; the last try leaves a notice."""
    with install.records.begin() as db:
        slot, found, site = _slot(db, number)
        if slot.state != "made":
            slot.state = "failed"
        slot.why, slot.tried = str(fault.what)[:600], slot.tried + 1
        slot.next_try_at = now + back_off(slot.tried, _CHANCE)
        if slot.tried >= MOST_TRIES:
            text = f"{found.name} of {site.host} could not be made: {fault.what} It is not tried again by itself."
            note(db, f"report-failed {found.id}", text, now)
    return "failed"


def again(install: Install, number: int, now: datetime) -> None:
    """Have a slot made at once that waits or has failed, with the days there are. Raises Clash for a closed one."""
    with install.records.begin() as db:
        slot, *_ = _slot(db, number)
        _refuse_closed(slot)
        slot.state, slot.next_try_at, slot.tried = "due", now, 0
    queue.put(install, JOB, {"anyway": number}, now)


def skipped(install: Install, number: int, who: str) -> None:
    """Let one time go by without an edition. Raises Clash for one that is closed."""
    with install.records.begin() as db:
        slot, *_ = _slot(db, number)
        _refuse_closed(slot)
        slot.state, slot.why = "skipped", f"Skipped by {who}."


def _refuse_closed(slot: Slot) -> None:
    if slot.state not in OPEN:
        raise Clash("slot-closed", "It was made or skipped meanwhile.", remedy="look at the list of what is due")


def _slot(db: Session, number: int) -> tuple[Slot, Report, Site]:
    asked = select(Slot, Report, Site).join(Report, Slot.report_id == Report.id).join(Site, Report.site_id == Site.id)
    found = db.execute(asked.where(Slot.id == number)).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-slot",
            worded("Nothing is due under {number}.", number=number),
            remedy="list it with `noctilum due`",
        )
    return found[0], found[1], found[2]
