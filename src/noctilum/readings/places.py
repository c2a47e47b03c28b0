"""Where from and on what: a local grid around a shop, and ranks on each device side by side."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core import ranks as core
from noctilum.core.errors import NotThere, worded
from noctilum.core.found import opened, pack_place
from noctilum.core.grid import Point, points
from noctilum.core.windows import Window
from noctilum.history import Question
from noctilum.readings.frame import Frame
from noctilum.readings.rank_rows import Looked, Tracked, known, looked, rank_header, tracked
from noctilum.readings.rank_rows import frame_of as frame_asked
from noctilum.readings.ranks import DEPTH
from noctilum.readings.rivals import own_domain
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire
from noctilum.wire.grids import GridOut

MOST_RIVALS = 12
FAR, LEAST_TERMS, MOSTLY = 2.0, 5, 0.8
"""Mobile is far behind from so many places on, over so many terms at least, on so large a share of them."""
PAGES_OF = ("mobile", "desktop")
"""Whose result pages have a map above plain results; where both do, the first's is told."""
LOOKED_BACK = 31
"""So many days before a window's end a kept page still tells of it."""
Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]


def local_grid(site: SiteAccess, asked: wire.GridQuery) -> wire.LocalGrid:
    """Tell a grid as it was at the end of a window, and before. Raises NotThere for a grid the site does not have."""
    grids = site.grids()
    if not grids and not asked.number:
        why = worded("{key} has no local grid yet.", key=site.key)
        raise NotThere("no-such-grid", why, remedy="add one with `noctilum grids`")
    grid = next((each for each in grids if asked.number in (0, each.id)), None)
    if grid is None:
        raise NotThere(
            "no-such-grid",
            worded("{key} has no local grid {number}.", key=site.key, number=asked.number),
            remedy="list them with `noctilum grids`",
        )
    frame = frame_asked(site, asked)
    laid = points(grid.latitude, grid.longitude, grid.spacing, grid.size)
    own = own_domain(site)
    domain = asked.domain.strip().lower().removeprefix("www.") or own
    now = _side(site, frame, grid, laid, frame.window)
    before = _side(site, frame, grid, laid, frame.against) if frame.against else None
    ranks = now.ranks if domain == own else now.ranks_of(domain)
    were = None if before is None else before.ranks if domain == own else before.ranks_of(domain)
    moved = core.movements(were[0], ranks[0], were[1], ranks[1]) if were else None
    return wire.LocalGrid(
        **rank_header(frame, "ranks"),
        number=grid.id,
        label=grid.label,
        term=grid.term,
        device=grid.device,
        engine=grid.engine,
        size=grid.size,
        spacing=grid.spacing,
        latitude=grid.latitude,
        longitude=grid.longitude,
        depth=DEPTH,
        domain=domain,
        own=domain == own,
        now=_sums(ranks),
        before=_sums(were) if were and were[1].any() else None,
        **_halves(grid.size, laid, ranks),
        rows=[
            _point(laid[n], n, ranks, were, now.listed[n], now.days[n]).model_copy(
                update={"moved": core.MOVEMENTS[moved[n]] if moved is not None else None}
            )
            for n in range(len(laid))
        ],
        rivals=_rivals(site, now.listed, now.ranks[1]),
    )


@dataclass(frozen=True)
class _Side:
    """A grid at one time: the site's (rank, looked up) of each point, whose results stood where, the day of each."""

    ranks: tuple[Floats, Mask]
    listed: list[dict[str, float]]
    days: list[int]

    def ranks_of(self, domain: str) -> tuple[Floats, Mask]:
        """Give another domain's ranks, as far as results are kept."""
        return np.array([each.get(domain, np.nan) for each in self.listed], dtype=np.float64), self.ranks[1]


def _side(site: SiteAccess, frame: Frame, grid: GridOut, laid: Sequence[Point], window: Window) -> _Side:
    ranks, days = _ranks(looked(site.history, frame.held.sources), grid, laid, window)
    return _Side(ranks, _listed(site, frame, grid, laid, days), days)


def _ranks(held: Looked, grid: GridOut, laid: Sequence[Point], window: Window) -> tuple[tuple[Floats, Mask], list[int]]:
    """Give (rank, looked up) of each point by its latest check in the window's last seven days, and on which day."""
    names = [(grid.term, grid.track, point.place, grid.device, grid.engine) for point in laid]
    looks = np.array([held.at.get(name, -1) for name in names], dtype=np.int64)
    rank, checked = held.held.latest(looks, window.last.toordinal())
    place = held.held.upto(looks, window.last.toordinal())
    days = [int(held.day[at]) if there else 0 for at, there in zip(place, checked, strict=True)]
    return (rank, checked), days


def _sums(side: tuple[Floats, Mask]) -> wire.GridSums:
    found = core.grid_sums(side[0][side[1]], DEPTH)
    if found is None:
        return wire.GridSums(points=0, mean=None, top3=None, found=None)
    return wire.GridSums(
        points=found.points, mean=round(found.mean, 3), top3=round(found.top3, 4), found=round(found.found, 4)
    )


def _halves(size: int, laid: Sequence[Point], now: tuple[Floats, Mask]) -> dict[str, float | None]:
    """Give the mean rank of each half of the points; the middle row or column is in neither."""
    half = size // 2
    rows = np.array([point.row for point in laid])
    columns = np.array([point.column for point in laid])
    parts = {
        "north": rows < half,
        "south": rows >= size - half,
        "west": columns < half,
        "east": columns >= size - half,
    }
    sums = {name: core.grid_sums(now[0][part & now[1]], DEPTH) for name, part in parts.items()}
    return {name: None if found is None else round(found.mean, 3) for name, found in sums.items()}


def _point(
    point: Point,
    n: int,
    now: tuple[Floats, Mask],
    before: tuple[Floats, Mask] | None,
    listed: dict[str, float],
    day: int,
) -> wire.GridPoint:
    top = sorted(listed, key=lambda domain: (listed[domain], domain))[:3]
    return wire.GridPoint(
        down=point.row,
        across=point.column,
        latitude=round(point.latitude, 5),
        longitude=round(point.longitude, 5),
        checked=bool(now[1][n]),
        rank=known(now[0][n]),
        before=known(before[0][n]) if before is not None else None,
        moved=None,
        first=top[0] if top else "",
        top=top,
        day=date.fromordinal(day) if day else None,
    )


def _listed(
    site: SiteAccess, frame: Frame, grid: GridOut, laid: Sequence[Point], days: Sequence[int]
) -> list[dict[str, float]]:
    """Give whose results stood where, for each point on the day it was looked up."""
    found: list[dict[str, float]] = [{} for _ in laid]
    at = {point.place: n for n, point in enumerate(laid)}
    wanted = {"keyword": grid.term, "track": grid.track, "device": grid.device, "engine": grid.engine}
    ids = {name: site.history.term_id(name, text) for name, text in wanted.items()}
    if any(number is None for number in ids.values()):
        return found
    where = {name: (number,) for name, number in ids.items() if number is not None}
    for day in sorted({day for day in days if day}):
        on = date.fromordinal(day)
        read = site.history.read(Question("listings", on, on, ("domain", "place"), where, sources=frame.held.sources))
        domains = site.history.texts("domain", read.keys[0].tolist())
        places = site.history.texts("place", read.keys[1].tolist())
        ranks = (read.figures["listed_milli"] / 1000 / np.maximum(read.figures["seen"], 1)).tolist()
        for domain, place, rank in zip(domains, places, ranks, strict=True):
            n = at.get(place)
            if n is not None and days[n] == day:
                found[n][domain] = rank
    return found


def _rivals(site: SiteAccess, listed: Sequence[dict[str, float]], checked: Mask) -> list[wire.GridRival]:
    """Sum up whose results stood where over the points that were looked up."""
    own = own_domain(site)
    whole = [listed[n] for n in np.flatnonzero(checked).tolist()]
    ranks: dict[str, list[float]] = defaultdict(list)
    for point in whole:
        for domain, rank in point.items():
            ranks[domain].append(rank)
    rows = [
        wire.GridRival(
            domain=domain,
            won=sum(round(rank) == 1 for rank in each),
            top3=sum(round(rank) <= 3 for rank in each),
            mean=round((sum(each) + (len(whole) - len(each)) * (DEPTH + 1)) / len(whole), 3),
            own=domain == own,
        )
        for domain, each in ranks.items()
    ]
    rows.sort(key=lambda row: (-row.won, row.mean, row.domain))
    mine = [row for row in rows if row.own]
    return [*mine, *(row for row in rows if not row.own)][:MOST_RIVALS]


def device_ranks(site: SiteAccess, asked: wire.DeviceRanksQuery) -> wire.DeviceRanks:
    """Set desktop, mobile and map ranks of a term from a place side by side, mobile furthest behind first.

    Mobile is called far behind where its median rank is two places or more lower than on desktop, over five terms at
    least, and lower on four of five of them: by chance four of five would be lower on
    fewer than one site in five, and seldom by so much; with more terms it is rarer still (binomial, one half).
    """
    of = tracked(site, asked)
    rank, checked = of.latest(of.frame.window.last)
    told: dict[tuple[str, str, str, str], dict[str, float]] = defaultdict(dict)
    for at, keyword in enumerate(of.keywords):
        if checked[at]:
            name = keyword.term, keyword.place, keyword.track, keyword.engine
            told[name][keyword.device] = 0.0 if np.isnan(rank[at]) else float(rank[at])
    rows = [_devices(name, ranks) for name, ranks in told.items() if len(ranks) > 1 or name[1]]
    rows.sort(key=lambda row: (-(row.behind if row.behind is not None else -99.0), row.term, row.place))
    gaps = [row.behind for row in rows if row.behind is not None]
    behind = float(np.median(gaps)) if gaps else None
    lower = sum(gap > 0 for gap in gaps)
    far = behind is not None and behind >= FAR and len(gaps) >= LEAST_TERMS and lower >= MOSTLY * len(gaps)
    shown = rows[asked.offset : asked.offset + asked.limit]
    packs = _packs(site, of, [_named(row) for row in shown])
    return wire.DeviceRanks(
        **rank_header(of.frame, "ranks"),
        offset=asked.offset,
        matching=len(rows),
        both=len(gaps),
        behind=behind,
        lower=lower,
        far=far,
        rows=[row.model_copy(update={"pack": packs.get(_named(row))}) for row in shown],
    )


_Name = tuple[str, str, str, str]
"""Term, place, track, engine."""


def _named(row: wire.DeviceRanksRow) -> _Name:
    return row.term, row.place, row.track, row.engine


def _packs(site: SiteAccess, of: Tracked, names: Sequence[_Name]) -> dict[_Name, int]:
    """Say where the site stands on the map above plain results, by the newest kept page of each name."""
    wanted = set(names)
    looks: dict[str, tuple[_Name, int]] = {}
    for keyword in of.keywords:
        name = keyword.term, keyword.place, keyword.track, keyword.engine
        if name in wanted and keyword.device in PAGES_OF:
            parts = keyword.term, keyword.track, keyword.place, keyword.device, keyword.engine
            looks["\x1f".join(parts)] = name, PAGES_OF.index(keyword.device)
    last = of.frame.window.last
    kept = site.history.latest_captures(list(looks), last - timedelta(LOOKED_BACK), last)
    packs: dict[_Name, int] = {}
    for look in sorted(kept, key=lambda each: -looks[each][1]):
        with suppress(ValueError):
            place = pack_place(site.words.host, opened(kept[look]).found)
            if place is not None:
                packs[looks[look][0]] = place
    return packs


def _devices(name: tuple[str, str, str, str], ranks: dict[str, float]) -> wire.DeviceRanksRow:
    desktop, mobile = ranks.get("desktop"), ranks.get("mobile")
    return wire.DeviceRanksRow(
        term=name[0],
        place=name[1],
        track=name[2],
        engine=name[3],
        desktop=desktop,
        mobile=mobile,
        map=ranks.get("map"),
        pack=None,
        behind=round(mobile - desktop, 3) if mobile and desktop else None,
    )
