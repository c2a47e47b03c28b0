"""What was done and what came of it: each item read when its days are complete, and how many helped, by kind."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from noctilum.core.errors import Fault
from noctilum.core.windows import Window
from noctilum.readings.around_sums import AroundSums, ReadByDay
from noctilum.readings.effect import Around, Happened, around, in_set
from noctilum.readings.frame import Asked, frame, grain_of
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.rank_days import DailyRanks, daily_ranks
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.standing import frame_over
from noctilum.wire import work as wire

DAYS = (28, 84)
"""A done item is read when so many days after it are complete, first after four weeks, then after twelve."""
CAME: dict[str, wire.Came] = {
    "better": "better",
    "worse": "worse",
    "no clear change": "no effect can be shown",
    "too few to tell": "too few to tell",
}


def worked(site: SiteAccess, asked: wire.WorkedQuery) -> wire.Worked:
    """Read what came of all that was done in a window; raises NotThere where no searches are held."""
    held = site.holding
    of = frame_over(site, held, asked.window, asked.language)
    every = site.work()
    span = Window(of.window.first, max(of.window.last, site.today or of.window.last))
    done = [each for each in every if each.done_on is not None and span.first <= each.done_on <= span.last]
    wanted = [each for each in done if asked.work_kind in (None, each.kind)]
    wanted.sort(key=lambda each: (-(each.done_on or date.min).toordinal(), -each.id))
    sums = _sums_of(held, wanted)
    ranks = _ranks_of(site, wanted)
    rows = [row_of(held, site.key, each, sums, ranks) for each in wanted]
    open_ones = [each for each in every if each.state in ("to do", "doing")]
    passing = [row for row in rows if _passes(row, asked.only)]
    page = rows_asked(asked)
    counted = _kind("other", rows)
    return wire.Worked(
        **header(of, "work", []),
        rows=passing[page.offset : page.offset + page.limit],
        kinds=[_kind(kind, mine) for kind in KINDS if (mine := [row for row in rows if row.kind == kind])],
        **counted.model_dump(exclude={"kind"}),
        open=len(open_ones),
        overdue=sum(each.due is not None and site.today is not None and each.due < site.today for each in open_ones),
        offset=page.offset,
        matching=len(passing),
    )


KINDS: tuple[wire.WorkKind, ...] = ("refresh", "new content", "title and snippet", "links", "technical", "other")


def row_of(
    held: Holding, site: str, item: wire.WorkOut, sums: AroundSums | None = None, ranks: DailyRanks | None = None
) -> wire.WorkedRow:
    """Read one item that was done: after the longer time where that is complete, else the shorter, else it waits."""
    assert item.done_on is not None
    told = {"number": item.id, "done_on": item.done_on, "of": item.of, "key": item.key or site, "todo": item.todo}
    told |= {"kind": item.kind, "owner": item.owner}
    since = (held.complete_through - item.done_on).days
    days = next((each for each in reversed(DAYS) if since >= each), None)
    unread = dict.fromkeys(("days", "before", "expected", "now", "moved", "p", "ready", "rank_before", "rank_now"))
    if days is None:
        first = item.done_on + timedelta(DAYS[0])
        return wire.WorkedRow.model_validate(told | unread | {"verdict": "waits", "ready": first, "read_on": "clicks"})
    found = _read(held, site, item, days, sums)
    ready = None if days == DAYS[-1] else item.done_on + timedelta(DAYS[-1])
    read = unread | {"verdict": "too few to tell", "days": days, "ready": ready, "read_on": "clicks"}
    if found is not None:
        read |= {
            "verdict": CAME[found.verdict],
            "before": found.mine[1].clicks,
            "expected": None if found.expected is None else round(found.expected, 3),
            "now": found.mine[0].clicks,
            "moved": None if found.moved is None else round(found.moved, 6),
            "p": found.p,
        }
    if item.of == "keyword" and ranks is not None:
        read |= _by_rank(ranks, item, days)
    return wire.WorkedRow.model_validate(told | read)


def _by_rank(ranks: DailyRanks, item: wire.WorkOut, days: int) -> dict[str, object]:
    """Read a keyword on its rank, where it and enough others were looked up on either side."""
    assert item.done_on is not None
    after = Window(item.done_on + timedelta(1), item.done_on + timedelta(days))
    before = Window(item.done_on - timedelta(days), item.done_on - timedelta(1))
    found = ranks.moved(item.key, before, after)
    if found is None:
        return {}
    read: dict[str, object] = {"rank_before": round(found.before, 3), "rank_now": round(found.now, 3)}
    if found.verdict is None:
        return read
    return read | {"verdict": CAME[found.verdict], "p": found.p, "read_on": "rank"}


def _ranks_of(site: SiteAccess, items: Sequence[wire.WorkOut]) -> DailyRanks | None:
    """Read ranks by day, where something was done for a keyword and keywords are looked up."""
    return daily_ranks(site) if any(each.of == "keyword" for each in items) else None


def _read(held: Holding, site: str, item: wire.WorkOut, days: int, sums: AroundSums | None) -> Around | None:
    """Read what came of an item; None where what it is on cannot be read any more, as a set that was dropped."""
    assert item.done_on is not None
    try:
        what = Happened(item.done_on, item.done_on, item.key or site, *_where(item.of, item.key))
        return around(held, site, what, days, sums)
    except Fault:
        return None


MANY = 3
"""From so many items on it costs less to read what they are on by day, once, than window by window (measured)."""


def _sums_of(held: Holding, items: Sequence[wire.WorkOut]) -> AroundSums | None:
    """Say where the figures of items come from: those of many are read by day, pages and queries each in one go."""
    if len(items) < MANY:
        return None
    wheres = [_where(each.of, each.key)[0] for each in items]
    alike = {name: sorted({where[name] for where in wheres if name in where}) for name in ("page", "query")}
    return ReadByDay(held, alike)


def _where(of: str, key: str) -> tuple[dict[str, str], str]:
    """Say how what an item is on narrows a reading; a keyword is read as the query that it is."""
    if of == "set":
        return {}, in_set(key)
    return ({"query" if of == "keyword" else of: key} if of != "site" else {}), ""


def standing_of(site: SiteAccess, of: str, key: str, day: date) -> wire.Baseline:
    """Read the 28 days held by a day of a page, query, keyword, set or the site."""
    where, rule = _where(of, key)
    held = site.holding
    last = min(day, held.complete_through)
    window = Window(last - timedelta(DAYS[0] - 1), last)
    found = frame(held, Asked(site.key, window.text, "none", where, rule))
    sums = found.read(grain_of(found.dims), ()).sums
    return wire.Baseline(
        first=found.window.first,
        last=found.window.last,
        clicks=sums.clicks,
        impressions=sums.impressions,
        ctr=sums.ctr,
        position=sums.position,
    )


def _passes(row: wire.WorkedRow, only: str) -> bool:
    return only == "all" or row.verdict == only or (only == "read" and row.verdict != "waits")


def _kind(kind: wire.WorkKind, rows: Sequence[wire.WorkedRow]) -> wire.WorkedKind:
    told = [row.verdict for row in rows]
    return wire.WorkedKind(
        kind=kind,
        done=len(rows),
        better=told.count("better"),
        worse=told.count("worse"),
        unclear=told.count("no effect can be shown"),
        few=told.count("too few to tell"),
        waits=told.count("waits"),
    )


def answer(site: SiteAccess, asked: wire.WorkedQuery) -> wire.Worked:
    """Answer for a site."""
    return worked(site, asked)
