"""Pulling: fetching every day due from a source and keeping it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, replace
from datetime import date, datetime

from noctilum.actions.install import Install
from noctilum.actions.setup import connect, find_source
from noctilum.core.days import DayState, days_due
from noctilum.core.errors import FeedFault
from noctilum.core.settle import settle
from noctilum.core.windows import month_start
from noctilum.history import DayEntry, History
from noctilum.sources.contract import Connector, OfferedDay


@dataclass(frozen=True)
class Progress:
    """Say how far a pull is. seconds_left is an estimate; None before the first day."""

    stage: str
    done: int
    due: int
    rows: int
    rows_per_second: float | None = None
    seconds_left: float | None = None


@dataclass(frozen=True)
class PullResult:
    """Say what a pull did. failed: days that could not be had, with the reason."""

    days: int
    rows: int
    failed: tuple[tuple[date, str], ...]


Report = Callable[[Progress], bool]
"""Takes progress; answers False to stop the pull after the days in flight."""


def pull(install: Install, source_id: int, *, origin: str, clock: Callable[[], datetime], report: Report) -> PullResult:
    """Fetch every day due, newest first, at every grain, each in one transaction with its ledger rows.

    Idempotent: a day known in the state and revision offered is not fetched. A day that fails is
    left as it was and named in the result. A refused credential marks the source broken and raises.
    """
    with install.records.read() as db:
        source = find_source(db, source_id)
        site_id = source.site_id
    history = install.history(site_id, create=True)
    try:
        connector = connect(install, source)
        try:
            result = _pull(connector, history, source_id, install.settings.pull_concurrency, origin, clock, report)
        finally:
            connector.close()
    except FeedFault as fault:
        _mark(install, source_id, "broken" if fault.lasting else "ready", str(fault), None)
        raise
    _mark(install, source_id, "ready", _left_over(result), clock())
    return result


def _pull(
    connector: Connector,
    history: History,
    source_id: int,
    concurrency: int,
    origin: str,
    clock: Callable[[], datetime],
    report: Report,
) -> PullResult:
    offered = {day.day: day for day in connector.days(None, None)}
    due = days_due(_known(history, source_id, connector.grains), {d: (o.state, o.revision) for d, o in offered.items()})
    tally = _Tally(report, len(due))
    if not tally.tell("reading"):
        return tally.result()
    with ThreadPoolExecutor(max_workers=concurrency, thread_name_prefix="pull") as pool:
        for day, future in _in_flight(pool, connector, [offered[d] for d in due], concurrency * 2):
            try:
                entries = [replace(entry, origin=origin, taken_at=_stamp(clock())) for entry in future.result()]
            except FeedFault as fault:
                if fault.lasting:
                    raise
                going = tally.missed(day.day, fault)
            else:
                rows = history.put_days(source_id, entries)
                going = tally.kept(sum(row.rows for row in rows))
            if not going:
                pool.shutdown(cancel_futures=True)
                break
    history.compact(before=month_start(clock().date()))
    tally.tell("done")
    return tally.result()


def _known(history: History, source_id: int, grains: Sequence[str]) -> dict[date, tuple[DayState, str | None]]:
    """Say which days are held at every grain, in one state and revision."""
    seen: dict[date, list[tuple[DayState, str | None]]] = {}
    for row in history.ledger(sources=[source_id]):
        if row.dataset in grains:
            state = DayState.FINAL if row.state is DayState.EMPTY else row.state
            seen.setdefault(row.day, []).append((state, row.revision))
    return {day: found[0] for day, found in seen.items() if len(found) == len(grains) and len(set(found)) == 1}


def _in_flight(
    pool: ThreadPoolExecutor, connector: Connector, due: Sequence[OfferedDay], most: int
) -> Iterator[tuple[OfferedDay, Future[list[DayEntry]]]]:
    """Keep a bounded number of days on their way; give each as it arrives."""
    waiting: dict[Future[list[DayEntry]], OfferedDay] = {}
    queue = iter(due)
    while True:
        for day in queue:
            waiting[pool.submit(fetch_day, connector, day)] = day
            if len(waiting) >= most:
                break
        if not waiting:
            return
        arrived, _ = wait(waiting, return_when=FIRST_COMPLETED)
        for future in arrived:
            yield waiting.pop(future), future


def fetch_day(connector: Connector, offered: OfferedDay) -> list[DayEntry]:
    """Fetch, parse and settle one day at every grain; all or nothing.

    Raises FeedFault when the provider revised the day meanwhile, so that no day mixes revisions.
    """
    entries = []
    for grain in connector.grains:
        page = connector.fetch(offered.day, grain)
        if page.revision != offered.revision:
            raise FeedFault("feed-moved", f"{offered.day} was revised while it was being read.", remedy="pull again")
        batch = settle(connector.parse(page)).batch
        empty = not len(batch) and offered.state is DayState.FINAL
        state = DayState.EMPTY if empty else offered.state
        entries.append(DayEntry(grain, offered.day, state, offered.revision, batch, "", ""))
    return entries


class _Tally:
    """Count what a pull did and tell it on, at most a few times a second."""

    EVERY = 0.4

    def __init__(self, report: Report, due: int) -> None:
        self._report, self._due = report, due
        self._days = self._rows = 0
        self._failed: list[tuple[date, str]] = []
        self._began = self._told = time.monotonic()

    def kept(self, rows: int) -> bool:
        """Count a day kept; False when the pull is to stop."""
        self._days += 1
        self._rows += rows
        return self._maybe_tell()

    def missed(self, day: date, fault: FeedFault) -> bool:
        """Count a day that could not be had."""
        self._failed.append((day, str(fault)))
        return self._maybe_tell()

    def _maybe_tell(self) -> bool:
        if time.monotonic() - self._told < self.EVERY:
            return True
        return self.tell("reading")

    def tell(self, stage: str) -> bool:
        """Tell the progress on."""
        self._told = time.monotonic()
        took = self._told - self._began
        done = self._days + len(self._failed)
        left = took / done * (self._due - done) if done else None
        rate = self._rows / took if took > 0 and self._rows else None
        return self._report(Progress(stage, done, self._due, self._rows, rate, left))

    def result(self) -> PullResult:
        """Sum up."""
        return PullResult(self._days, self._rows, tuple(self._failed))


def _stamp(now: datetime) -> str:
    return now.isoformat(timespec="seconds")


def _left_over(result: PullResult) -> str | None:
    if not result.failed:
        return None
    day, why = result.failed[0]
    return f"{len(result.failed)} days could not be had, {day} among them. {why}"


def _mark(install: Install, source_id: int, state: str, fault: str | None, pulled_at: datetime | None) -> None:
    with install.records.begin() as db:
        source = find_source(db, source_id)
        source.state, source.fault = state, fault
        if pulled_at:
            source.pulled_at = pulled_at
