"""Checks: looking tracked keywords up when they are due, within what a month may cost, and keeping what was found.

Each answer is kept as it came, batch by batch; the rows of a day are made from the answers of that day. What is cut
short goes on from the answers there are, and nothing is looked up twice.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from random import Random

from sqlalchemy import select, update

from noctilum.actions.find import find_source
from noctilum.actions.grids import lookups_of
from noctilum.actions.install import Install
from noctilum.actions.keywords import used_in
from noctilum.actions.notices import note
from noctilum.actions.schedule import back_off
from noctilum.actions.setup import connect
from noctilum.core.days import DayState
from noctilum.core.due import is_due
from noctilum.core.errors import FeedFault, Nonsense, worded
from noctilum.core.found import Kept, day_of, opened, own_part, placed, written
from noctilum.core.windows import month_start
from noctilum.datasets.lookups import KIND, LOOKUPS
from noctilum.history import DayEntry, History
from noctilum.history.captures import WHOLE_FOR, Capture
from noctilum.records.models import Grid, Keyword, Source
from noctilum.sources.lookups import BATCH, Answer, Look, LookupConnector

ROUNDS = 3
"""A lookup that fails is tried again so often in one run, less one."""
DEPTH = 20
DATASETS_OF = tuple(kept.name for kept in LOOKUPS)
_CHANCE = Random()


@dataclass(frozen=True)
class CheckProgress:
    """Say how far checks are."""

    stage: str
    done: int
    due: int
    failed: int


Report = Callable[[CheckProgress], bool]


@dataclass
class Checked:
    """What came of a run. waiting: due, but beyond the month's limit. told: changes of keywords followed closely."""

    due: int = 0
    found: int = 0
    waiting: int = 0
    failed: dict[str, str] = field(default_factory=dict)
    doubts: list[str] = field(default_factory=list)
    told: list[str] = field(default_factory=list)
    stopped: bool = False


@dataclass(frozen=True)
class _Run:
    """What one run works on."""

    install: Install
    history: History
    source: int
    host: str
    now: datetime
    origin: str

    @property
    def day(self) -> date:
        return self.now.date()


def check(
    install: Install,
    source_id: int,
    *,
    origin: str,
    clock: Callable[[], datetime],
    report: Report,
    numbers: Sequence[int] | None = None,
    depth: int = DEPTH,
) -> Checked:
    """Look up every keyword that is due, or those of some numbers whether due or not. Raises FeedFault.

    A lookup that fails leaves its day unknown; it is due again with the next run. What the month may not cost any more
    waits. Raises Nonsense for a source that looks nothing up.
    """
    with install.records.read() as db:
        source = find_source(db, source_id)
        if source.kind != KIND:
            raise Nonsense("no-lookups", worded("{label} looks nothing up.", label=source.label), where="source")
        host, site = source.site.host, source.site_id
        keywords = list(db.scalars(select(Keyword).where(Keyword.site_id == site)))
        grids = list(db.scalars(select(Grid).where(Grid.site_id == site)))
    history = install.history(site, create=True)
    run = _Run(install, history, source_id, host, clock(), origin)
    _catch_up(run)
    wanted = _wanted(run, keywords, numbers)
    if numbers is None:
        wanted += _of_grids(run, grids, {named(each) for each in wanted})
    result = Checked(due=len(wanted))
    try:
        connector = connect(install, source)
        try:
            if not isinstance(connector, LookupConnector):
                raise Nonsense("no-lookups", worded("{label} looks nothing up.", label=source.label), where="source")
            _look_up(run, connector, wanted, result, report, depth)
        finally:
            connector.close()
            _keep(run, run.day, complete=not (result.failed or result.waiting or result.stopped))
    except FeedFault as fault:
        _mark_failed(install, source_id, fault, clock())
        raise
    if numbers is None:
        _mark_grids(run, grids)
    history.compact(before=month_start(run.day))
    history.thin_captures(source_id, run.day)
    _mark_done(run, result)
    return result


def _wanted(run: _Run, keywords: Sequence[Keyword], numbers: Sequence[int] | None) -> list[Keyword]:
    """Pick what is looked up, what is followed closely and what waits longest first."""
    if numbers is not None:
        found = [each for each in keywords if each.id in set(numbers)]
    else:
        had = {kept.named for kept, _ in _answers(run, run.day)}
        found = [
            each
            for each in keywords
            if is_due(each.interval, each.checked_at, run.now)  # type: ignore[arg-type]
            and (each.interval == "hourly" or named(each) not in had)
        ]
    never = datetime.min.replace(tzinfo=run.now.tzinfo)
    return sorted(found, key=lambda each: (not each.pinned, each.checked_at or never, -each.weight, each.id))


def _of_grids(run: _Run, grids: Sequence[Grid], wanted: set[tuple[str, ...]]) -> list[Keyword]:
    """Give the points of grids that are due, but for those looked up today and those looked up as keywords."""
    due = [grid for grid in grids if is_due(grid.interval, grid.checked_at, run.now)]  # type: ignore[arg-type]
    if not due:
        return []
    had = {kept.named for kept, _ in _answers(run, run.day)} | wanted
    points = {named(each): each for grid in due for each in lookups_of(grid)}
    return [each for name, each in points.items() if name not in had]


def _mark_grids(run: _Run, grids: Sequence[Grid]) -> None:
    """Put down which grids were looked up whole."""
    if not grids:
        return
    had = {kept.named for kept, _ in _answers(run, run.day)}
    whole = [grid.id for grid in grids if {named(each) for each in lookups_of(grid)} <= had]
    if whole:
        with run.install.records.begin() as db:
            db.execute(update(Grid).where(Grid.id.in_(whole)).values(checked_at=run.now))


def named(keyword: Keyword) -> tuple[str, str, str, str, str]:
    """Name a keyword as the history does."""
    return keyword.term, f"{keyword.language}-{keyword.country}", keyword.place, keyword.device, keyword.engine


def look_of(keyword: Keyword, depth: int = DEPTH) -> Look:
    """Say what a keyword is looked up by."""
    place = keyword.term, keyword.engine, keyword.language, keyword.country, keyword.place, keyword.device
    return Look(*place, depth)


def _look_up(
    run: _Run, connector: LookupConnector, wanted: Sequence[Keyword], result: Checked, report: Report, depth: int
) -> None:
    """Look up in batches; what failed is tried again after all others."""
    left = list(wanted)
    for _ in range(ROUNDS):
        again: list[Keyword] = []
        for at in range(0, len(left), BATCH):
            batch = left[at : at + BATCH]
            allowed = reserve(run.install, run.source, len(batch), run.day)
            if allowed < len(batch):
                result.waiting = len(left) - at - allowed
                batch, left = batch[:allowed], left[: at + allowed]
            if batch:
                answers = connector.look_up([look_of(each, depth) for each in batch])
                again += _take_in(run, batch, answers, result)
            progress = CheckProgress("looking up", result.found, result.due, len(result.failed))
            if not report(progress):
                result.stopped = True
                return
            if result.waiting:
                return
        left = again
        if not left:
            return


def reserve(install: Install, source_id: int, many: int, day: date) -> int:
    """Put lookups down as used before they are done, as many as the month still allows; returns how many."""
    with install.records.begin() as db:
        source = find_source(db, source_id)
        used = used_in(source, day)
        limit = source.settings.get("a_month")
        allowed = many if limit is None else max(0, min(many, int(limit) - used))
        month = f"{day:%Y-%m}"
        kept = {name: count for name, count in source.settings.get("used", {}).items() if name >= f"{day.year - 1}-01"}
        source.settings = {**source.settings, "used": {**kept, month: used + allowed}}
    return allowed


def _take_in(run: _Run, batch: Sequence[Keyword], answers: Sequence[Answer], result: Checked) -> list[Keyword]:
    """Keep the answers of a batch; returns what is to be tried again."""
    stamp = run.now.isoformat(timespec="seconds")
    kept: list[Capture] = []
    had: list[int] = []
    again: list[Keyword] = []
    for keyword, answer in zip(batch, answers, strict=True):
        if answer.found is None:
            result.failed[_said(keyword)] = answer.why
            again.append(keyword)
            continue
        result.failed.pop(_said(keyword), None)
        own = own_part(run.host, answer.found)
        if keyword.pinned:
            result.told += _told(run, keyword, answer)
        body = written(named(keyword), answer.found, answer.doubts)
        kept.append(Capture(answer.look.name, run.day, stamp, own, body))
        result.doubts += [f"{keyword.term}: {doubt}" for doubt in answer.doubts]
        had.append(keyword.id)
    run.history.put_captures(run.source, kept)
    if had:
        with run.install.records.begin() as db:
            db.execute(update(Keyword).where(Keyword.id.in_(had)).values(checked_at=run.now))
    result.found += len(had)
    return again


def _told(run: _Run, keyword: Keyword, answer: Answer) -> list[str]:
    """Say how a keyword that is followed closely moved since it was looked up before."""
    before = run.history.captures_of(answer.look.name)
    body = run.history.capture(before[-1].number) if before else None
    if body is None or answer.found is None:
        return []
    was, now = placed(run.host, opened(body).found), placed(run.host, answer.found)
    if (was.rank, was.page) == (now.rank, now.page):
        return []
    said = f"{_said(keyword)}: {_rank(was.rank)} → {_rank(now.rank)}"
    return [f"{said}, now with {now.page}" if now.page and was.page and was.page != now.page else said]


def _said(keyword: Keyword) -> str:
    return f"{keyword.term} ({keyword.place or keyword.country}, {keyword.device})"


def _rank(rank: int | None) -> str:
    return "not found" if rank is None else str(rank)


def _answers(run: _Run, day: date) -> list[tuple[Kept, str]]:
    """Open the answers of a day."""
    return [(opened(body), at) for at, body in run.history.captures_of_day(run.source, day)]


def _catch_up(run: _Run) -> None:
    """Make the rows of days whose answers were kept before a run was cut short, and settle days that are over.

    Days that were kept before there was a dataset get theirs from their answers, where those are still whole.
    """
    known = {row.day: row for row in run.history.ledger(sources=[run.source], dataset=DATASETS_OF[0])}
    newest = {row.day for row in run.history.ledger(sources=[run.source], dataset=DATASETS_OF[-1])}
    for day in sorted(day for day in known.keys() - newest if (run.day - day).days < WHOLE_FOR and day < run.day):
        if known[day].figures.get("checks", 0) == len(run.history.captures_of_day(run.source, day)):
            _keep(run, day, complete=known[day].state is DayState.FINAL)
    open_days = {day for day, row in known.items() if row.state is DayState.PROVISIONAL}
    for day in sorted({*open_days, run.day - timedelta(1), run.day}):
        answers = run.history.captures_of_day(run.source, day)
        whole = day in known and known[day].figures.get("checks", 0) == len(answers)
        over = day < run.day
        if answers and (not whole or (over and day in open_days)):
            _keep(run, day, complete=over)


def _keep(run: _Run, day: date, *, complete: bool) -> None:
    """Make a day's rows from its answers. A day of which some keywords could not be looked up is provisional."""
    lookups = [(kept.named, kept.found) for kept, _ in _answers(run, day)]
    if lookups:
        state = DayState.FINAL if complete else DayState.PROVISIONAL
        run.history.put_days(run.source, entries_of(run.host, day, lookups, state, run.now, run.origin))


def entries_of(
    host: str, day: date, lookups: Sequence[tuple[tuple[str, str, str, str, str], object]], state: DayState,
    now: datetime, origin: str,
) -> list[DayEntry]:  # fmt: skip
    """Make the entries of a day's lookups, one a dataset."""
    batches: Mapping[str, object] = day_of(host, day, lookups)  # type: ignore[arg-type]
    stamp = now.isoformat(timespec="seconds")
    return [
        DayEntry(name, day, state, None, batches[name], stamp, origin)  # type: ignore[arg-type]
        for name in DATASETS_OF
    ]


def _mark_failed(install: Install, number: int, fault: FeedFault, now: datetime) -> None:
    with install.records.begin() as db:
        source = find_source(db, number)
        source.fault, source.failures = str(fault), source.failures + 1
        if fault.lasting:
            source.state, source.retry_at = "broken", None
            note(db, "source-stopped", f"{source.label} of {source.site.host} stopped: {fault.what}", now, source)
            return
        pause = timedelta(seconds=fault.retry_after) if fault.retry_after else back_off(source.failures, _CHANCE)
        source.state, source.retry_at = "ready", now + pause if source.schedule else None


def _mark_done(run: _Run, result: Checked) -> None:
    with run.install.records.begin() as db:
        source = find_source(db, run.source)
        source.state, source.fault, source.pulled_at = "ready", _left_over(result), run.now
        source.failures = source.failures + 1 if result.failed else 0
        source.retry_at = run.now + back_off(source.failures, _CHANCE) if result.failed and source.schedule else None
        _notices(db, run, source, result)


def _notices(db: object, run: _Run, source: Source, result: Checked) -> None:
    host = source.site.host
    if result.waiting:
        text = f"{result.waiting} keywords of {host} wait: the lookups of this month are used up."
        note(db, "lookups-used-up", text, run.now, source)  # type: ignore[arg-type]
    if result.doubts:
        text = f"{len(result.doubts)} things in lookups of {host} could not be used, as: {result.doubts[0]}."
        note(db, "lookups-doubted", text, run.now, source)  # type: ignore[arg-type]
    if result.told:
        more = f" and {len(result.told) - 5} more" if len(result.told) > 5 else ""
        text = f"{host}: {'; '.join(result.told[:5])}{more}."
        note(db, "keyword-moved", text, run.now, source)  # type: ignore[arg-type]


def _left_over(result: Checked) -> str | None:
    said = []
    if result.failed:
        term, why = next(iter(result.failed.items()))
        said.append(f"{len(result.failed)} lookups failed, {term} among them: {why}.")
    if result.waiting:
        said.append(f"{result.waiting} keywords wait for the next month.")
    return " ".join(said) or None
