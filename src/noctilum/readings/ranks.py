"""Rank summary and ladder: how tracked keywords stand, how they moved, step for step."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core import ranks as core
from noctilum.core.windows import Window
from noctilum.history import Question
from noctilum.readings.rank_rows import Tracked, known, rank_header, steps_of, tracked
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire
from noctilum.wire.keywords import KeywordOut

Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
MOST_MOVERS = 12
LEAST_WEEKS = 26
DEPTH = 20
NO_GROUP = ""


def summary(site: SiteAccess, asked: wire.RankSummaryQuery) -> wire.RankSummary:
    """Sum up tracked keywords by their latest checks, now and before, over all and by group."""
    of = tracked(site, asked)
    last = of.frame.window.last
    now = of.latest(last)
    against = of.frame.against
    before = of.latest(against.last) if against else None
    every = np.ones(len(of.keywords), dtype=bool)
    groups = _groups(of, asked.by, now)
    points = _points(of)
    return wire.RankSummary(
        **rank_header(of.frame, "ranks"),
        by=asked.by,
        tracked=len(of.keywords),
        now=_figures(of, now, every),
        before=_figures(of, before, every) if before else None,
        moved=_moved(before, now, every) if before else None,
        verdict=_verdict(of, before, now, points) if before else None,
        rows=[_group(of, key, members, before, now) for key, members in groups.items()],
        points=points,
        movers=_movers(of, before, now) if before else [],
    )


def _verdict(
    of: Tracked, before: tuple[Floats, Mask], now: tuple[Floats, Mask], points: Sequence[wire.RankPoint]
) -> core.VisibilityVerdict:
    """Judge the change of visibility by that of earlier weeks as far apart as the windows compared."""
    frame = of.frame
    assert frame.against is not None
    apart = max(1, round((frame.window.last - frame.against.last).days / 7))
    known = [point.visibility for point in points if point.last <= frame.against.last]
    past = np.array([np.nan if each is None else each for each in known], dtype=np.float64)
    both = before[1] & now[1]
    return core.visibility_verdict(before[0], now[0], of.weight, both, past[apart:] - past[:-apart])


def _figures(of: Tracked, side: tuple[Floats, Mask], members: Mask) -> wire.RankFigures:
    rank, checked, weight = side[0][members], side[1][members], of.weight[members]
    volume, price = of.volume[members], of.price[members]
    found = rank[np.isfinite(rank)]
    clicks, worth = _estimates(rank, checked, volume, price)
    return wire.RankFigures(
        checked=int(checked.sum()),
        found=int(found.size),
        top3=int((found <= 3).sum()),
        top10=int((found <= 10).sum()),
        top20=int((found <= 20).sum()),
        average=round(float(found.mean()), 3) if found.size else None,
        visibility=_rounded(core.visibility(rank, weight, None, checked)),
        visibility_by_volume=_rounded(
            core.visibility(rank, weight, np.nan_to_num(volume), checked & np.isfinite(volume))
        ),
        clicks=clicks,
        value=worth,
        weight=float(weight[checked].sum()),
        weight_by_volume=float((weight * np.nan_to_num(volume))[checked].sum()),
    )


def _estimates(rank: Floats, checked: Mask, volume: Floats, price: Floats) -> tuple[float | None, float | None]:
    """Estimate the clicks and the value of a month, of keywords looked up whose volume, and price, are known."""
    clicks = core.estimated_clicks(rank, volume)[checked & np.isfinite(volume)]
    worth = (core.estimated_clicks(rank, volume) * price)[checked & np.isfinite(volume) & np.isfinite(price)]
    return (
        round(float(clicks.sum()), 1) if clicks.size else None,
        round(float(worth.sum()), 2) if worth.size else None,
    )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 4)


def _moved(before: tuple[Floats, Mask], now: tuple[Floats, Mask], members: Mask) -> wire.Movements:
    moves = core.movements(before[0][members], now[0][members], before[1][members], now[1][members])
    return wire.Movements(**core.counted(moves))


def _group(
    of: Tracked, key: str, members: Mask, before: tuple[Floats, Mask] | None, now: tuple[Floats, Mask]
) -> wire.RankGroup:
    return wire.RankGroup(
        key=key,
        tracked=int(members.sum()),
        now=_figures(of, now, members),
        before=_figures(of, before, members) if before else None,
        moved=_moved(before, now, members) if before else None,
    )


def _groups(of: Tracked, by: str, now: tuple[Floats, Mask]) -> dict[str, Mask]:
    """Say which keywords are in which group, the largest first; with tags a keyword may be in several."""
    named = [_keys(of, each, by) for each in of.keywords]
    if by == "page":
        named = [[page] for page in _pages_now(of, of.frame.window)]
    keys = sorted({key for keys in named for key in keys})
    found = {key: np.array([key in keys for keys in named], dtype=bool) for key in keys}
    return dict(sorted(found.items(), key=lambda each: (each[0] == NO_GROUP, -int(each[1].sum()), each[0])))


def _keys(of: Tracked, keyword: KeywordOut, by: str) -> list[str]:
    if by == "tag":
        return keyword.tags or [NO_GROUP]
    plain = {name: getattr(keyword, name) for name in ("device", "place", "engine", "track", "country")}
    return [plain.get(by, NO_GROUP)]


def _pages_now(of: Tracked, window: Window) -> list[str]:
    """Name the page that ranks for each keyword at its last check up to the end of a window."""
    return [page for page, _ in _latest_pages(of, window.last)]


def _latest_pages(of: Tracked, last: date) -> list[tuple[str, int]]:
    """Give the page and day of each keyword's last check up to a day; no page where not found."""
    place = of.held.upto(of.looks, last.toordinal())
    page = np.where(place >= 0, of.looked.page[place], -1)
    day = np.where(place >= 0, of.looked.day[place], 0)
    ids = sorted({int(each) for each in page if each >= 0})
    texts = dict(zip(ids, of.site.history.texts("page", ids), strict=True)) if ids else {}
    return [(texts.get(int(each), ""), int(on)) for each, on in zip(page, day, strict=True)]


def _points(of: Tracked) -> list[wire.RankPoint]:
    """Tell all keywords week for week, to the end of the window."""
    last = of.frame.window.last
    first = max(min(of.frame.window.first, last - timedelta(7 * LEAST_WEEKS - 1)), of.frame.held.first_held)
    steps = [Window(max(first, day - timedelta(6)), day) for day in _weeks_back(first, last)]
    rank, checked = of.by_step(steps)
    return [_point(of, step, rank[:, n], checked[:, n]) for n, step in enumerate(steps)]


def _weeks_back(first: date, last: date) -> list[date]:
    """Give the last days of the weeks that end with a day, oldest first."""
    weeks = (last - first).days // 7 + 1
    return [last - timedelta(7 * n) for n in range(weeks - 1, -1, -1)]


def _point(of: Tracked, step: Window, rank: Floats, checked: Mask) -> wire.RankPoint:
    found = rank[np.isfinite(rank)]
    clicks, worth = _estimates(rank, checked, of.volume, of.price)
    return wire.RankPoint(
        first=step.first,
        last=step.last,
        checked=int(checked.sum()),
        found=int(found.size),
        top3=int((found <= 3).sum()),
        top10=int((found <= 10).sum()),
        top20=int((found <= 20).sum()),
        average=round(float(found.mean()), 3) if found.size else None,
        visibility=_rounded(core.visibility(rank, of.weight, None, checked)),
        clicks=clicks,
        value=worth,
    )


def _movers(of: Tracked, before: tuple[Floats, Mask], now: tuple[Floats, Mask]) -> list[wire.RankMover]:
    """Name the keywords whose weight × reference click-through changed most, either way."""
    moves = core.movements(before[0], now[0], before[1], now[1])
    worth = of.weight * (core.rate_at(now[0]) - core.rate_at(before[0]))
    steps = np.nan_to_num(np.nan_to_num(before[0], nan=DEPTH + 1) - np.nan_to_num(now[0], nan=DEPTH + 1))
    moved = np.flatnonzero(~np.isin(moves, [core.MOVEMENTS.index(each) for each in ("same", "absent", "unknown")]))
    order = moved[np.lexsort((moved, -np.abs(steps[moved]), -np.abs(worth[moved])))][:MOST_MOVERS]
    pages = _latest_pages(of, of.frame.window.last)
    return [
        wire.RankMover(
            number=of.keywords[at].id,
            term=of.keywords[at].term,
            place=of.keywords[at].place,
            device=of.keywords[at].device,
            engine=of.keywords[at].engine,
            movement=core.MOVEMENTS[moves[at]],
            before=known(before[0][at]),
            now=known(now[0][at]),
            page=pages[at][0],
            worth=round(float(worth[at]), 5),
        )
        for at in order.tolist()
    ]


def ladder(site: SiteAccess, asked: wire.LadderQuery) -> wire.Ladder:
    """Lay tracked keywords out by days, weeks or months."""
    of = tracked(site, asked)
    window = of.frame.window
    steps = steps_of(window, asked.step)
    rank, checked = of.by_step(steps, asked.choice)
    pages = _latest_pages(of, window.last)
    order = _order(of, asked.by, pages)
    shown = order[asked.offset : asked.offset + asked.limit]
    best = _best(of)
    features = _features_now(of, shown, pages)
    return wire.Ladder(
        **rank_header(of.frame, "ranks"),
        step=asked.step,
        choice=asked.choice,
        by=asked.by,
        back=asked.back,
        offset=asked.offset,
        matching=len(order),
        tracked=len(site.keywords()),
        depth=DEPTH,
        steps=[_step(step, rank[:, n], checked[:, n]) for n, step in enumerate(steps)],
        rows=_ladder_rows(of, shown, (rank, checked), asked.back, pages, best, features),
    )


def _step(step: Window, rank: Floats, checked: Mask) -> wire.LadderStep:
    found = rank[np.isfinite(rank)]
    return wire.LadderStep(
        first=step.first,
        last=step.last,
        checked=int(checked.sum()),
        top3=int((found <= 3).sum()),
        top10=int((found <= 10).sum()),
    )


def _order(of: Tracked, by: str, pages: Sequence[tuple[str, int]]) -> list[tuple[int, str]]:
    """Order keywords: the largest group first, in it what is followed closely, then by weight and term."""
    if by == "none":
        named = [NO_GROUP] * len(of.keywords)
    elif by == "page":
        named = [page for page, _ in pages]
    else:
        named = [_keys(of, each, by)[0] for each in of.keywords]
    many = {name: named.count(name) for name in set(named)}

    def key(at: int) -> tuple[object, ...]:
        keyword, name = of.keywords[at], named[at]
        here = (keyword.place, keyword.device, keyword.engine, keyword.id)
        return (name == NO_GROUP, -many[name], name, not keyword.pinned, -keyword.weight, keyword.term, *here)

    return [(at, named[at]) for at in sorted(range(len(of.keywords)), key=key)]


def _best(of: Tracked) -> list[tuple[float | None, date | None]]:
    """Give the best rank of each keyword over all that is held, and the last day it was held on."""
    best, day = of.held.best_ever
    return [
        (round(float(best[look]), 3), date.fromordinal(int(day[look])))
        if look >= 0 and np.isfinite(best[look])
        else (None, None)
        for look in of.looks.tolist()
    ]


def _features_now(
    of: Tracked, shown: Sequence[tuple[int, str]], pages: Sequence[tuple[str, int]]
) -> Mapping[int, tuple[list[str], list[str]]]:
    """Say what the result page of each keyword showed at its last check, and what of it led to the site."""
    days = sorted({pages[at][1] for at, _ in shown if pages[at][1]})
    at_day = {(int(of.looks[at]), pages[at][1]): at for at, _ in shown if of.looks[at] >= 0}
    found: dict[int, tuple[list[str], list[str]]] = {}
    for day in days[-7:]:
        for look, kind, owned in features_on(of, date.fromordinal(day)):
            at = at_day.get((look, day))
            if at is not None:
                kinds = found.setdefault(at, ([], []))
                kinds[0].append(kind)
                if owned:
                    kinds[1].append(kind)
    return found


def features_on(of: Tracked, day: date) -> list[tuple[int, str, bool]]:
    """Give (place among the looks, feature, whether it led to the site) of a day's checks."""
    names = ("feature", "keyword", "track", "place", "device", "engine")
    found = of.site.history.read(Question("features", day, day, by=names, sources=of.frame.held.sources))
    texts = [of.site.history.texts(name, key.tolist()) for name, key in zip(names, found.keys, strict=True)]
    owned = found.figures["owned"].tolist()
    rows = zip(*texts, owned, strict=True)
    return [
        (of.looked.at[(keyword, track, place, device, engine)], kind, bool(mine))
        for kind, keyword, track, place, device, engine, mine in rows
        if (keyword, track, place, device, engine) in of.looked.at
    ]


@dataclass(frozen=True)
class _Moved:
    """How keywords moved over some steps, each of shape (keywords,): NaN where not found or not looked up."""

    now: Floats
    before: Floats
    movement: npt.NDArray[np.int8]


def _over(rank: Floats, checked: Mask, back: int) -> _Moved:
    """Set each line's last step with a check beside the step so many before it."""
    rows, steps = np.arange(len(rank)), rank.shape[1]
    last = np.where(checked.any(axis=1), steps - 1 - np.argmax(checked[:, ::-1], axis=1), 0)
    on = checked[rows, last]
    was = np.maximum(last - back, 0)
    on_both = on & (last >= back) & checked[rows, was]
    now = np.where(on, rank[rows, last], np.nan)
    before = np.where(on_both, rank[rows, was], np.nan)
    return _Moved(now, before, core.movements(before, now, on_both, on))


def _ladder_rows(
    of: Tracked,
    shown: Sequence[tuple[int, str]],
    line: tuple[Floats, Mask],
    back: int,
    pages: Sequence[tuple[str, int]],
    best: Sequence[tuple[float | None, date | None]],
    features: Mapping[int, tuple[list[str], list[str]]],
) -> list[wire.LadderRow]:
    at = np.array([each for each, _ in shown], dtype=np.int64)
    rank, checked = line[0][at], line[1][at]
    moved = _over(rank, checked, back)
    told = np.round(np.nan_to_num(rank, nan=0.0), 1).astype(object)
    told[~checked] = None
    cells = told.tolist()
    return [
        _row(of.keywords[each], group, moved, n, cells[n], pages[each][0], best[each], features.get(each, ([], [])))
        for n, (each, group) in enumerate(shown)
    ]


def _row(
    keyword: KeywordOut,
    group: str,
    moved: _Moved,
    n: int,
    cells: list[float | None],
    page: str,
    best: tuple[float | None, date | None],
    features: tuple[list[str], list[str]],
) -> wire.LadderRow:
    """Write one line: 0 in its cells is looked up and not found, None was not looked up."""
    return wire.LadderRow(
        group=group,
        number=keyword.id,
        term=keyword.term,
        place=keyword.place,
        device=keyword.device,
        engine=keyword.engine,
        track=keyword.track,
        weight=keyword.weight,
        tags=keyword.tags,
        pinned=keyword.pinned,
        page=page,
        target=keyword.page,
        now=known(moved.now[n]),
        before=known(moved.before[n]),
        movement=core.MOVEMENTS[moved.movement[n]],
        change=known(moved.now[n] - moved.before[n]),
        best=best[0],
        best_day=best[1],
        features=features[0],
        owned=features[1],
        cells=cells,
    )
