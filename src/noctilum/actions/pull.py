"""Pulling: fetching every day due from a source and keeping it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from itertools import islice
from random import Random
from threading import Event
from typing import TypeVar

from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.actions.schedule import back_off
from noctilum.actions.setup import connect
from noctilum.core.days import DayState, days_due, expires_in, lost_days, order_due
from noctilum.core.errors import FeedFault, Stopped, worded
from noctilum.core.pages import by_path, only_part
from noctilum.core.reconcile import Disagreement, Promised, against_promise, between_grains
from noctilum.core.settle import Settled, settle
from noctilum.core.windows import month_start, span_end
from noctilum.datasets import DATASETS
from noctilum.history import DayEntry, History, LedgerRow
from noctilum.sources.contract import Connector, OfferedDay, Page


@dataclass(frozen=True)
class Progress:
    """Say how far a pull is. seconds_left is an estimate; None before the first day.

    expires_in: days until the provider drops the oldest day that was due.
    """

    stage: str
    done: int
    due: int
    rows: int
    rows_per_second: float | None = None
    seconds_left: float | None = None
    expires_in: int | None = None


@dataclass(frozen=True)
class PullResult:
    """Say what a pull did. failed: days that could not be had, with the reason.

    flagged: days that are doubted. lost: days found lost.
    """

    days: int
    rows: int
    failed: tuple[tuple[date, str], ...]
    flagged: int = 0
    lost: int = 0


_CHANCE = Random()
T = TypeVar("T")
LOOKS_UP_EVERY = 1.0
GATHERS_FOR, GATHERS, GATHERS_ROWS = 2.0, 62, 500_000
"""Seconds, days and rows at most that are written together: a transaction costs more than a small day, and a month
that comes whole is written once. Never more than a tenth of the time the pull has taken, which is what a kill costs."""
GATHERED_PART, LEAST_GATHERED = 0.1, 0.1
DOWN, GIVES_UP_AFTER = ("feed-unreachable", "feed-slow", "feed-broken"), 8
"""After so many days in a row that could not be had for these reasons a pull ends, and is tried again later."""
Report = Callable[[Progress], bool]
"""Takes progress; answers False to stop the pull after the days in flight."""


@dataclass(frozen=True)
class Span:
    """Narrow a pull to a run of days; again fetches also those known in the revision offered."""

    first: date | None = None
    last: date | None = None
    again: bool = False

    def __contains__(self, day: date) -> bool:
        return (self.first is None or day >= self.first) and (self.last is None or day <= self.last)


def pull(
    install: Install,
    source_id: int,
    *,
    origin: str,
    clock: Callable[[], datetime],
    report: Report,
    span: Span | None = None,
) -> PullResult:
    """Fetch every day due at every grain; days that arrive together are kept in one transaction with their ledger rows.

    Order: the newest four weeks, days about to leave the provider, the rest. Idempotent: a day
    known in the state and revision offered is not fetched, unless it is flagged or asked again. A day
    that fails is left as it was and named in the result; a gap the provider no longer offers is
    marked lost. A refused credential marks the source broken and raises.
    """
    with install.records.read() as db:
        source = find_source(db, source_id)
        site_id, host = source.site_id, source.site.host
        part, home = (str(source.settings.get(name, "")) for name in ("part", "home"))
    history = install.history(site_id, create=True)
    try:
        connector = connect(install, source, clock())
        try:
            at_once = install.settings.pull_concurrency
            task = _Task(history, source_id, at_once, origin, clock, span or Span(), host, part, home)
            result = _pull(connector, task, report)
        finally:
            connector.close()
    except FeedFault as fault:
        _mark_failed(install, source_id, fault, clock())
        raise
    _mark_done(install, source_id, result, clock())
    return result


@dataclass(frozen=True)
class _Task:
    """What one pull works on."""

    history: History
    source: int
    concurrency: int
    origin: str
    clock: Callable[[], datetime]
    span: Span
    host: str
    part: str
    home: str

    def marked(self, entry: DayEntry) -> DayEntry:
        """Say of a day where it came from and when; pages on the site's own host go by their paths.

        Of a property that counts several sites only the part is kept that is this one's.
        """
        batch = entry.batch
        if batch is not None and self.part:
            batch = only_part(batch, self.home, self.part)
            state = DayState.EMPTY if entry.state is DayState.FINAL and not len(batch) else entry.state
            entry = replace(entry, state=state, lines=len(batch), repeats=0, promised=Promised())
        named = by_path(batch, self.host) if batch is not None else None
        return replace(entry, batch=named, origin=self.origin, taken_at=_stamp(self.clock()))

    def grains(self, connector: Connector) -> tuple[str, ...]:
        """Say which grains to fetch, once the feed has told its days: of a part, those whose rows are of pages."""
        return tuple(grain for grain in connector.grains if not self.part or "page" in DATASETS[grain].dims)


def _pull(connector: Connector, task: _Task, report: Report) -> PullResult:
    pool = ThreadPoolExecutor(max_workers=task.concurrency, thread_name_prefix="pull")
    halt = Event()
    try:
        return _pulled(connector, task, report, pool, halt)
    finally:
        pool.shutdown(wait=not halt.is_set(), cancel_futures=True)


def _pulled(connector: Connector, task: _Task, report: Report, pool: ThreadPoolExecutor, halt: Event) -> PullResult:
    kept_from = task.history.kept_from
    known = _patiently(pool, lambda: connector.days(task.span.first, task.span.last), report, halt)
    grains = task.grains(connector)
    offered = {day.day: day for day in known if day.day in task.span and (kept_from is None or day.day >= kept_from)}
    rows = _rows_known(task, grains)
    wanted: list[tuple[OfferedDay, tuple[str, ...]]] = []
    for some, days in _by_span(grains, offered):
        mine = {day: [row for row in found if row.dataset in some] for day, found in rows.items()}
        due = _due({day: found for day, found in mine.items() if found}, some, days)
        wanted += [(days[day], _lacking(mine.get(day, []), some, days[day])) for day in due]
    tally = _Tally(report, len(wanted), _expiring([day.day for day, _ in wanted], offered))
    if not tally.tell("reading"):
        return tally.result()
    strain = _Strain()
    for arrived in _in_flight(pool, connector, wanted, task.concurrency * 2, halt, tally):
        entries: list[DayEntry] = []
        for day, future in arrived:
            try:
                entries += map(task.marked, future.result())
                strain.eased()
            except FeedFault as fault:
                strain.met(fault)
                tally.missed(day.day, fault)
        if entries:
            tally.kept(task.history.put_days(task.source, entries))
        if strain.ended_by or not tally.goes_on():
            halt.set()
    if strain.ended_by:
        raise strain.ended_by
    lost = 0 if halt.is_set() else _mark_lost(connector, task, offered)
    task.history.compact(before=month_start(task.clock().date()))
    tally.tell("done")
    return replace(tally.result(), lost=lost)


def _by_span(
    grains: Sequence[str], offered: Mapping[date, OfferedDay]
) -> Iterator[tuple[tuple[str, ...], Mapping[date, OfferedDay]]]:
    """Part grains by what their days stand for, each with the days to fetch: weeks and months once they are whole.

    A week or month goes by its first day, and is in the state and revision of its last.
    """
    spans = dict.fromkeys(DATASETS[grain].span for grain in grains)
    daily = not any(DATASETS[grain].span == "day" for grain in grains)
    for span in spans:
        some = tuple(grain for grain in grains if DATASETS[grain].span == span)
        yield some, offered if span == "day" or daily else _whole(span, offered)


def _whole(span: str, offered: Mapping[date, OfferedDay]) -> dict[date, OfferedDay]:
    found = {}
    for first in offered:
        last = span_end(span, first)
        end = offered.get(last) if last is not None else None
        if end is not None and offered[first].state is not DayState.MISSING and end.state is not DayState.MISSING:
            found[first] = replace(end, day=first)
    return found


class _Strain:
    """Tell when a feed's faults end a pull: a lasting one, one that names a time, or too many in a row."""

    def __init__(self) -> None:
        self.ended_by: FeedFault | None = None
        self._in_a_row = 0

    def eased(self) -> None:
        """Take note of a day that could be had."""
        self._in_a_row = 0

    def met(self, fault: FeedFault) -> None:
        """Take note of a fault; the first that ends the pull is kept."""
        self._in_a_row += 1
        down = fault.code in DOWN and self._in_a_row >= GIVES_UP_AFTER
        if fault.lasting or fault.retry_after is not None or down:
            self.ended_by = self.ended_by or fault


def _rows_known(task: _Task, grains: Sequence[str]) -> dict[date, list[LedgerRow]]:
    """Give what is known of each day at a connector's grains; nothing where all is asked again."""
    known: dict[date, list[LedgerRow]] = {}
    if not task.span.again:
        for row in task.history.ledger(sources=[task.source]):
            if row.dataset in grains:
                known.setdefault(row.day, []).append(row)
    return known


def _lacking(rows: Sequence[LedgerRow], grains: Sequence[str], offered: OfferedDay) -> tuple[str, ...]:
    """Say which grains of a day to fetch: all but those had in this very revision; all where one is doubted."""
    if any(row.flag for row in rows):
        return tuple(grains)
    had = {row.dataset for row in rows if _seen(row) == (offered.state, offered.revision)}
    return tuple(grain for grain in grains if grain not in had) or tuple(grains)


def _seen(row: LedgerRow) -> tuple[DayState, str | None]:
    return (DayState.FINAL if row.state is DayState.EMPTY else row.state), row.revision


def _due(
    rows: Mapping[date, Sequence[LedgerRow]], grains: Sequence[str], offered: Mapping[date, OfferedDay]
) -> list[date]:
    known = _known(rows, grains)
    due = days_due(known, {day: (found.state, found.revision) for day, found in offered.items()})
    return order_due(due, _oldest(offered))


def _oldest(offered: Mapping[date, OfferedDay]) -> date | None:
    return min((day for day, found in offered.items() if found.state is not DayState.MISSING), default=None)


def _expiring(due: Sequence[date], offered: Mapping[date, OfferedDay]) -> int | None:
    """Say in how many days the provider drops the oldest day due; None when nothing is due."""
    oldest = _oldest(offered)
    return expires_in(min(due), oldest) if due and oldest else None


def _known(rows: Mapping[date, Sequence[LedgerRow]], grains: Sequence[str]) -> dict[date, tuple[DayState, str | None]]:
    """Say which days are held at every grain, in one state and revision, with nothing to doubt."""
    return {
        day: _seen(found[0])
        for day, found in rows.items()
        if len(found) == len(grains) and len(set(map(_seen, found))) == 1 and not any(row.flag for row in found)
    }


def _mark_lost(connector: Connector, task: _Task, offered: Mapping[date, OfferedDay]) -> int:
    """Note the days that were never had and that the provider keeps no more; returns how many."""
    if task.span != Span() or not connector.keeps_past:
        return 0
    oldest = _oldest(offered)
    grains = task.grains(connector)
    known = task.history.states([task.source], grains[0])
    gone = lost_days(known, {day: found.state for day, found in offered.items()}, oldest)
    why = f"never had while it was offered; the provider keeps days from {oldest} on"
    stamp = _stamp(task.clock())
    unsettled = [day for day, state in known.items() if state is DayState.PROVISIONAL and oldest and day < oldest]
    task.history.settle_as_seen(task.source, unsettled)
    entries = [
        DayEntry(grain, day, DayState.LOST, None, None, stamp, task.origin, flag="lost", remark=why)
        for day in gone
        for grain in grains
        if DATASETS[grain].span == DATASETS[grains[0]].span
    ]
    if entries:
        task.history.put_days(task.source, entries)
    return len(gone)


def _patiently(pool: ThreadPoolExecutor, ask: Callable[[], T], report: Report, halt: Event) -> T:
    """Ask something of a feed, looking every second whether the pull is to stop; raises Stopped then."""
    asked = pool.submit(ask)
    while True:
        try:
            return asked.result(timeout=LOOKS_UP_EVERY)
        except TimeoutError:
            if asked.done():
                raise
            if not report(Progress("asking", 0, 0, 0)):
                halt.set()
                raise Stopped from None


Fetched = tuple[OfferedDay, Future[list[DayEntry]]]


def _in_flight(
    pool: ThreadPoolExecutor,
    connector: Connector,
    due: Sequence[tuple[OfferedDay, tuple[str, ...]]],
    most: int,
    halt: Event,
    tally: _Tally,
) -> Iterator[list[Fetched]]:
    """Keep a bounded number of days on their way; give those that arrived together, those under way too after a halt.

    While days gather others are asked for. While nothing arrives it is looked every second whether the pull is to
    stop; days that hang are then left.
    """
    waiting: dict[Future[list[DayEntry]], OfferedDay] = {}
    gathered: list[Fetched] = []
    began = since = time.monotonic()
    queue = iter(due)
    while True:
        for day, grains in islice(queue, 0 if halt.is_set() else most - len(waiting)):
            waiting[pool.submit(fetch_day, connector, day, grains)] = day
        longest = min(GATHERS_FOR, max(LEAST_GATHERED, GATHERED_PART * (time.monotonic() - began)))
        arrived, _ = wait(waiting, timeout=longest if gathered else LOOKS_UP_EVERY, return_when=FIRST_COMPLETED)
        if waiting and not (arrived or gathered) and not tally.tell("reading"):
            halt.set()
            return
        since = since if gathered else time.monotonic()
        gathered += [(waiting.pop(future), future) for future in arrived]
        if gathered and (not waiting or time.monotonic() - since >= longest or _is_enough(gathered)):
            yield gathered
            gathered = []
        elif not waiting:
            return


def _is_enough(gathered: Sequence[Fetched]) -> bool:
    """Say whether days are to be written now: they are many, or large, or one of them could not be had."""
    if len(gathered) >= GATHERS or any(future.exception() for _, future in gathered):
        return True
    return sum(entry.lines for _, future in gathered for entry in future.result()) >= GATHERS_ROWS


def fetch_day(connector: Connector, offered: OfferedDay, grains: Sequence[str] = ()) -> list[DayEntry]:
    """Fetch, parse and settle one day at some grains, all without; all or nothing.

    Raises FeedFault when the provider revised the day meanwhile, so that no day mixes revisions.
    """
    pages = []
    for page in connector.fetch_several(offered.day, grains or connector.grains):
        if page.revision != offered.revision:
            raise FeedFault(
                "feed-moved", worded("{day} was revised while it was being read.", day=offered.day), remedy="pull again"
            )
        pages.append((page, settle(connector.parse(page))))
    doubts = _doubts(pages)
    return [_entry(offered, page, settled, doubts.get(page.grain)) for page, settled in pages]


def _doubts(pages: Sequence[tuple[Page, Settled]]) -> dict[str, list[Disagreement]]:
    """Find what disagrees within a day, by the grain that is doubted."""
    found = between_grains([(settled.batch.kept, settled.batch.figures) for _, settled in pages])
    for page, settled in pages:
        lines = len(settled.batch) + settled.repeats
        found += against_promise(page.grain, lines, settled.batch.figures, page.promised)
    doubts: dict[str, list[Disagreement]] = {}
    for doubt in found:
        doubts.setdefault(doubt.grain, []).append(doubt)
    return doubts


def _entry(offered: OfferedDay, page: Page, settled: Settled, doubts: Sequence[Disagreement] | None) -> DayEntry:
    batch = settled.batch
    empty = not len(batch) and offered.state is DayState.FINAL
    return DayEntry(
        page.grain,
        offered.day,
        DayState.EMPTY if empty else offered.state,
        offered.revision,
        batch,
        "",
        "",
        lines=len(batch) + settled.repeats,
        repeats=settled.repeats,
        promised=page.promised,
        flag=doubts[0].code if doubts else None,
        remark="; ".join(doubt.text for doubt in doubts) if doubts else None,
    )


class _Tally:
    """Count what a pull did and tell it on, at most a few times a second."""

    EVERY = 0.4

    def __init__(self, report: Report, due: int, expires_in: int | None = None) -> None:
        self._report, self._due, self._expires_in = report, due, expires_in
        self._days = self._rows = self._flagged = 0
        self._failed: list[tuple[date, str]] = []
        self._began = self._told = time.monotonic()

    def kept(self, written: Sequence[LedgerRow]) -> None:
        """Count days kept."""
        self._days += len({row.day for row in written})
        self._rows += sum(row.rows for row in written)
        self._flagged += len({row.day for row in written if row.flag})

    def missed(self, day: date, fault: FeedFault) -> None:
        """Count a day that could not be had."""
        self._failed.append((day, str(fault)))

    def goes_on(self) -> bool:
        """Tell the progress on where it is due; False when the pull is to stop."""
        return time.monotonic() - self._told < self.EVERY or self.tell("reading")

    def tell(self, stage: str) -> bool:
        """Tell the progress on."""
        self._told = time.monotonic()
        took = self._told - self._began
        done = self._days + len(self._failed)
        left = took / done * (self._due - done) if done else None
        rate = self._rows / took if took > 0 and self._rows else None
        return self._report(Progress(stage, done, self._due, self._rows, rate, left, self._expires_in))

    def result(self) -> PullResult:
        """Sum up."""
        return PullResult(self._days, self._rows, tuple(self._failed), self._flagged)


def _stamp(now: datetime) -> str:
    return now.isoformat(timespec="seconds")


def _left_over(result: PullResult) -> str | None:
    said = []
    if result.failed:
        day, why = result.failed[0]
        said.append(f"{len(result.failed)} days could not be had, {day} among them. {why}")
    if result.flagged:
        days = "1 day adds" if result.flagged == 1 else f"{result.flagged} days add"
        said.append(f"{days} up otherwise than the provider says; see Held days.")
    return " ".join(said) or None


def _mark_failed(install: Install, source_id: int, fault: FeedFault, now: datetime) -> None:
    """Stop a source whose credential is refused, with a notice; let any other be tried again later."""
    with install.records.begin() as db:
        source = find_source(db, source_id)
        source.fault, source.failures = str(fault), source.failures + 1
        if fault.lasting:
            source.state, source.retry_at = "broken", None
            text = f"{source.label} of {source.site.host} stopped: {fault.what} {fault.remedy}".strip()
            note(db, "source-stopped", text, now, source)
            return
        source.state = "ready"
        pause = timedelta(seconds=fault.retry_after) if fault.retry_after else back_off(source.failures, _CHANCE)
        source.retry_at = now + pause if source.schedule else None


def _mark_done(install: Install, source_id: int, result: PullResult, now: datetime) -> None:
    with install.records.begin() as db:
        source = find_source(db, source_id)
        source.state, source.fault, source.pulled_at = "ready", _left_over(result), now
        source.failures = source.failures + 1 if result.failed else 0
        source.retry_at = now + back_off(source.failures, _CHANCE) if result.failed and source.schedule else None
        if result.flagged:
            note(db, "days-flagged", f"{source.label} of {source.site.host}: {source.fault}", now, source)
        if result.lost:
            days = "1 day" if result.lost == 1 else f"{result.lost} days"
            text = f"{days} of {source.label} ({source.site.host}) are lost: the provider keeps them no more."
            note(db, "days-lost", text, now, source)
